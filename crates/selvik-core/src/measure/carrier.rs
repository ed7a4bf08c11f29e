use nalgebra::Unit;

use crate::spatial::{Point, Vector};

/// Directions that lean less than this against each other (rad) are parallel: corners of small faces of files with numbers
/// of 32 bits lean by some hundred-thousandths.
pub const PARALLEL: f64 = 1e-4;

/// What carries a corner, an edge, a face: a point, the line that goes on beyond it, the plane.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Carrier {
    /// A corner, a centre, an origin.
    Point(Point),
    /// A straight edge, an axis.
    Line {
        /// A point of it, in the middle of what it carries.
        point: Point,
        /// Its direction, either way.
        along: Unit<Vector>,
    },
    /// A flat face.
    Plane {
        /// A point of it, in the middle of what it carries.
        point: Point,
        /// Square to it.
        normal: Unit<Vector>,
    },
}

/// How two carriers lie.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Apart {
    /// How far apart they are, m; `None` for planes, or a plane and a line, that are not parallel: those meet.
    pub distance: Option<f64>,
    /// On the first, where they are so far apart.
    pub on_a: Point,
    /// On the second.
    pub on_b: Point,
    /// Between their directions, at most a right angle; rad. `None` with a point.
    pub angle: Option<f64>,
}

/// How two carriers lie: their distance, where, and their angle. Schneider and Eberly, *Geometric Tools for Computer
/// Graphics*, 2003 (from memory).
#[must_use]
pub fn apart(a: &Carrier, b: &Carrier) -> Apart {
    match (a, b) {
        (Carrier::Point(p), _) => to_point(p, b),
        (_, Carrier::Point(p)) => to_point(p, a).turned(),
        (Carrier::Line { point: p, along: u }, Carrier::Line { point: q, along: v }) => {
            lines(p, u, q, v)
        }
        (Carrier::Line { point, along }, Carrier::Plane { point: on, normal }) => {
            line_and_plane(point, along, on, normal)
        }
        (Carrier::Plane { point: on, normal }, Carrier::Line { point, along }) => {
            line_and_plane(point, along, on, normal).turned()
        }
        (
            Carrier::Plane {
                point: p,
                normal: m,
            },
            Carrier::Plane {
                point: q,
                normal: n,
            },
        ) => {
            let angle = acute(m, n);
            let foot = dropped(p, q, n);
            Apart {
                distance: (angle < PARALLEL).then(|| (foot - p).norm()),
                on_a: *p,
                on_b: foot,
                angle: Some(angle),
            }
        }
    }
}

impl Apart {
    fn turned(self) -> Self {
        Self {
            on_a: self.on_b,
            on_b: self.on_a,
            ..self
        }
    }
}

fn to_point(p: &Point, other: &Carrier) -> Apart {
    let foot = match other {
        Carrier::Point(q) => *q,
        Carrier::Line { point, along } => point + **along * along.dot(&(p - point)),
        Carrier::Plane { point, normal } => dropped(p, point, normal),
    };
    Apart {
        distance: Some((foot - p).norm()),
        on_a: *p,
        on_b: foot,
        angle: None,
    }
}

fn lines(p: &Point, u: &Unit<Vector>, q: &Point, v: &Unit<Vector>) -> Apart {
    let angle = acute(u, v);
    let between = q - p;
    let (on_a, on_b) = if angle < PARALLEL {
        (*p, q - **v * v.dot(&between))
    } else {
        let cos = u.dot(v);
        let sin2 = u.cross(v).norm_squared();
        let (a, b) = (between.dot(u), between.dot(v));
        (
            p + **u * ((a - cos * b) / sin2),
            q + **v * ((cos * a - b) / sin2),
        )
    };
    Apart {
        distance: Some((on_b - on_a).norm()),
        on_a,
        on_b,
        angle: Some(angle),
    }
}

fn line_and_plane(point: &Point, along: &Unit<Vector>, on: &Point, normal: &Unit<Vector>) -> Apart {
    let lean = along.dot(normal).abs().clamp(0.0, 1.0).asin();
    let foot = dropped(point, on, normal);
    Apart {
        distance: (lean < PARALLEL).then(|| (foot - point).norm()),
        on_a: *point,
        on_b: foot,
        angle: Some(lean),
    }
}

/// The point of a plane nearest to `p`.
fn dropped(p: &Point, on: &Point, normal: &Unit<Vector>) -> Point {
    p - **normal * normal.dot(&(p - on))
}

/// The angle between two directions, whichever way they run: exact for small ones, too.
fn acute(u: &Unit<Vector>, v: &Unit<Vector>) -> f64 {
    u.cross(v).norm().atan2(u.dot(v).abs())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spatial::pose_from_rpy;

    fn line(point: [f64; 3], along: [f64; 3]) -> Carrier {
        Carrier::Line {
            point: point.into(),
            along: Unit::new_normalize(along.into()),
        }
    }

    fn plane(point: [f64; 3], normal: [f64; 3]) -> Carrier {
        Carrier::Plane {
            point: point.into(),
            normal: Unit::new_normalize(normal.into()),
        }
    }

    fn point(at: [f64; 3]) -> Carrier {
        Carrier::Point(at.into())
    }

    /// Closed forms.
    #[rstest::rstest]
    #[case(point([1.0, 2.0, 2.0]), point([0.0; 3]), Some(3.0), None)]
    #[case(point([3.0, 4.0, 9.0]), line([0.0; 3], [0.0, 0.0, 2.0]), Some(5.0), None)]
    #[case(point([3.0, 4.0, 9.0]), plane([0.0, 0.0, 1.0], [0.0, 0.0, -1.0]), Some(8.0), None)]
    #[case(line([0.0; 3], [1.0, 0.0, 0.0]), line([5.0, 0.3, 0.4], [-1.0, 0.0, 0.0]), Some(0.5), Some(0.0))]
    #[case(line([0.0; 3], [1.0, 0.0, 0.0]), line([7.0, 8.0, 0.4], [0.0, 1.0, 0.0]), Some(0.4), Some(90.0))]
    #[case(line([0.0; 3], [1.0, 1.0, 0.0]), line([7.0, 8.0, 0.4], [0.0, 1.0, 0.0]), Some(0.4), Some(45.0))]
    #[case(line([0.0, 0.0, 2.0], [1.0, 1.0, 0.0]), plane([0.0; 3], [0.0, 0.0, 1.0]), Some(2.0), Some(0.0))]
    #[case(line([0.0, 0.0, 2.0], [1.0, 0.0, 1.0]), plane([0.0; 3], [0.0, 0.0, 1.0]), None, Some(45.0))]
    #[case(plane([0.0, 0.0, 2.0], [0.0, 0.0, 1.0]), plane([0.0; 3], [0.0, 0.0, -1.0]), Some(2.0), Some(0.0))]
    #[case(plane([0.0, 0.0, 2.0], [0.0, 1.0, 1.0]), plane([0.0; 3], [0.0, 0.0, -1.0]), None, Some(45.0))]
    fn carriers_lie_as_closed_forms_say(
        #[case] a: Carrier,
        #[case] b: Carrier,
        #[case] distance: Option<f64>,
        #[case] angle_deg: Option<f64>,
    ) {
        let (one, other) = (apart(&a, &b), apart(&b, &a));
        let near = |x: Option<f64>, y: Option<f64>| match (x, y) {
            (Some(x), Some(y)) => (x - y).abs() < 1e-9,
            (x, y) => x == y,
        };
        for found in [one, other] {
            assert!(near(found.distance, distance), "{found:?}");
            assert!(
                near(found.angle.map(f64::to_degrees), angle_deg),
                "{found:?}"
            );
        }
    }

    #[test]
    fn a_lean_of_a_hundredth_of_a_degree_is_told_and_no_distance_is() {
        let lean = 0.01f64.to_radians();
        let found = apart(
            &plane([0.0, 0.0, 2.0], [0.0, 0.0, 1.0]),
            &plane([0.0; 3], [lean.sin(), 0.0, lean.cos()]),
        );
        assert_eq!(found.distance, None);
        assert!((found.angle.unwrap() - lean).abs() < 1e-12);
    }

    proptest::proptest! {
        #[test]
        fn moved_together_they_stay_as_far_apart(
            p in proptest::array::uniform3(-2.0..2.0f64), u in proptest::array::uniform3(0.1..1.0f64),
            q in proptest::array::uniform3(-2.0..2.0f64), v in proptest::array::uniform3(-1.0..-0.1f64),
            xyz in proptest::array::uniform3(-9.0..9.0f64), rpy in proptest::array::uniform3(-3.0..3.0f64),
        ) {
            let pose = pose_from_rpy(xyz, rpy);
            let moved = |carrier: &Carrier| match carrier {
                Carrier::Point(p) => Carrier::Point(pose * p),
                Carrier::Line { point, along } => Carrier::Line { point: pose * point, along: pose.rotation * along },
                Carrier::Plane { point, normal } => Carrier::Plane { point: pose * point, normal: pose.rotation * normal },
            };
            let all = [point(p), line(p, u), plane(p, u), point(q), line(q, v), plane(q, v)];
            for a in &all[..3] {
                for b in &all[3..] {
                    let (here, there) = (apart(a, b), apart(&moved(a), &moved(b)));
                    proptest::prop_assert_eq!(here.distance.is_some(), there.distance.is_some());
                    let (x, y) = (here.distance.unwrap_or(0.0), there.distance.unwrap_or(0.0));
                    proptest::prop_assert!((x - y).abs() < 1e-9);
                    proptest::prop_assert!((pose * here.on_a - there.on_a).norm() < 1e-8);
                }
            }
        }
    }
}

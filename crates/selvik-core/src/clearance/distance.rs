//! The exact distance of two surfaces, and of all that drifts round a pose: what is nearest is searched for in `search`; what
//! lies inside is told by winding numbers (Jacobson, Kavan, Sorkine-Hornung 2013, from memory), see `mesh::inside`.

use std::sync::atomic::AtomicBool;

use super::drift::Drift;
use super::memory::Memory;
use super::search::Search;
use crate::mesh::{Containment, Hierarchy, SPREAD, Surface};
use crate::spatial::{Point, Pose};

/// Every distance is known no better than this, m: what rounding may add up to in closest points that lie on long
/// thin triangles or far from the origin. Taken off every lower bound.
pub const ROUNDING: f64 = 1e-7;

/// The closest points of two surfaces, in the frame of the first.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Closest {
    /// m; 0 when the surfaces cross or touch, or one lies inside the other.
    pub distance: f64,
    /// On the first surface.
    pub on_a: Point,
    /// On the second surface.
    pub on_b: Point,
    /// The triangles the points lie on: a hint for the next query nearby.
    pub triangles: (u32, u32),
    /// Whether the surfaces cross or touch, or one closed surface holds a part of the other.
    pub overlap: bool,
}

/// What a query found out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Proximity {
    /// A distance the surfaces certainly keep, m.
    pub lower: f64,
    /// The closest points found: within the slack asked for of the closest there are. `None` when
    /// the surfaces are at least as far apart as was enough.
    pub closest: Option<Closest>,
    /// Whether one of the bodies is open in such a way that the other may lie inside it or not; the
    /// rest is then true of the surfaces.
    pub undecided: Option<Side>,
    /// How many pairs of boxes were looked at for it.
    pub work: u64,
}

/// One of two bodies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The first.
    First,
    /// The second.
    Second,
}

/// How much of the answer is wanted.
#[derive(Debug, Clone, Copy)]
pub struct Limit<'a> {
    /// It is enough to know that the surfaces are at least this far apart, m.
    pub enough: f64,
    /// The closest points found may be this much farther apart than the closest there are, m.
    pub slack: f64,
    /// And by a fifth of their own distance, but no nearer ones than this are missed, m.
    pub rough_above: f64,
    /// A pair of triangles that were closest in a query nearby.
    pub hint: Option<(u32, u32)>,
    /// When this becomes true the query ends with what it knows: a lower bound of 0.
    pub stop: Option<&'a AtomicBool>,
}

impl Default for Limit<'_> {
    fn default() -> Self {
        Self {
            enough: f64::INFINITY,
            slack: 0.0,
            rough_above: f64::INFINITY,
            hint: None,
            stop: None,
        }
    }
}

impl Limit<'_> {
    /// Whether nothing less than the distance itself is enough.
    fn is_exact(&self) -> bool {
        self.slack == 0.0 && !self.rough_above.is_finite() && !self.enough.is_finite()
    }
}

/// The smallest distance of `a` and `b`, where `b` stands at `pose` in the frame of `a`.
///
/// The lower bound takes off what rounding may add ([`ROUNDING`]) and by how much the bodies stand out of what is
/// measured of them ([`Surface::deviation`]).
#[must_use]
pub fn distance(a: &Surface, b: &Surface, pose: &Pose, limit: Limit) -> Proximity {
    answered(a, b, pose, limit, (None, None))
}

/// The same, knowing what a query nearby left in `memory`, which then knows of this one.
#[must_use]
pub fn distance_again(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    limit: Limit,
    memory: &mut Memory,
) -> Proximity {
    memory.take_up(a, b);
    let limit = Limit {
        hint: memory.triangles.or(limit.hint),
        ..limit
    };
    let answer = answered(a, b, pose, limit, (None, Some(memory)));
    memory.triangles = answer.closest.map(|c| c.triangles).or(memory.triangles);
    answer
}

/// The same with a lower bound of all distances while the bodies drift round that pose. As soon as that bound can't rise above
/// `drift.1` (m) the query ends, with a lower bound of 0. The closest points are then some of the closest there are.
pub(super) fn distance_round(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    limit: Limit,
    drift: Option<(&Drift, f64)>,
) -> Proximity {
    answered(a, b, pose, limit, (drift, None))
}

fn answered(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    limit: Limit,
    (drift, memory): (Option<(&Drift, f64)>, Option<&mut Memory>),
) -> Proximity {
    let unsure = ROUNDING + a.deviation() + b.deviation();
    let lower = |found: f64| (found - unsure).max(0.0);
    if limit.enough.is_finite() {
        let ((ca, ra), (cb, rb)) = (a.ball(), b.ball());
        let most = drift.map_or(0.0, |(drift, _)| drift.most);
        if (pose * cb - ca).norm() - ra - rb - most >= limit.enough {
            return Proximity {
                lower: lower(limit.enough),
                closest: None,
                undecided: None,
                work: 1,
            };
        }
    }
    let mut search = Search::new(a.hierarchy(), b.hierarchy(), pose, limit);
    if let Some((drift, floor)) = drift {
        search.drifting(drift, floor + unsure);
    }
    if let Some((ta, tb)) = limit.hint {
        search.try_triangles(a.hierarchy().place_of(ta), b.hierarchy().place_of(tb));
    }
    match memory {
        Some(memory) => search.run_on(memory, limit.stop),
        // A plane is worth looking for where exactly the distance is asked for.
        None if drift.is_none() && limit.is_exact() && search.part() => {}
        None if drift.is_some() => search.run_or_part(limit.stop),
        None => search.run(limit.stop),
    }
    let (found, work) = (search.best, search.looks);
    let mut undecided = None;
    // Where nothing is certain anyway it matters little; the stretch is looked at again in halves.
    let hopeless = (search.is_hopeless() || search.cut_short) && drift.is_some();
    if !hopeless && !search.is_parted() && found.is_none_or(|c| !c.overlap) {
        match one_inside_the_other(a, b, pose) {
            Holds::Yes => {
                let at = found.map_or(pose * b.points()[0], |c| c.on_b);
                let triangles = found.map_or((0, 0), |c| c.triangles);
                let inside = Closest {
                    distance: 0.0,
                    on_a: at,
                    on_b: at,
                    triangles,
                    overlap: true,
                };
                return Proximity {
                    lower: 0.0,
                    closest: Some(inside),
                    undecided: None,
                    work,
                };
            }
            Holds::Unknown(side) => undecided = Some(side),
            Holds::No => {}
        }
    }
    let known = if search.cut_short || hopeless {
        0.0
    } else {
        search.known()
    };
    Proximity {
        lower: lower(known),
        closest: found,
        undecided,
        work,
    }
}

/// Whether a plane lies between the two wherever they drift round that pose, so that neither gets into the other; and how many boxes
/// were looked at for it.
pub(super) fn keep_clear(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    hint: Option<(u32, u32)>,
    drift: &Drift,
) -> (bool, u64) {
    let mut search = Search::new(a.hierarchy(), b.hierarchy(), pose, Limit::default());
    search.drifting(drift, 0.0);
    if let Some((ta, tb)) = hint {
        search.try_triangles(a.hierarchy().place_of(ta), b.hierarchy().place_of(tb));
    }
    (search.keeps_clear(), search.looks)
}

/// The distance of a point, in the frame of `a`, from what is measured of `a`, m.
#[must_use]
pub fn distance_to_point(a: &Surface, point: &Point) -> f64 {
    (point - nearest_to_point(a, point)).norm()
}

/// The point of what is measured of `a` that is nearest to a point, both in the frame of `a`.
#[must_use]
pub fn nearest_to_point(a: &Surface, point: &Point) -> Point {
    nearest_in(a.hierarchy(), point).map_or(*point, |c| c.on_a)
}

/// The triangle of what is drawn of `a` that is nearest to a point in its frame, and how far away that is, m.
#[must_use]
pub fn nearest_triangle(a: &Surface, point: &Point) -> (usize, f64) {
    let drawn;
    let hierarchy = if a.is_as_drawn() {
        a.hierarchy()
    } else {
        drawn = Hierarchy::build(a.mesh());
        &drawn
    };
    let closest = nearest_in(hierarchy, point);
    closest.map_or((0, f64::INFINITY), |c| (c.triangles.0 as usize, c.distance))
}

/// What a hierarchy holds that is nearest to a point in its frame.
pub(super) fn nearest_in(tree: &Hierarchy, point: &Point) -> Option<Closest> {
    let alone = Hierarchy::over(&[[*point; 3]], &[]);
    surfaces_apart(tree, &alone, &Pose::identity())
}

/// The closest points of what two hierarchies hold, be it triangles, lines or points; the second stands at `pose` in the
/// frame of the first. Nothing is inside of anything.
#[must_use]
pub fn surfaces_apart(a: &Hierarchy, b: &Hierarchy, pose: &Pose) -> Option<Closest> {
    let mut search = Search::new(a, b, pose, Limit::default());
    search.run(None);
    search.best
}

enum Holds {
    Yes,
    No,
    /// The body that is open.
    Unknown(Side),
}

/// Whether a connected piece of one body lies inside the other; asked only when no triangles cross. Open bodies are
/// asked for points all round the other, since one near an opening says little.
fn one_inside_the_other(a: &Surface, b: &Surface, pose: &Pose) -> Holds {
    let mut unknown = None;
    let back = pose.inverse();
    for (outer, inner, pose, side) in [(a, b, pose, Side::First), (b, a, &back, Side::Second)] {
        if outer.is_sheet() {
            continue;
        }
        let points = inner.points();
        let pieces = points.len().saturating_sub(SPREAD.len()).max(1);
        let asked = if outer.open_edges() == 0 {
            &points[..pieces]
        } else {
            points
        };
        for point in asked {
            match outer.contains(&(pose * point)) {
                Containment::Inside => return Holds::Yes,
                Containment::Undecided => unknown = Some(side),
                Containment::Outside => {}
            }
        }
    }
    unknown.map_or(Holds::No, Holds::Unknown)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clearance::triangle_distance;
    use crate::mesh::{Shape, TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;

    fn exact(a: &Surface, b: &Surface, pose: &Pose) -> Closest {
        distance(a, b, pose, Limit::default()).closest.unwrap()
    }

    fn ball() -> Surface {
        Surface::new(sphere_mesh(0.5, 24))
    }

    /// Upright boxes: the distance is the norm of the gaps along the axes.
    #[rstest::rstest]
    #[case::face_to_face([3.0, 0.0, 0.0], 2.0)]
    #[case::edge_to_edge([3.0, 4.0, 0.0], (4.0f64 + 9.0).sqrt())]
    #[case::corner_to_corner([3.0, 4.0, 5.0], (4.0f64 + 9.0 + 16.0).sqrt())]
    #[case::touching([1.0, 0.2, 0.1], 0.0)]
    #[case::crossing([0.9, 0.2, 0.1], 0.0)]
    fn boxes_are_as_far_apart_as_their_gaps(#[case] at: [f64; 3], #[case] expected: f64) {
        let cube = Surface::new(box_mesh([1.0; 3]));
        let found = exact(&cube, &cube, &pose_from_rpy(at, [0.0; 3]));
        assert!((found.distance - expected).abs() < 1e-12, "{found:?}");
        assert_eq!(found.overlap, expected == 0.0);
        assert!(((found.on_a - found.on_b).norm() - expected).abs() < 1e-12);
    }

    #[test]
    fn a_ball_inside_a_box_overlaps_and_inside_an_open_box_does_not() {
        let closed = box_mesh([4.0; 3]);
        let open = TriangleMesh::from_indexed(closed.vertices(), &closed.triangles()[6..]).unwrap();
        let within = exact(&Surface::new(closed), &ball(), &Pose::identity());
        assert!(within.overlap && within.distance == 0.0);
        let open = Surface::new(open.mesh);
        let told = distance(&ball(), &open, &Pose::identity(), Limit::default());
        assert_eq!(told.undecided, Some(Side::Second));
        assert!((told.closest.unwrap().distance - 1.5).abs() < 1e-2);
        let told = distance(
            &ball(),
            &open.as_sheet(),
            &Pose::identity(),
            Limit::default(),
        );
        assert_eq!(told.undecided, None);
    }

    fn body(shape: Shape) -> Surface {
        Surface::of_shapes(&[(shape, Pose::identity())]).unwrap()
    }

    /// Round shapes at `x` (m) along X, the second turned by 90° about Y so that its axis lies along X.
    #[rstest::rstest]
    #[case::two_balls(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.3 }, 0.8999, 0.0999, 0.0)]
    #[case::balls_that_share_something(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.3 }, 0.7, 0.0, 0.0)]
    #[case::a_ball_in_a_ball(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.1 }, 0.1, 0.0, 0.0)]
    #[case::a_ball_before_a_wall(Shape::Box([1.0; 3]), Shape::Sphere { radius: 0.3 }, 0.9, 0.1, 0.0)]
    #[case::a_ball_in_a_box(Shape::Box([1.0; 3]), Shape::Sphere { radius: 0.1 }, 0.1, 0.0, 0.0)]
    #[case::a_capsule_pointing_at_a_ball(Shape::Sphere { radius: 0.5 }, Shape::Capsule { radius: 0.1, length: 0.4 }, 1.0, 0.2, 0.0)]
    #[case::a_cylinder_before_a_ball(Shape::Cylinder { radius: 0.4, length: 1.0 }, Shape::Sphere { radius: 0.2 }, 0.7, 0.1, 2e-6)]
    #[case::two_cylinders(Shape::Cylinder { radius: 0.4, length: 1.0 }, Shape::Cylinder { radius: 0.2, length: 0.6 }, 1.0, 0.3, 2e-6)]
    fn round_shapes_are_measured_as_what_they_are(
        #[case] a: Shape,
        #[case] b: Shape,
        #[case] x: f64,
        #[case] expected: f64,
        #[case] faceting: f64,
    ) {
        let pose = pose_from_rpy([x, 0.0, 0.0], [0.0, std::f64::consts::FRAC_PI_2, 0.0]);
        let found = distance(&body(a), &body(b), &pose, Limit::default());
        let attained = found.closest.unwrap();
        assert!(
            found.lower <= expected && expected - found.lower <= 2.0 * faceting + 2e-7,
            "{found:?}"
        );
        assert!(
            (attained.distance - expected).abs() <= faceting + 1e-12,
            "{found:?}"
        );
        assert_eq!(attained.overlap, expected == 0.0);
    }

    #[test]
    fn a_query_told_to_stop_claims_nothing() {
        let (a, b) = (
            Surface::new(sphere_mesh(0.5, 160)),
            Surface::new(sphere_mesh(0.9, 160)),
        );
        let stop = AtomicBool::new(true);
        let found = distance(
            &a,
            &b.as_sheet(),
            &Pose::identity(),
            Limit {
                stop: Some(&stop),
                ..Limit::default()
            },
        );
        assert_eq!(found.lower, 0.0);
    }

    /// Triangles strewn about, a fifth as large as where they lie.
    fn strewn() -> impl Strategy<Value = Surface> {
        let triangle = prop::array::uniform4(prop::array::uniform3(-1.0f64..1.0));
        prop::collection::vec(triangle, 8..40).prop_map(|all| {
            let corner = |[at, ..]: &[[f64; 3]; 4], by: &[f64; 3]| {
                Point::from([0, 1, 2].map(|k: usize| at[k] + 0.2 * by[k]))
            };
            let corners = all.iter().flat_map(|t| [1, 2, 3].map(|i| corner(t, &t[i])));
            let vertices: Vec<Point> = corners.collect();
            let triangles = (0..all.len() as u32).map(|i| [3 * i, 3 * i + 1, 3 * i + 2]);
            let triangles: Vec<_> = triangles.collect();
            let mesh = TriangleMesh::from_indexed(&vertices, &triangles).unwrap();
            Surface::new(mesh.mesh).as_sheet()
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(300))]

        /// However much is worth something, and however much is enough.
        #[test]
        fn no_bound_is_told_that_does_not_hold(
            (a, b) in (strewn(), strewn()),
            x in 0.5f64..2.5,
            more in 0.0f64..0.1,
            below in prop_oneof![Just(0.0), Just(ROUNDING), 0.0f64..0.1],
        ) {
            let pose = pose_from_rpy([x, 0.1, 0.0], [0.2, 0.0, 0.1]);
            let exact = exact(&a, &b, &pose);
            let enough = exact.distance + more;
            let (drift, limit) = (Drift::new(&[], 0.0, 0.0), Limit { enough, ..Limit::default() });
            let found = distance_round(&a, &b, &pose, limit, Some((&drift, enough - below)));
            prop_assert!(found.lower <= exact.distance, "{:?} {}", found, exact.distance);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]

        #[test]
        fn the_tree_finds_what_trying_all_pairs_finds(
            xyz in prop::array::uniform3(-1.5f64..1.5),
            rpy in prop::array::uniform3(-3.0f64..3.0),
        ) {
            let (a, b) = (ball(), Surface::new(box_mesh([0.3, 0.5, 0.9])));
            let pose = pose_from_rpy(xyz, rpy);
            let mut all = f64::INFINITY;
            for i in 0..a.mesh().triangles().len() {
                for j in 0..b.mesh().triangles().len() {
                    let moved = b.mesh().corners(j).map(|p| pose * p);
                    all = all.min(triangle_distance(&a.mesh().corners(i), &moved).squared.sqrt());
                }
            }
            let found = exact(&a, &b, &pose);
            if found.overlap {
                prop_assert!(all < 1e-12 || a.contains(&(pose * b.mesh().vertices()[0])) == Containment::Inside
                    || b.contains(&(pose.inverse() * a.mesh().vertices()[0])) == Containment::Inside);
            } else {
                prop_assert!((found.distance - all).abs() < 1e-12);
            }
            let hinted = Limit { hint: Some((5, 3)), ..Limit::default() };
            prop_assert!((distance(&a, &b, &pose, hinted).lower - (found.distance - ROUNDING).max(0.0)).abs() < 1e-12);
            let back = exact(&b, &a, &pose.inverse());
            prop_assert!((back.distance - found.distance).abs() < 1e-9);
        }

        #[test]
        fn being_asked_for_less_never_claims_more_than_is_true(
            x in 1.0f64..3.0, enough in 0.0f64..2.0, slack in 0.0f64..0.3, rough_above in 0.0f64..3.0,
        ) {
            let (a, b) = (ball(), ball());
            let pose = pose_from_rpy([x, 0.3, 0.0], [0.1, 0.2, 0.3]);
            let exact = exact(&a, &b, &pose).distance;
            let found = distance(&a, &b, &pose, Limit { enough, slack, ..Limit::default() });
            prop_assert!(found.lower <= exact + 1e-12);
            match found.closest {
                Some(c) => prop_assert!(c.distance >= exact - 1e-12 && c.distance <= exact + slack + 1e-12),
                None => prop_assert!(exact >= enough && found.lower == (enough - ROUNDING).max(0.0)),
            }
            let found = distance(&a, &b, &pose, Limit { slack, rough_above, ..Limit::default() });
            let closest = found.closest.unwrap().distance;
            prop_assert!(found.lower <= exact + 1e-12 && closest >= exact - 1e-12);
            let nearly = exact + slack + 1e-12;
            let roughly = (exact * 1.25 + 1e-12).max(nearly);
            prop_assert!(closest <= if exact < rough_above { nearly } else { roughly }, "{} {}", closest, exact);
        }
    }
}

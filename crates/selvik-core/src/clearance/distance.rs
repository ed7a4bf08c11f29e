//! The exact distance of two surfaces: branch and bound over both hierarchies at once.

use super::triangle_triangle::triangle_distance;
use crate::mesh::{Hierarchy, Node, Surface};
use crate::spatial::{Point, Pose, Vector};

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
pub enum Proximity {
    /// At least so far apart (m), which was all that was asked.
    AtLeast(f64),
    /// Nearer than that: the exact answer.
    Exact(Closest),
}

impl Proximity {
    /// A distance the surfaces certainly keep, m; exact where it is known.
    #[must_use]
    pub fn lower(&self) -> f64 {
        match self {
            Self::AtLeast(d) => *d,
            Self::Exact(c) => c.distance,
        }
    }

    /// The exact answer, if it was needed.
    #[must_use]
    pub fn closest(&self) -> Option<&Closest> {
        match self {
            Self::AtLeast(_) => None,
            Self::Exact(c) => Some(c),
        }
    }
}

/// How much of the answer is wanted.
#[derive(Debug, Clone, Copy)]
pub struct Limit {
    /// It is enough to know that the surfaces are at least this far apart, m.
    pub enough: f64,
    /// A pair of triangles that were closest in a query nearby.
    pub hint: Option<(u32, u32)>,
}

impl Default for Limit {
    fn default() -> Self {
        Self { enough: f64::INFINITY, hint: None }
    }
}

/// The smallest distance of `a` and `b`, where `b` stands at `pose` in the frame of `a`.
#[must_use]
pub fn distance(a: &Surface, b: &Surface, pose: &Pose, limit: Limit) -> Proximity {
    if limit.enough.is_finite() {
        let ((ca, ra), (cb, rb)) = (a.ball(), b.ball());
        if (pose * cb - ca).norm() - ra - rb >= limit.enough {
            return Proximity::AtLeast(limit.enough);
        }
    }
    let mut search = Search::new(a.hierarchy(), b.hierarchy(), pose, limit.enough);
    if let Some((ta, tb)) = limit.hint {
        search.try_triangles(a.hierarchy().place_of(ta), b.hierarchy().place_of(tb));
    }
    search.run();
    let found = search.best;
    if found.is_none_or(|c| !c.overlap) && one_inside_the_other(a, b, pose) {
        let at = found.map_or(pose * b.mesh().vertices()[0], |c| c.on_b);
        let triangles = found.map_or((0, 0), |c| c.triangles);
        return Proximity::Exact(Closest { distance: 0.0, on_a: at, on_b: at, triangles, overlap: true });
    }
    found.map_or(Proximity::AtLeast(limit.enough), Proximity::Exact)
}

/// Whether a connected piece of one surface lies inside the other; asked only when no triangles
/// cross.
fn one_inside_the_other(a: &Surface, b: &Surface, pose: &Pose) -> bool {
    let holds = |outer: &Surface, inner: &Surface, pose: &Pose| {
        outer.topology().is_closed()
            && inner
                .topology()
                .component_vertices
                .iter()
                .any(|&v| outer.encloses(&(pose * inner.mesh().vertices()[v as usize])))
    };
    holds(a, b, pose) || holds(b, a, &pose.inverse())
}

struct Search<'a> {
    a: &'a Hierarchy,
    b: &'a Hierarchy,
    /// Rotation and translation of `b` in the frame of `a`.
    rotation: nalgebra::Matrix3<f64>,
    translation: Vector,
    /// Only what is nearer than this is of interest.
    bound: f64,
    best: Option<Closest>,
    /// A direction from `a` to `b` along which the gap is likely wide, in the frames of both.
    across_a: Vector,
    across_b: Vector,
}

impl<'a> Search<'a> {
    fn new(a: &'a Hierarchy, b: &'a Hierarchy, pose: &Pose, enough: f64) -> Self {
        let rotation = pose.rotation.to_rotation_matrix().into_inner();
        let mut search = Self {
            a,
            b,
            rotation,
            translation: pose.translation.vector,
            bound: enough,
            best: None,
            across_a: Vector::zeros(),
            across_b: Vector::zeros(),
        };
        let between =
            rotation * b.nodes()[0].centre + search.translation - a.nodes()[0].centre;
        search.look_along(between);
        search
    }

    fn look_along(&mut self, between: Vector) {
        if let Some(unit) = between.try_normalize(1e-12) {
            self.across_a = unit;
            self.across_b = self.rotation.tr_mul(&unit);
        }
    }

    fn run(&mut self) {
        let mut stack: Vec<(u32, u32, f64)> = Vec::with_capacity(64);
        stack.push((0, 0, 0.0));
        while let Some((ia, ib, lower)) = stack.pop() {
            if lower >= self.bound {
                continue;
            }
            let (na, nb) = (&self.a.nodes()[ia as usize], &self.b.nodes()[ib as usize]);
            if na.is_leaf() && nb.is_leaf() {
                self.leaves(na, nb);
                if self.bound <= 0.0 {
                    return;
                }
                continue;
            }
            let open_a = !na.is_leaf() && (nb.is_leaf() || na.half.norm_squared() >= nb.half.norm_squared());
            let pairs = if open_a {
                [(na.first, ib), (na.first + 1, ib)]
            } else {
                [(ia, nb.first), (ia, nb.first + 1)]
            };
            let bounds = pairs.map(|(x, y)| self.lower_bound(x, y));
            let (near, far) = if bounds[0].1 <= bounds[1].1 { (0, 1) } else { (1, 0) };
            for i in [far, near] {
                if bounds[i].0 < self.bound {
                    stack.push((pairs[i].0, pairs[i].1, bounds[i].0));
                }
            }
        }
    }

    /// A distance that no triangles of the two boxes go below, and a guess of how near they come,
    /// by which to choose what to look at first.
    ///
    /// The gap between two boxes along any one direction is such a distance. The direction of the
    /// closest pair so far settles most boxes; then the line of centres and the boxes' own edges are
    /// tried.
    #[inline]
    fn lower_bound(&self, ia: u32, ib: u32) -> (f64, f64) {
        let (a, b) = (&self.a.nodes()[ia as usize], &self.b.nodes()[ib as usize]);
        let between = self.rotation * b.centre + self.translation - a.centre;
        let along = self.across_a.dot(&between);
        let quick = along - a.extent_along(&self.across_a) - b.extent_along(&self.across_b);
        if quick >= self.bound {
            return (quick, quick);
        }
        let squared = between.norm_squared();
        // Directions of b's edges along a's: entry (i, j) is a_i · b_j.
        let in_a = self.rotation * b.axes;
        let cosines = a.axes.tr_mul(&in_a);
        let local_a = a.axes.tr_mul(&between);
        let local_b = in_a.tr_mul(&between);
        let mut lower = quick.max(0.0);
        for i in 0..3 {
            let reach = cosines[(i, 0)].abs() * b.half.x
                + cosines[(i, 1)].abs() * b.half.y
                + cosines[(i, 2)].abs() * b.half.z;
            lower = lower.max(local_a[i].abs() - a.half[i] - reach);
            let reach = cosines[(0, i)].abs() * a.half.x
                + cosines[(1, i)].abs() * a.half.y
                + cosines[(2, i)].abs() * a.half.z;
            lower = lower.max(local_b[i].abs() - b.half[i] - reach);
        }
        if lower >= self.bound {
            return (lower, lower);
        }
        if squared > 0.0 {
            let length = squared.sqrt();
            let reach_a = local_a.abs().dot(&a.half) / length;
            let reach_b = local_b.abs().dot(&b.half) / length;
            lower = lower.max(length - reach_a - reach_b);
        }
        (lower, lower + 1e-6 * squared)
    }

    fn leaves(&mut self, a: &Node, b: &Node) {
        for ib in b.first as usize..(b.first + b.count) as usize {
            let corners_b = self.b.corners()[ib].map(|p| self.moved(&p));
            let near_b = corners_b.iter().map(|p| self.across_a.dot(&p.coords)).fold(f64::MAX, f64::min);
            for ia in a.first as usize..(a.first + a.count) as usize {
                let corners_a = &self.a.corners()[ia];
                let far_a =
                    corners_a.iter().map(|p| self.across_a.dot(&p.coords)).fold(f64::MIN, f64::max);
                if near_b - far_a < self.bound {
                    self.try_corners(ia, ib, corners_a, &corners_b);
                }
            }
        }
    }

    fn try_triangles(&mut self, ia: usize, ib: usize) {
        let corners_b = self.b.corners()[ib].map(|p| self.moved(&p));
        self.try_corners(ia, ib, &self.a.corners()[ia], &corners_b);
    }

    fn try_corners(&mut self, ia: usize, ib: usize, a: &[Point; 3], b: &[Point; 3]) {
        let pair = triangle_distance(a, b);
        if pair.squared < self.bound * self.bound {
            self.bound = pair.squared.sqrt();
            self.best = Some(Closest {
                distance: self.bound,
                on_a: pair.on_a,
                on_b: pair.on_b,
                triangles: (self.a.triangle_at(ia), self.b.triangle_at(ib)),
                overlap: self.bound == 0.0,
            });
            self.look_along(pair.on_b - pair.on_a);
        }
    }

    #[inline]
    fn moved(&self, p: &Point) -> Point {
        Point::from(self.rotation * p.coords + self.translation)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;

    fn exact(a: &Surface, b: &Surface, pose: &Pose) -> Closest {
        *distance(a, b, pose, Limit::default()).closest().unwrap()
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
        let open = TriangleMesh::from_indexed(closed.vertices(), &closed.triangles()[2..]).unwrap();
        let within = exact(&Surface::new(closed), &ball(), &Pose::identity());
        assert!(within.overlap && within.distance == 0.0);
        let beside = exact(&Surface::new(open.mesh), &ball(), &Pose::identity());
        assert!(!beside.overlap && (beside.distance - 1.5).abs() < 1e-3);
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
                prop_assert!(all < 1e-12 || a.encloses(&(pose * b.mesh().vertices()[0]))
                    || b.encloses(&(pose.inverse() * a.mesh().vertices()[0])));
            } else {
                prop_assert!((found.distance - all).abs() < 1e-12);
            }
            let hinted = Limit { hint: Some((5, 3)), ..Limit::default() };
            prop_assert!((distance(&a, &b, &pose, hinted).lower() - found.distance).abs() < 1e-12);
            let back = exact(&b, &a, &pose.inverse());
            prop_assert!((back.distance - found.distance).abs() < 1e-9);
        }

        #[test]
        fn being_asked_for_less_never_claims_more_than_is_true(
            x in 1.0f64..3.0, enough in 0.0f64..2.0,
        ) {
            let (a, b) = (ball(), ball());
            let pose = pose_from_rpy([x, 0.3, 0.0], [0.1, 0.2, 0.3]);
            let true_distance = exact(&a, &b, &pose).distance;
            match distance(&a, &b, &pose, Limit { enough, hint: None }) {
                Proximity::AtLeast(d) => prop_assert!(d <= true_distance),
                Proximity::Exact(c) => prop_assert!((c.distance - true_distance).abs() < 1e-12),
            }
        }
    }
}

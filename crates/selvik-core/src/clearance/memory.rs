//! What a query leaves behind for the next one nearby: the proof that nothing else was nearer.
//!
//! Every pair of boxes that was left closed was at least so far apart; a motion of the bodies takes off no more than how far
//! any point of them moves. Only where that no longer suffices is it looked again.

use crate::mesh::Surface;
use crate::spatial::Pose;

/// What is known of two bodies from one query to the next.
#[derive(Debug, Clone, Default)]
pub struct Memory {
    /// The trees it is about.
    about: Option<(u64, u64)>,
    /// Triangles that were closest.
    pub(super) triangles: Option<(u32, u32)>,
    /// Where the second body stood in the frame of the first.
    pose: Option<Pose>,
    /// What was left closed, if it was looked to the end.
    pub(super) front: Option<Front>,
    /// Whether a plane proved it the last time.
    pub(super) parted: bool,
}

/// Pairs of boxes that together hold all pairs of triangles, with how far apart they certainly are.
#[derive(Debug, Clone, Default)]
pub(super) struct Front {
    pub held: Vec<Held>,
    /// How far everything has moved since the first of them was looked at, m.
    gone: f64,
    /// How many there were when all was looked at from the root.
    fresh: usize,
}

/// So many pairs of boxes are held at most: a megabyte.
const MOST: usize = 65_536;

/// Two boxes.
#[derive(Debug, Clone, Copy)]
pub(super) struct Held {
    pub at_a: u32,
    pub at_b: u32,
    /// How far apart they were, and how far everything had moved before that, m.
    until: f64,
}

impl Memory {
    /// Forgets all but which triangles were closest: that takes little room.
    pub fn shrink(&mut self) {
        self.front = None;
    }

    /// Takes up what is still known of these bodies, of which the second now stands at `pose` in the frame of the first.
    pub(super) fn take_up(&mut self, (a, b): (&Surface, &Surface), pose: &Pose) {
        let about = Some((a.hierarchy().id(), b.hierarchy().id()));
        if self.about != about {
            *self = Self {
                about,
                ..Self::default()
            };
        }
        if let (Some(front), Some(before)) = (&mut self.front, &self.pose) {
            front.gone += moved(b, before, pose);
        }
        self.pose = Some(*pose);
        self.front = self
            .front
            .take()
            .filter(|front| front.held.len() <= 2 * front.fresh + 64);
    }
}

/// How far any point of a body is from where it was, at most, m.
fn moved(body: &Surface, before: &Pose, now: &Pose) -> f64 {
    let (middle, radius) = body.ball();
    let turned = (before.rotation.inverse() * now.rotation).imag().norm();
    // A chord of twice the sine of half the angle; a hair for rounding.
    let shift = (now * middle - before * middle).norm();
    (shift + 2.0 * turned * radius) * (1.0 + 1e-12) + 1e-12 * (1.0 + now.translation.vector.norm())
}

impl Front {
    /// Everything is still to be looked at.
    pub fn whole() -> Self {
        let all = Held {
            at_a: 0,
            at_b: 0,
            until: f64::NEG_INFINITY,
        };
        Self {
            held: vec![all],
            ..Self::default()
        }
    }

    /// How far apart two boxes certainly still are, m.
    pub fn still(&self, boxes: &Held) -> f64 {
        boxes.until - self.gone
    }

    /// Two boxes were found to be at least `lower` (m) apart.
    pub fn hold(&mut self, at_a: u32, at_b: u32, lower: f64) {
        let until = lower + self.gone;
        // Of surfaces that are equally far apart everywhere too much would be held.
        if self.held.len() < MOST {
            self.held.push(Held { at_a, at_b, until });
        }
    }

    /// All has been looked at: what is held, if it is all.
    pub fn done(mut self) -> Option<Self> {
        if self.fresh == 0 {
            self.fresh = self.held.len();
        }
        Some(self).filter(|front| front.held.len() < MOST)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clearance::{Limit, distance, distance_again};
    use crate::mesh::{Shape, TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::{Point, pose_from_rpy};
    use proptest::prelude::*;

    /// A ball, a slab with sharp edges, a bowl that opens upwards, and a rounded shape.
    fn bodies() -> Vec<Surface> {
        let bowl = |mesh: &TriangleMesh| {
            let low: Vec<[u32; 3]> = (0..mesh.triangles().len())
                .filter(|&i| mesh.corners(i).iter().all(|p| p.z < 0.3))
                .map(|i| mesh.triangles()[i])
                .collect();
            TriangleMesh::from_indexed(mesh.vertices(), &low)
                .unwrap()
                .mesh
        };
        let rod = Shape::Capsule {
            radius: 0.1,
            length: 0.7,
        };
        vec![
            Surface::new(sphere_mesh(0.5, 24)),
            Surface::new(box_mesh([1.2, 0.8, 0.1])),
            Surface::new(bowl(&sphere_mesh(0.6, 20))).as_sheet(),
            Surface::of_shapes(&[(rod, Pose::identity())]).unwrap(),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(150))]

        /// Steps of a hair and of a metre, back and forth, to where they touch and away, asked for all or for a little.
        #[test]
        fn what_is_remembered_changes_no_answer(
            which in prop::array::uniform2(0usize..4),
            start in prop::array::uniform6(-1.2f64..1.2),
            steps in prop::collection::vec(
                (prop::array::uniform6(-1.0f64..1.0), prop::sample::select(vec![1e-5, 1e-3, 0.03, 1.0]), 0.0f64..3.0),
                1..24,
            ),
        ) {
            let all = bodies();
            let (a, b) = (&all[which[0]], &all[which[1]]);
            let mut memory = Memory::default();
            let mut at = start;
            for (by, size, enough) in steps {
                for (at, by) in at.iter_mut().zip(by) {
                    *at += by * size;
                }
                let pose = pose_from_rpy([at[0], at[1], at[2]], [at[3], at[4], at[5]]);
                let enough = if enough > 1.0 { f64::INFINITY } else { enough };
                let limit = Limit { enough, ..Limit::default() };
                let again = distance_again(a, b, &pose, limit, &mut memory);
                let fresh = distance(a, b, &pose, limit);
                prop_assert!((again.lower - fresh.lower).abs() < 1e-12, "{again:?} {fresh:?}");
                prop_assert_eq!(again.undecided.is_some(), fresh.undecided.is_some());
                match (again.closest, fresh.closest) {
                    (Some(x), Some(y)) => {
                        prop_assert!((x.distance - y.distance).abs() < 1e-12 && x.overlap == y.overlap);
                    }
                    (x, y) => prop_assert!(x.is_none() && y.is_none()),
                }
            }
        }
    }

    #[test]
    fn what_is_known_of_other_bodies_is_not_taken_for_these() {
        let (small, large) = (
            Surface::new(sphere_mesh(0.2, 20)),
            Surface::new(sphere_mesh(0.9, 20)),
        );
        let pose = pose_from_rpy([2.0, 0.1, 0.0], [0.0; 3]);
        let mut memory = Memory::default();
        for other in [&small, &large, &small] {
            let known = distance_again(&small, other, &pose, Limit::default(), &mut memory);
            let fresh = distance(&small, other, &pose, Limit::default());
            assert!((known.lower - fresh.lower).abs() < 1e-12);
        }
    }

    #[test]
    fn little_is_looked_at_again_and_two_bulging_bodies_are_parted_by_a_plane() {
        let (a, b) = (
            Surface::new(sphere_mesh(0.5, 90)),
            Surface::new(sphere_mesh(0.4, 90)),
        );
        let walls = Surface::new(corner()).as_sheet();
        let pose = |x: f64| pose_from_rpy([x, 0.02, 0.01], [0.1, 0.2, 0.3]);
        for (first, most, again) in [(&a, 900, 400), (&walls, 40_000, 4_000)] {
            let mut memory = Memory::default();
            let cold = distance_again(first, &b, &pose(1.0), Limit::default(), &mut memory);
            assert!(cold.work < most, "{}", cold.work);
            let warm = distance_again(first, &b, &pose(1.0 + 1e-5), Limit::default(), &mut memory);
            assert!(warm.work < again, "{}", warm.work);
        }
    }

    /// The walls of a room round a ball: no plane lies between.
    fn corner() -> TriangleMesh {
        let room = sphere_mesh(1.9, 60);
        TriangleMesh::from_indexed(room.vertices(), room.triangles())
            .unwrap()
            .mesh
    }

    /// However far from its own origin a mesh is told.
    #[rstest::rstest]
    #[case::near([0.0; 3])]
    #[case::two_kilometres([2000.0, -1500.0, 300.0])]
    #[case::as_far_as_the_moon([4e8, 0.0, 0.0])]
    fn a_mesh_may_lie_far_from_its_origin(#[case] off: [f64; 3]) {
        let away = pose_from_rpy(off, [0.0; 3]);
        let ball = Surface::new(sphere_mesh(0.5, 30));
        let moved = Surface::new(sphere_mesh(0.5, 30).moved(&away));
        let pose = pose_from_rpy([1.3, 0.2, 0.1], [0.3, 0.2, 0.1]);
        let near = distance(&ball, &ball, &pose, Limit::default());
        let far = distance(&moved, &ball, &(away * pose), Limit::default());
        let unsure = 1e-12 + 1e-15 * Point::from(off).coords.norm();
        assert!((near.lower - far.lower).abs() < unsure, "{near:?} {far:?}");
    }
}

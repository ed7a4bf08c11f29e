//! What a query leaves behind for the next one nearby: the proof that nothing else was nearer.
//!
//! Every pair of boxes that was left closed was at least so far apart along some direction; a motion of the bodies takes off no
//! more than it moves them along that one: what passes by does not come nearer. Only where that no longer suffices is it looked
//! again.

use super::boxes::{V, wide_of};
use crate::mesh::Surface;
use crate::spatial::{Point, Pose, Vector};

/// What is known of two bodies from one query to the next.
#[derive(Debug, Clone, Default)]
pub struct Memory {
    /// The trees it is about.
    about: Option<(u64, u64)>,
    /// Triangles that were closest.
    pub(super) triangles: Option<(u32, u32)>,
    /// What was left closed, if it was looked to the end.
    pub(super) front: Option<Front>,
    /// Whether a plane proves it readily, as far as that was tried.
    pub(super) parted: Option<bool>,
}

/// Pairs of boxes that together hold all pairs of triangles, with how far apart they certainly are.
#[derive(Debug, Clone, Default)]
pub(super) struct Front {
    held: Vec<Held>,
    /// When they were looked at.
    looks: Vec<Look>,
    /// How many there were when all was looked at from the root.
    fresh: usize,
}

/// So many pairs of boxes are held at most: three megabytes.
const MOST: usize = 65_536;

/// What rounding a direction of length 1 to single precision may take off what is told along it, of that.
const ROUNDED: f64 = 4e-7;

/// After so many queries all is looked at anew.
const MOST_LOOKS: usize = 256;

/// Two boxes.
#[derive(Debug, Clone, Copy)]
struct Held {
    at_a: u32,
    at_b: u32,
    /// How far apart they were along `n` (of length 1, towards the second, in the frame of the first), m.
    gap: f64,
    n: [f32; 3],
    /// How far any point of the second box is from the one that the look was about at most, m.
    arm: f32,
    look: u32,
}

/// A query, and what has moved since.
#[derive(Debug, Clone, Copy)]
struct Look {
    /// Where the second body stood in the frame of the first.
    pose: Pose,
    /// A point of the second body, in its frame.
    about: Point,
    /// Where that point has gone since, m.
    gone: V,
    /// By how much any other has gone elsewhere at most, of how far it is from that one.
    turned: f64,
    /// What rounding may add, m.
    hair: f64,
}

impl Look {
    /// The second body now stands at `now`.
    fn go_on(&mut self, now: &Pose) {
        self.gone = (now * self.about - self.pose * self.about).into();
        // A chord of twice the sine of half the angle.
        let turned = (self.pose.rotation.inverse() * now.rotation).imag().norm();
        self.turned = 2.0 * turned * (1.0 + 1e-12) + 1e-15;
        let from = [now, &self.pose].map(|pose| pose.translation.vector.norm());
        self.hair = 1e-12 * (1.0 + from[0].max(from[1]) + self.about.coords.norm());
    }
}

/// Two boxes that were left closed.
pub(super) struct Closed {
    pub at_a: u32,
    pub at_b: u32,
    /// How far apart they are along `n` (of any length but 0, towards the second, in the frame of the first), m.
    pub gap: f64,
    pub n: V,
    /// How far any two points of them are from each other at most, m: what rounding n may take off.
    pub across: f64,
    /// How far any point of the second box is from the one that is looked about at most, m.
    pub arm: f64,
}

impl Memory {
    /// Forgets all but which triangles were closest: that takes little room.
    pub fn shrink(&mut self) {
        self.front = None;
    }

    /// Takes up what is still known of these bodies.
    pub(super) fn take_up(&mut self, a: &Surface, b: &Surface) {
        let about = Some((a.hierarchy().id(), b.hierarchy().id()));
        if self.about != about {
            *self = Self {
                about,
                ..Self::default()
            };
        }
        let is_old = |f: &Front| f.held.len() > 2 * f.fresh + 64 || f.looks.len() >= MOST_LOOKS;
        if self.front.as_ref().is_some_and(is_old) {
            self.front = None;
            self.parted = None;
        }
    }
}

impl Front {
    /// Everything is still to be looked at.
    pub fn whole() -> Self {
        let all = Held {
            at_a: 0,
            at_b: 0,
            gap: f64::NEG_INFINITY,
            n: [0.0; 3],
            arm: 0.0,
            look: 0,
        };
        Self {
            held: vec![all],
            ..Self::default()
        }
    }

    /// The second body now stands at `pose` in the frame of the first, and is looked at about a point of it, in its frame. Takes
    /// out the boxes of which it is not certain that they are still `enough` (m) apart.
    pub fn look(&mut self, pose: &Pose, about: Point, enough: f64) -> Vec<(u32, u32)> {
        self.looks.push(Look {
            pose: *pose,
            about,
            gone: [0.0; 3],
            turned: 0.0,
            hair: 0.0,
        });
        for look in &mut self.looks {
            look.go_on(pose);
        }
        let (mut open, mut at) = (Vec::new(), 0);
        while let Some(boxes) = self.held.get(at) {
            if self.still(boxes) >= enough {
                at += 1;
            } else {
                open.push((boxes.at_a, boxes.at_b));
                self.held.swap_remove(at);
            }
        }
        open
    }

    /// How far apart two boxes certainly still are, m.
    #[inline]
    fn still(&self, boxes: &Held) -> f64 {
        let look = &self.looks[boxes.look as usize];
        let [x, y, z] = boxes.n.map(f64::from);
        let farther = x * look.gone[0] + y * look.gone[1] + z * look.gone[2];
        // What rounding n may add.
        let farther = farther - ROUNDED * farther.abs();
        boxes.gap + farther - look.turned * f64::from(boxes.arm) - look.hair
    }

    /// Two boxes were found to be apart at the last look.
    pub fn hold(&mut self, boxes: &Closed) {
        // Of surfaces that are equally far apart everywhere too much would be held.
        if self.held.len() >= MOST {
            return;
        }
        let length = Vector::from(boxes.n).norm();
        self.held.push(Held {
            at_a: boxes.at_a,
            at_b: boxes.at_b,
            gap: boxes.gap - ROUNDED * boxes.across,
            n: boxes.n.map(|x| (x / length) as f32),
            arm: wide_of(boxes.arm * (1.0 + ROUNDED)),
            look: self.looks.len() as u32 - 1,
        });
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

    /// A ball rolls along above a plate that is as rough as a casting, far longer than what is kept lasts.
    #[test]
    fn what_passes_by_is_not_looked_at_again() {
        let plate = box_mesh([1.0, 1.0, 0.1]);
        let mut triangles: Vec<[Point; 3]> = (0..12).map(|i| plate.corners(i)).collect();
        for _ in 0..4 {
            let parted = |&[a, b, c]: &[Point; 3]| {
                let [ab, bc, ca] = [(a, b), (b, c), (c, a)].map(|(p, q)| nalgebra::center(&p, &q));
                [[a, ab, ca], [b, bc, ab], [c, ca, bc], [ab, bc, ca]]
            };
            triangles = triangles.iter().flat_map(parted).collect();
        }
        let rough = |p: Point| p * (1.0 + 1e-4 * ((900.0 * p.x).sin() * (700.0 * p.y).cos()));
        let corners: Vec<Point> = triangles.iter().flatten().map(|&p| rough(p)).collect();
        let threes: Vec<_> = (0..triangles.len() as u32)
            .map(|i| [3 * i, 3 * i + 1, 3 * i + 2])
            .collect();
        let plate = TriangleMesh::from_indexed(&corners, &threes).unwrap();
        let (plate, ball) = (
            Surface::new(plate.mesh),
            Surface::new(sphere_mesh(0.05, 40)),
        );
        let mut memory = Memory::default();
        let (mut again, mut anew) = (0, 0);
        for step in 0..700 {
            let x = 1e-4 * f64::from(step);
            let pose = pose_from_rpy([x - 0.02, 0.1 + 0.3 * x, 0.13], [0.0, x / 0.05, 0.4 * x]);
            let kept = distance_again(&plate, &ball, &pose, Limit::default(), &mut memory);
            let fresh = distance(&plate, &ball, &pose, Limit::default());
            assert!((kept.lower - fresh.lower).abs() < 1e-12, "{step}");
            again += kept.work;
            anew += fresh.work;
        }
        assert!(again < anew / 8, "{again} {anew}");
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

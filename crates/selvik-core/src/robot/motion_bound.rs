//! How far any point of a body can have moved between two instants.
//!
//! Source: the bound by joint travel times the farthest reach from the joint's axis, as in Schwarzer, Saha and Latombe,
//! *Adaptive Dynamic Collision Checking for Single and Multiple Articulated Robots in Complex Environments*, IEEE
//! Transactions on Robotics 21(3), 2005 (from memory). That what nearer joints contribute is added to the reach, so that the
//! bound holds all along the stretch, is our own; its proof stands at [`MotionBound`].

use super::chain::ChainJoint;
use super::{Chain, Posture, Sway};
use crate::mesh::Surface;
use crate::spatial::{Point, Pose, Vector};

/// An upper bound of how far any point of a body moves while the joints of its chain travel.
///
/// Each joint contributes its travel, times the largest distance of any point of the body from its
/// axis if it turns. Joints nearer the body may carry points outwards meanwhile; what they
/// contribute is added to that distance, so that the bound holds for the whole stretch of time and
/// not only for the pose at which distances are taken.
#[derive(Debug, Clone)]
pub(crate) struct MotionBound {
    /// The corners of the body's upright box, in its own frame, if it has one.
    corners: Option<[Point; 8]>,
    /// Its ball.
    ball: (Point, f64),
}

/// How far any point of a body moves at most, m.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Strayed {
    /// From where the screws of its chain take it.
    pub off: f64,
    /// From where the screws and the bend of its chain take it.
    pub off_bend: f64,
    /// From where it was.
    pub moved: f64,
}

impl MotionBound {
    pub fn of(surface: &Surface) -> Self {
        Self {
            corners: Some(surface.bounds().corners()),
            ball: surface.ball(),
        }
    }

    /// Of what lies in a ball with this centre and radius (m), in its own frame.
    pub fn of_ball(centre: Point, radius: f64) -> Self {
        Self {
            corners: None,
            ball: (centre, radius),
        }
    }

    /// The bound, m, for joints that travel by `travel` (rad, m; one entry a joint of the cell) on a
    /// stretch during which the chain once stands in `posture`.
    pub fn over(&self, chain: &Chain, posture: &Posture, travel: &[f64]) -> f64 {
        let lever =
            |at: usize| self.lever(&posture.joints[at], &chain.joints[at].axis, &posture.end);
        moved(chain, travel, lever)
    }

    /// For each joint of the chain how far any point of the body is from its axis at most in `posture`, m.
    pub fn levers(&self, chain: &Chain, posture: &Posture) -> Levers {
        let joints = chain.joints.iter().zip(&posture.joints);
        let lever =
            |(joint, pose): (&ChainJoint, &Pose)| self.lever(pose, &joint.axis, &posture.end);
        Levers(joints.map(lever).collect())
    }

    /// The largest distance of any point of the body from the joint's axis, m: over the corners of
    /// its box, where a distance from a line is largest, or over its ball.
    fn lever(&self, joint: &Pose, axis: &Vector, body: &Pose) -> f64 {
        // In the body's frame, so that one line is moved instead of eight corners.
        let relative = body.inv_mul(joint);
        let (origin, axis) = (relative.translation.vector, relative.rotation * axis);
        let off = |p: &Point| {
            let r = p.coords - origin;
            (r.norm_squared() - r.dot(&axis).powi(2)).max(0.0)
        };
        let ball_lever = off(&self.ball.0).sqrt() + self.ball.1;
        match &self.corners {
            Some(corners) => {
                let farthest = corners.iter().map(off).fold(0.0, f64::max);
                farthest.sqrt().min(ball_lever)
            }
            None => ball_lever,
        }
    }
}

/// How far any point of a body is at most from the axis of each joint of its chain in one posture, m.
#[derive(Debug, Clone)]
pub(crate) struct Levers(Vec<f64>);

impl Levers {
    /// See [`MotionBound::over`].
    pub fn over(&self, chain: &Chain, travel: &[f64]) -> f64 {
        moved(chain, travel, |at| self.0[at])
    }

    /// How far any point of the body is at most from where the [`Screw`](super::Screw)s of the chain take it, m, while its joints
    /// sway as told round the posture; how far from where its [`Bend`](super::Bend) takes it then; and how far it moves at all.
    ///
    /// A point p of the body depends on the joint values q. By Taylor, |p(q+δ) − p(q) − Σ δⱼ ∂ⱼp| ≤ ½ Σᵢⱼ |δᵢ||δⱼ| max|∂ᵢ∂ⱼp|.
    /// For i nearer the base than j, ∂ᵢ∂ⱼp = aᵢ × ∂ⱼp if joint i turns and 0 if it slides; and |∂ⱼp| is the distance of p from
    /// the axis of j if that turns, 1 if it slides, never more than in the posture plus what the joints behind j contribute.
    /// What goes beside the line is bounded by |∂ⱼp| itself.
    ///
    /// In the same way what is left of third order is at most ⅙ Σᵢⱼₖ |δᵢ||δⱼ||δₖ| max|∂ᵢ∂ⱼ∂ₖp|, where each further derivative by
    /// a joint nearer the base is a cross product with its axis, or 0. With ε what goes beside the line, the term of second order
    /// is that of the line but for ½ Σᵢⱼ (|δᵢ||εⱼ| + |εᵢ||δⱼ| + |εᵢ||εⱼ|) max|∂ᵢ∂ⱼp|. All of these sums are drawn up from the
    /// joints behind to those before.
    pub fn round(&self, chain: &Chain, sway: &Sway) -> Strayed {
        let (mut moved, mut bent, mut third) = (0.0, 0.0, 0.0);
        let (mut beside, mut mixed, mut off_bow) = (0.0, 0.0, 0.0);
        for (joint, lever) in chain.joints.iter().zip(&self.0).rev() {
            let ratio = joint.follows.ratio.abs();
            let own = &sway.joints[joint.index];
            let by = own.reach * ratio;
            if by == 0.0 {
                continue;
            }
            let turns = joint.kind.turns();
            let lever = if turns { lever + moved } else { 1.0 };
            let aside = own.beside * ratio;
            if turns {
                third += by * bent + 0.5 * by * by * moved + by.powi(3) / 6.0 * lever;
                mixed +=
                    by * beside + aside * (moved + beside) + aside * (by + 0.5 * aside) * lever;
                bent += by * moved + 0.5 * by * by * lever;
            }
            beside += aside * lever;
            off_bow += own.off_bow * ratio * lever;
            moved += by * lever;
        }
        Strayed {
            off: bent + beside,
            off_bend: third + mixed + off_bow,
            moved,
        }
    }
}

fn moved(chain: &Chain, travel: &[f64], lever: impl Fn(usize) -> f64) -> f64 {
    let mut moved = 0.0;
    for (at, joint) in chain.joints.iter().enumerate().rev() {
        let by = travel[joint.index] * joint.follows.ratio.abs();
        if by > 0.0 {
            moved += if joint.kind.turns() {
                by * (lever(at) + moved)
            } else {
                by
            };
        }
    }
    moved
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cell::{Cell, Item, Role};
    use crate::mesh::box_mesh;
    use crate::robot::{
        Assembly, Bend, BodyId, Carried, Joint, JointKind, JointLimits, JointSway, Link, Mechanism,
        Screw,
    };
    use crate::spatial::pose_from_rpy;
    use nalgebra::Unit;
    use proptest::prelude::*;
    use std::sync::Arc;

    fn chain_of_bars(axes: &[Vector]) -> Assembly {
        chain_of(axes, false)
    }

    /// Bars behind each other; the joint in the middle may slide.
    fn chain_of(axes: &[Vector], slides: bool) -> Assembly {
        let surface = || Some(Arc::new(Surface::new(box_mesh([0.5, 0.1, 0.1]))));
        let links = (0..=axes.len())
            .map(|i| Link::new(format!("l{i}"), surface()))
            .collect();
        let joints = axes
            .iter()
            .enumerate()
            .map(|(i, axis)| Joint {
                name: format!("j{i}"),
                kind: if slides && i == 1 {
                    JointKind::Prismatic
                } else {
                    JointKind::Revolute
                },
                parent: i,
                child: i + 1,
                origin: pose_from_rpy([0.4, 0.05, -0.02], [0.1, 0.2, 0.3]),
                axis: Unit::new_normalize(*axis),
                limits: JointLimits::default(),
                mimics: None,
            })
            .collect();
        let item = Item::new("arm", Role::Robot);
        let mechanism = Mechanism::new(links, joints).unwrap();
        Assembly::new(
            Cell::new(vec![item]).unwrap(),
            [("arm".into(), mechanism)].into(),
        )
        .unwrap()
    }

    /// The checks below would notice levers taken half as long.
    #[test]
    fn half_of_the_bound_is_exceeded() {
        let assembly = chain_of_bars(&[Vector::z()]);
        let [_, chain] = Chain::of_pair(&assembly, &Carried::default(), BodyId(0), BodyId(1));
        let surface = &assembly.body(BodyId(1)).surface;
        let bound = MotionBound::of(surface).over(&chain, &chain.posture(&[0.3]), &[0.2]);
        let [a, b] = [0.3, 0.5].map(|q| chain.posture(&[q]).end);
        let moved = surface
            .mesh()
            .vertices()
            .iter()
            .map(|v| (b * v - a * v).norm())
            .fold(0.0, f64::max);
        assert!(moved <= bound && moved > 0.5 * bound, "{moved} {bound}");
    }

    proptest! {
        /// Every vertex, at every instant, against the bound.
        #[test]
        fn no_point_moves_farther_than_the_bound(
            from in prop::array::uniform3(-2.0f64..2.0),
            by in prop::array::uniform3(-1.5f64..1.5),
            axes in prop::array::uniform3(prop::array::uniform3(-1.0f64..1.0)),
        ) {
            let axes = axes.map(Vector::from);
            prop_assume!(axes.iter().all(|a| a.norm() > 0.1));
            let assembly = chain_of_bars(&axes);
            let [_, chain] = Chain::of_pair(&assembly, &Carried::default(), BodyId(0), BodyId(3));
            let surface = &assembly.body(BodyId(3)).surface;
            let travel: Vec<f64> = by.iter().map(|b| b.abs()).collect();
            let bound = MotionBound::of(surface).over(&chain, &chain.posture(&from), &travel);
            let start = chain.posture(&from).end;
            for step in 0..=20 {
                let share = f64::from(step) / 20.0;
                let q: Vec<f64> = (0..3).map(|i| from[i] + by[i] * share).collect();
                let now = chain.posture(&q).end;
                for v in surface.mesh().vertices() {
                    prop_assert!((now * v - start * v).norm() <= bound + 1e-9);
                }
            }
        }

        /// Every vertex of a body lies where the screw takes it, but for what is told, and where the bend takes it then; what goes
        /// beside the line and beside the parabola is counted.
        #[test]
        fn no_point_is_farther_off_the_screw_and_the_bend_than_is_told(
            at in prop::array::uniform3(-2.0f64..2.0),
            along in prop::array::uniform3(-0.6f64..0.6),
            bow in prop::array::uniform3(-0.1f64..0.1),
            off_bow in prop::array::uniform3(0.0f64..0.05),
            axes in prop::array::uniform3(prop::array::uniform3(-1.0f64..1.0)),
            slides in any::<bool>(),
            ends in (-1.0f64..0.0, 0.0f64..1.0),
        ) {
            let axes = axes.map(Vector::from);
            prop_assume!(axes.iter().all(|a| a.norm() > 0.1));
            let assembly = chain_of(&axes, slides);
            let [_, chain] = Chain::of_pair(&assembly, &Carried::default(), BodyId(0), BodyId(3));
            let surface = &assembly.body(BodyId(3)).surface;
            let farthest = ends.1.max(-ends.0);
            let beside = [0, 1, 2].map(|j: usize| bow[j].abs() * farthest * farthest + off_bow[j]);
            let joint = |j: usize| JointSway {
                along: along[j],
                beside: beside[j],
                bow: bow[j],
                off_bow: off_bow[j],
                reach: along[j].abs() * farthest + beside[j],
            };
            let sway = Sway {
                joints: (0..3).map(joint).collect(),
                ways: vec![ends],
            };
            let posture = chain.posture(&at);
            let screw = Screw::of(&chain, &posture, &sway, &[0, 1, 2]);
            let seen = screw.seen_from(&posture.end);
            let bend = Bend::of(&chain, &posture, &sway);
            let bend_seen = bend.seen_from(&posture.end, 1.0);
            let told = MotionBound::of(surface).levers(&chain, &posture).round(&chain, &sway);
            for step in 0..=8 {
                let share = ends.0 + (ends.1 - ends.0) * f64::from(step) / 8.0;
                for corner in 0..8 {
                    let aside = |j: usize| if corner >> j & 1 == 1 { off_bow[j] } else { -off_bow[j] };
                    let goes = |j: usize| along[j] * share + bow[j] * share * share + aside(j);
                    let q: Vec<f64> = (0..3).map(|j| at[j] + goes(j)).collect();
                    let now = chain.posture(&q).end;
                    for v in surface.mesh().vertices() {
                        let p = posture.end * v;
                        let taken = p + (screw.turn.cross(&p.coords) + screw.shift) * share;
                        let bent = taken + (bend.by * p.coords + bend.shift) * share * share;
                        prop_assert!((now * v - taken).norm() <= told.off + 1e-9);
                        prop_assert!((now * v - bent).norm() <= told.off_bend + 1e-9);
                        prop_assert!((now * v - p).norm() <= told.moved + 1e-9);
                        // In the body's own frame it is the same.
                        let own = v + (seen.turn.cross(&v.coords) + seen.shift) * share;
                        prop_assert!((posture.end * own - taken).norm() < 1e-9);
                        let own = own + (bend_seen.by * v.coords + bend_seen.shift) * share * share;
                        prop_assert!((posture.end * own - bent).norm() < 1e-9);
                    }
                }
            }
        }
    }
}

//! How far a robot reaches, and how much it has left.

use crate::program::Path;
use crate::robot::{Arm, Assembly, NodeId, jacobian, manipulability};
use crate::spatial::Point;

/// From where to where a reach is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReachLine {
    /// Usually the robot's base.
    pub from: NodeId,
    /// Usually the TCP.
    pub to: NodeId,
}

/// A distance with its parts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reach {
    /// Where it is measured from, in the world.
    pub from: Point,
    /// Where it is measured to.
    pub to: Point,
    /// m
    pub straight: f64,
    /// m, along the floor
    pub horizontal: f64,
    /// m, upwards positive
    pub vertical: f64,
}

impl ReachLine {
    /// The reach for the joint vector `q` (rad, m).
    #[must_use]
    pub fn at(&self, assembly: &Assembly, q: &[f64]) -> Reach {
        let origin = |n: NodeId| Point::from(assembly.pose_of(n, q).translation.vector);
        let (from, to) = (origin(self.from), origin(self.to));
        let d = to - from;
        Reach { from, to, straight: d.norm(), horizontal: d.x.hypot(d.y), vertical: d.z }
    }
}

/// How much an arm has left at one posture.
#[derive(Debug, Clone, PartialEq)]
pub struct Reserve {
    /// Share of the arm's reach that is used: distance of the wrist from the shoulder over the
    /// stretched length. `None` for arms without a closed form.
    pub used: Option<f64>,
    /// The joint nearest to a limit, as a position in [`Arm::joints`], with its distance, rad or m.
    pub nearest_limit: Option<(usize, f64)>,
    /// 0 at a singularity (smallest singular value of the Jacobian over 1 m).
    pub manipulability: f64,
}

/// The reserve of `arm` for the joint vector `q`.
#[must_use]
pub fn reserve(assembly: &Assembly, arm: &Arm, q: &[f64]) -> Reserve {
    let used = arm.closed_form().and_then(|closed| {
        let values: Vec<f64> = arm.joints().iter().map(|&j| q[j]).collect();
        closed.stretch(values.as_slice().try_into().ok()?)
    });
    let room = |(at, &joint): (usize, &usize)| {
        let span = &assembly.joints()[joint].limits.position;
        (at, (q[joint] - span.low()).min(span.high() - q[joint]))
    };
    let nearest_limit = arm
        .joints()
        .iter()
        .enumerate()
        .map(room)
        .filter(|(_, room)| room.is_finite())
        .min_by(|a, b| a.1.total_cmp(&b.1));
    let poses = assembly.poses(q);
    let at = Point::from(poses[arm.tip().0].translation.vector);
    let matrix = jacobian(assembly, &poses, arm.tip(), &at, arm.joints());
    Reserve { used, nearest_limit, manipulability: manipulability(&matrix, 1.0) }
}

/// Reach and reserve at the end of a move: one row of a reach check.
#[derive(Debug, Clone, PartialEq)]
pub struct ReachCheck {
    /// When the move ends, s.
    pub time: f64,
    /// From the robot's base to the TCP there.
    pub reach: Reach,
    /// What the arm has left there.
    pub reserve: Reserve,
}

/// The reach check of `arm` at the instants `times` (s) of `path`.
#[must_use]
pub fn check_reach(assembly: &Assembly, path: &Path, arm: &Arm, times: &[f64]) -> Vec<ReachCheck> {
    let line = ReachLine { from: arm.base(), to: arm.tip() };
    times
        .iter()
        .map(|&time| {
            let q = path.at(time);
            ReachCheck { time, reach: line.at(assembly, &q), reserve: reserve(assembly, arm, &q) }
        })
        .collect()
}

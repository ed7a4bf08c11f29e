use super::{Chain, Posture};
use crate::spatial::{Pose, Vector};

/// How joints sway round an instant of a stretch of time: along one line a track, and a little beside it.
///
/// At every instant of the stretch a joint of track τ stands where it stood at the chosen one, plus s times its entry of
/// `along`, plus no more than its entry of `beside` either way; s is the same for all joints of the track and lies within its
/// entry of `ways`.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Sway {
    /// For each joint of the cell, rad or m.
    pub along: Vec<f64>,
    /// How far it goes beside the line, rad or m.
    pub beside: Vec<f64>,
    /// How far it is at most from where it stood, rad or m.
    pub reach: Vec<f64>,
    /// For each track asked about, how far its line is followed back (0 or less) and forth.
    pub ways: Vec<(f64, f64)>,
}

/// How fast the points of a body go per unit of a [`Sway`]'s way: v(p) = turn × p + shift.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Screw {
    /// rad
    pub turn: Vector,
    /// m
    pub shift: Vector,
}

impl Screw {
    /// What the joints of `of` do to what hangs on the end of the chain, in the frame the chain begins in.
    pub fn of(chain: &Chain, posture: &Posture, sway: &Sway, of: &[usize]) -> Self {
        let mut screw = Self {
            turn: Vector::zeros(),
            shift: Vector::zeros(),
        };
        for (joint, pose) in chain.joints.iter().zip(&posture.joints) {
            if !of.contains(&joint.index) {
                continue;
            }
            let axis = pose.rotation * joint.axis.into_inner();
            let rate = axis * (sway.along[joint.index] * joint.follows.ratio);
            if joint.kind.turns() {
                screw.turn += rate;
                screw.shift += pose.translation.vector.cross(&rate);
            } else {
                screw.shift += rate;
            }
        }
        screw
    }

    /// The same as told in a frame that stands at `pose`.
    pub fn seen_from(&self, pose: &Pose) -> Self {
        let shift = self.turn.cross(&pose.translation.vector) + self.shift;
        Self {
            turn: pose.rotation.inverse() * self.turn,
            shift: pose.rotation.inverse() * shift,
        }
    }

    /// This and `by` times another.
    pub fn plus(&self, other: &Self, by: f64) -> Self {
        Self {
            turn: self.turn + other.turn * by,
            shift: self.shift + other.shift * by,
        }
    }
}

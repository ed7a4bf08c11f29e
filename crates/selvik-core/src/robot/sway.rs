use nalgebra::Matrix3;

use super::{Chain, Posture};
use crate::spatial::{Pose, Vector};

/// How joints sway round an instant of a stretch of time: along one line a track, and a little beside it; or along one parabola,
/// and less beside that.
///
/// At every instant of the stretch a joint of track τ stands where it stood at the chosen one, plus s times its entry of
/// `along`, plus no more than its entry of `beside` either way; or plus s² times its entry of `bow` more, and no more than its
/// entry of `off_bow` either way. s is the same for all joints of the track and lies within its entry of `ways`.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Sway {
    /// For each joint of the cell.
    pub joints: Vec<JointSway>,
    /// For each track asked about, how far its line is followed back (0 or less) and forth.
    pub ways: Vec<(f64, f64)>,
}

/// How one joint sways, rad or m.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct JointSway {
    pub along: f64,
    /// How far it goes beside the line.
    pub beside: f64,
    /// How far the parabola is beside the line at s = 1.
    pub bow: f64,
    /// How far it goes beside the parabola.
    pub off_bow: f64,
    /// How far it is at most from where it stood.
    pub reach: f64,
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
            let rate = axis * (sway.joints[joint.index].along * joint.follows.ratio);
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

/// By how much the points of a body are beside where a [`Screw`] takes them, per square of a [`Sway`]'s way: a(p) = `by` p + `shift`.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Bend {
    pub by: Matrix3<f64>,
    /// m
    pub shift: Vector,
}

impl Bend {
    /// What all joints of the chain do to what hangs on its end, in the frame the chain begins in: Σ γⱼ ∂ⱼp + ½ Σᵢⱼ δᵢδⱼ ∂ᵢ∂ⱼp,
    /// where the joints go by sδ + s²γ. For i no farther from the base than j, ∂ᵢ∂ⱼp = aᵢ × ∂ⱼp if joint i turns and 0 if it
    /// slides.
    pub fn of(chain: &Chain, posture: &Posture, sway: &Sway) -> Self {
        let (mut bend, mut behind) = (Self::default(), Self::default());
        for (joint, pose) in chain.joints.iter().zip(&posture.joints).rev() {
            let axis = pose.rotation * joint.axis.into_inner() * joint.follows.ratio;
            let goes = |by: f64| {
                let rate = axis * by;
                if joint.kind.turns() {
                    let by = rate.cross_matrix();
                    let shift = -by * pose.translation.vector;
                    Self { by, shift }
                } else {
                    Self {
                        by: Matrix3::zeros(),
                        shift: rate,
                    }
                }
            };
            let own = goes(sway.joints[joint.index].along);
            if joint.kind.turns() {
                // What it turns is what it does to half of what it does itself, and to what the joints behind it do.
                bend = bend.plus(
                    &own.by,
                    &behind.plus(&Matrix3::from_diagonal_element(0.5), &own),
                );
            }
            bend = bend.plus(&Matrix3::identity(), &goes(sway.joints[joint.index].bow));
            behind = behind.plus(&Matrix3::identity(), &own);
        }
        bend
    }

    /// This and what `turned` makes of another.
    fn plus(&self, turned: &Matrix3<f64>, other: &Self) -> Self {
        Self {
            by: self.by + turned * other.by,
            shift: self.shift + turned * other.shift,
        }
    }

    /// The same as told in a frame that stands at `pose`, `times` as much.
    pub fn seen_from(&self, pose: &Pose, times: f64) -> Self {
        let rotation = pose.rotation.to_rotation_matrix().into_inner();
        let back = rotation.transpose() * times;
        Self {
            by: back * self.by * rotation,
            shift: back * (self.by * pose.translation.vector + self.shift),
        }
    }
}

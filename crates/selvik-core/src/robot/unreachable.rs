use std::fmt;

use super::{AssemblyJoint, JointKind};

/// Why a pose can't be reached.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Unreachable {
    /// The stretched arm is too short.
    #[error("out of reach by {:.1} mm", .by * 1e3)]
    TooFar {
        /// m
        by: f64,
    },
    /// The folded arm is too long.
    #[error("too near the robot by {:.1} mm", .by * 1e3)]
    TooNear {
        /// m
        by: f64,
    },
    /// The arm's axes are parallel, and the target is tilted against them.
    #[error("out of reach: it is tilted by {:.2}° against the axes of the arm, which are all parallel", .by.to_degrees())]
    Tilted {
        /// rad
        by: f64,
    },
    /// The posture that comes nearest breaks a joint limit: of its joints that which is beyond by most.
    #[error("{0}")]
    JointLimit(BeyondLimit),
    /// All joint values that the numeric solver found break a joint limit, which is not to say that none keeps them: the
    /// joint that is beyond by most, where that is least.
    #[error("not found within the limits: of the joint values that were found {0}")]
    FoundBeyondLimit(BeyondLimit),
    /// The numeric solver came no nearer than this, which is not to say that nothing does.
    #[error("not found: the nearest joint values that were found miss it by {:.2} mm and {:.2}°", .position * 1e3, .angle.to_degrees())]
    NotFound {
        /// m
        position: f64,
        /// rad
        angle: f64,
    },
}

/// A joint that would have to go beyond its limit.
#[derive(Debug, Clone, PartialEq)]
pub struct BeyondLimit {
    /// Its name.
    pub joint: String,
    /// Whether its values are angles.
    pub kind: JointKind,
    /// Where it would have to be, rad or m.
    pub value: f64,
    /// The limit on that side, rad or m.
    pub limit: f64,
}

impl BeyondLimit {
    /// The joint at `value` (rad or m), if that is beyond a limit by more than rounding.
    #[must_use]
    pub fn of(joint: &AssemblyJoint, value: f64) -> Option<Self> {
        let range = joint.limits.position;
        if range.excess(value) <= 1e-9 && value.is_finite() {
            return None;
        }
        let limit = if value < range.low() {
            range.low()
        } else {
            range.high()
        };
        Some(Self {
            joint: joint.name.clone(),
            kind: joint.kind,
            value,
            limit,
        })
    }

    /// By how much, rad or m.
    #[must_use]
    pub fn by(&self) -> f64 {
        (self.value - self.limit).abs()
    }
}

impl fmt::Display for BeyondLimit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let amount = |v: f64| match self.kind.turns() {
            true => format!("{:.2}°", v.to_degrees()),
            false => format!("{:.1} mm", v * 1e3),
        };
        let (value, limit, by) = (amount(self.value), amount(self.limit), amount(self.by()));
        write!(
            f,
            "joint {} would be at {value}, {by} beyond its limit of {limit}",
            self.joint
        )
    }
}

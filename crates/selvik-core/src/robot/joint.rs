use nalgebra::{Translation3, Unit, UnitQuaternion};

use crate::spatial::{Pose, Vector};

/// How the two links of a joint move against each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum JointKind {
    /// Rigidly joined.
    Fixed,
    /// Turns within limits, rad.
    Revolute,
    /// Turns without end, rad.
    Continuous,
    /// Slides within limits, m.
    Prismatic,
}

impl JointKind {
    /// Whether the joint has a value.
    #[must_use]
    pub fn moves(self) -> bool {
        self != Self::Fixed
    }

    /// Whether the value is an angle.
    #[must_use]
    pub fn turns(self) -> bool {
        matches!(self, Self::Revolute | Self::Continuous)
    }

    /// The motion of the child link for value `q` (rad or m) about or along `axis`.
    #[inline]
    #[must_use]
    pub fn motion(self, axis: &Unit<Vector>, q: f64) -> Pose {
        match self {
            Self::Fixed => Pose::identity(),
            Self::Revolute | Self::Continuous => Pose::from_parts(
                Translation3::identity(),
                UnitQuaternion::from_axis_angle(axis, q),
            ),
            Self::Prismatic => {
                Pose::from_parts((axis.into_inner() * q).into(), UnitQuaternion::identity())
            }
        }
    }
}

/// A closed range of joint values that is never upside down.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span {
    low: f64,
    high: f64,
}

impl Span {
    /// From `low` to `high` (rad or m); `None` if they are crossed or not numbers.
    #[must_use]
    pub fn new(low: f64, high: f64) -> Option<Self> {
        (low <= high).then_some(Self { low, high })
    }

    /// Without bounds.
    #[must_use]
    pub fn unbounded() -> Self {
        Self {
            low: f64::NEG_INFINITY,
            high: f64::INFINITY,
        }
    }

    /// The lower end, rad or m.
    #[must_use]
    pub fn low(&self) -> f64 {
        self.low
    }

    /// The upper end, rad or m.
    #[must_use]
    pub fn high(&self) -> f64 {
        self.high
    }

    /// How far `value` lies outside, rad or m: 0 inside, positive beyond either end.
    #[must_use]
    pub fn excess(&self, value: f64) -> f64 {
        (self.low - value).max(value - self.high).max(0.0)
    }

    /// `value` (rad or m) moved into the range.
    #[must_use]
    pub fn clamp(&self, value: f64) -> f64 {
        value.clamp(self.low, self.high)
    }
}

/// What a joint may do. Velocity and acceleration are positive; infinite where nothing is stated.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct JointLimits {
    /// Allowed values, rad or m.
    pub position: Span,
    /// Largest speed, rad/s or m/s.
    pub velocity: f64,
    /// Largest acceleration, rad/s² or m/s².
    pub acceleration: f64,
    /// Which of these somebody stated; the others are assumed.
    pub stated: Stated,
}

/// Which limits of a joint somebody stated.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Stated {
    /// The allowed values.
    pub position: bool,
    /// The largest speed.
    pub velocity: bool,
    /// The largest acceleration.
    pub acceleration: bool,
}

impl Default for JointLimits {
    fn default() -> Self {
        Self {
            position: Span::unbounded(),
            velocity: f64::INFINITY,
            acceleration: f64::INFINITY,
            stated: Stated::default(),
        }
    }
}

/// How a joint follows an entry of a joint vector: its value is `ratio` times the entry, plus `offset`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Follows {
    /// Joint units (rad or m) for each unit of the entry; not 0.
    pub ratio: f64,
    /// The joint's value where the entry is 0, rad or m.
    pub offset: f64,
}

impl Default for Follows {
    fn default() -> Self {
        Self {
            ratio: 1.0,
            offset: 0.0,
        }
    }
}

impl Follows {
    /// The joint's value, rad or m.
    #[inline]
    #[must_use]
    pub fn value(&self, entry: f64) -> f64 {
        self.ratio * entry + self.offset
    }

    /// The largest magnitude of the joint's value where the entry's is at most `entry`.
    #[must_use]
    pub fn farthest(&self, entry: f64) -> f64 {
        self.ratio.abs() * entry + self.offset.abs()
    }

    /// What follows something that itself follows an entry by `first`.
    #[must_use]
    pub fn after(&self, first: &Self) -> Self {
        Self {
            ratio: self.ratio * first.ratio,
            offset: self.ratio * first.offset + self.offset,
        }
    }
}

use selvik_core::spatial::{Point, Pose, Vector};

use crate::document::{Amount, KnownValue, ValueKind};
use crate::report::millimetres;

/// Makes values in one frame.
pub(super) struct Values<'a> {
    pub frame: &'a Pose,
    pub all: Vec<KnownValue>,
}

impl Values<'_> {
    pub fn add(&mut self, what: ValueKind, amount: Amount) {
        self.all.push(KnownValue { what, amount });
    }

    pub fn length(&mut self, what: ValueKind, metres: f64) {
        self.add(what, Amount::LengthMm(metres * 1e3));
    }

    pub fn angle(&mut self, what: ValueKind, radians: f64) {
        self.add(what, Amount::AngleDeg(radians.to_degrees()));
    }

    /// A point of the world.
    pub fn point(&mut self, what: ValueKind, point: &Point) {
        let seen = self.frame.inverse() * point;
        self.add(what, Amount::PointMm(millimetres(&seen)));
    }

    /// A direction in the world.
    pub fn direction(&mut self, what: ValueKind, direction: &Vector) {
        let seen = self.frame.rotation.inverse() * direction;
        self.add(what, Amount::Direction(seen.into()));
    }
}

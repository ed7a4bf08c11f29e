use selvik_core::spatial::{Point, Pose, Vector};
use serde::Serialize;
use utoipa::ToSchema;

use crate::report::millimetres;

/// A number that was measured, or three.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct KnownValue {
    /// What it says.
    pub what: ValueKind,
    /// How much.
    #[serde(flatten)]
    pub amount: Amount,
}

/// What a number says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ValueKind {
    /// Where a corner, a spot, an origin is.
    At,
    /// The middle of a circle, a sphere, a wall on its axis.
    Centre,
    /// Where a cone would end.
    Apex,
    /// Of the area or volume.
    Centroid,
    /// Along an edge, or a turned face along its axis.
    Length,
    /// Of a circle, cylinder or sphere.
    Diameter,
    /// Half of it.
    Radius,
    /// Of the circle in the middle of a torus.
    RingDiameter,
    /// Of the tube of a torus.
    TubeRadius,
    /// Of a cone, from wall to wall.
    OpeningAngle,
    /// How far it goes round.
    GoesRound,
    /// Square to a flat face, outwards.
    Normal,
    /// Along an axis.
    Axis,
    /// Along a straight edge.
    Direction,
    /// Between the flat walls of a slot.
    Width,
    /// From the middle of one round wall of a slot to the other's.
    BetweenCentres,
    /// Of surface.
    Area,
    /// Of what it bounds.
    Volume,
    /// Along the axes of the frame.
    Size,
    /// How far corners lie off what was fitted to them, at most.
    OffAtMost,
}

/// How much.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Amount {
    /// A length.
    LengthMm(f64),
    /// An angle.
    AngleDeg(f64),
    /// An area.
    AreaMm2(f64),
    /// A volume.
    VolumeMm3(f64),
    /// Coordinates.
    PointMm([f64; 3]),
    /// A unit vector.
    Direction([f64; 3]),
    /// Lengths along axes.
    SizeMm([f64; 3]),
}

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

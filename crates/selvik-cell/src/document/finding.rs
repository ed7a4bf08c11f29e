//! The types of `cell.json` that say what was found and kept.

use indexmap::IndexMap;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::pick::PickDocument;
use super::section::SectionDocument;
use super::view::ViewpointDocument;

/// A measurement that was kept, with its pose, time and view. It is worked out anew whenever the cell changes; what it was
/// when it was kept stays beside that.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a finding")]
pub struct FindingDocument {
    /// Unique among the findings.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// What people remember of it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
    /// How it was picked: one thing, two, or the links of a chain.
    pub picks: Vec<PickDocument>,
    /// Id of the item in whose frame coordinates are told; the world's where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame: Option<String>,
    /// The path time; everything at rest where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub time_s: Option<f64>,
    /// Joints that a hand had elsewhere, by `item/joint`.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    pub joints_deg_or_mm: IndexMap<String, f64>,
    /// How it was looked at.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub view: Option<FindingViewDocument>,
    /// What was found then; what says most comes first.
    #[serde(default)]
    pub was: Vec<KnownValue>,
}

/// How a finding was looked at.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FindingViewDocument {
    /// From where.
    pub viewpoint: ViewpointDocument,
    /// Ids of hidden items.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hidden: Vec<String>,
    /// The cuts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sections: Vec<SectionDocument>,
    /// Ids of the items that no section cuts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub uncut: Vec<String>,
}

/// A number that was measured, or three.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct KnownValue {
    /// What it says.
    pub what: ValueKind,
    /// How much.
    #[serde(flatten)]
    pub amount: Amount,
}

/// What a number says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
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
    /// Where two things are nearest; 0 where they touch or overlap.
    Nearest,
    /// Where they are farthest apart.
    Farthest,
    /// From the middle of one to the middle of the other.
    BetweenMiddles,
    /// Between their axes and planes.
    BetweenCarriers,
    /// Of their axes and planes.
    Angle,
    /// Which share of an arm's reach is used, at most.
    ReachUsed,
    /// How far the joint nearest to a limit is from it.
    ToLimit,
    /// How far an arm is from a singularity, where this is 0.
    ToSingularity,
    /// All along the pieces of a chain.
    AlongChain,
}

/// How much.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
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
    /// A share.
    Percent(f64),
    /// A number without a unit.
    Plain(f64),
}

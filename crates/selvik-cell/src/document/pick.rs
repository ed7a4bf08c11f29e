//! The types of `cell.json` that say what was measured.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// So many things one measurement has at most, one after the other.
pub const LINKS: usize = 50;

/// Something that was picked to be measured, told so that it is found again when the cell has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a pick: {\"on\": \"housing\", \"kind\": \"face\", \"at_mm\": [0, 0, 0]}"
)]
pub struct PickDocument {
    /// Id of the item, or `item/link`; of a target `program/target`.
    pub on: String,
    /// What of it.
    pub kind: PickKind,
    /// What it was found to be: when the cell has changed, only such an edge or face is taken for it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub is: Option<KnownKind>,
    /// Where on it, in the frame of the item or link; of items and frames nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_mm: Option<[f64; 3]>,
}

/// What was picked of an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PickKind {
    /// A point of its surface, just where it was picked.
    Spot,
    /// The corner nearest to there.
    Corner,
    /// The edge nearest to there.
    Edge,
    /// The face nearest to there.
    Face,
    /// Its frame.
    Frame,
    /// A target of a program.
    Target,
    /// All of it; of a group all that is in it.
    Item,
}

/// What something picked was found to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum KnownKind {
    /// A place on a face.
    Spot,
    /// Where edges end.
    Corner,
    /// A straight edge.
    Edge,
    /// An edge that is round all the way.
    Circle,
    /// One that is round for a part.
    Arc,
    /// Any other edge.
    Curve,
    /// A flat face.
    Plane,
    /// The wall of a hole.
    Hole,
    /// A cylinder seen from outside.
    Cylinder,
    /// A wall of a slot.
    Slot,
    /// A taper.
    Cone,
    /// Part of a ball.
    Sphere,
    /// A ring, a fillet.
    Torus,
    /// A face bent in another way.
    CurvedFace,
    /// A frame.
    Frame,
    /// A target of a program.
    Target,
    /// An item, with all its links.
    Item,
}

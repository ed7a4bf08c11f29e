//! The types of `cell.json` that say what was measured.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Something that was picked to be measured, told so that it is found again when the cell has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a pick: {\"on\": \"housing\", \"kind\": \"face\", \"at_mm\": [0, 0, 0]}"
)]
pub struct PickDocument {
    /// Id of the item, or `item/link`.
    pub on: String,
    /// What of it.
    pub kind: PickKind,
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
    /// All of it; of a group all that is in it.
    Item,
}

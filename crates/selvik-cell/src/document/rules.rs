//! What is required: clearances and reach.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a side of a rule begins that names all items of a role: `role:robot`.
pub const BY_ROLE: &str = "role:";
/// How a side of a rule begins that names the items of a visibility set: `set:` and its id.
pub const BY_SET: &str = "set:";

/// How a rule names the visibility set `id`.
#[must_use]
pub fn by_set(id: &str) -> String {
    format!("{BY_SET}{id}")
}

/// What rules name on either side.
pub fn sides(rules: &[RuleDocument]) -> impl Iterator<Item = &String> {
    rules
        .iter()
        .flat_map(|rule| rule.between.iter().chain(&rule.and))
}

/// A clearance rule. Where several name the same two bodies, the most particular decides: that which names both sides together
/// most particularly (a link, an item by itself, by what carries it, by a set, by its role, everything), of two alike the
/// later. Every pair of bodies that it names is
/// measured, whether or not anything moves between them; left out are only links next to each other in one mechanism,
/// unless a rule names them by themselves, and what may touch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a rule: {\"id\": …, \"name\": …, \"between\": […], \"required_mm\": …}"
)]
pub struct RuleDocument {
    /// Unique among the rules.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Ids of items on one side, what hangs on them counts too; or `item/link` for one link of a mechanism alone, `role:robot`
    /// for all items of a role, `set:` and its id for the items of a visibility set.
    pub between: Vec<String>,
    /// The other side, likewise. Empty means everything: also the links and tools of the first
    /// side among themselves.
    #[serde(default)]
    pub and: Vec<String>,
    /// Less than this breaks the rule.
    pub required_mm: f64,
    /// Less than this counts as tight.
    pub tight_below_mm: f64,
}

/// Two items that may touch: they themselves with their links, not what hangs on them.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a pair: {\"a\": …, \"b\": …, \"reason\": …}"
)]
pub struct MayTouchDocument {
    /// Id of one, or `item/link` for one link alone.
    pub a: String,
    /// Id of the other, or `item/link`.
    pub b: String,
    /// Why, for people.
    pub reason: String,
    /// How deep they may overlap: the diameter of the largest ball that lies in both. Without limit where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub max_depth_mm: Option<f64>,
    /// During which moves they may; always where absent. At all other times their rule is in force.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub during: Option<Vec<StretchDocument>>,
}

/// Moves of a program that follow each other.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a stretch: {\"program\": …}")]
pub struct StretchDocument {
    /// Id of a program.
    pub program: String,
    /// The first move, counted from 1; the program's first where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from_move: Option<usize>,
    /// The last move, counted from 1; the program's last where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to_move: Option<usize>,
}

/// How much of the reach every target must leave.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a reach rule: {\"spare_percent\": …}"
)]
pub struct ReachRuleDocument {
    /// Less to spare than this breaks the rule, percent of the stretched arm.
    pub spare_percent: f64,
}

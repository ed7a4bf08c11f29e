//! Links and joints.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_formats::LinkGeometry;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::BodyDocument;

/// Links and joints of an item.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a mechanism: {\"from\": …}")]
pub struct MechanismDocument {
    /// Where links and joints are described.
    pub from: MechanismSource,
    /// Joint values the cell starts with, by joint name: degrees for turning joints, mm for sliding
    /// ones; 0 where absent.
    #[serde(default)]
    pub rest_deg_or_mm: IndexMap<String, f64>,
    /// Joint values kept by a name: home, service.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub postures: Vec<NamedPosture>,
    /// Largest accelerations by joint name, degrees/s² or mm/s². Where absent a joint reaches its
    /// full speed in a quarter of a second.
    #[serde(default)]
    pub acceleration_deg_or_mm_s2: IndexMap<String, f64>,
    /// Largest speeds by joint name, degrees/s or mm/s, in place of what the description says. Where neither says
    /// any, 180 degrees/s or 1000 mm/s are assumed, and that is said.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    pub velocity_deg_or_mm_s: IndexMap<String, f64>,
    /// Smallest and largest values by joint name, degrees or mm, in place of what the description says.
    #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
    pub limits_deg_or_mm: IndexMap<String, [f64; 2]>,
    /// Which geometry of a URDF is shown and measured.
    #[serde(default, skip_serializing_if = "LinkGeometry::is_visual")]
    pub geometry: LinkGeometry,
    /// An SRDF file of the package: pairs of its links that may touch, groups of its joints.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub srdf: Option<String>,
}

impl MechanismDocument {
    /// A mechanism that is as its description says.
    #[must_use]
    pub fn as_described(from: MechanismSource) -> Self {
        Self {
            from,
            rest_deg_or_mm: IndexMap::new(),
            postures: Vec::new(),
            acceleration_deg_or_mm_s2: IndexMap::new(),
            velocity_deg_or_mm_s: IndexMap::new(),
            limits_deg_or_mm: IndexMap::new(),
            geometry: LinkGeometry::default(),
            srdf: None,
        }
    }
}

/// Joint values kept by a name.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a posture: {\"name\": …, \"joints_deg_or_mm\": {\"joint\": …}}"
)]
pub struct NamedPosture {
    /// Unique in the mechanism.
    pub name: String,
    /// By joint name, degrees or mm.
    pub joints_deg_or_mm: IndexMap<String, f64>,
}

/// Where a mechanism is described.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum MechanismSource {
    /// A URDF file of the package.
    Urdf(String),
    /// A Denavit–Hartenberg table. Links are `base`, then one a row; with the standard convention
    /// the last is followed by `flange`.
    Dh {
        /// Which convention.
        convention: DhConvention,
        /// From base to tip.
        rows: Vec<DhRowDocument>,
    },
}

/// Which Denavit–Hartenberg convention.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum DhConvention {
    /// θ, d, a, α.
    Standard,
    /// α, a, θ, d.
    Modified,
}

/// A row of a Denavit–Hartenberg table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a row of a Denavit–Hartenberg table: {\"joint\": …, \"a_mm\": …, …}"
)]
pub struct DhRowDocument {
    /// Name of the joint and of the link behind it.
    pub joint: String,
    /// `true` for a sliding joint.
    #[serde(default)]
    pub slides: bool,
    /// Link length.
    #[serde(default)]
    pub a_mm: f64,
    /// Link twist.
    #[serde(default)]
    pub alpha_deg: f64,
    /// Link offset (at value 0 of a sliding joint).
    #[serde(default)]
    pub d_mm: f64,
    /// Joint angle (at value 0 of a turning joint).
    #[serde(default)]
    pub theta_deg: f64,
    /// Smallest and largest value, degrees or mm.
    pub limits_deg_or_mm: [f64; 2],
    /// Largest speed, degrees/s or mm/s.
    pub velocity_deg_or_mm_s: f64,
    /// Geometry of the link, in the link's frame: at its joint, with the standard convention before a and
    /// α of the row are applied.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub bodies: Vec<BodyDocument>,
}

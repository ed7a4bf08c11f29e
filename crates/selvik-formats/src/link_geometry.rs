use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Which geometry of a URDF's links is shown and measured.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum LinkGeometry {
    /// What is meant to be seen; of a link without that, what is meant for collisions.
    #[default]
    Visual,
    /// What is meant for collisions; of a link without that, what is meant to be seen.
    Collision,
}

impl LinkGeometry {
    /// Whether it is the default.
    #[must_use]
    pub fn is_visual(&self) -> bool {
        *self == Self::Visual
    }
}

//! In which unit a mesh file is written, and which way up.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a mesh file is to be understood where it does not say so itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct MeshConvention {
    /// Unit of its coordinates.
    pub unit: LengthUnit,
    /// Which of its axes points up.
    pub up: UpAxis,
}

/// Unit of a mesh file's coordinates.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum LengthUnit {
    /// Millimetres.
    #[default]
    Mm,
    /// Centimetres.
    Cm,
    /// Metres.
    M,
    /// Inches of 25.4 mm.
    Inch,
}

impl LengthUnit {
    /// One of it, m.
    #[must_use]
    pub fn metres(self) -> f64 {
        match self {
            Self::Mm => 1e-3,
            Self::Cm => 1e-2,
            Self::M => 1.0,
            Self::Inch => 0.0254,
        }
    }
}

/// Which axis of a mesh file points up.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum UpAxis {
    /// Z.
    #[default]
    Z,
    /// Y, as in glTF; X stays X.
    Y,
}

impl UpAxis {
    /// Whether it is the default.
    #[must_use]
    pub fn is_z(&self) -> bool {
        *self == Self::Z
    }
}

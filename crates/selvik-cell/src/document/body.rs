//! Rigid geometry and where it stands.

use schemars::JsonSchema;
use selvik_core::spatial::{Pose, pose_from_rpy, rpy_of};
use selvik_formats::mesh::{LengthUnit, UpAxis};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A pose: origin, then fixed-axis roll, pitch, yaw as in URDF.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a pose: {\"xyz_mm\": [0, 0, 0], \"rpy_deg\": [0, 0, 0]}"
)]
pub struct PoseDocument {
    /// Origin, mm.
    #[serde(default)]
    pub xyz_mm: [f64; 3],
    /// Roll about X, then pitch about the fixed Y, then yaw about the fixed Z, degrees.
    #[serde(default)]
    pub rpy_deg: [f64; 3],
}

impl PoseDocument {
    /// As a pose in m.
    #[must_use]
    pub fn to_pose(&self) -> Pose {
        pose_from_rpy(
            self.xyz_mm.map(|x| x * 1e-3),
            self.rpy_deg.map(f64::to_radians),
        )
    }

    /// From a pose in m.
    #[must_use]
    pub fn from_pose(pose: &Pose) -> Self {
        let t = pose.translation.vector;
        Self {
            xyz_mm: [t.x, t.y, t.z].map(|x| x * 1e3),
            rpy_deg: rpy_of(pose).map(f64::to_degrees),
        }
    }
}

/// A piece of rigid geometry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a body: {\"shape\": …, \"pose\": …}")]
pub struct BodyDocument {
    /// Its shape.
    pub shape: ShapeDocument,
    /// Where it sits in the item's frame.
    #[serde(default)]
    pub pose: PoseDocument,
}

/// A shape: a mesh file or a primitive centred on its frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum ShapeDocument {
    /// A file of the package: `.stl` or `.ply` (binary or ASCII), `.obj`, `.dae`, `.glb` or `.gltf`.
    Mesh {
        /// Path inside the package, with `/`.
        file: String,
        /// Unit of its coordinates. COLLADA says its own; glTF is always in metres.
        #[serde(default)]
        unit: LengthUnit,
        /// Which of its axes points up; it is turned to Z. COLLADA says its own; glTF has Y up.
        #[serde(default, skip_serializing_if = "UpAxis::is_z")]
        up: UpAxis,
    },
    /// A box.
    Box {
        /// Edge lengths.
        size_mm: [f64; 3],
    },
    /// A cylinder along Z.
    Cylinder {
        /// mm
        radius_mm: f64,
        /// mm
        length_mm: f64,
    },
    /// A ball.
    Sphere {
        /// mm
        radius_mm: f64,
    },
    /// A cylinder along Z with a half ball on either end.
    Capsule {
        /// mm
        radius_mm: f64,
        /// Of the cylinder between the half balls, mm.
        length_mm: f64,
    },
}

//! What may be found among dropped files.

use selvik_core::mesh::Surface;
use selvik_formats::mesh::{LengthUnit, Mended, UpAxis};
use serde::Serialize;
use utoipa::ToSchema;

use super::FoundRecording;
use crate::document::RoleDocument;

/// Something among dropped files that can become an item.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Found {
    /// Its file.
    pub file: String,
    /// What it is.
    pub kind: FoundKind,
    /// What people might call it.
    pub name: String,
    /// What it might be.
    pub role: RoleDocument,
    /// Unit of its coordinates, as far as can be guessed.
    pub unit: LengthUnit,
    /// Which of its axes points up, as far as can be guessed.
    pub up: UpAxis,
    /// Whether the file says both itself, so that there is nothing to choose.
    pub says_itself: bool,
    /// Edge lengths in its own unit and axes; none where it can't be read.
    pub size: Option<[f64; 3]>,
    /// Its colour, `#RRGGBB`, where the file says one.
    pub colour: Option<String>,
    /// How many triangles there are.
    pub triangles: usize,
    /// What is wrong with its meshes, and what was mended.
    pub flaws: Flaws,
    /// Links and moving joints of a robot.
    pub links: usize,
    /// Joints of a robot that move.
    pub joints: usize,
    /// Links of a robot with geometry that is meant for collisions beside what is meant to be seen.
    pub collisions: usize,
    /// The SRDF file that goes with a robot.
    pub srdf: Option<String>,
    /// Groups of joints that the SRDF names.
    pub joint_groups: Vec<String>,
    /// Meshes it names that are not among the files.
    pub missing: Vec<String>,
    /// Its joints that have a value of their own, from base to tip.
    pub joint_names: Vec<FoundJoint>,
    /// What it holds, if it is a recording.
    pub recording: Option<FoundRecording>,
    /// Why it can't be taken as it is.
    pub problem: Option<String>,
}

/// What kind of thing was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FoundKind {
    /// A mechanism described by URDF.
    Robot,
    /// A mesh.
    Mesh,
    /// A recorded joint trajectory.
    Recording,
}

/// A joint of a robot that was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct FoundJoint {
    /// Its name.
    pub name: String,
    /// Whether its values are angles.
    pub turns: bool,
}

/// What is wrong with meshes, counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, ToSchema)]
pub struct Flaws {
    /// Edges that belong to one triangle only; they stay open.
    pub open_edges: usize,
    /// Triangles without an area; left out.
    pub degenerate: usize,
    /// Triangles that were there twice; left out once.
    pub duplicate: usize,
    /// Shells that were inside out; turned over.
    pub turned_shells: usize,
    /// Triangles that ran against their neighbours; turned over.
    pub turned_triangles: usize,
}

impl Flaws {
    pub(super) fn of(mended: &Mended, surface: &Surface) -> Self {
        Self {
            open_edges: surface.open_edges(),
            degenerate: mended.degenerate,
            duplicate: mended.duplicate,
            turned_shells: mended.turned,
            turned_triangles: mended.turned_triangles,
        }
    }
}

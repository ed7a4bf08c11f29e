//! What the robots run, and when.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_formats::targets_csv::TargetRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::PoseDocument;

/// What one robot runs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a program: {\"id\": …, \"name\": …, \"robot\": …, \"tcp\": …, \"moves\": […]}"
)]
pub struct ProgramDocument {
    /// Unique among the programs.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Id of the robot.
    pub robot: String,
    /// Id of the frame that is taken to targets.
    pub tcp: String,
    /// Poses to reach.
    #[serde(default)]
    pub targets: Vec<TargetDocument>,
    /// A CSV file (RFC 4180) of the package with more targets; columns `id, frame, x_mm, y_mm, z_mm,
    /// roll_deg, pitch_deg, yaw_deg`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub targets_csv: Option<String>,
    /// In order.
    pub moves: Vec<MoveDocument>,
}

/// A pose to reach.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a target: {\"id\": …, \"pose\": …}")]
pub struct TargetDocument {
    /// Unique in the program.
    pub id: String,
    /// Id of the item in whose frame the pose is given; the world frame if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame: Option<String>,
    /// The pose of the TCP.
    pub pose: PoseDocument,
}

impl From<TargetRow> for TargetDocument {
    fn from(row: TargetRow) -> Self {
        let pose = PoseDocument {
            xyz_mm: [row.x_mm, row.y_mm, row.z_mm],
            rpy_deg: [row.roll_deg, row.pitch_deg, row.yaw_deg],
        };
        Self { id: row.id, frame: row.frame, pose }
    }
}

impl From<&TargetDocument> for TargetRow {
    fn from(target: &TargetDocument) -> Self {
        let ([x_mm, y_mm, z_mm], [roll_deg, pitch_deg, yaw_deg]) = (target.pose.xyz_mm, target.pose.rpy_deg);
        let (id, frame) = (target.id.clone(), target.frame.clone());
        Self { id, frame, x_mm, y_mm, z_mm, roll_deg, pitch_deg, yaw_deg }
    }
}

/// One instruction.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(tag = "move", rename_all = "snake_case", deny_unknown_fields)]
pub enum MoveDocument {
    /// All joints together, to a target or to joint values.
    Joint {
        /// Id of a target.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<String>,
        /// Joint values from base to tip instead of a target.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        joints_deg_or_mm: Option<Vec<f64>>,
        /// Share of the joints' largest speeds, and the same share of their largest accelerations.
        speed_percent: f64,
        /// The posture wanted at the target.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        posture: Option<PostureDocument>,
        /// Other joints that move along, as `item/joint`, degrees or mm.
        #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
        also_deg_or_mm: IndexMap<String, f64>,
    },
    /// The TCP along a straight line.
    Linear {
        /// Id of a target.
        to: String,
        /// mm/s
        speed_mm_s: f64,
        /// mm/s²; four times the speed per second where absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        acceleration_mm_s2: Option<f64>,
        /// Other joints that move along, as `item/joint`, degrees or mm.
        #[serde(default, skip_serializing_if = "IndexMap::is_empty")]
        also_deg_or_mm: IndexMap<String, f64>,
    },
    /// The TCP along a circle.
    Circular {
        /// Id of a target on the way.
        via: String,
        /// Id of a target.
        to: String,
        /// mm/s
        speed_mm_s: f64,
        /// mm/s²; four times the speed per second where absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        acceleration_mm_s2: Option<f64>,
    },
    /// Stand still.
    Wait {
        /// s
        seconds: f64,
    },
    /// Wait for the other robots that have the same mark.
    Sync {
        /// Name of the mark.
        mark: String,
    },
}

/// One of the postures of a six-axis arm.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a posture: {\"front\": true, \"elbow_up\": true, \"wrist_positive\": true}"
)]
pub struct PostureDocument {
    /// Reaching forwards rather than back over the base.
    pub front: bool,
    /// Elbow up rather than down.
    pub elbow_up: bool,
    /// The fifth angle positive rather than negative.
    pub wrist_positive: bool,
}

/// Which programs run when, on one clock.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a run plan: {\"lanes\": […]}")]
pub struct RunPlanDocument {
    /// One a robot.
    #[serde(default)]
    pub lanes: Vec<LaneDocument>,
}

/// The programs of one robot, one after the other.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a lane: {\"programs\": […]}")]
pub struct LaneDocument {
    /// Ids of programs of one robot.
    pub programs: Vec<String>,
    /// When the first begins.
    #[serde(default)]
    pub start_s: f64,
}

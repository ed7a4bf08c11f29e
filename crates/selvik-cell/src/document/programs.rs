//! What the robots run, and when.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_core::robot::{Configuration, Elbow, Shoulder, Wrist};
use selvik_formats::targets_csv::TargetRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::PoseDocument;

/// What one robot runs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a program: {\"id\": …, \"name\": …, \"robot\": …, \"moves\": […]}"
)]
pub struct ProgramDocument {
    /// Unique among the programs.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Id of the robot or other mechanism.
    pub robot: String,
    /// Id of the frame that is taken to targets. Without it the program drives all joints of the mechanism by their values
    /// alone: a gripper, a table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tcp: Option<String>,
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
        Self {
            id: row.id,
            frame: row.frame,
            pose,
        }
    }
}

impl From<&TargetDocument> for TargetRow {
    fn from(target: &TargetDocument) -> Self {
        let ([x_mm, y_mm, z_mm], [roll_deg, pitch_deg, yaw_deg]) =
            (target.pose.xyz_mm, target.pose.rpy_deg);
        let (id, frame) = (target.id.clone(), target.frame.clone());
        Self {
            id,
            frame,
            x_mm,
            y_mm,
            z_mm,
            roll_deg,
            pitch_deg,
            yaw_deg,
        }
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
        /// Joint values from base to tip instead of a target. Without either only the joints of `also_deg_or_mm` move.
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
    /// A part belongs to what takes it from here on, and goes where that goes.
    Take {
        /// Id of the part; what hangs on it goes along.
        item: String,
        /// What takes it, `item` or `item/link`; the program's TCP where absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        by: Option<String>,
        /// For so many moves of the lane before and after it may touch what takes it, and after it what it is taken from.
        #[serde(default = "one_move")]
        touching_moves: u32,
    },
    /// What was taken stays here, on what it is set on.
    Release {
        /// Id of the part.
        item: String,
        /// What it is set on and goes along with, `item` or `item/link`; the world where absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        onto: Option<String>,
        /// For so many moves of the lane before and after it may touch what held it, and before it what it is set on.
        #[serde(default = "one_move")]
        touching_moves: u32,
    },
    /// What was recorded or planned elsewhere, as it is: straight from row to row.
    Recorded {
        /// A file of the package: CSV with a column of times, or JSON with `joint_names` and `points`.
        file: String,
        /// The column of times, from 1.
        #[serde(default = "first_column")]
        time_column: usize,
        /// Unit of the times.
        #[serde(default)]
        time_unit: TimeUnit,
        /// What the other columns are.
        joints: Vec<RecordedJointDocument>,
    },
}

fn one_move() -> u32 {
    1
}

fn first_column() -> usize {
    1
}

/// A unit of time.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum TimeUnit {
    /// Seconds.
    #[default]
    S,
    /// Thousandths of a second.
    Ms,
}

impl TimeUnit {
    /// s
    #[must_use]
    pub fn seconds(self) -> f64 {
        match self {
            Self::S => 1.0,
            Self::Ms => 1e-3,
        }
    }
}

/// A unit of joint values.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JointUnit {
    /// Degrees.
    Deg,
    /// Radians.
    Rad,
    /// Millimetres.
    Mm,
    /// Metres.
    M,
}

impl JointUnit {
    /// Whether it measures angles.
    #[must_use]
    pub fn is_angle(self) -> bool {
        matches!(self, Self::Deg | Self::Rad)
    }

    /// Rad or m.
    #[must_use]
    pub fn in_si(self) -> f64 {
        match self {
            Self::Deg => std::f64::consts::PI / 180.0,
            Self::Rad | Self::M => 1.0,
            Self::Mm => 1e-3,
        }
    }
}

/// A column of a recording.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a recorded joint: {\"joint\": \"item/joint\", \"column\": 2, \"unit\": \"deg\"}"
)]
pub struct RecordedJointDocument {
    /// Which joint, as `item/joint`.
    pub joint: String,
    /// Its column, from 1.
    pub column: usize,
    /// Unit of its values.
    pub unit: JointUnit,
}

impl ProgramDocument {
    /// The files of the package it names.
    pub fn files(&self) -> impl Iterator<Item = &String> {
        let recorded = self.moves.iter().filter_map(|step| match step {
            MoveDocument::Recorded { file, .. } => Some(file),
            _ => None,
        });
        self.targets_csv.iter().chain(recorded)
    }
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

impl From<Configuration> for PostureDocument {
    fn from(configuration: Configuration) -> Self {
        Self {
            front: configuration.shoulder == Shoulder::Front,
            elbow_up: configuration.elbow == Elbow::Up,
            wrist_positive: configuration.wrist == Wrist::Positive,
        }
    }
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

//! The types of `cell.json`. The unit of every number is in its name.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_core::spatial::{Pose, pose_from_rpy, rpy_of};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{SavedViewDocument, TourDocument};

/// What `format` must say.
pub const FORMAT: &str = "selvik-cell/1";

/// A robot workcell model.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CellDocument {
    /// Always `selvik-cell/1`.
    pub format: String,
    /// What people call the cell.
    pub name: String,
    /// The roster, as a tree through `parent`.
    pub items: Vec<ItemDocument>,
    /// How much clearance is required between what.
    #[serde(default)]
    pub rules: Vec<RuleDocument>,
    /// Pairs of items that may touch.
    #[serde(default)]
    pub may_touch: Vec<MayTouchDocument>,
    /// How much of the reach every target must leave.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reach_rule: Option<ReachRuleDocument>,
    /// What the robots run.
    #[serde(default)]
    pub programs: Vec<ProgramDocument>,
    /// Which programs run when.
    #[serde(default)]
    pub run_plan: RunPlanDocument,
    /// Saved views, in order.
    #[serde(default)]
    pub views: Vec<SavedViewDocument>,
    /// Id of the view the cell opens with.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub opening_view: Option<String>,
    /// Named choices of items.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub visibility_sets: Vec<VisibilitySetDocument>,
    /// Camera paths.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tours: Vec<TourDocument>,
}

/// One item of the roster.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ItemDocument {
    /// Unique in the cell.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// What it is.
    pub role: RoleDocument,
    /// Id of the item that carries it; the world frame if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub parent: Option<String>,
    /// The link of the parent's mechanism it hangs on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_link: Option<String>,
    /// Where it stands in the frame that carries it.
    #[serde(default)]
    pub pose: PoseDocument,
    /// Its rigid geometry, in its own frame.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub bodies: Vec<BodyDocument>,
    /// Its links and joints.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mechanism: Option<MechanismDocument>,
    /// Its own colour, `#RRGGBB`; where absent that of its role.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub colour: Option<String>,
    /// For frames: what the frame is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame_kind: Option<FrameKind>,
    /// Whether it stays where it is in the frame that carries it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub locked: bool,
    /// What people want to remember of it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub notes: Option<String>,
    /// Whether its geometry is a surface only, so that nothing lies inside it: a panel without thickness, a floor, a
    /// cover open on one side.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub surface_only: bool,
}

impl ItemDocument {
    /// An item without geometry that stands at the world's origin.
    #[must_use]
    pub fn new(id: impl Into<String>, name: impl Into<String>, role: RoleDocument) -> Self {
        Self {
            id: id.into(),
            name: name.into(),
            role,
            parent: None,
            on_link: None,
            pose: PoseDocument::default(),
            bodies: Vec::new(),
            mechanism: None,
            colour: None,
            frame_kind: None,
            locked: false,
            notes: None,
            surface_only: false,
        }
    }

    /// The files of the package it names itself.
    #[must_use]
    pub fn files(&self) -> Vec<String> {
        let shapes = self.bodies.iter().filter_map(|body| match &body.shape {
            ShapeDocument::Mesh { file, .. } => Some(file.clone()),
            _ => None,
        });
        let mechanism = self.mechanism.iter().flat_map(|m| {
            let urdf = match &m.from {
                MechanismSource::Urdf(file) => Some(file.clone()),
                MechanismSource::Dh { .. } => None,
            };
            urdf.into_iter().chain(m.srdf.clone())
        });
        shapes.chain(mechanism).collect()
    }

    /// Whether it has a shape or links of its own.
    #[must_use]
    pub fn has_geometry(&self) -> bool {
        !self.bodies.is_empty() || self.mechanism.is_some()
    }
}

/// A named choice of items; an item may be in as many as one likes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct VisibilitySetDocument {
    /// Unique among the sets.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Ids of its items.
    pub items: Vec<String>,
}

/// What an item is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RoleDocument {
    /// A manipulating robot.
    Robot,
    /// What a robot carries.
    Tool,
    /// What holds or positions parts.
    Fixture,
    /// What is worked on.
    Part,
    /// What just stands there.
    Structure,
    /// A coordinate system.
    Frame,
    /// A bracket round other items.
    Group,
}

/// What a frame is (ISO 9787).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FrameKind {
    /// A robot's base.
    Base,
    /// The mechanical interface.
    Flange,
    /// A tool centre point.
    Tcp,
    /// Any other.
    Frame,
}

/// A pose: origin, then fixed-axis roll, pitch, yaw as in URDF.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
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
        pose_from_rpy(self.xyz_mm.map(|x| x * 1e-3), self.rpy_deg.map(f64::to_radians))
    }

    /// From a pose in m.
    #[must_use]
    pub fn from_pose(pose: &Pose) -> Self {
        let t = pose.translation.vector;
        Self { xyz_mm: [t.x, t.y, t.z].map(|x| x * 1e3), rpy_deg: rpy_of(pose).map(f64::to_degrees) }
    }
}

/// A piece of rigid geometry.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
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

/// Unit of a mesh file's coordinates.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum UpAxis {
    /// Z.
    #[default]
    Z,
    /// Y, as in glTF; X stays X.
    Y,
}

impl UpAxis {
    fn is_z(&self) -> bool {
        *self == Self::Z
    }
}

/// Links and joints of an item.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MechanismDocument {
    /// Where links and joints are described.
    pub from: MechanismSource,
    /// Joint values the cell starts with, by joint name: degrees for turning joints, mm for sliding
    /// ones; 0 where absent.
    #[serde(default)]
    pub rest_deg_or_mm: IndexMap<String, f64>,
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

/// Which geometry of a URDF's links is shown and measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LinkGeometry {
    /// What is meant to be seen; of a link without that, what is meant for collisions.
    #[default]
    Visual,
    /// What is meant for collisions; of a link without that, what is meant to be seen.
    Collision,
}

impl LinkGeometry {
    fn is_visual(&self) -> bool {
        *self == Self::Visual
    }
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
#[serde(deny_unknown_fields)]
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

/// A clearance rule. Where several name the same two bodies, the last decides. Every pair of bodies that it names is
/// measured, whether or not anything moves between them; left out are only links next to each other in one mechanism,
/// unless a rule names them by themselves, and what may touch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RuleDocument {
    /// Unique among the rules.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Ids of items on one side, what hangs on them counts too; or `item/link` for one link of a mechanism alone.
    pub between: Vec<String>,
    /// Ids of items or `item/link` on the other side. Empty means everything: also the links and tools of the first
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
#[serde(deny_unknown_fields)]
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
#[serde(deny_unknown_fields)]
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
#[serde(deny_unknown_fields)]
pub struct ReachRuleDocument {
    /// Less to spare than this breaks the rule, percent of the stretched arm.
    pub spare_percent: f64,
}

/// What one robot runs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
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
#[serde(deny_unknown_fields)]
pub struct TargetDocument {
    /// Unique in the program.
    pub id: String,
    /// Id of the item in whose frame the pose is given; the world frame if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame: Option<String>,
    /// The pose of the TCP.
    pub pose: PoseDocument,
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
#[serde(deny_unknown_fields)]
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
#[serde(deny_unknown_fields)]
pub struct RunPlanDocument {
    /// One a robot.
    #[serde(default)]
    pub lanes: Vec<LaneDocument>,
}

/// The programs of one robot, one after the other.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LaneDocument {
    /// Ids of programs of one robot.
    pub programs: Vec<String>,
    /// When the first begins.
    #[serde(default)]
    pub start_s: f64,
}

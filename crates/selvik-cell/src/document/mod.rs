//! The types of `cell.json`. The unit of every number is in its name.

mod body;
mod finding;
mod mechanism;
mod names;
mod package;
mod pick;
mod programs;
mod rules;
mod section;
mod view;

pub use body::*;
pub use finding::*;
pub use mechanism::*;
pub(crate) use names::next_free;
pub use names::{check_text, checked_name};
pub use package::*;
pub use pick::{KnownKind, LINKS, PickDocument, PickKind};
pub use programs::*;
pub use rules::*;
use schemars::JsonSchema;
pub use section::{KeptSectionDocument, MOST_SECTIONS, SectionDocument, SectionShapeDocument};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
pub use view::*;

/// What `format` must say.
pub const FORMAT: &str = "selvik-cell/1";

/// A robot workcell model.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a cell document: {\"format\": \"selvik-cell/1\", \"name\": …, \"items\": […]}"
)]
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
    /// Sections with a name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sections: Vec<KeptSectionDocument>,
    /// What was measured and kept.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub findings: Vec<FindingDocument>,
}

/// A cell that has just been begun: nothing in it, and one rule that suits any.
#[must_use]
pub fn begun_cell(name: &str) -> CellDocument {
    CellDocument {
        rules: vec![first_rule()],
        ..empty_cell(name)
    }
}

/// What a new cell requires until people say otherwise: robots, with what they carry, keep clear of everything.
fn first_rule() -> RuleDocument {
    RuleDocument {
        id: "robots-clear".to_owned(),
        name: "Robots, and what they carry, to everything".to_owned(),
        between: vec![format!("{BY_ROLE}{}", RoleDocument::Robot.word())],
        and: Vec::new(),
        required_mm: 10.0,
        tight_below_mm: 20.0,
    }
}

/// A cell with nothing in it.
#[must_use]
pub fn empty_cell(name: &str) -> CellDocument {
    CellDocument {
        format: FORMAT.to_owned(),
        name: name.trim().to_owned(),
        items: Vec::new(),
        rules: Vec::new(),
        may_touch: Vec::new(),
        reach_rule: None,
        programs: Vec::new(),
        run_plan: RunPlanDocument::default(),
        views: Vec::new(),
        opening_view: None,
        visibility_sets: Vec::new(),
        tours: Vec::new(),
        sections: Vec::new(),
        findings: Vec::new(),
    }
}

/// One item of the roster.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "an item: {\"id\": …, \"name\": …, \"role\": …}"
)]
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
#[serde(
    deny_unknown_fields,
    expecting = "a visibility set: {\"id\": …, \"name\": …, \"items\": […]}"
)]
pub struct VisibilitySetDocument {
    /// Unique among the sets.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Ids of its items.
    pub items: Vec<String>,
}

/// Whether `text` is a colour as `#RRGGBB`.
#[must_use]
pub fn is_colour(text: &str) -> bool {
    text.strip_prefix('#')
        .is_some_and(|hex| hex.len() == 6 && hex.bytes().all(|b| b.is_ascii_hexdigit()))
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

impl RoleDocument {
    /// All there are.
    pub const ALL: [Self; 7] = [
        Self::Robot,
        Self::Tool,
        Self::Fixture,
        Self::Part,
        Self::Structure,
        Self::Frame,
        Self::Group,
    ];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Robot => "robot",
            Self::Tool => "tool",
            Self::Fixture => "fixture",
            Self::Part => "part",
            Self::Structure => "structure",
            Self::Frame => "frame",
            Self::Group => "group",
        }
    }
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

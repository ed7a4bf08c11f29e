use std::fmt;
use std::sync::Arc;

use crate::mesh::Surface;
use crate::spatial::Pose;

/// The name by which an item is referred to inside its cell; unique there.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ItemId(pub String);

impl fmt::Display for ItemId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<&str> for ItemId {
    fn from(text: &str) -> Self {
        Self(text.to_owned())
    }
}

/// What an item is in the cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Role {
    /// A manipulating robot (ISO 8373).
    Robot,
    /// What a robot carries at its mechanical interface.
    Tool,
    /// What holds or positions parts.
    Fixture,
    /// What is worked on.
    Part,
    /// Everything that just stands there: fence, cabinet, mast, pedestal.
    Structure,
    /// A coordinate system without a body.
    Frame,
    /// A bracket round other items.
    Group,
}

/// One entry of the roster.
#[derive(Debug, Clone)]
pub struct Item {
    /// Unique in the cell.
    pub id: ItemId,
    /// What people call it.
    pub name: String,
    /// What it is.
    pub role: Role,
    /// What carries it; `None` stands on the world frame.
    pub parent: Option<ItemId>,
    /// The link of the parent's mechanism it hangs on; `None` is the parent's own frame.
    pub on_link: Option<String>,
    /// Where it stands in the frame that carries it.
    pub pose: Pose,
    /// Its rigid geometry, in its own frame.
    pub surface: Option<Arc<Surface>>,
}

impl Item {
    /// Called by its id, on the world frame, without a body.
    #[must_use]
    pub fn new(id: &str, role: Role) -> Self {
        Self {
            id: id.into(),
            name: id.to_owned(),
            role,
            parent: None,
            on_link: None,
            pose: Pose::identity(),
            surface: None,
        }
    }

    /// The same, standing elsewhere in what carries it.
    #[must_use]
    pub fn at(self, pose: Pose) -> Self {
        Self { pose, ..self }
    }

    /// The same, carried by `parent`, or by a link of it.
    #[must_use]
    pub fn on(self, parent: &str, link: Option<&str>) -> Self {
        Self {
            parent: Some(parent.into()),
            on_link: link.map(str::to_owned),
            ..self
        }
    }

    /// The same, with a body.
    #[must_use]
    pub fn with_body(self, surface: impl Into<Arc<Surface>>) -> Self {
        Self {
            surface: Some(surface.into()),
            ..self
        }
    }
}

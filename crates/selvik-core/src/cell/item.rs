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

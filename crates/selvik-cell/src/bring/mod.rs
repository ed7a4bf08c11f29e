//! What a person brings: robots, meshes and recordings among dropped files, what is wrong with them, and what they become.

mod choices;
mod found;
mod recordings;
mod targets;
mod things;

pub use choices::{BROUGHT, BroughtIn, Choice, brought_in, is_package, without_unused};
pub use found::{Flaws, Found, FoundJoint, FoundKind};
pub use recordings::{FoundColumn, FoundRecording, RecordingChoice};
pub use targets::{brought_targets, targets_of};
pub use things::look_through;

//! What is in the cell: items in a tree, with roles and bodies.

mod item;
mod tree;

pub use item::{Item, ItemId, Role};
pub use tree::{Cell, CellError};

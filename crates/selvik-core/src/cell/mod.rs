//! What is in the cell: items in a tree, with roles and bodies.
//!
//! ```
//! use selvik_core::cell::{Cell, Item, Role};
//!
//! let table = Item::new("table", Role::Structure);
//! let clamp = Item::new("clamp", Role::Fixture).on("table", None);
//! let cell = Cell::new(vec![table, clamp])?;
//! assert_eq!(cell.parent_of(1), Some(0));
//! # Ok::<(), selvik_core::cell::CellError>(())
//! ```

mod item;
mod tree;

pub use item::{Item, ItemId, Role};
pub use tree::{Cell, CellError};

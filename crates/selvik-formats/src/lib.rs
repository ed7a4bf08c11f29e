//! Open formats in and out: the cell package, URDF, STL, glTF, CSV, and the reports as JSON.
//!
//! Bytes in, core types out; every refusal says which file, where in it, and why. Nothing here
//! touches a database or the network.

mod error;
pub mod mesh;
pub mod package;
pub mod report;
mod urdf;
mod workcell;

pub use error::{FormatError, Result};
pub use urdf::read_urdf;
pub use workcell::Workcell;

//! Open formats in and out: the cell package, URDF, SRDF, meshes (STL, OBJ, PLY, COLLADA, glTF), CSV, and the reports as JSON.
//!
//! Bytes in, core types out; every refusal says which file, where in it, and why. Nothing here
//! touches a database or the network.

pub mod bring;
mod error;
pub mod mesh;
pub mod package;
pub mod report;
mod srdf;
mod stop;
mod urdf;
mod urdf_writer;
mod workcell;
mod xml;

pub use error::{FormatError, Result};
pub use srdf::{JointGroup, Srdf, read_srdf};
pub use stop::Stop;
pub use urdf::read_urdf;
pub use urdf_writer::write_urdf;
pub use workcell::Workcell;

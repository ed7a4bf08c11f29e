//! Open formats in and out: meshes (STL, OBJ, PLY, COLLADA, glTF), URDF, SRDF, CSV, and the files of a package.
//!
//! Bytes in, core types out; every refusal says which file, where in it, and why. Nothing here knows what a cell
//! document is, and nothing touches a database or the network.

mod csv_written;
pub mod drawing;
mod error;
mod files;
mod link_geometry;
pub mod mesh;
mod recording;
pub mod spool;
mod srdf;
mod stop;
pub mod targets_csv;
mod urdf;
mod urdf_writer;
mod xml;

pub use csv_written::to_csv;
pub use error::{FormatError, Result};
pub use files::{MAX_FILES, MAX_TOTAL_BYTES, PackageFiles};
pub use link_geometry::LinkGeometry;
pub use recording::{RecordedTable, read_recording};
pub use srdf::{JointGroup, Srdf, read_srdf};
pub use stop::Stop;
pub use urdf::{links_with_both, meshes_of, read_urdf};
pub use urdf_writer::write_urdf;

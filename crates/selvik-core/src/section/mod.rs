//! Planar cuts through meshes: closed, oriented, nested loops with their areas.

mod fill;
mod loops;
mod mesh_plane;
mod unite;

pub use fill::{Filled, fill};
pub use loops::{Contour, Region, nest};
pub use mesh_plane::{Section, cut};

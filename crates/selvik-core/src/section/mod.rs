//! Planar cuts through meshes: closed, oriented, nested loops with their areas.

mod fill;
mod loops;
mod mesh_plane;
mod unite;
mod united_mass;

pub use fill::{Filled, fill};
pub use loops::{Contour, Region, nest};
pub use mesh_plane::{Section, cut, cut_together};
pub use united_mass::{mass_together, united_mass};

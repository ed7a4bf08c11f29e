//! Planar cuts through meshes: closed, oriented, nested loops with their areas.
//!
//! ```
//! use selvik_core::mesh::box_mesh;
//! use selvik_core::section::cut;
//! use selvik_core::spatial::{Plane, Point, Vector};
//!
//! let level = Plane::through(&Point::origin(), &Vector::z()).expect("a direction");
//! let section = cut(&box_mesh([0.3, 0.2, 0.1]), &level);
//! assert!((section.area() - 0.06).abs() < 1e-12); // m²
//! assert!((section.perimeter() - 1.0).abs() < 1e-12); // m
//! ```

mod cutaway;
mod fill;
mod hatch;
mod loops;
mod mesh_plane;
mod restrict;
mod shared_mass;
mod unite;
mod united_mass;

pub use cutaway::{Cutaway, Face, Removed, overlap};
pub use fill::{Filled, fill};
pub use hatch::hatches;
pub use loops::{Contour, Region, nest};
pub use mesh_plane::{Section, cut, cut_surface, cut_together};
pub use shared_mass::{crossing_lines, shared_mass};
pub use united_mass::{mass_together, united_mass};

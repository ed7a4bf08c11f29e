//! Triangle meshes: welding, topology, features, volume, and the hierarchy used by queries.
//!
//! ```
//! use selvik_core::mesh::{box_mesh, mass_of};
//!
//! let plate = mass_of(&box_mesh([0.3, 0.2, 0.01]));
//! assert!((plate.volume - 0.3 * 0.2 * 0.01).abs() < 1e-12); // m³
//! ```

mod buckets;
mod edges;
mod feature_edges;
mod features;
mod growing;
mod hierarchy;
mod inside;
mod mass;
mod mending;
mod primitives;
mod shape;
mod shells;
mod surface;
mod triangle_mesh;
mod winding;

/// Vertices on open edges that lie nearer together than this count as one, m.
pub const WELD: f64 = 1e-6;

pub use feature_edges::{DEFAULT_FEATURE_ANGLE, feature_edges};
pub use features::{Edge, EdgeShape, Face, Features, Model, Slot};
pub use hierarchy::{Four, Hierarchy, Node};
pub use inside::Containment;
pub use mass::{Mass, mass_of};
pub use mending::{Turned, turn_outwards};
pub use primitives::{box_mesh, capsule_mesh, cylinder_mesh, sphere_mesh};
pub use shape::Shape;
pub use shells::{Shell, Shells};
pub use surface::{SPREAD, Surface};
pub use triangle_mesh::{MeshError, TriangleMesh, Welded};

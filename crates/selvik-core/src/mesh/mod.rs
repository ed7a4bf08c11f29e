//! Triangle meshes: welding, topology, features, volume, and the hierarchy used by queries.

mod buckets;
mod edges;
mod feature_edges;
mod flat_face;
mod hierarchy;
mod inside;
mod mass;
mod mending;
mod primitives;
mod round_face;
mod surface;
mod topology;
mod triangle_mesh;

pub use feature_edges::{DEFAULT_FEATURE_ANGLE, feature_edges};
pub use flat_face::flat_face;
pub use hierarchy::{Hierarchy, Node};
pub use mass::{Mass, mass_of};
pub use mending::turn_flipped_shells;
pub use primitives::{box_mesh, cylinder_mesh, sphere_mesh};
pub use round_face::{RoundFace, round_face};
pub use surface::Surface;
pub use topology::Topology;
pub use triangle_mesh::{MeshError, TriangleMesh, Welded};

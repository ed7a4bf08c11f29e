use std::sync::OnceLock;

use super::{Hierarchy, Mass, Topology, TriangleMesh, mass_of};
use crate::spatial::{Aabb, Point};

/// A mesh made ready for queries: what every computation on a body starts from. What only some of them need
/// is computed when it is first asked for, so that a mesh of millions that is only looked at costs little.
#[derive(Debug)]
pub struct Surface {
    mesh: TriangleMesh,
    hierarchy: OnceLock<Hierarchy>,
    topology: OnceLock<Topology>,
    bounds: Aabb,
    centre: Point,
    radius: f64,
}

impl Surface {
    /// Prepares `mesh`.
    #[must_use]
    pub fn new(mesh: TriangleMesh) -> Self {
        let bounds = mesh.bounds();
        let centre = bounds.centre();
        let radius = mesh.vertices().iter().map(|v| (v - centre).norm()).fold(0.0, f64::max);
        Self { mesh, hierarchy: OnceLock::new(), topology: OnceLock::new(), bounds, centre, radius }
    }

    /// The triangles.
    #[must_use]
    pub fn mesh(&self) -> &TriangleMesh {
        &self.mesh
    }

    /// The tree of oriented boxes over the triangles.
    #[must_use]
    pub fn hierarchy(&self) -> &Hierarchy {
        self.hierarchy.get_or_init(|| Hierarchy::build(&self.mesh))
    }

    /// Closedness and components.
    #[must_use]
    pub fn topology(&self) -> &Topology {
        self.topology.get_or_init(|| Topology::of(&self.mesh))
    }

    /// The upright box round the surface, in its own frame.
    #[must_use]
    pub fn bounds(&self) -> &Aabb {
        &self.bounds
    }

    /// Centre and radius (m) of a ball round the surface.
    #[must_use]
    pub fn ball(&self) -> (Point, f64) {
        (self.centre, self.radius)
    }

    /// Area, volume and centroid.
    #[must_use]
    pub fn mass(&self) -> Mass {
        mass_of(&self.mesh)
    }
}

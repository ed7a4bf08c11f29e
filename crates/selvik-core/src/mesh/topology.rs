use super::TriangleMesh;
use super::edges::Edges;

/// How the triangles of a mesh hang together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Topology {
    /// Directed edges without exactly one partner running the other way.
    pub open_edges: usize,
    /// One vertex of every connected component.
    pub component_vertices: Vec<u32>,
}

impl Topology {
    /// Reads edges and components off `mesh`.
    #[must_use]
    pub fn of(mesh: &TriangleMesh) -> Self {
        let mut parent: Vec<u32> = (0..mesh.vertices().len() as u32).collect();
        for &[a, b, c] in mesh.triangles() {
            join(&mut parent, a, b);
            join(&mut parent, a, c);
        }
        let mut component_vertices: Vec<u32> =
            mesh.triangles().iter().map(|t| root(&mut parent, t[0])).collect();
        component_vertices.sort_unstable();
        component_vertices.dedup();
        let open_edges = Edges::of(mesh).iter().map(|e| e.balance().unsigned_abs() as usize).sum();
        Self { open_edges, component_vertices }
    }

    /// Whether the mesh bounds a volume: along every edge as many triangles run one way as the
    /// other.
    #[must_use]
    pub fn is_closed(&self) -> bool {
        self.open_edges == 0
    }
}

/// Makes two vertices members of one component.
pub(super) fn join(parent: &mut [u32], a: u32, b: u32) {
    let (x, y) = (root(parent, a), root(parent, b));
    parent[x as usize] = y;
}

pub(super) fn root(parent: &mut [u32], mut vertex: u32) -> u32 {
    while parent[vertex as usize] != vertex {
        parent[vertex as usize] = parent[parent[vertex as usize] as usize];
        vertex = parent[vertex as usize];
    }
    vertex
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;

    #[test]
    fn a_box_is_closed_and_loses_that_with_a_face() {
        let whole = box_mesh([1.0, 2.0, 3.0]);
        assert!(Topology::of(&whole).is_closed());
        let open = TriangleMesh::from_indexed(whole.vertices(), &whole.triangles()[1..]).unwrap().mesh;
        assert_eq!(Topology::of(&open).open_edges, 3);
    }

    #[test]
    fn separate_shells_are_counted() {
        let far = sphere_mesh(0.2, 12).moved(&pose_from_rpy([3.0, 0.0, 0.0], [0.0; 3]));
        let both = TriangleMesh::merged([box_mesh([1.0; 3]), far]);
        assert_eq!(Topology::of(&both).component_vertices.len(), 2);
    }
}

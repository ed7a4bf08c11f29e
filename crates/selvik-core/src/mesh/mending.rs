use rustc_hash::FxHashMap;

use super::TriangleMesh;
use super::edges::Edges;
use super::topology::{join, root};
use crate::spatial::Aabb;

/// Turns over every shell that is inside out: closed, of negative volume, and not the wall of a hollow, that
/// is, its box does not lie within another shell's. Returns the mesh and how many shells were turned.
#[must_use]
pub fn turn_flipped_shells(mesh: TriangleMesh) -> (TriangleMesh, usize) {
    let shells = Shells::of(&mesh);
    let flipped = shells.flipped(&mesh);
    let count = flipped.iter().filter(|&&f| f).count();
    if count == 0 {
        return (mesh, 0);
    }
    (mesh.turned_over(|triangle| flipped[shells.of_triangle[triangle]]), count)
}

struct Shells {
    of_triangle: Vec<usize>,
    /// Six times the signed volume, m³.
    volume: Vec<f64>,
    bounds: Vec<Aabb>,
}

impl Shells {
    fn of(mesh: &TriangleMesh) -> Self {
        let mut parent: Vec<u32> = (0..mesh.vertices().len() as u32).collect();
        for &[a, b, c] in mesh.triangles() {
            join(&mut parent, a, b);
            join(&mut parent, a, c);
        }
        let middle = mesh.bounds().centre();
        let mut number = FxHashMap::default();
        let mut this = Self { of_triangle: Vec::new(), volume: Vec::new(), bounds: Vec::new() };
        for (index, triangle) in mesh.triangles().iter().enumerate() {
            let corners = mesh.corners(index);
            let shell = *number.entry(root(&mut parent, triangle[0])).or_insert(this.volume.len());
            if shell == this.volume.len() {
                this.volume.push(0.0);
                this.bounds.push(Aabb::around(corners).expect("three corners"));
            }
            let [a, b, c] = corners.map(|p| p - middle);
            this.volume[shell] += a.dot(&b.cross(&c));
            let bounds = &mut this.bounds[shell];
            *bounds = bounds.union(&Aabb::around(corners).expect("three corners"));
            this.of_triangle.push(shell);
        }
        this
    }

    /// For each shell whether it is inside out.
    fn flipped(&self, mesh: &TriangleMesh) -> Vec<bool> {
        let inward = |s: usize| self.volume[s] < 0.0 && !self.lies_within_another(s);
        let mut flipped: Vec<bool> = (0..self.volume.len()).map(inward).collect();
        if flipped.contains(&true) {
            // What is open has no outside. All triangles along an edge belong to one shell.
            for edge in Edges::of(mesh).iter().filter(|e| e.balance() != 0) {
                flipped[self.of_triangle[edge.sides[0].triangle()]] = false;
            }
        }
        flipped
    }

    fn lies_within_another(&self, shell: usize) -> bool {
        let own = &self.bounds[shell];
        let around = |other: &Aabb| other.contains(&own.min) && other.contains(&own.max);
        self.bounds.iter().enumerate().any(|(s, other)| s != shell && around(other))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, mass_of};
    use crate::spatial::pose_from_rpy;

    fn inside_out(mesh: &TriangleMesh) -> TriangleMesh {
        mesh.turned_over(|_| true)
    }

    #[test]
    fn a_shell_that_is_inside_out_is_turned_and_its_neighbour_left_alone() {
        let beside = box_mesh([1.0; 3]).moved(&pose_from_rpy([3.0, 0.0, 0.0], [0.0; 3]));
        let both = TriangleMesh::merged([inside_out(&box_mesh([1.0; 3])), beside]);
        let (mended, turned) = turn_flipped_shells(both);
        assert_eq!(turned, 1);
        assert!((mass_of(&mended).volume - 2.0).abs() < 1e-12);
    }

    #[test]
    fn the_wall_of_a_hollow_stays_as_it_is() {
        let hollow = TriangleMesh::merged([box_mesh([1.0; 3]), inside_out(&box_mesh([0.5; 3]))]);
        let (mended, turned) = turn_flipped_shells(hollow);
        assert_eq!(turned, 0);
        assert!((mass_of(&mended).volume - 0.875).abs() < 1e-12);
    }

    #[test]
    fn what_is_open_has_no_outside_and_is_left_alone() {
        let open = inside_out(&box_mesh([1.0; 3]));
        let open = TriangleMesh::from_indexed(open.vertices(), &open.triangles()[1..]).unwrap().mesh;
        assert_eq!(turn_flipped_shells(open.clone()), (open, 0));
    }
}

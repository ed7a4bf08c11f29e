use super::TriangleMesh;
use super::edges::{Edge, Edges};

/// Joins flatter than this draw no edge: a turned surface of 48 facets bends 7.5° at each.
pub const DEFAULT_FEATURE_ANGLE: f64 = 25.0 * std::f64::consts::PI / 180.0;

/// The edges a draughtsman would ink: where faces meet at more than `angle` (rad), and open or
/// branching edges. Pairs of vertex indices, each edge once.
#[must_use]
pub fn feature_edges(mesh: &TriangleMesh, angle: f64) -> Vec<[u32; 2]> {
    let normals: Vec<_> = (0..mesh.triangles().len())
        .map(|i| mesh.area_vector(i).try_normalize(1e-30).unwrap_or_default())
        .collect();
    let smooth = angle.cos();
    let inked = |edge: &Edge| match edge.sides {
        [one, other] => normals[one.triangle()].dot(&normals[other.triangle()]) < smooth,
        _ => true,
    };
    Edges::of(mesh)
        .iter()
        .filter(inked)
        .map(|e| [e.from, e.to])
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, cylinder_mesh, sphere_mesh};

    #[test]
    fn a_box_has_twelve_edges_and_no_diagonals() {
        assert_eq!(
            feature_edges(&box_mesh([1.0, 2.0, 3.0]), DEFAULT_FEATURE_ANGLE).len(),
            12
        );
    }

    #[test]
    fn a_cylinder_shows_its_rims_and_a_ball_nothing() {
        let rims = feature_edges(&cylinder_mesh(1.0, 2.0, 48), DEFAULT_FEATURE_ANGLE);
        assert_eq!(rims.len(), 96);
        assert!(feature_edges(&sphere_mesh(1.0, 48), DEFAULT_FEATURE_ANGLE).is_empty());
    }
}

use super::TriangleMesh;
use crate::spatial::Point;

/// Area, volume and centroid of a mesh.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mass {
    /// Surface area, m².
    pub area: f64,
    /// Enclosed volume, m³; only meaningful for a closed mesh, negative when it is inside out.
    pub volume: f64,
    /// Centroid of the volume.
    pub centroid: Point,
}

/// Sums signed tetrahedra from the middle of the mesh (divergence theorem; Mirtich 1996).
#[must_use]
pub fn mass_of(mesh: &TriangleMesh) -> Mass {
    let origin = mesh.bounds().centre();
    let (mut area, mut six_volumes) = (0.0, 0.0);
    let mut moment = crate::spatial::Vector::zeros();
    for index in 0..mesh.triangles().len() {
        let [a, b, c] = mesh.corners(index).map(|p| p - origin);
        area += (b - a).cross(&(c - a)).norm() * 0.5;
        let tetrahedron = a.dot(&b.cross(&c));
        six_volumes += tetrahedron;
        moment += (a + b + c) * tetrahedron;
    }
    let centroid = if six_volumes.abs() > 1e-18 {
        origin + moment / (4.0 * six_volumes)
    } else {
        origin
    };
    Mass {
        area,
        volume: six_volumes / 6.0,
        centroid,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use std::f64::consts::PI;

    #[test]
    fn a_moved_box_has_the_volume_area_and_centre_of_a_box() {
        let mesh =
            box_mesh([0.2, 0.3, 0.5]).moved(&pose_from_rpy([7.0, 8.0, 9.0], [0.4, 1.0, 2.0]));
        let mass = mass_of(&mesh);
        assert!((mass.volume - 0.03).abs() < 1e-12);
        assert!((mass.area - 2.0 * (0.06 + 0.1 + 0.15)).abs() < 1e-12);
        assert!((mass.centroid - Point::new(7.0, 8.0, 9.0)).norm() < 1e-9);
    }

    #[test]
    fn a_fine_ball_nears_the_volume_of_a_sphere_from_below() {
        let volume = mass_of(&sphere_mesh(0.1, 64)).volume;
        let exact = 4.0 / 3.0 * PI * 0.1f64.powi(3);
        assert!(
            volume < exact && volume > exact * 0.995,
            "{volume} against {exact}"
        );
    }
}

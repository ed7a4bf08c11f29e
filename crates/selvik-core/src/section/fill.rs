use super::{Contour, Region};
use crate::spatial::Point;

/// A region divided into triangles, for drawing it filled.
#[derive(Debug, Clone, PartialEq)]
pub struct Filled {
    /// Points of the outline, then of the holes.
    pub points: Vec<Point>,
    /// Indices into `points`.
    pub triangles: Vec<[u32; 3]>,
}

/// Divides `region` into triangles by ear cutting.
#[must_use]
pub fn fill(region: &Region) -> Filled {
    let points: Vec<Point> = region
        .contours()
        .flat_map(Contour::points)
        .copied()
        .collect();
    let flat: Vec<[f64; 2]> = region.contours().flat_map(Contour::flat).copied().collect();
    let mut holes = Vec::with_capacity(region.holes.len());
    let mut at = region.outer.points().len();
    for hole in &region.holes {
        holes.push(at as u32);
        at += hole.points().len();
    }
    let mut indices: Vec<u32> = Vec::new();
    earcut::Earcut::new().earcut(flat, &holes, &mut indices);
    let triangles = indices
        .chunks_exact(3)
        .map(|t| [t[0], t[1], t[2]])
        .collect();
    Filled { points, triangles }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, cylinder_mesh};
    use crate::section::cut;
    use crate::spatial::{Plane, Vector};

    #[test]
    fn the_triangles_of_a_ring_cover_its_area() {
        let inner = cylinder_mesh(0.5, 2.0, 40);
        let turned: Vec<[u32; 3]> = inner
            .triangles()
            .iter()
            .map(|&[a, b, c]| [a, c, b])
            .collect();
        let inner = TriangleMesh::from_indexed(inner.vertices(), &turned)
            .unwrap()
            .mesh;
        let tube = TriangleMesh::merged([cylinder_mesh(1.0, 2.0, 64), inner]);
        let plane = Plane::through(&Point::origin(), &Vector::new(0.2, 0.1, 1.0)).unwrap();
        let section = cut(&tube, &plane);
        let filled = fill(&section.regions[0]);
        let area: f64 = filled
            .triangles
            .iter()
            .map(|t| {
                let [a, b, c] = t.map(|i| filled.points[i as usize]);
                (b - a).cross(&(c - a)).norm() / 2.0
            })
            .sum();
        assert!((area - section.area()).abs() < 1e-9);
    }
}

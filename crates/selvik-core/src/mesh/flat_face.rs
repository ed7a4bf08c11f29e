use rustc_hash::{FxHashMap, FxHashSet};

use super::TriangleMesh;

/// How far (rad) triangles of one flat face may lean against each other.
const LEAN: f64 = 1e-3;

/// The flat face of `mesh` that triangle `seed` belongs to: all triangles that hang together through
/// edges and face the same way as it, `seed` among them.
///
/// # Panics
/// If there is no such triangle.
#[must_use]
pub fn flat_face(mesh: &TriangleMesh, seed: usize) -> Vec<usize> {
    let normal = |i: usize| mesh.area_vector(i).try_normalize(1e-30).unwrap_or_default();
    let wanted = normal(seed);
    let alike: Vec<usize> = (0..mesh.triangles().len())
        .filter(|&i| {
            i == seed || normal(i).cross(&wanted).norm() < LEAN && normal(i).dot(&wanted) > 0.0
        })
        .collect();
    let edges = |i: usize| {
        let [a, b, c] = mesh.triangles()[i];
        [(a, b), (b, c), (c, a)].map(|(from, to)| (from.min(to), from.max(to)))
    };
    let mut sides: FxHashMap<(u32, u32), Vec<usize>> = FxHashMap::default();
    for &i in &alike {
        edges(i)
            .iter()
            .for_each(|e| sides.entry(*e).or_default().push(i));
    }
    let mut found = vec![seed];
    let mut seen = FxHashSet::from_iter([seed]);
    let mut next = 0;
    while next < found.len() {
        for edge in edges(found[next]) {
            for &other in &sides[&edge] {
                if seen.insert(other) {
                    found.push(other);
                }
            }
        }
        next += 1;
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, cylinder_mesh};

    #[test]
    fn a_face_of_a_box_is_its_two_triangles() {
        let cube = box_mesh([1.0, 1.0, 1.0]);
        for seed in 0..12 {
            assert_eq!(flat_face(&cube, seed).len(), 2);
        }
    }

    #[test]
    fn the_lid_of_a_cylinder_is_one_face_and_a_facet_another() {
        let drum = cylinder_mesh(1.0, 2.0, 48);
        let sizes: Vec<usize> = (0..drum.triangles().len())
            .map(|i| flat_face(&drum, i).len())
            .collect();
        assert!(sizes.iter().all(|&n| n == 2 || n >= 46), "{sizes:?}");
    }
}

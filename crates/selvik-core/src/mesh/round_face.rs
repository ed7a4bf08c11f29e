use nalgebra::{Matrix3, SymmetricEigen, Unit};
use rustc_hash::FxHashMap;

use super::TriangleMesh;
use crate::spatial::{Point, Vector};

/// The axis of a round face: of a hole, a pin, a shaft, a bent or conical part of a wall.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RoundFace {
    /// A point of the axis, in the middle of the face.
    pub centre: Point,
    /// Along the axis.
    pub axis: Unit<Vector>,
    /// Radius of the cylinder through the face's corners, m.
    pub radius: f64,
}

/// Neighbours that lean more than this against each other (rad) are no part of one round face.
const SMOOTH: f64 = 0.65;
/// Corners lie this near to the cylinder, as a share of its radius.
const ROUND: f64 = 0.02;

/// The cylinder that triangle `seed` of `mesh` is part of: the triangles that go on smoothly from it, by
/// the direction that all their normals are square to (the eigenvector of the least eigenvalue of their
/// scatter) and the circle through their corners seen along it (least squares; Kåsa 1976). `None` for a
/// flat face and for what is no cylinder.
///
/// # Panics
/// If there is no such triangle.
#[must_use]
pub fn round_face(mesh: &TriangleMesh, seed: usize) -> Option<RoundFace> {
    let face = smooth_face(mesh, seed);
    let normals: Vec<Vector> = face
        .iter()
        .filter_map(|&t| mesh.area_vector(t).try_normalize(1e-30))
        .collect();
    let scatter: Matrix3<f64> = normals.iter().map(|n| n * n.transpose()).sum();
    let eigen = SymmetricEigen::new(scatter);
    let least = eigen.eigenvalues.imin();
    let spread = eigen.eigenvalues.sum();
    let between = eigen.eigenvalues[(0..3)
        .filter(|&i| i != least)
        .min_by(|&a, &b| eigen.eigenvalues[a].total_cmp(&eigen.eigenvalues[b]))?];
    // All normals alike: flat. Normals every way: a ball or worse.
    if between < 1e-4 * spread || eigen.eigenvalues[least] > 0.01 * spread {
        return None;
    }
    let axis = Unit::new_normalize(eigen.eigenvectors.column(least).into_owned());
    let (u, v) = across(&axis);
    let mut corners: Vec<u32> = face.iter().flat_map(|&t| mesh.triangles()[t]).collect();
    corners.sort_unstable();
    corners.dedup();
    let points: Vec<Point> = corners
        .iter()
        .map(|&c| mesh.vertices()[c as usize])
        .collect();
    let flat: Vec<(f64, f64)> = points
        .iter()
        .map(|p| (p.coords.dot(&u), p.coords.dot(&v)))
        .collect();
    let (x, y, radius) = circle(&flat)?;
    let off = |&(a, b): &(f64, f64)| ((a - x).hypot(b - y) - radius).abs();
    if flat.iter().any(|p| off(p) > ROUND * radius) {
        return None;
    }
    let along = points.iter().map(|p| p.coords.dot(&axis));
    let (low, high) = along.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), s| {
        (l.min(s), h.max(s))
    });
    let centre = Point::from(u * x + v * y + *axis * f64::midpoint(low, high));
    Some(RoundFace {
        centre,
        axis,
        radius,
    })
}

/// The triangles that go on smoothly from `seed`, itself among them.
fn smooth_face(mesh: &TriangleMesh, seed: usize) -> Vec<usize> {
    let edges = |t: usize| {
        let [a, b, c] = mesh.triangles()[t];
        [(a, b), (b, c), (c, a)].map(|(from, to)| (from.min(to), from.max(to)))
    };
    let mut sides: FxHashMap<(u32, u32), Vec<usize>> = FxHashMap::default();
    for t in 0..mesh.triangles().len() {
        edges(t)
            .iter()
            .for_each(|e| sides.entry(*e).or_default().push(t));
    }
    let normal = |t: usize| mesh.area_vector(t).try_normalize(1e-30);
    let mut found = vec![seed];
    let mut seen = rustc_hash::FxHashSet::from_iter([seed]);
    let mut next = 0;
    while next < found.len() {
        let here = normal(found[next]);
        for edge in edges(found[next]) {
            for &other in &sides[&edge] {
                let smooth = here
                    .zip(normal(other))
                    .is_some_and(|(a, b)| a.dot(&b) > SMOOTH.cos());
                if smooth && seen.insert(other) {
                    found.push(other);
                }
            }
        }
        next += 1;
    }
    found
}

/// Two directions square to `axis` and to each other.
fn across(axis: &Unit<Vector>) -> (Vector, Vector) {
    let mut other = Vector::zeros();
    other[axis.iamin()] = 1.0;
    let u = axis.cross(&other).normalize();
    (u, axis.cross(&u))
}

/// The circle nearest to points of a plane: centre and radius.
fn circle(points: &[(f64, f64)]) -> Option<(f64, f64, f64)> {
    let n = points.len() as f64;
    let (mx, my) = points
        .iter()
        .fold((0.0, 0.0), |(x, y), p| (x + p.0 / n, y + p.1 / n));
    let mut m = nalgebra::Matrix2::zeros();
    let mut r = nalgebra::Vector2::zeros();
    for p in points {
        let (x, y) = (p.0 - mx, p.1 - my);
        let square = x * x + y * y;
        m += nalgebra::Matrix2::new(x * x, x * y, x * y, y * y);
        r += nalgebra::Vector2::new(x * square, y * square) * 0.5;
    }
    let c = m.lu().solve(&r)?;
    let mean = points
        .iter()
        .map(|p| (p.0 - mx).powi(2) + (p.1 - my).powi(2))
        .sum::<f64>()
        / n;
    let radius = (c.norm_squared() + mean).sqrt();
    (radius.is_finite() && radius > 0.0).then_some((c.x + mx, c.y + my, radius))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, cylinder_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;

    #[test]
    fn the_wall_of_a_drum_has_the_drums_axis_and_its_lid_has_none() {
        let pose = pose_from_rpy([0.3, -0.2, 1.1], [0.4, 0.7, -0.2]);
        let drum = cylinder_mesh(0.05, 0.3, 36).moved(&pose);
        let upright = pose.rotation * Vector::z();
        let (mut wall, mut lid) = (0, 0);
        for t in 0..drum.triangles().len() {
            let normal = drum.area_vector(t).normalize();
            if normal.dot(&upright).abs() > 0.9 {
                lid += 1;
                assert_eq!(round_face(&drum, t), None);
                continue;
            }
            wall += 1;
            let found = round_face(&drum, t).expect("round");
            assert!(found.axis.dot(&upright).abs() > 1.0 - 1e-9);
            assert!(
                (found.centre - pose * Point::origin()).norm() < 1e-9,
                "{found:?}"
            );
            assert!((found.radius - 0.05).abs() < 1e-9);
        }
        assert!(wall >= 72 && lid >= 68);
    }

    #[test]
    fn half_a_wall_is_enough_and_boxes_and_balls_have_no_axis() {
        let drum = cylinder_mesh(0.2, 0.1, 48);
        let half: Vec<[u32; 3]> = (0..drum.triangles().len())
            .filter(|&t| drum.area_vector(t).y > 1e-12 && drum.area_vector(t).z.abs() < 1e-12)
            .map(|t| drum.triangles()[t])
            .collect();
        let half = TriangleMesh::from_indexed(drum.vertices(), &half)
            .unwrap()
            .mesh;
        let found = round_face(&half, 3).expect("round");
        assert!(
            (found.radius - 0.2).abs() < 1e-9 && found.centre.coords.norm() < 1e-9,
            "{found:?}"
        );
        assert_eq!(round_face(&box_mesh([1.0; 3]), 0), None);
        assert_eq!(round_face(&sphere_mesh(1.0, 24), 40), None);
    }
}

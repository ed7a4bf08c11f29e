//! The pair of bodies the distance bars of the design are stated for.

use std::collections::HashMap;
use std::f64::consts::TAU;

use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::spatial::{Point, Pose, pose_from_rpy};

/// A torus of 12,288 triangles: 96 × 64 quadrilaterals, radii 0.3 m and 0.1 m.
pub fn torus() -> Surface {
    let (n, m) = (96usize, 64usize);
    let vertices: Vec<Point> = (0..n * m)
        .map(|i| {
            let (u, v) = (
                TAU * (i / m) as f64 / n as f64,
                TAU * (i % m) as f64 / m as f64,
            );
            let r = 0.3 + 0.1 * v.cos();
            Point::new(r * u.cos(), r * u.sin(), 0.1 * v.sin())
        })
        .collect();
    let at = |i: usize, j: usize| ((i % n) * m + j % m) as u32;
    let triangles: Vec<[u32; 3]> = (0..n * m)
        .flat_map(|k| {
            let (i, j) = (k / m, k % m);
            [
                [at(i, j), at(i + 1, j), at(i + 1, j + 1)],
                [at(i, j), at(i + 1, j + 1), at(i, j + 1)],
            ]
        })
        .collect();
    Surface::new(
        TriangleMesh::from_indexed(&vertices, &triangles)
            .unwrap()
            .mesh,
    )
}

/// An ellipsoid of 20,480 triangles: an icosahedron divided five times, half axes 0.25, 0.15, 0.1 m.
pub fn ellipsoid() -> Surface {
    let g = (1.0 + 5f64.sqrt()) / 2.0;
    let mut vertices: Vec<[f64; 3]> = [
        [-1., g, 0.],
        [1., g, 0.],
        [-1., -g, 0.],
        [1., -g, 0.],
        [0., -1., g],
        [0., 1., g],
        [0., -1., -g],
        [0., 1., -g],
        [g, 0., -1.],
        [g, 0., 1.],
        [-g, 0., -1.],
        [-g, 0., 1.],
    ]
    .to_vec();
    let mut triangles: Vec<[u32; 3]> = [
        [0, 11, 5],
        [0, 5, 1],
        [0, 1, 7],
        [0, 7, 10],
        [0, 10, 11],
        [1, 5, 9],
        [5, 11, 4],
        [11, 10, 2],
        [10, 7, 6],
        [7, 1, 8],
        [3, 9, 4],
        [3, 4, 2],
        [3, 2, 6],
        [3, 6, 8],
        [3, 8, 9],
        [4, 9, 5],
        [2, 4, 11],
        [6, 2, 10],
        [8, 6, 7],
        [9, 8, 1],
    ]
    .to_vec();
    for _ in 0..5 {
        let mut middles: HashMap<(u32, u32), u32> = HashMap::new();
        let mut next = Vec::new();
        for [a, b, c] in triangles {
            let [ab, bc, ca] = [(a, b), (b, c), (c, a)].map(|(i, j)| {
                *middles.entry((i.min(j), i.max(j))).or_insert_with(|| {
                    let (p, q) = (vertices[i as usize], vertices[j as usize]);
                    vertices.push(std::array::from_fn(|k| (p[k] + q[k]) / 2.0));
                    vertices.len() as u32 - 1
                })
            });
            next.extend([[a, ab, ca], [b, bc, ab], [c, ca, bc], [ab, bc, ca]]);
        }
        triangles = next;
        for v in &mut vertices {
            let r = (v[0] * v[0] + v[1] * v[1] + v[2] * v[2]).sqrt();
            *v = v.map(|x| x / r);
        }
    }
    let vertices: Vec<Point> = vertices
        .iter()
        .map(|v| Point::new(0.25 * v[0], 0.15 * v[1], 0.1 * v[2]))
        .collect();
    Surface::new(
        TriangleMesh::from_indexed(&vertices, &triangles)
            .unwrap()
            .mesh,
    )
}

/// Poses of the ellipsoid on a path past the torus, `count` of them.
pub fn path(count: usize) -> Vec<Pose> {
    (0..count)
        .map(|i| {
            let s = i as f64 / count as f64;
            pose_from_rpy(
                [
                    0.62 - 0.25 * s,
                    0.25 * (TAU * s).sin(),
                    0.2 + 0.15 * (2.0 * TAU * s).cos(),
                ],
                [1.5 * s, -0.7 * s, 2.0 * s],
            )
        })
        .collect()
}

use std::f64::consts::{PI, TAU};

use super::TriangleMesh;
use crate::spatial::Point;

/// A box of edge lengths `size` (m), centred on the origin.
#[must_use]
pub fn box_mesh(size: [f64; 3]) -> TriangleMesh {
    let [x, y, z] = size.map(|s| s * 0.5);
    let vertices: Vec<Point> = (0..8)
        .map(|i| {
            let side = |bit: usize, h: f64| if i & bit == 0 { -h } else { h };
            Point::new(side(1, x), side(2, y), side(4, z))
        })
        .collect();
    let quads = [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ];
    let triangles: Vec<[u32; 3]> = quads
        .iter()
        .flat_map(|&[a, b, c, d]| [[a, b, c], [a, c, d]])
        .collect();
    built(&vertices, &triangles)
}

/// A cylinder of a radius and length (m) along Z, centred on the origin, its round approximated from inside by `facets`.
#[must_use]
pub fn cylinder_mesh(radius: f64, length: f64, facets: usize) -> TriangleMesh {
    let n = facets.max(3);
    let rim = |z: f64| {
        (0..n).map(move |i| {
            let (sin, cos) = (TAU * i as f64 / n as f64).sin_cos();
            Point::new(radius * cos, radius * sin, z)
        })
    };
    let mut vertices: Vec<Point> = rim(-length / 2.0).chain(rim(length / 2.0)).collect();
    vertices.push(Point::new(0.0, 0.0, -length / 2.0));
    vertices.push(Point::new(0.0, 0.0, length / 2.0));
    let (below, above) = (2 * n as u32, 2 * n as u32 + 1);
    let n = n as u32;
    let triangles: Vec<[u32; 3]> = (0..n)
        .flat_map(|i| {
            let j = (i + 1) % n;
            [
                [i, j, n + j],
                [i, n + j, n + i],
                [below, j, i],
                [above, n + i, n + j],
            ]
        })
        .collect();
    built(&vertices, &triangles)
}

/// A ball of a radius (m) centred on the origin, approximated from inside by `facets` meridians.
#[must_use]
pub fn sphere_mesh(radius: f64, facets: usize) -> TriangleMesh {
    let n = facets.max(4);
    let rings = n / 2;
    let mut vertices = vec![Point::new(0.0, 0.0, radius)];
    for ring in 1..rings {
        let (sin, cos) = (PI * ring as f64 / rings as f64).sin_cos();
        for i in 0..n {
            let (s, c) = (TAU * i as f64 / n as f64).sin_cos();
            vertices.push(Point::new(radius * sin * c, radius * sin * s, radius * cos));
        }
    }
    vertices.push(Point::new(0.0, 0.0, -radius));
    let last = (vertices.len() - 1) as u32;
    let at = |ring: usize, i: usize| (1 + (ring - 1) * n + i % n) as u32;
    let mut triangles = Vec::new();
    for i in 0..n {
        triangles.push([0, at(1, i), at(1, i + 1)]);
        for ring in 1..rings - 1 {
            triangles.push([at(ring, i), at(ring + 1, i), at(ring + 1, i + 1)]);
            triangles.push([at(ring, i), at(ring + 1, i + 1), at(ring, i + 1)]);
        }
        triangles.push([last, at(rings - 1, i + 1), at(rings - 1, i)]);
    }
    built(&vertices, &triangles)
}

/// A capsule along Z centred on the origin: a cylinder of `length` (m) between its caps, approximated from inside by
/// `facets` meridians.
#[must_use]
pub fn capsule_mesh(radius: f64, length: f64, facets: usize) -> TriangleMesh {
    // A ball with an even number of rings, its halves drawn apart.
    let ball = sphere_mesh(radius, facets.max(4).next_multiple_of(4));
    let lifted = |p: &Point| {
        Point::new(
            p.x,
            p.y,
            p.z + if p.z > 0.0 {
                length / 2.0
            } else {
                -length / 2.0
            },
        )
    };
    let equator = 1e-9 * radius;
    let mut triangles: Vec<[Point; 3]> = Vec::new();
    for index in 0..ball.triangles().len() {
        let corners = ball.corners(index);
        let above = corners.iter().any(|p| p.z > equator);
        let side = if above { length / 2.0 } else { -length / 2.0 };
        triangles.push(corners.map(|p| {
            if p.z.abs() <= equator {
                Point::new(p.x, p.y, side)
            } else {
                lifted(&p)
            }
        }));
        // Where a triangle above stands on the equator, the wall hangs below it.
        for i in 0..3 {
            let (p, q) = (corners[i], corners[(i + 1) % 3]);
            if above && p.z.abs() <= equator && q.z.abs() <= equator {
                let at = |p: Point, z: f64| Point::new(p.x, p.y, z);
                let half = length / 2.0;
                triangles.push([at(q, half), at(p, half), at(p, -half)]);
                triangles.push([at(q, half), at(p, -half), at(q, -half)]);
            }
        }
    }
    TriangleMesh::from_soup(triangles)
        .expect("a primitive of positive size")
        .mesh
}

fn built(vertices: &[Point], triangles: &[[u32; 3]]) -> TriangleMesh {
    TriangleMesh::from_indexed(vertices, triangles)
        .expect("a primitive of positive size")
        .mesh
}

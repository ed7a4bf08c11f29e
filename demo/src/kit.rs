//! Shapes machinery is made of, as closed meshes in millimetres, Z up.

use std::f64::consts::{FRAC_PI_2, PI, TAU};

use selvik_core::mesh::TriangleMesh;
use selvik_core::spatial::{Point, Vector, pose_from_rpy};

/// Several shapes that make up one body.
pub type Parts = Vec<TriangleMesh>;

/// `mesh` moved by millimetres and turned by degrees.
pub fn put(mesh: &TriangleMesh, xyz: [f64; 3], rpy_deg: [f64; 3]) -> TriangleMesh {
    mesh.moved(&pose_from_rpy(xyz, rpy_deg.map(f64::to_radians)))
}

/// Turns with Z along X, Y or Z.
pub const ALONG_X: [f64; 3] = [0.0, 90.0, 0.0];
pub const ALONG_Y: [f64; 3] = [-90.0, 0.0, 0.0];

/// A turned part: `profile` is (radius, z) from the axis at the bottom to the axis at the top, or,
/// if it does not touch the axis, a closed outline of a ring, counter-clockwise in (r, z).
pub fn turned(profile: &[(f64, f64)], facets: usize) -> TriangleMesh {
    let solid = profile[0].0 == 0.0;
    let ring = |r: f64, z: f64| {
        (0..facets).map(move |i| {
            let (s, c) = (TAU * i as f64 / facets as f64).sin_cos();
            Point::new(r * c, r * s, z)
        })
    };
    let rows: Vec<Vec<Point>> = profile.iter().map(|&(r, z)| ring(r, z).collect()).collect();
    let mut soup = Vec::new();
    let count = if solid { rows.len() - 1 } else { rows.len() };
    for i in 0..count {
        let (a, b) = (&rows[i], &rows[(i + 1) % rows.len()]);
        for k in 0..facets {
            let n = (k + 1) % facets;
            soup.push([a[k], a[n], b[n]]);
            soup.push([a[k], b[n], b[k]]);
        }
    }
    mesh(soup)
}

/// A straight cylinder from z = 0 to `height` with chamfered rims.
pub fn drum(radius: f64, height: f64, chamfer: f64) -> TriangleMesh {
    turned(
        &[
            (0.0, 0.0),
            (radius - chamfer, 0.0),
            (radius, chamfer),
            (radius, height - chamfer),
            (radius - chamfer, height),
            (0.0, height),
        ],
        48,
    )
}

/// A pipe from z = 0 to `height`.
pub fn pipe(outer: f64, inner: f64, height: f64) -> TriangleMesh {
    turned(
        &[(inner, 0.0), (outer, 0.0), (outer, height), (inner, height)],
        48,
    )
}

/// A plate with the given outline (counter-clockwise, star-shaped round its middle) from z = 0 to
/// `height`, its upper and lower edges chamfered.
pub fn plate(outline: &[[f64; 2]], height: f64, chamfer: f64) -> TriangleMesh {
    let n = outline.len() as f64;
    let middle = outline
        .iter()
        .fold([0.0; 2], |m, p| [m[0] + p[0] / n, m[1] + p[1] / n]);
    let inset = |p: &[f64; 2]| {
        let d = [middle[0] - p[0], middle[1] - p[1]];
        let length = d[0].hypot(d[1]).max(1e-9);
        let step = chamfer.min(length * 0.5) / length;
        [p[0] + d[0] * step, p[1] + d[1] * step]
    };
    let inner: Vec<[f64; 2]> = outline.iter().map(inset).collect();
    let level = |points: &[[f64; 2]], z: f64| -> Vec<Point> {
        points.iter().map(|p| Point::new(p[0], p[1], z)).collect()
    };
    let rows = [
        level(&inner, 0.0),
        level(outline, chamfer),
        level(outline, height - chamfer),
        level(&inner, height),
    ];
    let (low, high) = (
        Point::new(middle[0], middle[1], 0.0),
        Point::new(middle[0], middle[1], height),
    );
    let mut soup = Vec::new();
    for k in 0..outline.len() {
        let next = (k + 1) % outline.len();
        soup.push([low, rows[0][next], rows[0][k]]);
        soup.push([high, rows[3][k], rows[3][next]]);
        for pair in rows.windows(2) {
            soup.push([pair[0][k], pair[0][next], pair[1][next]]);
            soup.push([pair[0][k], pair[1][next], pair[1][k]]);
        }
    }
    mesh(soup)
}

/// A rounded rectangle centred on the origin.
pub fn rounded(width: f64, depth: f64, radius: f64) -> Vec<[f64; 2]> {
    let (x, y) = (width / 2.0 - radius, depth / 2.0 - radius);
    let corners = [
        (x, y, 0.0),
        (-x, y, FRAC_PI_2),
        (-x, -y, PI),
        (x, -y, 1.5 * PI),
    ];
    corners
        .iter()
        .flat_map(|&(cx, cy, from)| {
            (0..=6).map(move |i| {
                let (s, c) = (from + FRAC_PI_2 * f64::from(i) / 6.0).sin_cos();
                [cx + radius * c, cy + radius * s]
            })
        })
        .collect()
}

/// A block centred over the origin from z = 0 up, with rounded upright edges.
pub fn block(width: f64, depth: f64, height: f64, radius: f64) -> TriangleMesh {
    plate(
        &rounded(width, depth, radius),
        height,
        (radius * 0.5).min(height * 0.2),
    )
}

/// The outline of a tapered link: circles of radius `r0` at the origin and `r1` at (`length`, 0),
/// joined by their tangents.
pub fn tapered(r0: f64, r1: f64, length: f64) -> Vec<[f64; 2]> {
    let lean = ((r0 - r1) / length).asin();
    let (from, to) = (FRAC_PI_2 - lean, 1.5 * PI + lean);
    let arc = |cx: f64, r: f64, a: f64, b: f64| {
        (0..=16).map(move |i| {
            let (s, c) = (a + (b - a) * f64::from(i) / 16.0).sin_cos();
            [cx + r * c, r * s]
        })
    };
    arc(0.0, r0, from, to)
        .chain(arc(length, r1, to - TAU, from))
        .collect()
}

/// A hexagon-head bolt standing on z = 0.
pub fn bolt(size: f64) -> TriangleMesh {
    let hex: Vec<[f64; 2]> = (0..6)
        .map(|i| {
            let (s, c) = (TAU * f64::from(i) / 6.0).sin_cos();
            [size * 0.9 * c, size * 0.9 * s]
        })
        .collect();
    plate(&hex, size * 0.65, size * 0.08)
}

/// `count` bolts on a circle, standing on the plane z = `at`.
pub fn bolt_circle(count: usize, radius: f64, size: f64, at: f64) -> Parts {
    let one = bolt(size);
    (0..count)
        .map(|i| {
            let angle = TAU * (i as f64 + 0.5) / count as f64;
            put(
                &one,
                [radius * angle.cos(), radius * angle.sin(), at],
                [0.0; 3],
            )
        })
        .collect()
}

/// A round bar along a line of points.
pub fn bar(points: &[[f64; 3]], radius: f64) -> TriangleMesh {
    let facets = 14;
    let at: Vec<Vector> = points.iter().map(|p| Vector::from(*p)).collect();
    let mut across = Vector::z();
    let mut rows: Vec<Vec<Point>> = Vec::new();
    for i in 0..at.len() {
        let before = at[i] - at[i.saturating_sub(1)];
        let after = at[(i + 1).min(at.len() - 1)] - at[i];
        let along = (before.try_normalize(1e-9).unwrap_or_default()
            + after.try_normalize(1e-9).unwrap_or_default())
        .normalize();
        if along.dot(&across).abs() > 0.95 {
            across = Vector::x();
        }
        let u = (across - along * along.dot(&across)).normalize();
        let v = along.cross(&u);
        across = u;
        rows.push(
            (0..facets)
                .map(|k| {
                    let (s, c) = (TAU * f64::from(k) / f64::from(facets)).sin_cos();
                    Point::from(at[i] + (u * c + v * s) * radius)
                })
                .collect(),
        );
    }
    let n = facets as usize;
    let (first, last) = (Point::from(at[0]), Point::from(at[at.len() - 1]));
    let mut soup = Vec::new();
    for k in 0..n {
        let next = (k + 1) % n;
        soup.push([first, rows[0][next], rows[0][k]]);
        soup.push([last, rows[rows.len() - 1][k], rows[rows.len() - 1][next]]);
        for pair in rows.windows(2) {
            soup.push([pair[0][k], pair[0][next], pair[1][next]]);
            soup.push([pair[0][k], pair[1][next], pair[1][k]]);
        }
    }
    mesh(soup)
}

/// Points of a quarter bend for [`bar`]: a smooth curve through the control points.
pub fn curve(points: [[f64; 3]; 4]) -> Vec<[f64; 3]> {
    (0..=20)
        .map(|i| {
            let t = f64::from(i) / 20.0;
            let w = [
                (1.0 - t).powi(3),
                3.0 * t * (1.0 - t).powi(2),
                3.0 * t * t * (1.0 - t),
                t.powi(3),
            ];
            std::array::from_fn(|k| (0..4).map(|j| w[j] * points[j][k]).sum())
        })
        .collect()
}

/// A body's parts as one STL in millimetres.
pub fn stl(parts: Parts) -> Vec<u8> {
    let millimetres = TriangleMesh::merged(parts);
    let shrink = |p: &Point| Point::from(p.coords * 1e-3);
    let vertices: Vec<Point> = millimetres.vertices().iter().map(shrink).collect();
    let metres = TriangleMesh::from_indexed(&vertices, millimetres.triangles())
        .expect("a mesh")
        .mesh;
    selvik_formats::mesh::write_stl(&metres, selvik_formats::mesh::LengthUnit::Mm)
}

fn mesh(soup: Vec<[Point; 3]>) -> TriangleMesh {
    TriangleMesh::from_soup(soup)
        .expect("a shape of positive size")
        .mesh
}

/// The pose of `xyz` (mm) and `rpy` (degrees) as a document.
pub fn pose(xyz_mm: [f64; 3], rpy_deg: [f64; 3]) -> selvik_cell::document::PoseDocument {
    selvik_cell::document::PoseDocument { xyz_mm, rpy_deg }
}

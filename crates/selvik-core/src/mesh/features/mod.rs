//! What a mesh is made of, found in its triangles: flat faces, cylinders, cones, spheres, tori, the edges between them,
//! slots. A face of many facets is one face; how far its corners lie off the surface is told.
//!
//! ```
//! use selvik_core::mesh::{Features, Model, cylinder_mesh};
//!
//! let pin = Features::of(&cylinder_mesh(0.0125, 0.08, 36));
//! let walls = pin.faces().iter().filter_map(|face| match face.model {
//!     Some(Model::Cylinder { radius, .. }) => Some(2.0 * radius),
//!     _ => None,
//! });
//! let diameters: Vec<f64> = walls.collect();
//! assert!(diameters.len() == 1 && (diameters[0] - 0.025).abs() < 1e-9); // m
//! ```

mod adjusted;
mod curved;
mod facets;
mod flats;
mod least_squares;
mod model;
mod outlines;
mod slots;

use std::f64::consts::{PI, TAU};

use nalgebra::Unit;

use super::TriangleMesh;
use super::edges::Edges;
use crate::spatial::{Point, Vector};
use curved::Curved;
use facets::{Facets, NONE};

pub use model::Model;
pub use outlines::{Edge, EdgeShape};
pub use slots::Slot;

/// A face of a body.
#[derive(Debug, Clone, PartialEq)]
pub struct Face {
    /// The surface it is part of; `None` if it is bent in another way.
    pub model: Option<Model>,
    /// Whether its outside is towards its axis or centre: a hole, not a pin.
    pub hollow: bool,
    /// Its triangles.
    pub triangles: Vec<u32>,
    /// Of its triangles, m².
    pub area: f64,
    /// Its middle: of what is turned, on the axis; m.
    pub middle: Point,
    /// How long it is along its axis, m; 0 without one.
    pub length: f64,
    /// How far it goes round its axis, rad; 0 without one.
    pub span: f64,
    /// How far its corners lie off the surface in the mean (root of the mean square), m.
    pub rms: f64,
    /// How far at most, m.
    pub worst: f64,
}

/// The faces and edges of a body.
#[derive(Debug, Clone, PartialEq)]
pub struct Features {
    faces: Vec<Face>,
    of: Vec<u32>,
    edges: Vec<Edge>,
    along: Vec<Vec<u32>>,
    slots: Vec<Slot>,
}

impl Features {
    /// Finds them.
    #[must_use]
    pub fn of(mesh: &TriangleMesh) -> Self {
        let edges = Edges::of(mesh);
        let facets = Facets::of(mesh, &edges);
        let curved = Curved::of(mesh, &facets);
        let left = flats::left(mesh, &facets, &curved.of);
        let triangles_of = |own: &[u32]| -> Vec<u32> {
            let all = own.iter().flat_map(|&f| facets.triangles(f));
            all.copied().collect()
        };
        let mut faces: Vec<Face> = Vec::new();
        for grown in &curved.faces {
            let triangles = triangles_of(&grown.facets);
            faces.push(turned(mesh, grown.model, triangles, &grown.corners));
        }
        faces.extend(left.flat.iter().map(|own| flat(mesh, triangles_of(own))));
        faces.extend(left.free.iter().map(|own| free(mesh, triangles_of(own))));
        let mut of = vec![NONE; mesh.triangles().len()];
        for (index, face) in faces.iter().enumerate() {
            for &triangle in &face.triangles {
                of[triangle as usize] = index as u32;
            }
        }
        let edges = outlines::outlines(mesh, &edges, &of, facets.rounding);
        let mut along = vec![Vec::new(); faces.len()];
        for (index, edge) in edges.iter().enumerate() {
            for &face in &edge.faces {
                along[face].push(index as u32);
            }
        }
        let slots = slots::slots(&faces, &edges);
        Self {
            faces,
            of,
            edges,
            along,
            slots,
        }
    }

    /// All faces: every triangle is of just one.
    #[must_use]
    pub fn faces(&self) -> &[Face] {
        &self.faces
    }

    /// The index of the face that `triangle` is part of.
    ///
    /// # Panics
    /// If there is no such triangle.
    #[must_use]
    pub fn face_of(&self, triangle: usize) -> usize {
        self.of[triangle] as usize
    }

    /// All edges.
    #[must_use]
    pub fn edges(&self) -> &[Edge] {
        &self.edges
    }

    /// Indices of the edges along a face.
    pub fn edges_along(&self, face: usize) -> impl Iterator<Item = usize> + '_ {
        self.along[face].iter().map(|&edge| edge as usize)
    }

    /// All slots.
    #[must_use]
    pub fn slots(&self) -> &[Slot] {
        &self.slots
    }
}

fn flat(mesh: &TriangleMesh, triangles: Vec<u32>) -> Face {
    let (area, middle, sum) = weighed(mesh, &triangles);
    let normal = Unit::try_new(sum, 1e-30).unwrap_or(Vector::z_axis());
    let model = Model::Plane {
        point: middle,
        normal,
    };
    let corners = triangles.iter().flat_map(|&t| mesh.corners(t as usize));
    let (rms, worst) = off(&model, corners);
    Face {
        model: Some(model),
        area,
        middle,
        rms,
        worst,
        ..free(mesh, triangles)
    }
}

fn free(mesh: &TriangleMesh, triangles: Vec<u32>) -> Face {
    let (area, middle, _) = weighed(mesh, &triangles);
    Face {
        model: None,
        hollow: false,
        triangles,
        area,
        middle,
        length: 0.0,
        span: 0.0,
        rms: 0.0,
        worst: 0.0,
    }
}

fn turned(mesh: &TriangleMesh, model: Model, triangles: Vec<u32>, corners: &[Point]) -> Face {
    let (area, centroid, _) = weighed(mesh, &triangles);
    let (rms, worst) = off(&model, corners.iter().copied());
    let first = triangles[0] as usize;
    let [a, b, c] = mesh.corners(first);
    let on = Point::from((a.coords + b.coords + c.coords) / 3.0);
    let hollow = mesh.area_vector(first).dot(&model.normal(&on)) < 0.0;
    let axis = model.axis();
    let (middle, length, span) = match (model, axis) {
        (Model::Sphere { centre, .. }, _) => (centre, 0.0, 0.0),
        (_, Some((origin, axis))) => {
            let (low, high) = reach(mesh, &triangles, &origin, &axis);
            let middle = origin + *axis * f64::midpoint(low, high);
            (middle, high - low, span(mesh, &triangles, &origin, &axis))
        }
        _ => (centroid, 0.0, 0.0),
    };
    Face {
        model: Some(model),
        hollow,
        triangles,
        area,
        middle,
        length,
        span,
        rms,
        worst,
    }
}

/// Area, middle and the sum of the area vectors of triangles.
fn weighed(mesh: &TriangleMesh, triangles: &[u32]) -> (f64, Point, Vector) {
    let (mut area, mut moment, mut sum) = (0.0, Vector::zeros(), Vector::zeros());
    for &triangle in triangles {
        let half = mesh.area_vector(triangle as usize) * 0.5;
        let [a, b, c] = mesh.corners(triangle as usize);
        sum += half;
        area += half.norm();
        moment += (a.coords + b.coords + c.coords) * (half.norm() / 3.0);
    }
    let middle = if area > 0.0 {
        Point::from(moment / area)
    } else {
        mesh.corners(triangles[0] as usize)[0]
    };
    (area, middle, sum)
}

/// How far points lie off a surface, as the root of the mean square and at most.
fn off(model: &Model, points: impl Iterator<Item = Point>) -> (f64, f64) {
    let (mut squares, mut worst, mut count) = (0.0, 0.0f64, 0.0);
    for point in points {
        let height = model.height(&point).abs();
        squares += height * height;
        worst = worst.max(height);
        count += 1.0;
    }
    ((squares / f64::max(count, 1.0)).sqrt(), worst)
}

/// From where to where triangles reach along an axis, m.
fn reach(mesh: &TriangleMesh, triangles: &[u32], origin: &Point, axis: &Vector) -> (f64, f64) {
    let corners = triangles.iter().flat_map(|&t| mesh.corners(t as usize));
    corners
        .map(|p| (p - origin).dot(axis))
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), s| {
            (l.min(s), h.max(s))
        })
}

/// How far triangles go round an axis, rad.
fn span(mesh: &TriangleMesh, triangles: &[u32], origin: &Point, axis: &Vector) -> f64 {
    let (u, v) = least_squares::across(axis);
    let angle = |p: &Point| {
        let out = p - origin;
        out.dot(&v).atan2(out.dot(&u))
    };
    // Between half a turn back and half a turn on.
    let short = |turn: f64| {
        if turn > PI {
            turn - TAU
        } else if turn < -PI {
            turn + TAU
        } else {
            turn
        }
    };
    let mut covered: Vec<(f64, f64)> = Vec::with_capacity(triangles.len());
    for &triangle in triangles {
        let [first, second, third] = mesh.corners(triangle as usize).map(|p| angle(&p));
        let (second, third) = (short(second - first), short(third - first));
        let start = first + second.min(third).min(0.0);
        let stop = first + second.max(third).max(0.0);
        // All begin within one turn.
        let turn = if start < -PI { TAU } else { 0.0 };
        covered.push((start + turn, stop + turn));
    }
    covered.sort_by(|a, b| a.0.total_cmp(&b.0));
    let first = covered[0].0;
    covered.push((first + TAU, first + TAU));
    let (mut end, mut gap) = (covered[0].1, 0.0f64);
    for &(start, stop) in &covered[1..] {
        gap = gap.max(start - end);
        end = end.max(stop);
    }
    if gap < 1e-6 { TAU } else { TAU - gap }
}

#[cfg(test)]
mod tests;

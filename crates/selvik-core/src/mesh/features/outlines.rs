use nalgebra::Unit;
use rustc_hash::{FxHashMap, FxHashSet};

use super::facets::{NONE, SMOOTH};
use super::least_squares::{across, circle, least_spread};
use crate::mesh::TriangleMesh;
use crate::mesh::edges::Edges;
use crate::spatial::{Point, Vector};

/// Corners lie this near to their line or circle, as a share of its length or radius, besides the rounding of numbers.
const NEAR: f64 = 1e-4;
/// A chain is parted where a stretch meets one so many times as long, and bends there (rad): a line goes over into an arc.
const LONG: f64 = 3.0;
const BENDS: f64 = 1e-3;
/// Fewer stretches than this make no circle.
const STRETCHES: usize = 4;

/// An edge of a body: where two of its faces meet, or where one ends.
#[derive(Debug, Clone, PartialEq)]
pub struct Edge {
    /// What it is.
    pub shape: EdgeShape,
    /// Its corners one after the other, the first again at the end of a closed one; m.
    pub points: Vec<Point>,
    /// The faces along it; one where the mesh is open.
    pub faces: Vec<usize>,
    /// Along its corners, m.
    pub length: f64,
}

/// What an edge is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum EdgeShape {
    /// From its first corner to its last.
    Straight,
    /// A circle or a part of one.
    Circle {
        /// m
        centre: Point,
        /// Square to it.
        axis: Unit<Vector>,
        /// m
        radius: f64,
        /// Whether it goes all the way round.
        whole: bool,
        /// How far corners lie off it at most, m.
        deviation: f64,
    },
    /// Anything else.
    Curve,
}

impl Edge {
    /// Whether it ends where it begins.
    #[must_use]
    pub fn is_closed(&self) -> bool {
        self.points.len() > 2 && self.points.first() == self.points.last()
    }

    /// The point of it nearest to `point`, and how far away that is, m.
    #[must_use]
    pub fn nearest(&self, point: &Point) -> (Point, f64) {
        let on = |pair: &[Point]| {
            let along = pair[1] - pair[0];
            let share = (point - pair[0]).dot(&along) / along.norm_squared().max(1e-300);
            let nearest = pair[0] + along * share.clamp(0.0, 1.0);
            (nearest, (point - nearest).norm())
        };
        let all = self.points.windows(2).map(on);
        all.min_by(|a, b| a.1.total_cmp(&b.1))
            .expect("an edge has two corners")
    }
}

/// The edges between faces, `of` telling the face of each triangle.
pub(super) fn outlines(mesh: &TriangleMesh, edges: &Edges, of: &[u32], rounding: f64) -> Vec<Edge> {
    // Those between the same faces lie together.
    let mut sides: Vec<([u32; 2], [u32; 2])> = Vec::new();
    for edge in edges.iter() {
        let ends = [edge.from, edge.to];
        match edge.sides {
            [one, other] => {
                let (a, b) = (of[one.triangle()], of[other.triangle()]);
                if a != b {
                    sides.push(([a.min(b), a.max(b)], ends));
                }
            }
            open => sides.extend(open.iter().map(|s| ([of[s.triangle()], NONE], ends))),
        }
    }
    sides.sort_unstable();
    sides.dedup();
    let mut found = Vec::new();
    for same in sides.chunk_by(|a, b| a.0 == b.0) {
        let faces: Vec<usize> = same[0]
            .0
            .iter()
            .filter(|&&f| f != NONE)
            .map(|&f| f as usize)
            .collect();
        for chain in chains(same.iter().map(|s| s.1)) {
            let points: Vec<Point> = chain.iter().map(|&v| mesh.vertices()[v as usize]).collect();
            for points in between_corners(&points) {
                let length = points.windows(2).map(|w| (w[1] - w[0]).norm()).sum();
                found.push(Edge {
                    shape: shape_of(&points, rounding),
                    points,
                    faces: faces.clone(),
                    length,
                });
            }
        }
    }
    found
}

/// Edges joined at their ends where just two meet; closed ones end where they begin.
fn chains(edges: impl Iterator<Item = [u32; 2]>) -> Vec<Vec<u32>> {
    let mut at: FxHashMap<u32, Vec<u32>> = FxHashMap::default();
    let mut order = Vec::new();
    for [a, b] in edges {
        for (from, to) in [(a, b), (b, a)] {
            at.entry(from)
                .or_insert_with(|| {
                    order.push(from);
                    Vec::new()
                })
                .push(to);
        }
    }
    let ends: Vec<u32> = order.iter().copied().filter(|v| at[v].len() != 2).collect();
    let is_end: FxHashSet<u32> = ends.iter().copied().collect();
    let mut found = Vec::new();
    // Those with ends first, then the closed ones.
    for start in ends.iter().chain(&order) {
        while let Some(next) = at.get_mut(start).and_then(Vec::pop) {
            let mut chain = vec![*start];
            let (mut from, mut here) = (*start, next);
            loop {
                let back = at.get_mut(&here).expect("every end is there");
                let place = back.iter().position(|&v| v == from);
                back.swap_remove(place.expect("edges are there both ways"));
                chain.push(here);
                if here == *start || is_end.contains(&here) {
                    break;
                }
                let Some(on) = at.get_mut(&here).and_then(Vec::pop) else {
                    break;
                };
                (from, here) = (here, on);
            }
            found.push(chain);
        }
    }
    found
}

/// A chain parted where it turns sharply, or a line goes over into an arc; a closed one begins at its first corner.
fn between_corners(points: &[Point]) -> Vec<Vec<Point>> {
    let closed = points.len() > 3 && points.first() == points.last();
    let count = if closed {
        points.len() - 1
    } else {
        points.len()
    };
    let at = |i: usize| points[i % count];
    let turns = |i: usize| {
        let (one, other) = (at(i) - at(i + count - 1), at(i + 1) - at(i));
        let angle = one.angle(&other);
        let (a, b) = (one.norm(), other.norm());
        angle > SMOOTH || angle > BENDS && a.max(b) > LONG * a.min(b)
    };
    let inner = if closed { 0..count } else { 1..count - 1 };
    let corners: Vec<usize> = inner.filter(|&i| turns(i)).collect();
    let Some(&first) = corners.first() else {
        return vec![points.to_vec()];
    };
    if closed {
        let starts = corners.iter().copied();
        let stops = corners[1..].iter().copied().chain([first + count]);
        return starts
            .zip(stops)
            .map(|(a, b)| (a..=b).map(at).collect())
            .collect();
    }
    let starts = [0].into_iter().chain(corners.iter().copied());
    let stops = corners.iter().copied().chain([count - 1]);
    starts
        .zip(stops)
        .map(|(a, b)| points[a..=b].to_vec())
        .collect()
}

fn shape_of(points: &[Point], rounding: f64) -> EdgeShape {
    let (first, last) = (points[0], points[points.len() - 1]);
    let along = last - first;
    let length = along.norm();
    let off = |p: &Point| (p - first).cross(&along).norm() / length;
    let near = NEAR.min(1e-5) * length + 2.0 * rounding;
    if length > 0.0 && points.iter().all(|p| off(p) < near) {
        return EdgeShape::Straight;
    }
    round(points, rounding).unwrap_or(EdgeShape::Curve)
}

fn round(points: &[Point], rounding: f64) -> Option<EdgeShape> {
    let whole = points.first() == points.last();
    let own = if whole { &points[1..] } else { points };
    if points.len() <= STRETCHES {
        return None;
    }
    let middle = own.iter().map(|p| p.coords).sum::<Vector>() / own.len() as f64;
    let from_middle: Vec<Vector> = own.iter().map(|p| p.coords - middle).collect();
    let (axis, _) = least_spread(&from_middle)?;
    let (u, v) = across(&axis);
    let flat: Vec<(f64, f64)> = from_middle.iter().map(|p| (p.dot(&u), p.dot(&v))).collect();
    let (x, y, radius) = circle(&flat)?;
    let off = |p: &Vector| {
        let (a, b) = (p.dot(&u) - x, p.dot(&v) - y);
        (a.hypot(b) - radius).hypot(p.dot(&axis))
    };
    let deviation = from_middle.iter().map(off).fold(0.0, f64::max);
    (deviation < NEAR * radius + 2.0 * rounding).then(|| EdgeShape::Circle {
        centre: Point::from(middle + u * x + v * y),
        axis: Unit::new_normalize(axis),
        radius,
        whole,
        deviation,
    })
}

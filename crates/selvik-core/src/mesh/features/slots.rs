use std::f64::consts::PI;

use nalgebra::Unit;

use super::outlines::{Edge, EdgeShape};
use super::{Face, Model};
use crate::spatial::{Point, Vector};

/// Half a turn, for the walls at the ends of a slot, but for this (rad).
const HALF: f64 = 0.12;
/// How far its walls may lean (rad), and its ends differ.
const LEAN: f64 = 1e-3;
const ALIKE: f64 = 1e-3;

/// A slot: two half-round walls that face each other, joined by two flat ones.
#[derive(Debug, Clone, PartialEq)]
pub struct Slot {
    /// Middles of the round walls.
    pub centres: [Point; 2],
    /// Along their axes.
    pub axis: Unit<Vector>,
    /// Between the flat walls, m.
    pub width: f64,
    /// Its four walls, the round ones first.
    pub faces: [usize; 4],
}

impl Slot {
    /// From centre to centre, m.
    #[must_use]
    pub fn between_centres(&self) -> f64 {
        (self.centres[1] - self.centres[0]).norm()
    }
}

/// The slots of a body, by its faces and the edges between them.
pub(super) fn slots(faces: &[Face], edges: &[Edge]) -> Vec<Slot> {
    let mut flat_beside: Vec<Vec<usize>> = vec![Vec::new(); faces.len()];
    let is_flat = |f: usize| matches!(faces[f].model, Some(Model::Plane { .. }));
    for edge in edges.iter().filter(|e| e.shape == EdgeShape::Straight) {
        let &[a, b] = edge.faces.as_slice() else {
            continue;
        };
        for (one, other) in [(a, b), (b, a)] {
            if is_flat(other) && is_half(&faces[one]) {
                flat_beside[one].push(other);
            }
        }
    }
    let mut found = Vec::new();
    let halves: Vec<usize> = (0..faces.len())
        .filter(|&f| flat_beside[f].len() >= 2)
        .collect();
    // By the flat walls, so that plates with thousands of slots do not compare each with each.
    let mut by_wall: rustc_hash::FxHashMap<usize, Vec<usize>> = rustc_hash::FxHashMap::default();
    for &half in &halves {
        for &wall in &flat_beside[half] {
            by_wall.entry(wall).or_default().push(half);
        }
    }
    for &one in &halves {
        let beside = flat_beside[one].iter().flat_map(|w| &by_wall[w]);
        let mut others: Vec<usize> = beside.copied().filter(|&other| other > one).collect();
        others.sort_unstable();
        others.dedup();
        for other in others {
            let mut walls: Vec<usize> = flat_beside[one]
                .iter()
                .copied()
                .filter(|w| flat_beside[other].contains(w))
                .collect();
            walls.sort_unstable();
            walls.dedup();
            if let &[first, second] = walls.as_slice() {
                found.extend(slot(faces, [one, other, first, second]));
            }
        }
    }
    found
}

fn is_half(face: &Face) -> bool {
    let round = matches!(face.model, Some(Model::Cylinder { .. }));
    round && face.hollow && (face.span - PI).abs() < HALF
}

fn slot(faces: &[Face], walls: [usize; 4]) -> Option<Slot> {
    let [one, other] = [walls[0], walls[1]].map(|f| &faces[f]);
    let (
        Some(Model::Cylinder { axis, radius, .. }),
        Some(Model::Cylinder {
            axis: second,
            radius: again,
            ..
        }),
    ) = (one.model, other.model)
    else {
        return None;
    };
    let parallel = axis.cross(&second).norm() < LEAN;
    let alike = (radius / again - 1.0).abs() < ALIKE;
    (parallel && alike).then_some(Slot {
        centres: [one.middle, other.middle],
        axis,
        width: radius + again,
        faces: walls,
    })
}

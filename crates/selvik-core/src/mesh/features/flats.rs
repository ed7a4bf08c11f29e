use rayon::prelude::*;

use super::facets::{Facets, NONE};
use crate::mesh::TriangleMesh;

/// Flat faces go on over facets that lean less than this against them (rad) and whose corners lie so near (m): numbers in
/// text files are rounded to a micrometre.
const FLAT: f64 = 0.02;
const NEAR: f64 = 2e-6;
/// A facet with more than this share of its rim going on smoothly is a piece of something curved.
const SMOOTH_RIM: f64 = 0.5;
/// Flat faces are looked for over so many times as many facets as there are, in all.
const GROWN: usize = 60;
/// Fewer pieces than this make no curved face.
const PIECES: usize = 3;

/// What is left beside the faces that are of a known curved surface.
pub(super) struct Left {
    /// Facets of each flat face.
    pub flat: Vec<Vec<u32>>,
    /// Facets of each face that is bent in a way that has no name.
    pub free: Vec<Vec<u32>>,
}

pub(super) fn left(mesh: &TriangleMesh, facets: &Facets, of: &[u32]) -> Left {
    let mut largest_first: Vec<u32> = (0..facets.count() as u32)
        .filter(|&f| of[f as usize] == NONE)
        .collect();
    // By the power of two of their area: those alike stay in the order of the mesh, where what is near lies near.
    let power = |f: &u32| facets.area(*f).to_bits() >> 52;
    largest_first.sort_by_cached_key(|f| std::cmp::Reverse(power(f)));
    let alone: Vec<Option<bool>> = (0..facets.count() as u32)
        .into_par_iter()
        .map(|facet| {
            let free = of[facet as usize] == NONE;
            free.then(|| piece_alone(mesh, facets, of, facet)).flatten()
        })
        .collect();
    let mut flats = Flats {
        mesh,
        facets,
        of,
        alone,
        is: of
            .iter()
            .map(|&f| if f == NONE { Is::Left } else { Is::Taken })
            .collect(),
        seen: vec![NONE; facets.count()],
        left: GROWN * facets.count() + 1_000,
    };
    let mut flat: Vec<Vec<u32>> = largest_first
        .iter()
        .filter_map(|&f| flats.flat_round(f))
        .collect();
    let mut free = Vec::new();
    for seed in largest_first {
        let face = flats.pieces_round(seed);
        if face.len() >= PIECES {
            free.push(face);
        } else {
            flat.extend(face.into_iter().map(|facet| vec![facet]));
        }
    }
    Left { flat, free }
}

/// What a facet was found to be.
#[derive(Clone, Copy, PartialEq)]
enum Is {
    Left,
    Taken,
    /// A piece of something curved, perhaps.
    Piece,
}

struct Flats<'a> {
    mesh: &'a TriangleMesh,
    facets: &'a Facets,
    /// For each facet its face of a known curved surface.
    of: &'a [u32],
    is: Vec<Is>,
    /// For each facet in whose plane no other next to it lies, whether it is a piece of something curved.
    alone: Vec<Option<bool>>,
    /// From which facet it was last looked at.
    seen: Vec<u32>,
    /// How many facets may still be looked at: what goes on far and is then no face must end.
    left: usize,
}

impl Flats<'_> {
    /// `seed` and the facets round it that lie in its plane as nearly as numbers say, if that is a flat face.
    fn flat_round(&mut self, seed: u32) -> Option<Vec<u32>> {
        if self.is[seed as usize] != Is::Left {
            return None;
        }
        if let Some(piece) = self.alone[seed as usize] {
            self.is[seed as usize] = if piece { Is::Piece } else { Is::Taken };
            return (!piece).then(|| vec![seed]);
        }
        let lies_in = in_plane_of(self.mesh, self.facets, seed);
        let mut face = vec![seed];
        self.seen[seed as usize] = seed;
        let mut next = 0;
        while next < face.len() && self.left > 0 {
            self.left -= 1;
            for (_, _, other) in self.facets.rim(face[next]) {
                if self.seen[other as usize] == seed || self.is[other as usize] == Is::Taken {
                    continue;
                }
                if lies_in(other) {
                    self.seen[other as usize] = seed;
                    face.push(other);
                }
            }
            next += 1;
        }
        let own = |facet: u32| self.seen[facet as usize] == seed;
        if smooth_share(self.mesh, self.facets, self.of, &face, own) > SMOOTH_RIM {
            self.is[seed as usize] = Is::Piece;
            return None;
        }
        for &facet in &face {
            self.is[facet as usize] = Is::Taken;
        }
        Some(face)
    }

    /// `seed` and the pieces of something curved that go on smoothly from it; none if it is no piece, or was told before.
    fn pieces_round(&mut self, seed: u32) -> Vec<u32> {
        let mut face = Vec::new();
        if self.is[seed as usize] == Is::Piece {
            self.is[seed as usize] = Is::Taken;
            face.push(seed);
        }
        let mut next = 0;
        while next < face.len() {
            let here = face[next];
            for (_, _, other) in self.facets.rim(here) {
                if self.is[other as usize] == Is::Piece && self.facets.is_smooth(here, other) {
                    self.is[other as usize] = Is::Taken;
                    face.push(other);
                }
            }
            next += 1;
        }
        face
    }
}

/// Tells of a facet whether it lies in the plane of `seed` as nearly as numbers say.
fn in_plane_of<'a>(
    mesh: &'a TriangleMesh,
    facets: &'a Facets,
    seed: u32,
) -> impl Fn(u32) -> bool + 'a {
    let normal = facets.normal(seed);
    let on = mesh.corners(facets.triangles(seed)[0] as usize)[0];
    let near = NEAR + facets.rounding;
    move |facet| {
        let corners = facets.triangles(facet).iter();
        facets.normal(facet).dot(&normal) > FLAT.cos()
            && corners
                .flat_map(|&t| mesh.corners(t as usize))
                .all(|p| normal.dot(&(p - on)).abs() < near)
    }
}

/// Whether a facet is a piece of something curved, if none next to it lies in its plane.
fn piece_alone(mesh: &TriangleMesh, facets: &Facets, of: &[u32], facet: u32) -> Option<bool> {
    let lies_in = in_plane_of(mesh, facets, facet);
    let grows = facets.rim(facet).any(|(_, _, other)| lies_in(other));
    (!grows).then(|| smooth_share(mesh, facets, of, &[facet], |f| f == facet) > SMOOTH_RIM)
}

/// How much of the rim of `face` goes on smoothly into facets that are of no known surface; `own` says which are its own.
fn smooth_share(
    mesh: &TriangleMesh,
    facets: &Facets,
    of: &[u32],
    face: &[u32],
    own: impl Fn(u32) -> bool,
) -> f64 {
    let (mut smooth, mut all) = (0.0, 0.0);
    for &facet in face {
        for &triangle in facets.triangles(facet) {
            let corners = mesh.corners(triangle as usize);
            for (edge, other) in facets.across(triangle).into_iter().enumerate() {
                let beyond = (other != NONE).then(|| facets.of_triangle(other));
                if beyond.is_some_and(&own) {
                    continue;
                }
                let length = (corners[(edge + 1) % 3] - corners[edge]).norm();
                all += length;
                let goes_on = |b: u32| of[b as usize] == NONE && facets.is_smooth(facet, b);
                if beyond.is_some_and(goes_on) {
                    smooth += length;
                }
            }
        }
    }
    smooth / f64::max(all, 1e-30)
}

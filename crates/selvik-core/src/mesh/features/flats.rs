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
    largest_first.sort_by(|&a, &b| facets.area(b).total_cmp(&facets.area(a)));
    let mut flats = Flats {
        mesh,
        facets,
        of,
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
        let normal = self.facets.normal(seed);
        let on = self.mesh.corners(self.facets.triangles(seed)[0] as usize)[0];
        let near = NEAR + self.facets.rounding;
        let lies_in = |facet: u32| {
            let corners = self.facets.triangles(facet).iter();
            self.facets.normal(facet).dot(&normal) > FLAT.cos()
                && corners
                    .flat_map(|&t| self.mesh.corners(t as usize))
                    .all(|p| normal.dot(&(p - on)).abs() < near)
        };
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
        if self.smooth_share(&face, seed) > SMOOTH_RIM {
            self.is[seed as usize] = Is::Piece;
            return None;
        }
        for &facet in &face {
            self.is[facet as usize] = Is::Taken;
        }
        Some(face)
    }

    /// How much of the rim of `face` goes on smoothly into facets that are of no known surface; those seen from `seed` are
    /// its own.
    fn smooth_share(&self, face: &[u32], seed: u32) -> f64 {
        let (mut smooth, mut all) = (0.0, 0.0);
        for &facet in face {
            for &triangle in self.facets.triangles(facet) {
                let corners = self.mesh.corners(triangle as usize);
                for (edge, other) in self.facets.across(triangle).into_iter().enumerate() {
                    let beyond = (other != NONE).then(|| self.facets.of_triangle(other));
                    if beyond.is_some_and(|b| self.seen[b as usize] == seed) {
                        continue;
                    }
                    let length = (corners[(edge + 1) % 3] - corners[edge]).norm();
                    all += length;
                    let goes_on =
                        |b: u32| self.of[b as usize] == NONE && self.facets.is_smooth(facet, b);
                    if beyond.is_some_and(goes_on) {
                        smooth += length;
                    }
                }
            }
        }
        smooth / f64::max(all, 1e-30)
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

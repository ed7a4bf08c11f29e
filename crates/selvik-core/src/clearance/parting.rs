//! A plane between two bodies that proves by itself that no other triangles are nearer than those that were found.
//!
//! However many pairs of boxes round the closest points no box tells apart: wherever the bodies bulge towards each other all of
//! the one lies on this side of the plane square to the way between those points, and all of the other beyond it. The way to
//! that plane is the one by which the distance of two convex hulls is found, see `simplex`.

use super::boxes::dot;
use super::distance::nearest_in;
use super::search::Search;
use super::simplex::{Corner, Simplex};
use super::support::{dive, reach};
use crate::spatial::Vector;

/// How often a better plane is looked for from what reaches beyond one.
const PLANES: usize = 64;

/// A plane that parts the hulls by so little less than the widest one, m, is taken for that.
const NEARLY: f64 = 1e-9;

/// Hulls are told roughly when what is not known of their distance is this share of it.
const ROUGHLY: f64 = 0.02;

/// Hulls nearer than this are taken to touch, m².
const TOUCHING: f64 = 1e-20;

/// What rounding may take off the distance of two planes, of a metre.
const HAIR: f64 = 1e-13;

impl Search<'_> {
    /// Goes towards the plane that parts the bodies widest: if it parts them by as much as the nearest triangles are apart,
    /// nothing is nearer.
    pub fn part(&mut self) -> bool {
        if self.bound <= 0.0 {
            return false;
        }
        let mut simplex = Simplex::default();
        let mut near = self.best.as_ref().and_then(|best| {
            let (on_a, on_b) = (best.on_a, best.on_b);
            simplex.take(Corner { on_a, on_b })
        });
        let mut entries = self.best.as_ref().map_or((0, 0), |best| {
            let (a, b) = best.triangles;
            (self.a.place_of(a), self.b.place_of(b))
        });
        // Dives are enough to go on; only what reaches farthest of all proves something.
        let (mut exactly, mut tried) = (near.is_some(), false);
        for _ in 0..PLANES {
            let (gap, corner) = self.plane(&mut entries, exactly);
            if exactly && self.is_parted_by(gap) {
                return true;
            }
            if let Some(nearest) = near {
                let apart = Vector::from(self.across_a).dot(&nearest.between());
                if apart - gap <= NEARLY {
                    if exactly {
                        self.try_nearest(&nearest);
                        return self.is_parted_by(gap);
                    }
                    exactly = true;
                    continue;
                }
                // Where the triangles are much farther apart than the hulls no plane proves that they are nearest.
                if !tried && apart - gap < ROUGHLY * apart {
                    tried = true;
                    self.try_nearest(&nearest);
                    if self.bound > apart + (apart - gap) {
                        return false;
                    }
                }
            }
            let before = near.map_or(f64::INFINITY, |c| c.between().norm_squared());
            near = simplex.take(corner);
            // None where the hulls overlap.
            let Some(nearest) = near.filter(|c| c.between().norm_squared() > TOUCHING) else {
                return false;
            };
            if nearest.between().norm_squared() < before * (1.0 - 1e-12) {
                exactly = false;
            } else if exactly {
                return false;
            } else {
                exactly = true;
            }
            self.look_along(&nearest.between().into());
        }
        false
    }

    /// Whether a plane that parts the bodies by `gap` (m) proves that nothing is nearer.
    fn is_parted_by(&mut self, gap: f64) -> bool {
        let wanted = self.of_interest();
        let proved = gap >= wanted - HAIR * (1.0 + wanted);
        if proved {
            self.parted = Some(gap);
        }
        proved
    }

    /// How far apart the bodies are along the direction looked along, and the points that reach farthest.
    fn plane(&mut self, entries: &mut (usize, usize), exactly: bool) -> (f64, Corner) {
        let (n, m) = (self.across_a, self.across_b);
        let back = m.map(|x| -x);
        let shift = dot(&n, &self.placement.shift);
        let far = if exactly { reach } else { dive };
        let a = far(self.a, &n, entries.0, &mut self.looks);
        let b = far(self.b, &back, entries.1, &mut self.looks);
        *entries = (a.entry, b.entry);
        let on_b = self.placement.moved(&b.at);
        (
            shift - b.far - a.far,
            Corner {
                on_a: a.at.into(),
                on_b: on_b.into(),
            },
        )
    }

    /// Tries the triangles that lie nearest to a point of each body.
    fn try_nearest(&mut self, Corner { on_a, on_b }: &Corner) {
        let on_b = self.placement.moved_back(&(*on_b).into());
        let a = nearest_in(self.a, on_a).map(|c| self.a.place_of(c.triangles.0));
        let b = nearest_in(self.b, &on_b.into()).map(|c| self.b.place_of(c.triangles.0));
        if let (Some(ia), Some(ib)) = (a, b) {
            self.try_triangles(ia, ib);
        }
    }
}

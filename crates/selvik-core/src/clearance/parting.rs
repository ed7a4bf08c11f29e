//! A plane between two bodies that proves by itself that no other triangles are nearer than those that were found.
//!
//! However many pairs of boxes round the closest points no box tells apart: wherever the bodies bulge towards each other all of
//! the one lies on this side of the plane square to the way between those points, and all of the other beyond it. The way to
//! that plane is the one by which the distance of two convex hulls is found, see `simplex`.

use super::boxes::dot;
use super::distance::nearest_in;
use super::search::Search;
use super::simplex::{Corner, Simplex};
use super::support::{dive, reach, reach_within};
use crate::spatial::Vector;

/// How often a better plane is looked for from what reaches beyond one.
const PLANES: usize = 64;

/// A plane that parts the hulls by so little less than the widest one, m, is taken for that.
const NEARLY: f64 = 1e-9;

/// Hulls are told roughly when what is not known of their distance is this share of it.
const ROUGHLY: f64 = 0.02;

/// So many boxes are looked at for what reaches farthest before that is given up.
const MOST_LOOKS: u64 = 1500;

/// Hulls nearer than this are taken to touch, m².
const TOUCHING: f64 = 1e-20;

/// What rounding may take off the distance of two planes, of a metre.
const HAIR: f64 = 1e-13;

/// What a plane is looked for to prove.
#[derive(Clone, Copy, PartialEq)]
enum Goal {
    /// That nothing is nearer than what was found, nor drifts nearer.
    Nearest,
    /// That it lies between the bodies, wherever they drift: neither gets into the other.
    Between,
}

impl Search<'_> {
    /// Goes towards the plane that parts the bodies widest: if it parts them by as much as the nearest triangles are apart,
    /// nothing is nearer.
    pub fn part(&mut self) -> bool {
        self.bound > 0.0 && self.part_for(Goal::Nearest)
    }

    /// Whether some plane lies between the bodies wherever they drift, so that neither gets into the other.
    pub fn keeps_clear(&mut self) -> bool {
        self.part_for(Goal::Between)
    }

    fn part_for(&mut self, goal: Goal) -> bool {
        let mut simplex = Simplex::default();
        let mut near = self.best.as_ref().and_then(|best| {
            let (on_a, on_b) = (best.on_a, best.on_b);
            simplex.take(Corner { on_a, on_b })
        });
        if let Some(nearest) = near {
            self.look_along(&nearest.between().into());
        }
        let mut entries = self.best.as_ref().map_or((0, 0), |best| {
            let (a, b) = best.triangles;
            (self.a.place_of(a), self.b.place_of(b))
        });
        // Dives are enough to go on; only what reaches farthest of all proves something.
        let (mut exactly, mut tried) = (near.is_some(), false);
        for _ in 0..PLANES {
            let (gap, corner) = self.plane(&mut entries, exactly);
            if gap.is_infinite() {
                return false;
            }
            if exactly && self.is_proved_by(gap, goal) {
                return true;
            }
            if let Some(nearest) = near {
                let apart = Vector::from(self.across_a).dot(&nearest.between());
                if apart - gap <= NEARLY {
                    if exactly {
                        self.try_nearest(&nearest);
                        return self.is_proved_by(gap, goal);
                    }
                    if self.is_past(&nearest, goal) {
                        return false;
                    }
                    exactly = true;
                    continue;
                }
                // Where the triangles are much farther apart than the hulls no plane proves that they are nearest.
                if goal == Goal::Nearest && !tried && apart - gap < ROUGHLY * apart {
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
            } else if exactly || self.is_past(&nearest, goal) {
                return false;
            } else {
                exactly = true;
            }
            self.look_along(&nearest.between().into());
        }
        false
    }

    /// Whether the triangles at the nearest points of the hulls are farther apart than these, so that no plane proves anything.
    fn is_past(&mut self, nearest: &Corner, goal: Goal) -> bool {
        if goal == Goal::Between {
            return false;
        }
        self.try_nearest(nearest);
        self.bound > nearest.between().norm() + NEARLY
    }

    fn is_proved_by(&mut self, gap: f64, goal: Goal) -> bool {
        match goal {
            Goal::Nearest => self.is_parted_by(gap),
            Goal::Between => gap > 0.0 && self.kept_by_plane(gap) > 0.0,
        }
    }

    /// Whether a plane that parts the bodies by `gap` (m) proves that nothing is nearer, nor drifts nearer.
    fn is_parted_by(&mut self, gap: f64) -> bool {
        let wanted = self.of_interest();
        let enough = wanted - HAIR * (1.0 + wanted);
        if gap < enough {
            return false;
        }
        let kept = self.kept_by_plane(gap);
        let nearest = self.best.map_or(f64::INFINITY, |best| best.distance);
        // Where the nearest triangles are as far apart as the hulls, no other bound says much more.
        let proved = kept >= enough || gap >= nearest - HAIR * (1.0 + nearest);
        if proved {
            self.parted = Some(kept);
        }
        proved
    }

    /// How much of the `gap` (m) along the direction looked along is certainly kept.
    fn kept_by_plane(&mut self, gap: f64) -> f64 {
        let Some(drift) = self.drift else {
            return gap;
        };
        let (n, m) = (self.across_a, self.across_b);
        let entries = self.best.as_ref().map_or((0, 0), |best| {
            let (a, b) = best.triangles;
            (self.a.place_of(a), self.b.place_of(b))
        });
        let shift = dot(&n, &self.placement.shift);
        let (a, b) = (self.a, self.b);
        let looks = &mut self.looks;
        let kept = drift.between((&n, &m, shift), |slope_a, slope_b| {
            (
                reach(a, slope_a, entries.0, looks).far,
                reach(b, slope_b, entries.1, looks).far,
            )
        });
        kept.max(gap - drift.most)
    }

    /// How far apart the bodies are along the direction looked along, and the points that reach farthest.
    fn plane(&mut self, entries: &mut (usize, usize), exactly: bool) -> (f64, Corner) {
        let (n, m) = (self.across_a, self.across_b);
        let back = m.map(|x| -x);
        let shift = dot(&n, &self.placement.shift);
        // Where many are nearly as far the pairs of boxes are the shorter way; not where bodies drift.
        let most = self.drift.map_or(MOST_LOOKS, |_| u64::MAX);
        let looks = &mut self.looks;
        let mut far = |tree, n, entry| {
            if exactly {
                reach_within(most, tree, n, entry, looks)
            } else {
                dive(tree, n, entry, looks)
            }
        };
        let (a, b) = (far(self.a, &n, entries.0), far(self.b, &back, entries.1));
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

#[cfg(test)]
mod tests {
    use super::super::distance::Limit;
    use super::super::drift::{Bent, Drift, Way};
    use super::super::triangle_triangle::triangle_distance;
    use super::*;
    use crate::mesh::{Surface, TriangleMesh, box_mesh, sphere_mesh};
    use crate::robot::{Bend, Screw};
    use crate::spatial::{Point, Pose, pose_from_rpy};
    use nalgebra::Matrix3;
    use proptest::prelude::*;

    /// The corners of all triangles, each gone by s times v(p) of every way and by a share of what bends it, in the frame of the
    /// first body.
    fn gone(
        mesh: &TriangleMesh,
        (ways, which): (&[Way], usize),
        s: &[f64],
        (bend, share): (&Bend, f64),
        pose: &Pose,
    ) -> Vec<[Point; 3]> {
        let moved = |p: Point| {
            let by = |(way, s): (&Way, &f64)| {
                let screw = &way.screws[which];
                (screw.turn.cross(&p.coords) + screw.shift) * *s
            };
            let bent = (bend.by * p.coords + bend.shift) * share;
            pose * (p + ways.iter().zip(s).map(by).sum::<Vector>() + bent)
        };
        let all = 0..mesh.triangles().len();
        all.map(|i| mesh.corners(i).map(moved)).collect()
    }

    fn way() -> impl Strategy<Value = Way> {
        let v = || prop::array::uniform3(-1.0f64..1.0).prop_map(Vector::from);
        let screw = move || (v(), v()).prop_map(|(turn, shift)| Screw { turn, shift });
        (0.0f64..0.3, 0.0f64..0.3, screw(), screw()).prop_map(|(back, forth, one, other)| Way {
            ends: (-back, forth),
            screws: [one, other],
        })
    }

    fn bend() -> impl Strategy<Value = Bend> {
        let row = prop::array::uniform3(-0.3f64..0.3);
        prop::array::uniform4(row).prop_map(|[a, b, c, shift]| Bend {
            by: Matrix3::from_columns(&[a, b, c].map(Vector::from)),
            shift: shift.into(),
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]

        /// What a plane is said to prove, and what boxes and triangles do, is true wherever the bodies drift.
        #[test]
        fn nothing_drifts_nearer_than_a_plane_or_a_search_says(
            ways in prop::collection::vec(way(), 0..3),
            at in prop::array::uniform3(-1.6f64..1.6),
            turned in prop::array::uniform3(-3.0f64..3.0),
            shares in prop::collection::vec(prop::array::uniform2(0.0f64..=1.0), 6),
            enough in prop_oneof![Just(f64::INFINITY), 0.01f64..1.0],
            bends in prop::option::of([bend(), bend()]),
        ) {
            let (ball, block) = (sphere_mesh(0.5, 8), box_mesh([0.3, 0.5, 0.9]));
            let (a, b) = (Surface::new(ball.clone()), Surface::new(block.clone()));
            let pose = pose_from_rpy(at, turned);
            let mut drift = Drift::new(&ways, if bends.is_some() { 1e3 } else { 0.0 }, 1e3);
            if let Some(bends) = bends {
                drift = drift.bent(Bent::new(bends, 0.0));
            }
            let bends = bends.unwrap_or_default();
            let limit = Limit { enough, ..Limit::default() };
            let search = || {
                let mut search = Search::new(a.hierarchy(), b.hierarchy(), &pose, limit);
                search.drifting(&drift, 0.0);
                search
            };
            let mut parted = search();
            parted.try_triangles(3, 5);
            let told = parted.part().then(|| parted.known());
            let clear = search().keeps_clear();
            let mut whole = search();
            whole.run(None);
            let certain = if whole.is_hopeless() { 0.0 } else { whole.known() };
            let corners = [[0.0, 0.0], [0.0, 1.0], [1.0, 0.0], [1.0, 1.0]];
            for share in corners.iter().chain(&shares) {
                let s: Vec<f64> = ways.iter().zip(share).map(|(w, x)| w.ends.0 + x * (w.ends.1 - w.ends.0)).collect();
                let still = Pose::identity();
                let one = gone(&ball, (&ways, 0), &s, (&bends[0], share[0]), &still);
                let other = gone(&block, (&ways, 1), &s, (&bends[1], share[1]), &pose);
                let pairs = one.iter().flat_map(|a| other.iter().map(move |b| triangle_distance(a, b).squared.sqrt()));
                let least = pairs.fold(f64::INFINITY, f64::min);
                prop_assert!(told.is_none_or(|told| told <= least + 1e-9), "{:?} {}", told, least);
                prop_assert!(!clear || least > 0.0);
                prop_assert!(certain <= least + 1e-9, "{} {}", certain, least);
            }
        }
    }
}

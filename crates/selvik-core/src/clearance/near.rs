//! Which pairs come near each other at all, and when, by the balls round their bodies.
//!
//! All pairs are gone through together, with the poses and the motion of every body known once for each stretch of time: of
//! thousands of things only the few that come near are looked at one by one.

use std::collections::VecDeque;

use rayon::prelude::*;

use super::ROUNDING;
use crate::program::Path;
use crate::robot::{Assembly, BodyId, Carried, Chain, MotionBound};
use crate::spatial::Point;

/// Two bodies, when they count, and the clearance (m) beyond which no more need be known.
pub(super) struct Asked<'a> {
    pub a: BodyId,
    pub b: BodyId,
    pub stretches: &'a [(f64, f64)],
    pub settled: f64,
}

/// What is certain about a pair by the balls alone.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Near {
    /// Outside of `stretches` they keep this far apart, m.
    pub lower: f64,
    /// When they may come nearer than is settled, s.
    pub stretches: Vec<(f64, f64)>,
}

/// A path is parted into no more pieces than this.
const PIECES: f64 = 256.0;

/// So many stretches of time are gone through at once.
const AT_ONCE: usize = 8;

/// When each of `pairs` may be nearer than is settled.
pub(super) fn when_near(assembly: &Assembly, path: &Path, pairs: &[Asked]) -> Vec<Near> {
    let none = Near {
        lower: f64::INFINITY,
        stretches: Vec::new(),
    };
    let mut found = vec![none.clone(); pairs.len()];
    let mut apart = Vec::new();
    for (at, pair) in pairs.iter().enumerate() {
        if pair.settled.is_finite() {
            apart.push(at as u32);
            // An instant alone is looked at itself.
            let instants = pair.stretches.iter().filter(|s| s.0 >= s.1);
            found[at].stretches.extend(instants);
        } else {
            found[at].stretches = pair.stretches.to_vec();
        }
    }
    let finest = path.duration() / PIECES;
    let asked = pairs.iter().flat_map(|pair| [pair.a, pair.b]);
    for Hung { from, to, bodies } in Hung::along(assembly, path, asked) {
        let halving = Halving {
            pairs,
            bodies,
            finest,
        };
        let mut open = VecDeque::from([(from, to, apart.clone())]);
        while open.len() < AT_ONCE {
            let Some(stretch) = open.pop_front() else {
                break;
            };
            open.extend(halving.step(stretch, &mut found).into_iter().flatten());
        }
        let below = |stretch| {
            let (mut found, mut open) = (vec![none.clone(); pairs.len()], vec![stretch]);
            while let Some(stretch) = open.pop() {
                open.extend(halving.step(stretch, &mut found).into_iter().flatten());
            }
            found
        };
        let parts: Vec<Vec<Near>> = open.into_par_iter().map(below).collect();
        for part in parts {
            for (whole, part) in found.iter_mut().zip(part) {
                whole.lower = whole.lower.min(part.lower);
                whole.stretches.extend(part.stretches);
            }
        }
    }
    for near in &mut found {
        near.stretches.sort_by(|x, y| x.0.total_cmp(&y.0));
        near.stretches.dedup_by(|next, before| {
            let one = next.0 <= before.1;
            before.1 = if one { before.1.max(next.1) } else { before.1 };
            one
        });
    }
    found
}

/// A stretch of time (s) with the pairs that may come near in it.
type Stretch = (f64, f64, Vec<u32>);

/// Stretches of time are halved for as long as pairs may come near in them.
struct Halving<'a> {
    pairs: &'a [Asked<'a>],
    bodies: Bodies<'a>,
    /// Shorter stretches are not halved, s.
    finest: f64,
}

impl Halving<'_> {
    /// Puts what is certain of a stretch into `found`, and tells its halves where something is not.
    fn step(&self, (from, to, mut left): Stretch, found: &mut [Near]) -> Option<[Stretch; 2]> {
        let balls = self.bodies.during(from, to);
        left.retain(|&at| {
            let pair = &self.pairs[at as usize];
            let counts = |s: &&(f64, f64)| s.0.max(from) < s.1.min(to);
            if !pair.stretches.iter().any(|s| counts(&s)) {
                return false;
            }
            let ((p, r), (q, s)) = (balls[pair.a.0], balls[pair.b.0]);
            let gap = (p - q).norm() - r - s - ROUNDING;
            let near = &mut found[at as usize];
            if gap >= pair.settled {
                near.lower = near.lower.min(gap);
                return false;
            }
            if to - from > self.finest {
                return true;
            }
            let cut = |s: &(f64, f64)| (s.0.max(from), s.1.min(to));
            let own = pair.stretches.iter().filter(counts).map(cut);
            near.stretches.extend(own);
            false
        });
        let middle = f64::midpoint(from, to);
        (!left.is_empty()).then(|| [(from, middle, left.clone()), (middle, to, left)])
    }
}

/// All bodies from one hand-over to the next.
pub(super) struct Hung<'a> {
    /// s
    pub from: f64,
    /// s
    pub to: f64,
    pub bodies: Bodies<'a>,
}

impl<'a> Hung<'a> {
    /// Nothing is known of bodies that are not `asked` about.
    pub fn along(
        assembly: &Assembly,
        path: &'a Path,
        asked: impl Iterator<Item = BodyId>,
    ) -> Vec<Self> {
        let mut of_interest = vec![false; assembly.bodies().len()];
        asked.for_each(|id| of_interest[id.0] = true);
        let mut changes = path.handling().changes();
        changes.retain(|&t| 0.0 < t && t < path.duration());
        let begins = std::iter::once(0.0).chain(changes.iter().copied());
        let ends = changes.iter().copied().chain([path.duration()]);
        let hung = |(from, to)| Self {
            from,
            to,
            bodies: Bodies::hung(
                assembly,
                path,
                &path.carried_at(assembly, from),
                &of_interest,
            ),
        };
        begins.zip(ends).map(hung).collect()
    }
}

/// All bodies, while everything hangs one way.
pub(super) struct Bodies<'a> {
    path: &'a Path,
    /// The balls round those that never move; where nothing is known anything may be near.
    still: Vec<(Point, f64)>,
    /// All others of interest.
    rounds: Vec<(usize, Round)>,
    joints: usize,
}

/// A ball round a body, how it moves, and how far it may be off the programmed motion, m.
struct Round {
    centre: Point,
    radius: f64,
    chain: Chain,
    bound: MotionBound,
}

impl Round {
    /// Whether a joint that carries it moves at all.
    fn is_moved_along(&self, path: &Path) -> bool {
        let joints = self.chain.joints.iter().map(|joint| joint.index);
        !path.drivers_of(joints).is_empty()
    }
}

impl<'a> Bodies<'a> {
    fn hung(assembly: &Assembly, path: &'a Path, carried: &Carried, of_interest: &[bool]) -> Self {
        let round = |body: &crate::robot::Body| {
            let chain = Chain::from_world_carrying(assembly, carried, body.node);
            let (centre, radius) = body.surface.ball();
            let off = path.deviation(chain.joints.iter().map(|j| j.index));
            Round {
                centre,
                radius: radius + off,
                chain,
                bound: MotionBound::of(&body.surface),
            }
        };
        let bodies = assembly.bodies().iter().enumerate();
        let bodies = bodies.filter(|(id, _)| of_interest[*id]);
        let (rounds, at_rest): (Vec<_>, Vec<_>) = bodies
            .map(|(id, body)| (id, round(body)))
            .partition(|(_, round)| round.is_moved_along(path));
        let (q, mut still) = (
            path.at(0.0),
            vec![(Point::origin(), f64::INFINITY); of_interest.len()],
        );
        for (id, round) in at_rest {
            still[id] = (round.chain.posture(&q).end * round.centre, round.radius);
        }
        Self {
            path,
            still,
            rounds,
            joints: assembly.joints().len(),
        }
    }

    /// For each body a ball that holds it at every instant of a stretch (s): its middle in the world, and its radius, m.
    pub fn during(&self, from: f64, to: f64) -> Vec<(Point, f64)> {
        let time = f64::midpoint(from, to);
        let q = self.path.at(time);
        let travelled = [from, time, to].map(|t| {
            let mut out = vec![0.0; self.joints];
            self.path.travelled_until(t, &mut out);
            out
        });
        let [before, at, after] = &travelled;
        let reach: Vec<f64> = (0..self.joints)
            .map(|j| (at[j] - before[j]).max(after[j] - at[j]))
            .collect();
        let mut balls = self.still.clone();
        for (id, round) in &self.rounds {
            let posture = round.chain.posture(&q);
            let moved = round.bound.over(&round.chain, &posture, &reach);
            balls[*id] = (posture.end * round.centre, round.radius + moved);
        }
        balls
    }
}

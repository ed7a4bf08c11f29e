//! The certified minimum of one pair over a path.

use std::collections::BinaryHeap;
use std::sync::Arc;

use super::chain::{Chain, Posture};
use super::distance::{Closest, Limit, distance};
use super::motion_bound::MotionBound;
use crate::mesh::Surface;
use crate::program::Path;
use crate::robot::{Assembly, BodyId, NodeId};
use crate::spatial::Point;

/// A minimum that certainly lies between two values. The ends can't be crossed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bracket {
    lower: f64,
    attained: f64,
}

impl Bracket {
    /// A lower bound and a distance that is attained, m. A lower bound that rounding lifted above
    /// the attained distance is brought down to it.
    #[must_use]
    pub fn new(lower: f64, attained: f64) -> Self {
        Self { lower: lower.clamp(0.0, attained.max(0.0)), attained: attained.max(0.0) }
    }

    /// Nothing comes nearer than this, m.
    #[must_use]
    pub fn lower(&self) -> f64 {
        self.lower
    }

    /// The distance found at the closest approach, m.
    #[must_use]
    pub fn attained(&self) -> f64 {
        self.attained
    }

    /// How far apart the two are, m.
    #[must_use]
    pub fn width(&self) -> f64 {
        self.attained - self.lower
    }
}

/// The instant at which two bodies come nearest, as far as found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Approach {
    /// s
    pub time: f64,
    /// m
    pub distance: f64,
    /// On the first body, in the world at that instant.
    pub on_a: Point,
    /// On the second body.
    pub on_b: Point,
    /// Whether they touch or overlap there.
    pub overlap: bool,
}

/// How closely a minimum is wanted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Aim {
    /// A bracket no wider than this is always close enough, m.
    pub tolerance: f64,
    /// Above this distance the bracket may be wider, m.
    pub critical: f64,
    /// By this share of what lies above.
    pub ease: f64,
    /// A minimum certainly above this need not be bracketed, m.
    pub settled: f64,
}

impl Aim {
    /// A bracket of width `tolerance` (m), wherever it lies.
    #[must_use]
    pub fn exactly(tolerance: f64) -> Self {
        Self { tolerance, critical: f64::INFINITY, ease: 0.0, settled: f64::INFINITY }
    }

    fn width_at(&self, distance: f64) -> f64 {
        self.tolerance.max(self.ease * (distance - self.critical))
    }
}

/// Two bodies on a path: answers distances at instants and bounds between them.
pub struct PairMotion<'a> {
    assembly: &'a Assembly,
    path: &'a Path,
    /// The first body's frame, for points in the world.
    node: NodeId,
    surfaces: [Arc<Surface>; 2],
    chains: [Chain; 2],
    bounds: [MotionBound; 2],
    hint: Option<(u32, u32)>,
    before: Vec<f64>,
    travel: Vec<f64>,
    /// Exact queries asked so far.
    pub queries: usize,
}

/// An instant that was looked at: its poses and what is known of the distance there.
#[derive(Clone)]
pub(super) struct Look {
    pub time: f64,
    postures: Arc<[Posture; 2]>,
    /// A distance certainly kept, m.
    pub lower: f64,
    /// A distance that is attained, m, where it was needed.
    pub attained: Option<f64>,
}

impl<'a> PairMotion<'a> {
    /// Follows bodies `a` and `b` of `assembly` along `path`.
    #[must_use]
    pub fn new(assembly: &'a Assembly, path: &'a Path, a: BodyId, b: BodyId) -> Self {
        let joints = assembly.joints().len();
        let surfaces = [a, b].map(|id| Arc::clone(&assembly.body(id).surface));
        Self {
            assembly,
            path,
            node: assembly.body(a).node,
            bounds: [0, 1].map(|i| MotionBound::of(&surfaces[i])),
            chains: Chain::of_pair(assembly, a, b),
            surfaces,
            hint: None,
            before: vec![0.0; joints],
            travel: vec![0.0; joints],
            queries: 0,
        }
    }

    fn postures(&self, time: f64) -> Arc<[Posture; 2]> {
        let q = self.path.at(time);
        Arc::new([0, 1].map(|i| self.chains[i].posture(&q)))
    }

    /// The distance at `time`, within `slack` and only if it is less than `enough`.
    pub(super) fn look(&mut self, time: f64, enough: f64, slack: f64) -> (Look, Option<Closest>) {
        let postures = self.postures(time);
        let relative = postures[0].body.inv_mul(&postures[1].body);
        self.queries += 1;
        let limit = Limit { enough, slack, hint: self.hint };
        let answer = distance(&self.surfaces[0], &self.surfaces[1], &relative, limit);
        if let Some(found) = answer.closest {
            self.hint = Some(found.triangles);
        }
        let lower = answer.lower.max(self.balls_apart(&postures));
        let attained = answer.closest.map(|c| c.distance);
        (Look { time, postures, lower, attained }, answer.closest)
    }

    /// What the bodies' balls alone say about the distance at `time`.
    pub(super) fn glance(&self, time: f64) -> Look {
        let postures = self.postures(time);
        Look { time, lower: self.balls_apart(&postures), attained: None, postures }
    }

    fn balls_apart(&self, postures: &[Posture; 2]) -> f64 {
        let [(ca, ra), (cb, rb)] = [0, 1].map(|i| self.surfaces[i].ball());
        let (pa, pb) = (postures[0].body * ca, postures[1].body * cb);
        ((pa - pb).norm() - ra - rb).max(0.0)
    }

    /// How far any point of one body moves against the other between two looks, at most, m.
    pub(super) fn motion(&mut self, a: &Look, b: &Look) -> f64 {
        self.path.travelled_until(a.time, &mut self.before);
        self.path.travelled_until(b.time, &mut self.travel);
        self.travel.iter_mut().zip(&self.before).for_each(|(to, from)| *to -= from);
        // The bound holds round either end; the smaller is as true.
        let around = |postures: &[Posture; 2]| -> f64 {
            (0..2).map(|i| self.bounds[i].over(&self.chains[i], &postures[i], &self.travel)).sum()
        };
        around(&a.postures).min(around(&b.postures))
    }

    fn approach(&self, look: &Look, found: &Closest) -> Approach {
        let frame = self.assembly.pose_of(self.node, &self.path.at(look.time));
        Approach {
            time: look.time,
            distance: found.distance,
            on_a: frame * found.on_a,
            on_b: frame * found.on_b,
            overlap: found.overlap,
        }
    }

    /// The smallest distance over `from`..`to` (s): bracketed as closely as `aim` wants, or until it
    /// is certain to be at least `aim.settled`, with the closest approach found.
    ///
    /// `keep_on` is asked before every query; when it says no, the bracket is as wide as it then is.
    pub fn minimum(
        &mut self,
        (from, to): (f64, f64),
        aim: &Aim,
        keep_on: &dyn Fn() -> bool,
    ) -> (Bracket, Approach) {
        let settled = aim.settled;
        // Roughly is enough to begin with: what matters is looked at again.
        let rough = (self.glance(from).lower * 0.2).max(aim.tolerance);
        let (start, found) = self.look(from, f64::INFINITY, rough);
        let mut best = self.approach(&start, &found.expect("no limit was set"));
        let mut open = BinaryHeap::new();
        if to > from {
            let end = self.glance(to);
            self.push(&mut open, start, end);
        }
        let mut lower = best.distance;
        while let Some(stretch) = open.pop() {
            lower = stretch.lower.min(best.distance);
            let tolerance = aim.width_at(best.distance);
            if lower >= best.distance - tolerance || lower >= settled || !keep_on() {
                break;
            }
            let Stretch { a, mut b, motion, .. } = stretch;
            // A distance beyond this rules the whole stretch out; more need not be known. Nor need
            // it be known more closely than the bodies move in the stretch.
            let enough = (best.distance - tolerance).min(settled) + motion;
            let slack = (motion * 0.2).max(tolerance * 0.1);
            let mut look_at = |this: &mut Self, time: f64| {
                let (look, found) = this.look(time, enough, slack);
                if let Some(found) = found.filter(|f| f.distance < best.distance) {
                    best = this.approach(&look, &found);
                }
                look
            };
            if b.attained.is_none() && b.lower < enough {
                b = look_at(self, b.time);
                self.push(&mut open, a, b);
                lower = best.distance;
                continue;
            }
            let middle = f64::midpoint(a.time, b.time);
            if middle <= a.time || middle >= b.time {
                lower = best.distance;
                continue;
            }
            let glance = self.glance(middle);
            let look = if glance.lower >= enough { glance } else { look_at(self, middle) };
            self.push(&mut open, a, look.clone());
            self.push(&mut open, look, b);
            lower = best.distance;
        }
        if lower < settled {
            // The closest points at that instant, now exactly.
            let (look, found) = self.look(best.time, f64::INFINITY, 0.0);
            best = self.approach(&look, &found.expect("no limit was set"));
        }
        (Bracket::new(lower.min(best.distance), best.distance), best)
    }

    fn push(&mut self, open: &mut BinaryHeap<Stretch>, a: Look, b: Look) {
        let motion = self.motion(&a, &b);
        let lower = lower_between(&a, &b, motion);
        open.push(Stretch { lower, motion, a, b });
    }
}

/// d(t) ≥ max(d(a) − M(a, t), d(b) − M(t, b)) ≥ (d(a) + d(b) − M(a, b)) / 2, and nothing smaller than
/// either end less the whole motion.
pub(super) fn lower_between(a: &Look, b: &Look, motion: f64) -> f64 {
    let both = (a.lower + b.lower - motion) / 2.0;
    both.max(a.lower - motion).max(b.lower - motion).max(0.0)
}

/// A stretch of time with what is certain about it; the one with the smallest bound comes first.
struct Stretch {
    lower: f64,
    motion: f64,
    a: Look,
    b: Look,
}

impl PartialEq for Stretch {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Stretch {}

impl PartialOrd for Stretch {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Stretch {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        other.lower.total_cmp(&self.lower)
    }
}

use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use super::bracket::Approach;
use super::distance::{Closest, Limit, Proximity, Side, distance, distance_round, keep_clear};
use super::drift::{Bent, Drift, Way};
use super::rules::Pair;
use crate::mesh::Surface;
use crate::program::Path;
use crate::robot::{
    Assembly, Bend, BodyId, Carried, Chain, Levers, MotionBound, NodeId, Posture, Screw, Sway,
};
use crate::spatial::{Pose, Vector};

/// Two bodies on a path: answers distances at instants and bounds between them.
#[derive(Clone)]
pub struct PairMotion<'a> {
    assembly: &'a Assembly,
    path: &'a Path,
    carried: Carried,
    /// The first body's frame, for points in the world.
    node: NodeId,
    pub(super) surfaces: [Arc<Surface>; 2],
    chains: [Chain; 2],
    bounds: [MotionBound; 2],
    deviation: f64,
    /// The tracks of the path that move them against each other.
    tracks: Vec<usize>,
    /// Whether one of the bodies is open, so that the other may get in without a crossing.
    lets_in: bool,
    hint: Option<(u32, u32)>,
    /// The joint vector at the instant that was looked at last, as far as those tracks and what rests are concerned.
    q: Vec<f64>,
    /// Of the joints of those tracks alone, between instants.
    before: Vec<f64>,
    travel: Vec<f64>,
    reach: Vec<f64>,
    stop: Option<&'a AtomicBool>,
    undecided: Option<Undecided>,
    /// Exact queries asked so far.
    pub queries: usize,
    /// Boxes looked at for them, and a few for the asking.
    pub(super) work: u64,
}

/// Which body is open so that the other may lie inside it, and when that was first seen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Undecided {
    /// The open one.
    pub open: Side,
    /// s
    pub time: f64,
}

/// An instant that was looked at: its poses and what is known of the distance there.
#[derive(Clone)]
pub(super) struct Look {
    pub time: f64,
    pub postures: Arc<[Posture; 2]>,
    /// A distance certainly kept by the programmed motion, m.
    pub lower: f64,
    /// A distance that is attained, m, where it was needed.
    pub attained: Option<f64>,
    /// How much of the distance was given away, m, where it was not only roughly asked for.
    pub slack: f64,
}

impl Look {
    /// Whether the distance is known to be at least `enough` (m), as a query that was told so knows it: less what is
    /// `unsure`, and a little for rounding.
    pub fn is_beyond(&self, enough: f64, unsure: f64) -> bool {
        self.lower + unsure * 1.01 + 1e-12 >= enough
    }
}

/// What is certain about a stretch.
pub(super) struct Over {
    /// Nothing in it is nearer, m.
    pub lower: f64,
    /// Nothing in it is farther apart, m.
    pub upper: f64,
    /// Its middle.
    pub look: Look,
    /// The closest points there, or nearly so, if they were needed.
    pub closest: Option<Closest>,
}

/// Through the opening of a body another can get in without coming near its surface: whether it has is asked of winding
/// numbers where one looks. Near a surface at the distance d they change by some 1/d a metre, so that bodies which move by no
/// more than this share of d round a look can't have gone all the way from outside (at most ¼) to inside (at least ¾) and
/// back: a look before or after finds them between.
const NO_SLIP: f64 = 0.125;

/// What a query costs beside the boxes it looks at, in boxes.
const ASKING: u64 = 40;

impl<'a> PairMotion<'a> {
    /// Follows bodies `a` and `b` of `assembly` along `path`, both hanging where the roster says.
    #[must_use]
    pub fn new(assembly: &'a Assembly, path: &'a Path, a: BodyId, b: BodyId) -> Self {
        Self::carrying(assembly, path, Carried::default(), (a, b))
    }

    /// Follows the bodies of `pair` along `path`, hanging as they do at its times.
    #[must_use]
    pub fn of(assembly: &'a Assembly, path: &'a Path, pair: &Pair) -> Self {
        let carried = pair.carried(assembly, path);
        Self::carrying(assembly, path, carried, (pair.a, pair.b))
    }

    fn carrying(
        assembly: &'a Assembly,
        path: &'a Path,
        carried: Carried,
        (a, b): (BodyId, BodyId),
    ) -> Self {
        let joints = assembly.joints().len();
        let surfaces = [a, b].map(|id| Arc::clone(&assembly.body(id).surface));
        let chains = Chain::of_pair(assembly, &carried, a, b);
        let joints_of = |c: &Chain| c.joints.iter().map(|j| j.index).collect::<Vec<_>>();
        let tracks = path.drivers_of(chains.iter().flat_map(joints_of));
        let deviation = chains
            .iter()
            .map(|c| path.deviation(c.joints.iter().map(|j| j.index)))
            .sum();
        Self {
            assembly,
            path,
            carried,
            node: assembly.body(a).node,
            bounds: [0, 1].map(|i| MotionBound::of(&surfaces[i])),
            chains,
            deviation,
            tracks,
            lets_in: surfaces.iter().any(|s| !s.is_sheet() && s.open_edges() > 0),
            surfaces,
            hint: None,
            q: path.at(0.0),
            before: vec![0.0; joints],
            travel: vec![0.0; joints],
            reach: vec![0.0; joints],
            stop: None,
            undecided: None,
            queries: 0,
            work: 0,
        }
    }

    /// Queries end when `stop` becomes true.
    pub(super) fn stopped_by(mut self, stop: &'a AtomicBool) -> Self {
        self.stop = Some(stop);
        self
    }

    /// Another one that follows the same two, and has asked nothing yet.
    pub(super) fn another(&self) -> Self {
        Self {
            queries: 0,
            work: 0,
            ..self.clone()
        }
    }

    /// Counts what another one asked, too. Where it came nearer, that is where one looks next.
    pub(super) fn count(&mut self, other: &Self, came_nearer: bool) {
        self.queries += other.queries;
        self.work += other.work;
        self.undecided = self.undecided.or(other.undecided);
        if came_nearer {
            self.hint = other.hint;
        }
    }

    /// How far the programmed motion may be off the path between its knots, m.
    #[must_use]
    pub fn deviation(&self) -> f64 {
        self.deviation
    }

    /// Whether it could not be told at some instant if one body lies inside the other.
    #[must_use]
    pub fn undecided(&self) -> Option<Undecided> {
        self.undecided
    }

    /// Whether nothing ever moves between the two.
    pub(super) fn is_still(&self) -> bool {
        self.tracks.is_empty()
    }

    fn postures_at(&mut self, time: f64) -> Arc<[Posture; 2]> {
        self.path.values_of(&self.tracks, time, &mut self.q);
        Arc::new([0, 1].map(|i| self.chains[i].posture(&self.q)))
    }

    /// The distance at `time`, within `slack` and only if it is less than `enough`.
    pub(super) fn look(&mut self, time: f64, enough: f64, slack: f64) -> (Look, Option<Closest>) {
        let limit = Limit {
            enough,
            slack,
            ..Limit::default()
        };
        self.look_within(time, limit)
    }

    /// The distance at `time` within `slack` (m), if it is less than `rough_above`; otherwise it may be off by a fifth of itself.
    pub(super) fn look_roughly(
        &mut self,
        time: f64,
        slack: f64,
        rough_above: f64,
    ) -> (Look, Closest) {
        let limit = Limit {
            slack,
            rough_above,
            ..Limit::default()
        };
        let (look, found) = self.look_within(time, limit);
        (look, found.expect("no limit was set"))
    }

    fn look_within(&mut self, time: f64, limit: Limit) -> (Look, Option<Closest>) {
        let postures = self.postures_at(time);
        let relative = postures[0].end.inv_mul(&postures[1].end);
        self.queries += 1;
        let limit = Limit {
            hint: self.hint,
            stop: self.stop,
            ..limit
        };
        let answer = distance(&self.surfaces[0], &self.surfaces[1], &relative, limit);
        self.note(time, &answer);
        let lower = (answer.lower - self.deviation)
            .max(self.balls_apart(&postures))
            .max(0.0);
        let attained = answer.closest.map(|c| c.distance);
        (
            Look {
                time,
                postures,
                lower,
                attained,
                slack: limit.slack,
            },
            answer.closest,
        )
    }

    fn keep_clear(&mut self, relative: &Pose, drift: &Drift) -> bool {
        let [a, b] = &self.surfaces;
        let (clear, looks) = keep_clear(a, b, relative, self.hint, drift);
        self.work += looks;
        clear
    }

    fn note(&mut self, time: f64, answer: &Proximity) {
        self.work += answer.work + ASKING;
        if let Some(found) = answer.closest {
            self.hint = Some(found.triangles);
        }
        if let (None, Some(open)) = (self.undecided, answer.undecided) {
            self.undecided = Some(Undecided { open, time });
        }
    }

    /// What is certain about the stretch `from`..`to` (s) by a look at its middle, and the distance there if it was needed.
    ///
    /// A lower bound of `enough` (m) is enough, one of `floor` is worth nothing; it may be off by `slack`. Where the bodies
    /// move by more than `far` (m) their surfaces are not looked at.
    pub(super) fn over(
        &mut self,
        (from, to): (f64, f64),
        (floor, enough): (f64, f64),
        (slack, far): (f64, f64),
    ) -> Over {
        let time = f64::midpoint(from, to);
        let postures = self.postures_at(time);
        self.work += ASKING;
        let apart = self.balls_apart(&postures);
        let levers = [0, 1].map(|i| self.bounds[i].levers(&self.chains[i], &postures[i]));
        let roughly = self.moved_round((from, time, to), &levers);
        if apart - roughly >= enough || roughly > far {
            return Over {
                lower: (apart - roughly).max(0.0),
                upper: f64::INFINITY,
                look: self.unseen(time, postures),
                closest: None,
            };
        }
        let sway = self.path.sway(&self.tracks, (from, time, to), &self.q);
        let [of_a, of_b] = [0, 1].map(|i| levers[i].round(&self.chains[i], &sway));
        let most = (of_a.moved + of_b.moved).min(roughly);
        let way = |(&track, &ends): (&usize, &(f64, f64))| {
            let joints = self.path.driven_by(track);
            let screw = |i: usize| {
                let posture: &Posture = &postures[i];
                let screw = Screw::of(&self.chains[i], posture, &sway, joints);
                screw.seen_from(&posture.end)
            };
            Way {
                ends,
                screws: [screw(0), screw(1)],
            }
        };
        let ways: Vec<Way> = self.tracks.iter().zip(&sway.ways).map(way).collect();
        let mut drift = Drift::new(&ways, of_a.off + of_b.off, most);
        if let Some(bends) = self.bends(&postures, &sway) {
            drift = drift.bent(Bent::new(bends, of_a.off_bend + of_b.off_bend));
        }
        let relative = postures[0].end.inv_mul(&postures[1].end);
        let unsure = self.unsure();
        let limit = Limit {
            enough: enough + unsure,
            slack,
            rough_above: f64::INFINITY,
            hint: self.hint,
            stop: self.stop,
        };
        let [a, b] = &self.surfaces;
        let drifting = Some((&drift, floor + self.deviation));
        let answer = distance_round(a, b, &relative, limit, drifting);
        self.queries += 1;
        self.note(time, &answer);
        let upper = answer.closest.map_or(f64::INFINITY, |c| {
            let own = relative.inverse() * c.on_b;
            let turned = |v: &[f64; 3]| (relative.rotation * Vector::from(*v)).into();
            drift.farthest(&c.on_a, (&c.on_b, &own), turned) + unsure
        });
        let attained = answer.closest.map(|c| c.distance);
        let known = answer.lower - self.deviation;
        // One may have got into the other through an opening and out again.
        let may_slip = self.lets_in && apart <= most && most > attained.unwrap_or(enough) * NO_SLIP;
        let worth_it = known > floor;
        let slips_in = may_slip && !(worth_it && self.keep_clear(&relative, &drift));
        Over {
            lower: if slips_in {
                0.0
            } else {
                known.max(apart - most).max(0.0)
            },
            upper,
            look: Look {
                attained,
                ..self.unseen(time, postures)
            },
            closest: answer.closest,
        }
    }

    /// By what both bodies are off their screws at most, where no more than one track moves each: two at most, so that all of
    /// their corners are gone through.
    fn bends(&self, postures: &[Posture; 2], sway: &Sway) -> Option<[Bend; 2]> {
        let mut bends = [Bend::default(); 2];
        for (i, bend) in bends.iter_mut().enumerate() {
            let drives = |track: &usize| {
                let joints = self.path.driven_by(*track);
                self.chains[i]
                    .joints
                    .iter()
                    .any(|j| joints.contains(&j.index))
            };
            let mut driven = (0..self.tracks.len()).filter(|&at| drives(&self.tracks[at]));
            let Some(at) = driven.next() else { continue };
            if driven.next().is_some() {
                return None;
            }
            let (back, forth) = sway.ways[at];
            let farthest = forth.max(-back).powi(2);
            let own = Bend::of(&self.chains[i], &postures[i], sway);
            *bend = own.seen_from(&postures[i].end, farthest);
        }
        Some(bends)
    }

    /// How far any point of one body moves at most against the other from the middle of a stretch to any instant of it, m.
    pub(super) fn motion_during(&mut self, from: f64, to: f64) -> f64 {
        let time = f64::midpoint(from, to);
        let postures = self.postures_at(time);
        let levers = [0, 1].map(|i| self.bounds[i].levers(&self.chains[i], &postures[i]));
        self.moved_round((from, time, to), &levers)
    }

    /// How far any point of one body moves at most against the other from the middle of a stretch to any instant of it, m.
    fn moved_round(&mut self, (from, at, to): (f64, f64, f64), levers: &[Levers; 2]) -> f64 {
        let Self { path, tracks, .. } = self;
        path.travel_of(tracks, from, &mut self.before);
        path.travel_of(tracks, at, &mut self.reach);
        path.travel_of(tracks, to, &mut self.travel);
        let ends = self.before.iter().zip(&self.travel);
        for (reach, (before, after)) in self.reach.iter_mut().zip(ends) {
            *reach = (*reach - before).max(after - *reach);
        }
        (0..2)
            .map(|i| levers[i].over(&self.chains[i], &self.reach))
            .sum()
    }

    fn unseen(&self, time: f64, postures: Arc<[Posture; 2]>) -> Look {
        Look {
            time,
            lower: self.balls_apart(&postures),
            attained: None,
            postures,
            slack: f64::INFINITY,
        }
    }

    /// What the bodies' balls alone say about the distance at `time`.
    pub(super) fn glance(&mut self, time: f64) -> Look {
        self.work += ASKING;
        let postures = self.postures_at(time);
        self.unseen(time, postures)
    }

    fn balls_apart(&self, postures: &[Posture; 2]) -> f64 {
        let [(ca, ra), (cb, rb)] = [0, 1].map(|i| self.surfaces[i].ball());
        let (pa, pb) = (postures[0].end * ca, postures[1].end * cb);
        ((pa - pb).norm() - ra - rb - self.deviation - super::ROUNDING).max(0.0)
    }

    /// How far any point of one body moves against the other between two looks, at most, m.
    pub(super) fn motion(&mut self, a: &Look, b: &Look) -> f64 {
        self.path.travel_of(&self.tracks, a.time, &mut self.before);
        self.path.travel_of(&self.tracks, b.time, &mut self.travel);
        self.travel
            .iter_mut()
            .zip(&self.before)
            .for_each(|(to, from)| *to -= from);
        // The bound holds round either end; the smaller is as true.
        let around = |postures: &[Posture; 2]| -> f64 {
            (0..2)
                .map(|i| self.bounds[i].over(&self.chains[i], &postures[i], &self.travel))
                .sum()
        };
        around(&a.postures).min(around(&b.postures))
    }

    pub(super) fn approach(&self, look: &Look, found: &Closest) -> Approach {
        let q = self.path.at(look.time);
        let frame = self.assembly.pose_carrying(self.node, &q, &self.carried);
        Approach {
            time: look.time,
            distance: found.distance,
            on_a: frame * found.on_a,
            on_b: frame * found.on_b,
            overlap: found.overlap,
        }
    }
}

/// d(t) ≥ max(d(a) − M(a, t), d(b) − M(t, b)) ≥ (d(a) + d(b) − M(a, b)) / 2, and nothing smaller than
/// either end less the whole motion.
pub(super) fn lower_between(a: &Look, b: &Look, motion: f64) -> f64 {
    let both = (a.lower + b.lower - motion) / 2.0;
    both.max(a.lower - motion).max(b.lower - motion).max(0.0)
}

/// Nothing in the stretch is farther apart than this, m: by the same reasoning from above.
pub(super) fn upper_between(a: &Look, b: &Look, motion: f64) -> f64 {
    match (a.attained, b.attained) {
        (Some(x), Some(y)) => f64::midpoint(x + y, motion).min(x + motion).min(y + motion),
        (Some(x), None) | (None, Some(x)) => x + motion,
        (None, None) => f64::INFINITY,
    }
}

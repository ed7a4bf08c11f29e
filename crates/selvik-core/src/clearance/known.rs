//! What sweeps before have found, so that only what a change concerns is looked at again.
//!
//! A pair is known by all that its result depends on: the two surfaces, what every joint between them and the world is and does
//! over the path, the times that count, and how closely is looked. Its rule's thresholds are not among that: a result that is
//! as certain under other ones serves again. Nothing is taken from a pair that was not just what it is now.

use std::fmt;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

use blake3::Hash;
use rustc_hash::{FxHashMap, FxHashSet};

use super::bands::BandPoint;
use super::fronts::{Front, MOST_WINDOWS, Window};
use super::pairwise::{Looked, Prepared};
use super::rules::{Pair, Requirement};
use super::sweep::{Allowed, PairResult, SweepOptions};
use super::verdict::{Doubt, Verdict};
use crate::mesh::Surface;
use crate::program::{Drive, Path};
use crate::robot::{Assembly, BodyId, Carried, Chain};
use crate::spatial::Pose;

/// A pair that none of so many sweeps came to is forgotten.
const SWEEPS: u64 = 4;

/// What sweeps before have found, pair by pair. Shared by all states of a cell; one that is new knows nothing.
#[derive(Default)]
pub struct Known(Mutex<Remembered>);

#[derive(Default)]
struct Remembered {
    sweeps: u64,
    pairs: FxHashMap<Key, Found>,
    /// In which sweep each last came up, and what is in it.
    fronts: FxHashMap<Key, (u64, Arc<Front>)>,
    /// What any two bodies came to last, whatever has changed since.
    last: FxHashMap<[BodyId; 2], CameTo>,
    band: Option<Arc<KnownBand>>,
    /// Whether somebody has asked while nothing was known.
    asked: bool,
}

/// How near two bodies came, m, and when, s. Of what has changed it is a guess.
#[derive(Debug, Clone, Copy)]
pub(super) struct CameTo {
    pub attained: f64,
    pub time: f64,
}

/// The band that was drawn last.
pub(super) struct KnownBand {
    /// What was asked of it.
    pub asked: Hash,
    /// Its points, each with the pair that comes nearest then, if one does.
    pub points: Vec<(BandPoint, Option<Key>)>,
    /// All pairs in it.
    pub pairs: FxHashSet<Key>,
    pub _surfaces: Vec<Arc<Surface>>,
}

/// The result of a pair, under what was required then.
struct Found {
    result: PairResult,
    requirement: Requirement,
    /// They are told from others by their places in memory, which nothing else takes while they are held.
    _surfaces: [Arc<Surface>; 2],
    /// By what its windows go.
    front: Option<Key>,
    /// In which sweep it last came up.
    last: u64,
}

impl fmt::Debug for Known {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Known({} pairs)", self.pairs())
    }
}

impl Known {
    /// How many pairs are known.
    #[must_use]
    pub fn pairs(&self) -> usize {
        self.inside().pairs.len()
    }

    /// Whether nothing is known, for the first who asks: so that one finds it out.
    pub fn first_to_ask(&self) -> bool {
        let mut inside = self.inside();
        let first = inside.pairs.is_empty() && !inside.asked;
        inside.asked |= first;
        first
    }

    fn inside(&self) -> MutexGuard<'_, Remembered> {
        // Whatever is in it is true, also if somebody failed while adding to it.
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The band drawn last, if it was asked for like that.
    pub(super) fn band(&self, asked: Hash) -> Option<Arc<KnownBand>> {
        self.inside().band.clone().filter(|b| b.asked == asked)
    }

    pub(super) fn remember_band(&self, band: KnownBand) {
        self.inside().band = Some(Arc::new(band));
    }

    /// Another sweep begins.
    pub(super) fn begin(&self) {
        let mut inside = self.inside();
        inside.sweeps += 1;
        let now = inside.sweeps;
        inside.pairs.retain(|_, found| found.last + SWEEPS >= now);
        inside.fronts.retain(|_, (last, _)| *last + SWEEPS >= now);
    }

    /// What is known of windows of a pair.
    pub(super) fn front(&self, key: Key) -> Option<Arc<Front>> {
        self.inside()
            .fronts
            .get(&key)
            .map(|(_, front)| Arc::clone(front))
    }

    /// What the two of a pair came to last.
    pub(super) fn came_to(&self, pair: &Pair) -> Option<CameTo> {
        self.inside().last.get(&[pair.a, pair.b]).copied()
    }

    /// What is known of each pair as it is now, under what is required now.
    pub(super) fn recall(
        &self,
        asked: &[(Prepared, Key)],
        requirement: impl Fn(&Pair) -> Requirement,
    ) -> Vec<Option<PairResult>> {
        let inside = &mut *self.inside();
        let now = inside.sweeps;
        let mut recall = |(prepared, key): &(Prepared, Key)| {
            let found = inside.pairs.get_mut(key)?;
            let again = found.again(prepared, requirement(&prepared.pair))?;
            found.last = now;
            let front = found.front.and_then(|key| inside.fronts.get_mut(&key));
            if let Some((last, _)) = front {
                *last = now;
            }
            Some(prepared.as_it_stands(again))
        };
        asked.iter().map(&mut recall).collect()
    }

    /// Keeps what was found of pairs that were looked at to the end.
    pub(super) fn remember(
        &self,
        assembly: &Assembly,
        requirement: impl Fn(&Pair) -> Requirement,
        found: &mut [(Key, Looked)],
    ) {
        let mut inside = self.inside();
        let last = inside.sweeps;
        for (key, looked) in found.iter_mut().filter(|(_, l)| l.result.complete) {
            let (key, result) = (*key, &looked.result);
            let came_to = CameTo {
                attained: result.clearance.attained(),
                time: result.approach.time,
            };
            inside.last.insert([result.pair.a, result.pair.b], came_to);
            let front = looked.front.take().map(|(key, front)| {
                inside.fronts.insert(key, (last, Arc::new(front)));
                key
            });
            let surfaces = [result.pair.a, result.pair.b];
            let found = Found {
                result: result.clone(),
                requirement: requirement(&result.pair),
                _surfaces: surfaces.map(|id| Arc::clone(&assembly.body(id).surface)),
                front,
                last,
            };
            inside.pairs.insert(key, found);
        }
    }
}

impl Found {
    /// The result as that of the pair that is the same now, if it is as certain under what is required now.
    fn again(&self, now: &Prepared, requirement: Requirement) -> Option<PairResult> {
        let mut result = self.result.clone();
        if requirement != self.requirement {
            let certain = result.doubts.is_empty()
                && !result.allowed.iter().any(|a| a.depth.is_some())
                && result.clearance.lower() >= requirement.tight_below();
            if !certain {
                return None;
            }
            result.verdict = Verdict::Meets;
            for times in [&mut result.tight, &mut result.broken, &mut result.touching] {
                times.clear();
            }
        }
        for doubt in &mut result.doubts {
            if let Doubt::Open { body, .. } = doubt {
                let first = *body == result.pair.a;
                *body = if first { now.pair.a } else { now.pair.b };
            }
        }
        result.pair = now.pair;
        for (allowed, said) in result.allowed.iter_mut().zip(&now.allowed) {
            allowed.reason.clone_from(&said.reason);
        }
        Some(result)
    }
}

impl SweepOptions {
    /// All of them.
    pub(super) fn numbers(&self) -> [f64; 4] {
        let Self {
            tolerance,
            ease,
            settled_margin,
            work,
            // What is measured when is a part of every key by itself.
            during: _,
        } = *self;
        [tolerance, ease, settled_margin, work as f64]
    }
}

/// All that the result of a pair depends on, but for its rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Key(Hash);

impl std::hash::Hash for Key {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        let (start, _) = self.0.as_bytes().split_first_chunk().expect("32 bytes");
        state.write_u64(u64::from_le_bytes(*start));
    }
}

/// What tells pairs apart along one path.
pub(super) struct Keys<'a> {
    assembly: &'a Assembly,
    path: &'a Path,
    asked: Hash,
    tracks: Vec<Hash>,
    hung: FxHashMap<Option<[u64; 2]>, Hung>,
    /// The windows of some tracks, once somebody has asked.
    windows: Mutex<FxHashMap<Vec<usize>, Arc<Vec<Window>>>>,
}

/// How everything hangs at some times, and how bodies move then, once somebody has asked.
struct Hung {
    carried: Carried,
    ways: Vec<OnceLock<Way>>,
}

/// What a body's surface is and how it moves in the world, and the joints that move it.
struct Way {
    hash: Hash,
    /// The same without what the tracks do.
    still: Hash,
    joints: Vec<usize>,
}

impl<'a> Keys<'a> {
    pub fn new<'p>(
        assembly: &'a Assembly,
        path: &'a Path,
        asked: impl IntoIterator<Item = f64>,
        pairs: impl Iterator<Item = &'p Pair>,
    ) -> Self {
        let mut words = Words::default();
        words.numbers(asked);
        let track = |track| {
            let mut words = Words::default();
            words.numbers(path.track_numbers(track));
            words.hash()
        };
        let mut hung = FxHashMap::default();
        for pair in pairs {
            hung.entry(times_of(pair)).or_insert_with(|| Hung {
                carried: pair.carried(assembly, path),
                ways: assembly.bodies().iter().map(|_| OnceLock::new()).collect(),
            });
        }
        Self {
            assembly,
            path,
            asked: words.hash(),
            tracks: (0..path.track_count()).map(track).collect(),
            hung,
            windows: Mutex::default(),
        }
    }

    /// What is asked of every pair.
    pub fn asked(&self) -> Hash {
        self.asked
    }

    /// The key of a pair that counts at the times `measured`, and may touch as is `allowed`.
    pub fn of(&self, pair: &Pair, measured: &[(f64, f64)], allowed: &[Allowed]) -> Key {
        let (ways, shared) = self.ways(pair);
        let mut words = Words::default();
        words.0.extend(self.asked.as_bytes());
        for way in ways {
            words.0.extend(way.hash.as_bytes());
        }
        words.count(shared);
        let window = pair.times.unwrap_or((f64::NAN, f64::NAN));
        words.times(&[window]);
        words.times(measured);
        for allowed in allowed {
            words.numbers([allowed.depth.unwrap_or(f64::INFINITY)]);
            words.times(&allowed.times);
        }
        Key(words.hash())
    }

    /// When the two of a pair stop moving against each other, s; `None` where they never do.
    pub fn end_of(&self, pair: &Pair) -> Option<f64> {
        let tracks = self.tracks_of(pair);
        (!tracks.is_empty()).then(|| self.path.end_of(tracks.into_iter()))
    }

    /// By what is known of its windows a pair goes, and what these are; `None` where nothing of that is kept.
    pub fn windows_of(&self, pair: &Pair) -> Option<(Key, Arc<Vec<Window>>)> {
        let tracks = self.tracks_of(pair);
        if tracks.is_empty() {
            return None;
        }
        let mut known = self.windows.lock().unwrap_or_else(PoisonError::into_inner);
        let windows = known
            .entry(tracks)
            .or_insert_with_key(|tracks| Arc::new(self.windows(tracks)));
        if windows.is_empty() {
            return None;
        }
        let (ways, shared) = self.ways(pair);
        let mut words = Words::default();
        for way in ways {
            words.0.extend(way.still.as_bytes());
        }
        words.count(shared);
        Some((Key(words.hash()), Arc::clone(windows)))
    }

    /// None where there are too many.
    fn windows(&self, tracks: &[usize]) -> Vec<Window> {
        let turns = self.path.turns(tracks);
        if turns.len() > MOST_WINDOWS {
            return Vec::new();
        }
        let window = |turns: &[f64]| {
            let times = (turns[0], turns[1]);
            let mut words = Words::default();
            for &track in tracks {
                let numbers = self.path.numbers_between(track, times);
                words.count(numbers.len());
                words.numbers(numbers);
            }
            Window {
                from: times.0,
                to: times.1,
                key: Key(words.hash()),
            }
        };
        turns.windows(2).map(window).collect()
    }

    /// The tracks that move the two of a pair against each other.
    fn tracks_of(&self, pair: &Pair) -> Vec<usize> {
        let ([a, b], shared) = self.ways(pair);
        let joints = a.joints[shared..].iter().chain(&b.joints[shared..]);
        self.path.drivers_of(joints.copied())
    }

    /// How the two of a pair move, and how many joints move both as one, whatever else does the same.
    fn ways(&self, pair: &Pair) -> ([&Way; 2], usize) {
        let hung = &self.hung[&times_of(pair)];
        let [a, b] = [pair.a, pair.b].map(|id| hung.ways[id.0].get_or_init(|| self.way(hung, id)));
        let shared = a.joints.iter().zip(&b.joints).take_while(|(x, y)| x == y);
        let shared = shared.count();
        ([a, b], shared)
    }

    fn way(&self, hung: &Hung, id: BodyId) -> Way {
        let body = self.assembly.body(id);
        let chain = Chain::from_world_carrying(self.assembly, &hung.carried, body.node);
        let said = |track: &dyn Fn(&mut Words, usize)| {
            let mut words = Words::default();
            words.count(Arc::as_ptr(&body.surface).addr());
            for joint in &chain.joints {
                words.pose(&joint.origin);
                words.numbers(joint.axis.iter().copied());
                words.count(joint.kind as usize);
                words.numbers([joint.follows.ratio, joint.follows.offset]);
                match self.path.drive(joint.index) {
                    Drive::Track(at, place) => {
                        track(&mut words, at);
                        words.count(place);
                    }
                    Drive::Rest(value) => words.numbers([value]),
                }
            }
            words.pose(&chain.tail);
            words.hash()
        };
        Way {
            hash: said(&|words, at| words.0.extend(self.tracks[at].as_bytes())),
            still: said(&|words, at| words.count(at)),
            joints: chain.joints.iter().map(|joint| joint.index).collect(),
        }
    }
}

fn times_of(pair: &Pair) -> Option<[u64; 2]> {
    pair.times.map(|(from, to)| [from.to_bits(), to.to_bits()])
}

/// What a hash is taken of.
#[derive(Default)]
struct Words(Vec<u8>);

impl Words {
    fn count(&mut self, n: usize) {
        self.0.extend((n as u64).to_le_bytes());
    }

    fn numbers(&mut self, numbers: impl IntoIterator<Item = f64>) {
        for number in numbers {
            self.0.extend(number.to_bits().to_le_bytes());
        }
    }

    fn times(&mut self, times: &[(f64, f64)]) {
        self.count(times.len());
        self.numbers(times.iter().flat_map(|&(from, to)| [from, to]));
    }

    fn pose(&mut self, pose: &Pose) {
        self.numbers(pose.translation.vector.iter().copied());
        self.numbers(pose.rotation.coords.iter().copied());
    }

    fn hash(&self) -> Hash {
        blake3::hash(&self.0)
    }
}

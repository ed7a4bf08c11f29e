//! The clearance of the worst pair over time, certified, for drawing.

use std::collections::HashMap;
use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::ROUNDING;
use super::known::{Key, Keys, Known, KnownBand};
use super::near::Hung;
use super::pair_motion::PairMotion;
use super::progress::Progress;
use super::rules::Pair;
use super::sweep::PairResult;
use crate::program::Path;
use crate::robot::Assembly;
use crate::spatial::Point;

/// What is certain about the smallest clearance of all pairs during one stretch of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BandPoint {
    /// Beginning of the stretch, s.
    pub from: f64,
    /// Its end, s.
    pub to: f64,
    /// Nothing comes nearer than this during it, m.
    pub lower: f64,
    /// The smallest distance found during it, m.
    pub attained: f64,
    /// The pair that comes nearest, as a position in the list asked about.
    pub pair: usize,
}

/// The certified band of the worst pair over time; clearances above `ceiling` (m) are shown as that.
#[derive(Debug, Clone, PartialEq)]
pub struct Band {
    /// In order of time, without gaps.
    pub points: Vec<BandPoint>,
    /// m
    pub ceiling: f64,
}

/// Share of the clearance that the band may be wide, and that a query may be off.
const WIDTH: f64 = 0.03;
const SLACK: f64 = 0.01;

/// How a band is drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BandShape {
    /// From when until when, s; as far as there is a path.
    pub during: (f64, f64),
    /// In how many stretches.
    pub stretches: usize,
    /// Clearances above this are shown as this, m.
    pub ceiling: f64,
    /// Less can't be told apart, m.
    pub tolerance: f64,
}

/// A pair of a band.
#[derive(Debug, Clone, PartialEq)]
pub struct Counted {
    /// The pair.
    pub pair: Pair,
    /// When its clearance counts, s.
    pub times: Vec<(f64, f64)>,
    /// It is certain to stay this far apart then, m; 0 where nothing is known.
    pub at_least: f64,
}

impl Counted {
    /// A pair that was swept.
    #[must_use]
    pub fn of(result: &PairResult, path: &Path) -> Self {
        Self {
            pair: result.pair,
            times: result.measured(path),
            at_least: result.clearance.lower(),
        }
    }
}

/// Splits a time into stretches and bounds the smallest clearance of `pairs` in each. The band is narrowed until it is as wide
/// as the tolerance or three hundredths of the clearance: what can be told apart in a chart. Pairs between which nothing ever
/// moves would be a straight line through it, and are left out.
#[must_use]
pub fn clearance_band(
    assembly: &Assembly,
    path: &Path,
    pairs: &[Counted],
    shape: &BandShape,
    progress: &Progress,
) -> Band {
    let known = Known::default();
    clearance_band_again(assembly, path, pairs, shape, (&known, progress))
}

/// The same, with what is `known` of the band before: where the pair that came nearest is just as it was, only pairs that are
/// not are looked at.
#[must_use]
pub fn clearance_band_again(
    assembly: &Assembly,
    path: &Path,
    pairs: &[Counted],
    shape: &BandShape,
    (known, progress): (&Known, &Progress),
) -> Band {
    let &BandShape {
        during,
        stretches,
        ceiling,
        tolerance,
    } = shape;
    let (from, to) = (during.0.max(0.0), during.1.min(path.duration()));
    let edge = |i: usize| from + (to - from) * i as f64 / stretches as f64;
    let empty: Vec<BandPoint> = (0..stretches)
        .map(|i| BandPoint {
            from: edge(i),
            to: edge(i + 1),
            lower: ceiling,
            attained: ceiling,
            pair: 0,
        })
        .collect();
    if from >= to || pairs.is_empty() {
        return Band {
            points: Vec::new(),
            ceiling,
        };
    }
    let moving: Vec<(usize, &Counted)> = pairs
        .iter()
        .enumerate()
        .filter(|(_, counted)| counted.pair.moves(assembly, path))
        .collect();
    let asked = [from, to, stretches as f64, ceiling, tolerance];
    let keys = Keys::new(assembly, path, asked, moving.iter().map(|(_, c)| &c.pair));
    let key_of = |(_, c): &(usize, &Counted)| keys.of(&c.pair, &c.times, &[]);
    let key: Vec<Key> = moving.par_iter().map(key_of).collect();
    let before = known.band(keys.asked());
    let begun = Begun::on(before.as_deref(), &key, empty);
    let chunk = stretches.div_ceil(rayon::current_num_threads() * 4).max(1);
    progress.expect(stretches);
    let counted = moving.iter().flat_map(|(_, c)| [c.pair.a, c.pair.b]);
    let hung = Hung::along(assembly, path, counted);
    let Begun {
        mut points,
        fresh,
        changed,
    } = begun;
    let all: Vec<usize> = (0..moving.len()).collect();
    runs(&mut points, &fresh, chunk)
        .into_par_iter()
        .for_each(|(points, fresh)| {
            let mut part = Part {
                assembly,
                path,
                moving: &moving,
                hung: &hung,
                motions: HashMap::new(),
                tolerance,
                progress,
            };
            let left = if fresh { &all } else { &changed };
            part.sample(points, left);
            part.narrow(points, left.clone());
            if !progress.stopped() {
                progress.step(points.len());
            }
        });
    if !progress.stopped() {
        let nearest = |p: &BandPoint| (p.attained < ceiling).then(|| key[p.pair]);
        let bodies = moving.iter().flat_map(|(_, c)| [c.pair.a, c.pair.b]);
        known.remember_band(KnownBand {
            asked: keys.asked(),
            points: points.iter().map(|p| (*p, nearest(p))).collect(),
            pairs: key.iter().copied().collect(),
            _surfaces: bodies
                .map(|id| Arc::clone(&assembly.body(id).surface))
                .collect(),
        });
    }
    for point in &mut points {
        point.pair = moving.get(point.pair).map_or(0, |(index, _)| *index);
    }
    Band { points, ceiling }
}

/// Where the band begins: what is known of it, and what has to be looked at.
struct Begun {
    /// Their pairs are positions in the list of pairs that move.
    points: Vec<BandPoint>,
    /// Whether nothing is known of them.
    fresh: Vec<bool>,
    /// Pairs that are not as they were.
    changed: Vec<usize>,
}

impl Begun {
    fn on(before: Option<&KnownBand>, keys: &[Key], mut points: Vec<BandPoint>) -> Self {
        let Some(before) = before else {
            return Self {
                fresh: vec![true; points.len()],
                changed: Vec::new(),
                points,
            };
        };
        let at: FxHashMap<Key, usize> = keys.iter().enumerate().map(|(i, k)| (*k, i)).collect();
        let known = |(point, before): (&mut BandPoint, &(BandPoint, Option<Key>))| {
            let pair = match before.1 {
                Some(nearest) => at.get(&nearest).copied(),
                None => Some(0),
            };
            if let Some(pair) = pair {
                *point = BandPoint { pair, ..before.0 };
            }
            pair.is_none()
        };
        Self {
            fresh: points.iter_mut().zip(&before.points).map(known).collect(),
            changed: (0..keys.len())
                .filter(|&i| !before.pairs.contains(&keys[i]))
                .collect(),
            points,
        }
    }
}

/// Points next to each other that are all `fresh` or all not, no more than `most` of them.
fn runs<'a>(
    points: &'a mut [BandPoint],
    fresh: &[bool],
    most: usize,
) -> Vec<(&'a mut [BandPoint], bool)> {
    let (mut runs, mut rest) = (Vec::new(), points);
    for alike in fresh.chunk_by(|x, y| x == y) {
        for run in alike.chunks(most) {
            let (taken, left) = rest.split_at_mut(run.len());
            runs.push((taken, run[0]));
            rest = left;
        }
    }
    runs
}

/// A part of the band, with the pairs that were looked at for it.
struct Part<'a> {
    assembly: &'a Assembly,
    path: &'a Path,
    moving: &'a [(usize, &'a Counted)],
    hung: &'a [Hung<'a>],
    motions: HashMap<usize, PairMotion<'a>>,
    tolerance: f64,
    progress: &'a Progress,
}

impl<'a> Part<'a> {
    fn motion(&mut self, at: usize) -> &mut PairMotion<'a> {
        let (assembly, path, moving) = (self.assembly, self.path, self.moving);
        self.motions
            .entry(at)
            .or_insert_with(|| PairMotion::of(assembly, path, &moving[at].1.pair))
    }

    /// The balls round all bodies during a stretch, where nothing is taken or set down meanwhile.
    fn balls(&self, from: f64, to: f64) -> Option<Vec<(Point, f64)>> {
        let hung = self.hung.iter().find(|h| h.from <= from && to <= h.to)?;
        Some(hung.bodies.during(from, to))
    }

    fn gap(&self, balls: &[(Point, f64)], at: usize) -> f64 {
        let pair = &self.moving[at].1.pair;
        let ((p, r), (q, s)) = (balls[pair.a.0], balls[pair.b.0]);
        (p - q).norm() - r - s - ROUNDING
    }

    /// Looks at every pair in the middle of every stretch, the nearest first: once it is known how near that comes, little is
    /// asked of the others.
    fn sample(&mut self, points: &mut [BandPoint], among: &[usize]) {
        for point in points {
            if self.progress.stopped() {
                return;
            }
            let time = f64::midpoint(point.from, point.to);
            let Some(balls) = self.balls(time, time) else {
                continue;
            };
            let counts = |at: &usize| {
                let times = &self.moving[*at].1.times;
                times.iter().any(|(from, to)| (from..=to).contains(&&time))
            };
            let may_matter = |at: &&usize| self.moving[**at].1.at_least < point.attained;
            let mut near: Vec<(f64, usize)> = among
                .iter()
                .filter(may_matter)
                .map(|&at| (self.gap(&balls, at), at))
                .filter(|(gap, at)| *gap < point.attained && counts(at))
                .collect();
            near.sort_by(|x, y| x.0.total_cmp(&y.0));
            for (gap, at) in near {
                if gap >= point.attained {
                    break;
                }
                let slack = point.attained * SLACK;
                let (look, _) = self.motion(at).look(time, point.attained, slack);
                if let Some(attained) = look.attained.filter(|&d| d < point.attained) {
                    point.attained = attained;
                    point.pair = at;
                }
            }
        }
    }

    /// How far apart a pair must be during `points` to change nothing about them, m.
    fn needed(&self, points: &[BandPoint]) -> f64 {
        let needed = points
            .iter()
            .map(|p| p.lower.min(wanted(p, self.tolerance)));
        needed.fold(0.0, f64::max)
    }

    /// Lowers the band to what the pairs of `left` do; halves it for those that this does not settle narrowly enough.
    fn narrow(&mut self, points: &mut [BandPoint], mut left: Vec<usize>) {
        let (from, to) = (points[0].from, points[points.len() - 1].to);
        let most = self.needed(points);
        left.retain(|&at| {
            let Counted {
                times, at_least, ..
            } = self.moving[at].1;
            if !times.iter().any(|s| s.0.max(from) < s.1.min(to)) {
                return false;
            }
            if *at_least >= most {
                lower_to(points, *at_least);
            }
            *at_least < most
        });
        if left.is_empty() {
            return;
        }
        if let Some(balls) = self.balls(from, to) {
            let needed = self.needed(points);
            left.retain(|&at| {
                let gap = self.gap(&balls, at);
                if gap >= needed {
                    lower_to(points, gap);
                }
                gap < needed
            });
        }
        if let [point] = points {
            // The one that came nearest lowers it most: little is asked of the others then.
            left.sort_by_key(|&at| at != point.pair);
            for at in left {
                for &(start, end) in &self.moving[at].1.times {
                    let within = (start.max(from), end.min(to));
                    if within.0 < within.1 && !self.progress.stopped() {
                        let tolerance = self.tolerance;
                        narrow_one(self.motion(at), point, within, (at, tolerance));
                    }
                }
            }
            return;
        }
        left.retain(|&at| {
            let times = &self.moving[at].1.times;
            let whole = times.iter().any(|s| s.0 <= from && to <= s.1);
            if !whole || self.progress.stopped() {
                return true;
            }
            // A bound beyond that settles all of them, one below none.
            let needed = self.needed(points);
            let most = points.iter().map(|p| p.attained).fold(0.0, f64::max);
            let over = self
                .motion(at)
                .over((from, to), (needed, needed), (0.0, most * 2.0));
            if over.lower >= needed {
                lower_to(points, over.lower);
            }
            over.lower < needed
        });
        if left.is_empty() || self.progress.stopped() {
            return;
        }
        let (before, after) = points.split_at_mut(points.len() / 2);
        self.narrow(before, left.clone());
        self.narrow(after, left);
    }
}

/// Nothing is narrower than this: what can be told apart in a chart.
fn wanted(point: &BandPoint, tolerance: f64) -> f64 {
    point.attained - tolerance.max(point.attained * WIDTH)
}

fn lower_to(points: &mut [BandPoint], bound: f64) {
    for point in points {
        point.lower = point.lower.min(bound);
    }
}

/// Lowers a stretch of the band to what a pair does `within` it, which is halved until that is narrow enough.
fn narrow_one(
    motion: &mut PairMotion,
    point: &mut BandPoint,
    within: (f64, f64),
    (pair, tolerance): (usize, f64),
) {
    let mut open = vec![within];
    let mut lower = f64::INFINITY;
    while let Some((from, to)) = open.pop() {
        let enough = point.lower.min(wanted(point, tolerance));
        let slack = point.attained * SLACK;
        let over = motion.over((from, to), (0.0, enough), (slack, f64::INFINITY));
        if let Some(d) = over.look.attained.filter(|&d| d < point.attained) {
            point.attained = d;
            point.pair = pair;
        }
        if over.lower >= point.lower.min(wanted(point, tolerance)) || to - from < 1e-4 {
            lower = lower.min(over.lower);
            continue;
        }
        let middle = f64::midpoint(from, to);
        open.extend([(from, middle), (middle, to)]);
    }
    point.lower = point.lower.min(lower);
}

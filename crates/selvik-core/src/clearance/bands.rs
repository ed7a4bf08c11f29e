//! The clearance of the worst pair over time, certified, for drawing.

use std::sync::atomic::{AtomicUsize, Ordering};

use rayon::prelude::*;

use super::pair_motion::{Look, PairMotion, lower_between};
use super::progress::Progress;
use super::rules::Pair;
use crate::program::Path;
use crate::robot::Assembly;

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

/// A pair, and the times (s) at which its clearance counts.
pub type Counted = (Pair, Vec<(f64, f64)>);

/// Splits the path into `stretches` and bounds the smallest clearance of `pairs` in each. The band
/// is narrowed until it is `tolerance` (m) or three hundredths of the clearance wide: what can be told
/// apart in a chart. Pairs between which nothing ever moves would be a straight line through it, and are left out.
#[must_use]
pub fn clearance_band(
    assembly: &Assembly,
    path: &Path,
    pairs: &[Counted],
    (stretches, ceiling, tolerance): (usize, f64, f64),
    progress: &Progress,
) -> Band {
    let duration = path.duration();
    let edge = |i: usize| duration * i as f64 / stretches as f64;
    let empty: Vec<BandPoint> = (0..stretches)
        .map(|i| BandPoint {
            from: edge(i),
            to: edge(i + 1),
            lower: ceiling,
            attained: ceiling,
            pair: 0,
        })
        .collect();
    if duration <= 0.0 || pairs.is_empty() {
        return Band {
            points: Vec::new(),
            ceiling,
        };
    }
    let moves = |pair: &Pair| {
        let carried = pair.carried(assembly, path);
        let node = |id| assembly.body(id).node;
        let [a, b] = [pair.a, pair.b].map(|id| assembly.moving_above_carrying(node(id), &carried));
        a != b
    };
    let moving: Vec<(usize, &Counted)> = pairs
        .iter()
        .enumerate()
        .filter(|(_, (pair, _))| moves(pair))
        .collect();
    let chunk = stretches.div_ceil(rayon::current_num_threads() * 4).max(1);
    let mut points = empty;
    progress.expect(moving.len());
    let drawn: Vec<AtomicUsize> = pairs.iter().map(|_| AtomicUsize::new(0)).collect();
    let parts = stretches.div_ceil(chunk);
    points.par_chunks_mut(chunk).for_each(|part| {
        for &(index, (pair, times)) in &moving {
            if progress.stopped() {
                return;
            }
            during(times, part, |part| {
                sample(&mut PairMotion::of(assembly, path, pair), part, index);
            });
        }
        for &(index, (pair, times)) in &moving {
            if progress.stopped() {
                return;
            }
            during(times, part, |part| {
                let mut motion = PairMotion::of(assembly, path, pair);
                let ends = (
                    motion.glance(part[0].from),
                    motion.glance(part[part.len() - 1].to),
                );
                narrow(&mut motion, part, ends, index, tolerance);
            });
            if drawn[index].fetch_add(1, Ordering::Relaxed) + 1 == parts {
                progress.step();
            }
        }
    });
    Band { points, ceiling }
}

/// Does something to those of `points` that overlap `times`, cut to them meanwhile.
fn during(times: &[(f64, f64)], points: &mut [BandPoint], mut run: impl FnMut(&mut [BandPoint])) {
    for &(from, to) in times {
        let first = points.partition_point(|p| p.to <= from);
        let end = points.partition_point(|p| p.from < to);
        if first >= end {
            continue;
        }
        let points = &mut points[first..end];
        let last = points.len() - 1;
        let whole = (points[0].from, points[last].to);
        points[0].from = whole.0.max(from);
        points[last].to = whole.1.min(to);
        run(points);
        points[0].from = whole.0;
        points[last].to = whole.1;
    }
}

/// Looks at the pair in the middle of every stretch: once it is known how near the nearest comes, little is
/// asked of the others.
fn sample(motion: &mut PairMotion, points: &mut [BandPoint], pair: usize) {
    for point in points {
        let look = motion.glance(f64::midpoint(point.from, point.to));
        let look = closer(motion, look, point.attained, 0.0);
        if let Some(attained) = look.attained.filter(|&d| d < point.attained) {
            point.attained = attained;
            point.pair = pair;
        }
    }
}

/// Lowers the band to what the pair does, which was looked at where it begins and ends; halves it
/// where that does not settle that it is narrow enough.
fn narrow(
    motion: &mut PairMotion,
    points: &mut [BandPoint],
    (a, b): (Look, Look),
    pair: usize,
    tolerance: f64,
) {
    let wanted = |attained: f64| attained - tolerance.max(attained * WIDTH);
    let travel = motion.motion(&a, &b);
    let bound = lower_between(&a, &b, travel);
    if points
        .iter()
        .all(|p| bound >= p.lower.min(wanted(p.attained)))
    {
        for point in points {
            point.lower = point.lower.min(bound);
        }
        return;
    }
    let most = points.iter().map(|p| p.attained).fold(0.0, f64::max);
    if points.len() > 1 {
        let (before, after) = points.split_at_mut(points.len() / 2);
        let rough = motion.glance(after[0].from);
        // Where the bodies travel farther than they are apart a closer look settles nothing yet.
        let middle = if travel > most {
            rough
        } else {
            closer(motion, rough, most, travel)
        };
        narrow(motion, before, (a, middle.clone()), pair, tolerance);
        narrow(motion, after, (middle, b), pair, tolerance);
        return;
    }
    let point = &mut points[0];
    let slack = point.attained * SLACK;
    let (a, b) = (
        closer(motion, a, most, travel),
        closer(motion, b, most, travel),
    );
    let mut open = vec![(a, b)];
    let mut lower = f64::INFINITY;
    while let Some((a, b)) = open.pop() {
        for look in [&a, &b] {
            if let Some(d) = look.attained.filter(|&d| d < point.attained) {
                point.attained = d;
                point.pair = pair;
            }
        }
        let travel = motion.motion(&a, &b);
        let bound = lower_between(&a, &b, travel);
        if bound >= wanted(point.attained) || b.time - a.time < 1e-4 {
            lower = lower.min(bound);
            continue;
        }
        let middle: Look = motion
            .look(
                f64::midpoint(a.time, b.time),
                point.attained + travel,
                slack,
            )
            .0;
        open.push((a, middle.clone()));
        open.push((middle, b));
    }
    point.lower = point.lower.min(lower);
}

/// Looks again, at the surfaces themselves, unless what is known is enough for so much `travel` (m).
fn closer(motion: &mut PairMotion, look: Look, most: f64, travel: f64) -> Look {
    let enough = most + travel;
    if look.attained.is_some() || look.lower >= enough {
        return look;
    }
    motion.look(look.time, enough, most * SLACK).0
}

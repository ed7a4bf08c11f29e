//! The clearance of the worst pair over time, certified, for drawing.

use rayon::prelude::*;

use super::minimum::{Look, PairMotion, lower_between};
use super::rules::Pair;
use super::sweep::Progress;
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

/// Splits the path into `stretches` and bounds the smallest clearance of `pairs` in each. The band
/// is narrowed until it is `tolerance` (m) or a hundredth of the clearance wide.
#[must_use]
pub fn clearance_band(
    assembly: &Assembly,
    path: &Path,
    pairs: &[Pair],
    (stretches, ceiling, tolerance): (usize, f64, f64),
    progress: &Progress,
) -> Band {
    let duration = path.duration();
    let edge = |i: usize| duration * i as f64 / stretches as f64;
    let empty: Vec<BandPoint> = (0..stretches)
        .map(|i| BandPoint { from: edge(i), to: edge(i + 1), lower: ceiling, attained: ceiling, pair: 0 })
        .collect();
    if duration <= 0.0 || pairs.is_empty() {
        return Band { points: Vec::new(), ceiling };
    }
    let chunk = stretches.div_ceil(rayon::current_num_threads() * 4).max(1);
    let mut points = empty;
    points.par_chunks_mut(chunk).for_each(|part| {
        for (index, pair) in pairs.iter().enumerate() {
            if progress.stopped() {
                return;
            }
            let mut motion = PairMotion::new(assembly, path, pair.a, pair.b);
            narrow(&mut motion, part, 0..part.len(), index, tolerance);
        }
    });
    Band { points, ceiling }
}

/// Lowers the band over `range` to what the pair does there; halves the range where the pair's
/// bound over the whole of it is not above the band.
fn narrow(
    motion: &mut PairMotion,
    points: &mut [BandPoint],
    range: std::ops::Range<usize>,
    pair: usize,
    tolerance: f64,
) {
    let highest = points[range.clone()].iter().map(|p| p.lower).fold(0.0, f64::max);
    let (a, b) = (motion.glance(points[range.start].from), motion.glance(points[range.end - 1].to));
    let travel = motion.motion(&a, &b);
    if lower_between(&a, &b, travel) >= highest {
        return;
    }
    if range.len() > 1 {
        let middle = range.start + range.len() / 2;
        narrow(motion, points, range.start..middle, pair, tolerance);
        narrow(motion, points, middle..range.end, pair, tolerance);
        return;
    }
    let point = &mut points[range.start];
    let enough = point.attained + travel;
    let slack = point.attained * 0.005;
    let a = motion.look(a.time, enough, slack).0;
    let b = motion.look(b.time, enough, slack).0;
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
        let wanted = point.attained - tolerance.max(point.attained * 0.01);
        if bound >= wanted || b.time - a.time < 1e-4 {
            lower = lower.min(bound);
            continue;
        }
        let middle: Look = motion.look(f64::midpoint(a.time, b.time), point.attained + travel, slack).0;
        open.push((a, middle.clone()));
        open.push((middle, b));
    }
    point.lower = point.lower.min(lower);
}

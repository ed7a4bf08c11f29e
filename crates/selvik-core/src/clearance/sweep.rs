//! Every pair under a rule, over the whole path.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use rayon::prelude::*;

use super::minimum::{Aim, Approach, Bracket, PairMotion};
use super::rules::{LeftOut, Pair, RuleSet};
use super::violations::{Interval, TOUCH, intervals_below};
use crate::program::Path;
use crate::robot::Assembly;

/// How closely to look.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SweepOptions {
    /// Brackets of what is broken or tight are no wider than this, m.
    pub tolerance: f64,
    /// Above what counts as tight a bracket may be wider by this share of what lies above.
    pub ease: f64,
    /// Pairs that certainly stay this much above what counts as tight are not bracketed any closer,
    /// m; infinite brackets every pair.
    pub settled_margin: f64,
}

impl SweepOptions {
    /// Brackets every pair within `tolerance`, also those far from their rule.
    #[must_use]
    pub fn every_pair(tolerance: f64) -> Self {
        Self { tolerance, ease: 0.0, settled_margin: f64::INFINITY }
    }
}

impl Default for SweepOptions {
    fn default() -> Self {
        Self { tolerance: 1e-4, ease: 0.15, settled_margin: 0.05 }
    }
}

/// How far long work has come; shared with whoever watches or stops it.
#[derive(Debug, Default)]
pub struct Progress {
    done: AtomicUsize,
    total: AtomicUsize,
    stopped: AtomicBool,
}

impl Progress {
    /// Steps done, and steps in all: a pair swept, or drawn in the band, is one.
    #[must_use]
    pub fn state(&self) -> (usize, usize) {
        (self.done.load(Ordering::Relaxed), self.total.load(Ordering::Relaxed))
    }

    /// So many more steps lie ahead.
    pub(super) fn expect(&self, steps: usize) {
        self.total.fetch_add(steps, Ordering::Relaxed);
    }

    /// One step is done.
    pub(super) fn step(&self) {
        self.done.fetch_add(1, Ordering::Relaxed);
    }

    /// Asks the work to stop; it does within a query.
    pub fn stop(&self) {
        self.stopped.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to stop.
    #[must_use]
    pub fn stopped(&self) -> bool {
        self.stopped.load(Ordering::Relaxed)
    }
}

/// What a pair makes of its rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// Less than required, or not certain to be more.
    Broken,
    /// Less than what counts as tight.
    Tight,
    /// More than that all the time.
    Meets,
}

/// What the sweep found for one pair.
#[derive(Debug, Clone, PartialEq)]
pub struct PairResult {
    /// The bodies and their rule.
    pub pair: Pair,
    /// Where the smallest clearance lies.
    pub clearance: Bracket,
    /// When and where it was found.
    pub approach: Approach,
    /// What that makes of the rule.
    pub verdict: Verdict,
    /// When the rule is broken.
    pub broken: Vec<Interval>,
    /// When the clearance is below what counts as tight; includes the broken times.
    pub tight: Vec<Interval>,
    /// When the bodies touch or overlap.
    pub touching: Vec<Interval>,
    /// `false` when the sweep was stopped before this pair was certain.
    pub complete: bool,
}

/// The clearance of every pair under a rule, over the whole path.
#[derive(Debug, Clone, PartialEq)]
pub struct Sweep {
    /// Worst first: by verdict, then by how much of the required clearance is there.
    pub pairs: Vec<PairResult>,
    /// Pairs a rule names that are not measured.
    pub left_out: Vec<LeftOut>,
    /// `false` when it was stopped.
    pub complete: bool,
}

/// Sweeps all pairs of `rules` along `path`, on all threads of the current pool.
#[must_use]
pub fn sweep(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    options: &SweepOptions,
    progress: &Progress,
) -> Sweep {
    let (pairs, left_out) = rules.pairs(assembly);
    progress.expect(pairs.len());
    let mut results: Vec<PairResult> = pairs
        .into_par_iter()
        .filter_map(|pair| {
            if progress.stopped() {
                return None;
            }
            let result = sweep_pair(assembly, path, rules, pair, options, progress);
            progress.step();
            Some(result)
        })
        .collect();
    results.sort_by(|x, y| {
        let share = |r: &PairResult| r.clearance.attained() / rules.rules[r.pair.rule].requirement.required();
        x.verdict.cmp(&y.verdict).then(share(x).total_cmp(&share(y)))
    });
    Sweep { pairs: results, left_out, complete: !progress.stopped() }
}

fn sweep_pair(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    pair: Pair,
    options: &SweepOptions,
    progress: &Progress,
) -> PairResult {
    let requirement = rules.rules[pair.rule].requirement;
    let mut motion = PairMotion::new(assembly, path, pair.a, pair.b);
    let whole = (0.0, path.duration());
    let keep_on = || !progress.stopped();
    let aim = Aim {
        tolerance: options.tolerance,
        critical: requirement.tight_below(),
        ease: options.ease,
        settled: requirement.tight_below() + options.settled_margin,
    };
    let (clearance, approach) = motion.minimum(whole, &aim, &keep_on);
    let verdict = if clearance.lower() < requirement.required() {
        // Within the tolerance of the requirement the attained distance decides.
        if clearance.attained() < requirement.required() || clearance.width() > options.tolerance {
            Verdict::Broken
        } else {
            Verdict::Tight
        }
    } else if clearance.attained() < requirement.tight_below() {
        Verdict::Tight
    } else {
        Verdict::Meets
    };
    let mut below = |threshold: f64, wanted: bool| {
        if wanted && keep_on() {
            intervals_below(&mut motion, whole, threshold, options.tolerance, &keep_on)
        } else {
            Vec::new()
        }
    };
    let broken = below(requirement.required(), verdict == Verdict::Broken);
    let tight = below(requirement.tight_below(), verdict != Verdict::Meets);
    let touching = below(TOUCH, clearance.attained() < TOUCH);
    PairResult { pair, clearance, approach, verdict, broken, tight, touching, complete: keep_on() }
}

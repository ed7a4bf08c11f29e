//! Every pair under a rule, over the whole path.

use super::along::{Along, Recalled};
use super::bracket::{Approach, Bracket};
use super::known::Known;
use super::overlap_depth::DepthBracket;
use super::pairwise::{allowed, window, without};
use super::progress::Progress;
use super::rules::{Named, Pair, RuleSet};
use super::scope::{LeftOut, LeftOutReason, RuleScope, Scope};
use super::verdict::{Doubt, Verdict};
use super::violations::Interval;
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
    /// How many pairs of boxes may be looked at for each question about a pair; what is not known by then is
    /// not certified.
    pub work: u64,
    /// The only times that are of interest, s; pairs about others are left aside.
    pub during: Option<(f64, f64)>,
}

/// Some seconds on one core.
const WORK: u64 = 60_000_000;

impl SweepOptions {
    /// Brackets every pair within `tolerance` (m), also those far from their rule.
    #[must_use]
    pub fn every_pair(tolerance: f64) -> Self {
        Self {
            tolerance,
            ease: 0.0,
            settled_margin: f64::INFINITY,
            work: WORK,
            during: None,
        }
    }
}

impl Default for SweepOptions {
    fn default() -> Self {
        Self {
            tolerance: 1e-4,
            ease: 0.15,
            settled_margin: 0.05,
            work: WORK,
            during: None,
        }
    }
}

/// What the sweep found for one pair.
#[derive(Debug, Clone, PartialEq)]
pub struct PairResult {
    /// The bodies and their rule.
    pub pair: Pair,
    /// Where the smallest clearance lies, at the times at which they may not touch.
    pub clearance: Bracket,
    /// When and where it was found.
    pub approach: Approach,
    /// What that makes of the rule.
    pub verdict: Verdict,
    /// Why nothing better is certified, where that is so.
    pub doubts: Vec<Doubt>,
    /// When the rule is broken, or not certain to be kept.
    pub broken: Vec<Interval>,
    /// When the clearance is below what counts as tight; includes the broken times.
    pub tight: Vec<Interval>,
    /// When the bodies touch or overlap.
    pub touching: Vec<Interval>,
    /// When and why they may touch.
    pub allowed: Vec<Allowed>,
    /// `false` when it was stopped, or hurried, before this pair was looked at as closely as was wanted.
    pub complete: bool,
}

impl PairResult {
    /// Whether another verdict may yet be certified: it was stopped, or hurried, before that was seen.
    #[must_use]
    pub fn is_open(&self) -> bool {
        let may_be_better = matches!(self.verdict, Verdict::NotCertified | Verdict::Tight);
        !self.complete && may_be_better
    }

    /// The times at which they may not touch, s: those that the clearance is about.
    #[must_use]
    pub fn measured(&self, path: &Path) -> Vec<(f64, f64)> {
        let allowed = self.allowed.iter().flat_map(|a| a.times.iter().copied());
        without(window(path, &self.pair), allowed)
    }
}

/// Times at which two bodies may touch.
#[derive(Debug, Clone, PartialEq)]
pub struct Allowed {
    /// Why.
    pub reason: String,
    /// From when until when, s.
    pub times: Vec<(f64, f64)>,
    /// How deep they may overlap, m.
    pub depth: Option<f64>,
    /// How deep they do at most, where that is limited.
    pub found: Option<DepthBracket>,
}

/// What became of one rule.
#[derive(Debug, Clone, PartialEq)]
pub struct RuleResult {
    /// The worst of its pairs; not certified where it measures nothing or names what has no body.
    pub verdict: Verdict,
    /// What it names.
    pub scope: RuleScope,
    /// How many of its pairs were not looked at, because the sweep was stopped before.
    pub unlooked: usize,
}

/// The clearance of every pair under a rule, over the whole path.
#[derive(Debug, Clone, PartialEq)]
pub struct Sweep {
    /// Worst first: by verdict, then by how much of the required clearance is there.
    pub pairs: Vec<PairResult>,
    /// Pairs a rule names that are not measured.
    pub left_out: Vec<LeftOut>,
    /// One a rule, in their order.
    pub rules: Vec<RuleResult>,
    /// How many pairs were known from sweeps before.
    pub recalled: usize,
    /// `false` when it was stopped.
    pub complete: bool,
}

impl Sweep {
    /// What it all comes to: the worst of the rules; not certified where there is none, or it was stopped.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        let worst = self
            .rules
            .iter()
            .map(|r| r.verdict)
            .min()
            .unwrap_or(Verdict::NotCertified);
        if self.complete {
            worst
        } else {
            worst.min(Verdict::NotCertified)
        }
    }
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
    sweep_again(
        assembly,
        path,
        rules,
        options,
        (&Known::default(), progress),
    )
}

/// The same, looking only at pairs that are not `known` as they are now; what is found of them is known afterwards.
#[must_use]
pub fn sweep_again(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    options: &SweepOptions,
    (known, progress): (&Known, &Progress),
) -> Sweep {
    known.begin();
    let of = Along::new(assembly, path, rules, options);
    progress.expect(of.scope.pairs.len());
    let (mut found, mut unknown) = (Vec::new(), Vec::new());
    let Recalled { pairs, aside } = of.recalled(known);
    for (prepared, key, result) in pairs {
        match result {
            Some(result) => found.push(result),
            None => unknown.push((prepared, key)),
        }
    }
    let recalled = found.len();
    progress.step(recalled);
    let (prepared, mut anew) = of.swept_anew(unknown, progress);
    known.remember(assembly, |pair| of.requirement(pair), &mut anew);
    let anew = prepared.iter().zip(anew);
    found.extend(anew.map(|(prepared, (_, looked))| prepared.as_it_stands(looked.result)));
    of.summed((found, aside), recalled, !progress.stopped())
}

/// What is `known` already, without looking at anything: the pairs that sweeps before have looked at to the end, also one that
/// was stopped. It is not complete, whatever it holds.
#[must_use]
pub fn swept_before(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    options: &SweepOptions,
    known: &Known,
) -> Sweep {
    let of = Along::new(assembly, path, rules, options);
    let Recalled { pairs, aside } = of.recalled(known);
    let found = pairs.into_iter().filter_map(|(.., result)| result);
    let found: Vec<PairResult> = found.collect();
    let count = found.len();
    of.summed((found, aside), count, false)
}

/// What the rules come to along `path`: pairs that may touch to any depth at all of their times are left out like those
/// that may touch without limit.
#[must_use]
pub fn scope_along(assembly: &Assembly, path: &Path, rules: &RuleSet) -> Scope {
    let mut scope = rules.scope(assembly, path);
    leave_out_what_may_always_touch(&mut scope, assembly, path, rules);
    scope
}

fn leave_out_what_may_always_touch(
    scope: &mut Scope,
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
) {
    let always = |pair: &Pair| -> Option<String> {
        let mut free = allowed(assembly, path, rules, pair);
        free.retain(|a| a.depth.is_none());
        let reason = free.first()?.reason.clone();
        let times = free.iter().flat_map(|a| a.times.iter().copied());
        without(window(path, pair), times)
            .is_empty()
            .then_some(reason)
    };
    let mut kept = Vec::with_capacity(scope.pairs.len());
    for pair in scope.pairs.drain(..) {
        match always(&pair) {
            None => kept.push(pair),
            Some(reason) => {
                let of_rule = &mut scope.rules[pair.rule];
                of_rule.measured -= 1;
                of_rule.left_out += 1;
                let reason = LeftOutReason::Allowed(reason);
                scope.left_out.push(LeftOut {
                    a: pair.a,
                    b: pair.b,
                    reason,
                });
            }
        }
    }
    scope.pairs = kept;
}

/// Names of what has no body, for sentences.
#[must_use]
pub fn named(assembly: &Assembly, named: &Named) -> String {
    let item = &assembly.cell().items()[named.item].name;
    match (named.link, assembly.mechanism(named.item)) {
        (Some(link), Some(mechanism)) => {
            format!("{item} {}", mechanism.links()[link].name.replace('_', " "))
        }
        _ => item.clone(),
    }
}

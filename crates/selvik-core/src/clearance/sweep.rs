//! Every pair under a rule, over the whole path.

use rayon::prelude::*;

use super::bracket::{Approach, Bracket};
use super::known::{Key, Keys, Known};
use super::near::{Asked, Near, when_near};
use super::overlap_depth::DepthBracket;
use super::pairwise::{Looked, Pairwise, Prepared, allowed, window, without};
use super::progress::Progress;
use super::rules::{Named, Pair, Requirement, RuleSet};
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
    /// `false` when the sweep was stopped before this pair was certain.
    pub complete: bool,
}

impl PairResult {
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

/// Rules along a path, and how closely they are looked at.
pub(super) struct Along<'a> {
    pub assembly: &'a Assembly,
    pub path: &'a Path,
    pub rules: &'a RuleSet,
    pub options: &'a SweepOptions,
    pub scope: Scope,
    pub keys: Keys<'a>,
}

/// What is known of pairs as they are now.
pub(super) struct Recalled {
    /// Each that is about times of interest.
    pub pairs: Vec<(Prepared, Key, Option<PairResult>)>,
    /// For each rule, how many of its pairs are about no time of interest.
    pub aside: Vec<usize>,
}

/// Two that never move against each other are looked at for so long, s: what they do then they do for ever.
const A_WHILE: f64 = 1.0;

impl<'a> Along<'a> {
    pub fn new(
        assembly: &'a Assembly,
        path: &'a Path,
        rules: &'a RuleSet,
        options: &'a SweepOptions,
    ) -> Self {
        let scope = scope_along(assembly, path, rules);
        let keys = Keys::new(assembly, path, options.numbers(), scope.pairs.iter());
        Self {
            assembly,
            path,
            rules,
            options,
            scope,
            keys,
        }
    }

    pub fn requirement(&self, pair: &Pair) -> Requirement {
        self.rules.rules[pair.rule].requirement
    }

    pub fn recalled(&self, known: &Known) -> Recalled {
        let asked = self.of_interest();
        let mut aside: Vec<usize> = self.scope.rules.iter().map(|of| of.measured).collect();
        for (prepared, _) in &asked {
            aside[prepared.pair.rule] -= 1;
        }
        let results = known.recall(&asked, |pair| self.requirement(pair));
        let pairs = asked.into_iter().zip(results);
        Recalled {
            pairs: pairs.map(|((p, key), result)| (p, key, result)).collect(),
            aside,
        }
    }

    /// The pairs about times that are of interest.
    fn of_interest(&self) -> Vec<(Prepared, Key)> {
        let (assembly, path, during) = (self.assembly, self.path, self.options.during);
        let prepared = |&pair: &Pair| {
            let prepared = Prepared::new(assembly, path, self.rules, pair, during)?;
            let begins = prepared.measured.first().map_or(0.0, |times| times.0);
            let end = self.keys.end_of(&pair).unwrap_or(begins + A_WHILE);
            let prepared = prepared.until(end);
            let key = self.keys.of(&pair, &prepared.measured, &prepared.allowed);
            Some((prepared, key))
        };
        self.scope.pairs.par_iter().filter_map(prepared).collect()
    }

    /// When each of `pairs` comes near.
    pub fn near<'p>(&self, pairs: impl Iterator<Item = &'p Prepared>) -> Vec<Near> {
        let asked = pairs.map(|p| Asked {
            a: p.pair.a,
            b: p.pair.b,
            stretches: &p.measured,
            settled: self.requirement(&p.pair).tight_below() + self.options.settled_margin,
        });
        when_near(self.assembly, self.path, &asked.collect::<Vec<_>>())
    }

    pub fn pairwise<'p>(&'p self, times: bool, progress: &'p Progress) -> Pairwise<'p> {
        Pairwise {
            assembly: self.assembly,
            path: self.path,
            rules: self.rules,
            options: self.options,
            progress,
            times,
        }
    }

    /// What each of `pairs` comes to, as far as the sweep is not stopped.
    fn swept_anew(
        &self,
        pairs: Vec<(Prepared, Key)>,
        progress: &Progress,
    ) -> (Vec<Prepared>, Vec<(Key, Looked)>) {
        let near = self.near(pairs.iter().map(|(prepared, _)| prepared));
        let pairwise = self.pairwise(true, progress);
        pairs
            .into_par_iter()
            .zip(near)
            .filter_map(|((prepared, key), near)| {
                if progress.stopped() {
                    return None;
                }
                let looks = !near.stretches.is_empty();
                let windows = looks.then(|| self.keys.windows_of(&prepared.pair));
                let looked = pairwise.sweep(&prepared, &near, windows.flatten());
                progress.step(1);
                Some((prepared, (key, looked)))
            })
            .unzip()
    }

    /// What pairs come to together. For each rule, so many of its pairs are about no time of interest.
    pub fn summed(
        self,
        (mut pairs, aside): (Vec<PairResult>, Vec<usize>),
        recalled: usize,
        complete: bool,
    ) -> Sweep {
        let Self { rules, scope, .. } = self;
        sort(&mut pairs, rules);
        let mut worst: Vec<(Option<Verdict>, usize)> = vec![(None, 0); rules.rules.len()];
        for result in &pairs {
            let (verdict, looked) = &mut worst[result.pair.rule];
            *verdict = Some(verdict.map_or(result.verdict, |w| w.min(result.verdict)));
            *looked += 1;
        }
        let of_rule = |((mut scope, (worst, looked)), aside): (
            (RuleScope, (Option<Verdict>, usize)),
            usize,
        )| {
            scope.measured -= aside;
            let unlooked = scope.measured - looked;
            let named = if scope.has_gaps() || unlooked > 0 {
                Verdict::NotCertified
            } else {
                Verdict::Meets
            };
            RuleResult {
                verdict: worst.map_or(Verdict::NotCertified, |w| w.min(named)),
                scope,
                unlooked,
            }
        };
        let of_rules = scope.rules.into_iter().zip(worst).zip(aside);
        Sweep {
            pairs,
            left_out: scope.left_out,
            rules: of_rules.map(of_rule).collect(),
            recalled,
            complete,
        }
    }
}

/// Worst first: by verdict, then by how much of the required clearance is there.
pub(super) fn sort(pairs: &mut [PairResult], rules: &RuleSet) {
    let required = |r: &PairResult| rules.rules[r.pair.rule].requirement.required();
    let share = |r: &PairResult| r.clearance.attained() / required(r);
    pairs.sort_by(|x, y| {
        x.verdict
            .cmp(&y.verdict)
            .then(share(x).total_cmp(&share(y)))
    });
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

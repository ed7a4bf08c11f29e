//! What rules come to along a path, pair by pair: what is known of each is recalled, the rest looked at, and all summed up.

use rayon::prelude::*;

use super::known::{Key, Keys, Known};
use super::near::{Asked, Near, when_near};
use super::pairwise::{Looked, Pairwise, Prepared};
use super::progress::Progress;
use super::rules::{Pair, Requirement, RuleSet};
use super::scope::{RuleScope, Scope};
use super::sweep::{PairResult, RuleResult, Sweep, SweepOptions, scope_along};
use super::verdict::Verdict;
use super::worst::sort;
use crate::program::Path;
use crate::robot::Assembly;

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
    pub fn swept_anew(
        &self,
        pairs: Vec<(Prepared, Key)>,
        progress: &Progress,
    ) -> (Vec<Prepared>, Vec<(Key, Looked)>) {
        let near = self.near(pairs.iter().map(|(prepared, _)| prepared));
        let pairwise = self.pairwise(true, progress);
        pairs
            .into_par_iter()
            .zip(near)
            .with_max_len(1)
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

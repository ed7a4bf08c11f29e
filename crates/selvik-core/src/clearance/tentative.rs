//! What a change comes to that is only tried: the clearances, while somebody waits for them with the hand on the mouse.

use std::sync::Arc;

use rayon::prelude::*;

use super::along::{Along, Recalled, sort};
use super::bracket::Approach;
use super::fronts::{Front, Window};
use super::known::{Keys, Known};
use super::minimum::Stretch;
use super::near::Near;
use super::pairwise::{Beginning, Pairwise, Prepared, without};
use super::progress::Progress;
use super::rules::{Pair, RuleSet};
use super::sweep::{PairResult, Sweep, SweepOptions};
use crate::program::Path;
use crate::robot::Assembly;

/// A part of the path of which is told what some pairs come to in it alone.
#[derive(Clone, Copy)]
pub struct Part<'a> {
    /// s
    pub during: (f64, f64),
    /// Which pairs.
    pub of: &'a (dyn Fn(&Pair) -> bool + Sync),
}

/// All pairs over the whole path, and some of them in a part of it.
#[derive(Debug, Clone, PartialEq)]
pub struct TentativeSweep {
    /// Over the whole path. Times below thresholds are not looked for.
    pub whole: Sweep,
    /// In the part, worst first, as far as they come near in it.
    pub part: Vec<PairResult>,
}

/// Sweeps a cell that is only tried, going on from what is `known` of the cell before: of pairs that are as they were, and in
/// pairs that changed of the moves that are. Verdicts and brackets hold as those of any sweep; where a bracket may be wide,
/// another sweep may come to another. Nothing of it is kept.
#[must_use]
pub fn sweep_tentatively(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    part: Option<Part>,
    (known, progress): (&Known, &Progress),
) -> TentativeSweep {
    let options = &SweepOptions::default();
    let of = Along::new(assembly, path, rules, options);
    let Recalled { pairs, aside } = of.recalled(known);
    let count = pairs.iter().filter(|(.., result)| result.is_some()).count();
    let part_of = |prepared: &Prepared| part.filter(|part| (part.of)(&prepared.pair));
    let is_told = |(prepared, _, result): &(Prepared, _, Option<PairResult>)| {
        result.is_some() && part_of(prepared).is_none()
    };
    let (told, looked_at): (Vec<_>, Vec<_>) = pairs.into_iter().partition(is_told);
    let near = of.near(looked_at.iter().map(|(prepared, ..)| prepared));
    let trying = Trying {
        pairwise: of.pairwise(false, progress),
        keys: &of.keys,
        known,
    };
    let (found, own): (Vec<Option<PairResult>>, Vec<Option<PairResult>>) = looked_at
        .into_par_iter()
        .zip(near)
        .map(|((prepared, _, recalled), near)| {
            let during = part_of(&prepared).map(|part| part.during);
            trying.pair(&prepared, recalled, (&near, during))
        })
        .unzip();
    let told = told.into_iter().map(|(.., result)| result);
    let whole = told.chain(found).flatten().collect();
    let mut own: Vec<PairResult> = own.into_iter().flatten().collect();
    sort(&mut own, rules);
    TentativeSweep {
        whole: of.summed((whole, aside), count, !progress.stopped()),
        part: own,
    }
}

struct Trying<'a> {
    pairwise: Pairwise<'a>,
    keys: &'a Keys<'a>,
    known: &'a Known,
}

/// What is known of a pair on the path, and its windows there.
#[derive(Default)]
struct Before {
    front: Option<Arc<Front>>,
    windows: Arc<Vec<Window>>,
}

/// What was found of a part of the path.
#[derive(Default)]
struct FoundInPart {
    nearest: Option<Approach>,
    left: Vec<Stretch>,
}

impl Trying<'_> {
    /// What a pair comes to over the whole path, unless it is `recalled`, and in the part.
    fn pair(
        &self,
        prepared: &Prepared,
        recalled: Option<PairResult>,
        (near, during): (&Near, Option<(f64, f64)>),
    ) -> (Option<PairResult>, Option<PairResult>) {
        if self.pairwise.progress.stopped() {
            return (recalled, None);
        }
        let before = self.before(&prepared.pair);
        let (mut own, mut found) = (None, FoundInPart::default());
        if let Some((from, to)) = during {
            // What is near when it comes to a stand stays near.
            let stays = |end: f64| near.stretches.iter().any(|times| times.1 >= end);
            let after = prepared.stands.filter(|(end, _)| stays(*end));
            let cut = |(a, b): (f64, f64)| (a.max(from), b.min(to));
            let times = near.stretches.iter().copied().chain(after);
            let times = times.map(cut).filter(|(a, b)| a <= b);
            let near = Near {
                lower: near.lower,
                stretches: times.collect(),
            };
            let prepared = self.pairwise.prepared(prepared.pair, (from, to));
            let tells = |p: &Prepared| !near.stretches.is_empty() || p.is_limited();
            if let Some(prepared) = prepared.filter(tells) {
                let begin = |times: &[(f64, f64)], off| before.begin(times, off);
                own = Some(self.pairwise.sweep_from(&prepared, &near, begin, |m, _| {
                    found = FoundInPart {
                        nearest: Some(m.approach),
                        left: m.left.clone(),
                    };
                }));
            }
        }
        let whole = recalled.unwrap_or_else(|| {
            let begin = |times: &[(f64, f64)], off| {
                // What was looked at in the part is not looked at again.
                let rest = times.iter().flat_map(|&(from, to)| {
                    let looked = found.left.iter().map(|s| (s.from, s.to));
                    let within = looked.filter(|l| l.0 <= to && from <= l.1);
                    without((from, to), within)
                });
                let rest: Vec<(f64, f64)> = rest.collect();
                let mut begin = before.begin(&rest, off);
                begin.stretches.extend(&found.left);
                begin.nearest = found.nearest;
                begin
            };
            self.pairwise.sweep_from(prepared, near, begin, |_, _| ())
        });
        (Some(whole), own)
    }

    fn before(&self, pair: &Pair) -> Before {
        let Some((key, windows)) = self.keys.windows_of(pair) else {
            return Before::default();
        };
        let front = self.known.front(key);
        Before { front, windows }
    }
}

impl Before {
    /// Where a search over some times begins, along a path off which the programmed motion is by so much (m).
    fn begin(&self, times: &[(f64, f64)], off: f64) -> Beginning {
        let Some(front) = &self.front else {
            return Beginning::anew(times);
        };
        Beginning {
            first: front.nearest(&self.windows, times),
            stretches: front.on(&self.windows, times, off),
            nearest: None,
        }
    }
}

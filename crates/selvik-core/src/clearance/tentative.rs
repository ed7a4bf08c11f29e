//! What a change comes to that is only tried: the clearances, while somebody waits for them with the hand on the mouse.

use std::sync::{Arc, Mutex, PoisonError};

use rayon::prelude::*;

use super::along::{Along, Recalled, sort};
use super::bracket::{Aim, Approach};
use super::fronts::{Front, Window};
use super::known::{Keys, Known};
use super::minimum::{Minimum, Stretch};
use super::near::Near;
use super::pairwise::{Beginning, Pairwise, Prepared, without};
use super::progress::Progress;
use super::rules::{Pair, RuleSet};
use super::sweep::{PairResult, Sweep, SweepOptions};
use super::verdict::Verdict;
use crate::program::Path;
use crate::robot::Assembly;

/// What is told of what is tried.
#[derive(Clone, Copy)]
pub struct Told<'a> {
    /// Of which pairs.
    pub of: &'a (dyn Fn(&Pair) -> bool + Sync),
    /// In which part of the path, s; over all of it where there is none.
    pub during: Option<(f64, f64)>,
    /// So many of the worst are bracketed as closely as in any sweep.
    pub closely: usize,
}

/// What a cell that is only tried comes to.
#[derive(Debug, Clone, PartialEq)]
pub struct TentativeSweep {
    /// Over the whole path, every pair as closely as its verdict asks for. Times below thresholds are not looked for.
    pub whole: Sweep,
    /// The pairs to be told, worst first; in a part of the path, as far as they come near in it. The worst are bracketed as closely
    /// as in any sweep, and certainly the worst; the others as closely as their verdict asks for.
    pub told: Vec<PairResult>,
}

/// Sweeps a cell that is only tried, going on from what is `known` of the cell before: of pairs that are as they were, and in
/// pairs that changed of the moves that are. Verdicts and brackets hold as those of any sweep; where a bracket may be wide,
/// another sweep may come to another. Nothing of it is kept.
#[must_use]
pub fn sweep_tentatively(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    told: Told,
    (known, progress): (&Known, &Progress),
) -> TentativeSweep {
    let options = &SweepOptions::default();
    let of = Along::new(assembly, path, rules, options);
    let Recalled { pairs, aside } = of.recalled(known);
    let count = pairs.iter().filter(|(.., result)| result.is_some()).count();
    let is_own = |prepared: &Prepared| (told.of)(&prepared.pair);
    let is_done = |(prepared, _, result): &(Prepared, _, Option<PairResult>)| {
        result.is_some() && (told.during.is_none() || !is_own(prepared))
    };
    let (done, looked_at): (Vec<_>, Vec<_>) = pairs.into_iter().partition(is_done);
    let near = of.near(looked_at.iter().map(|(prepared, ..)| prepared));
    let done_of_own = done.iter().filter(|(prepared, ..)| is_own(prepared));
    let done_of_own: Vec<Rough> = done_of_own
        .filter_map(|(_, _, result)| result.clone())
        .map(Rough::done)
        .collect();
    let trying = Trying {
        pairwise: of.pairwise(false, progress),
        keys: &of.keys,
        known,
        worst: Worst::of(told.closely),
    };
    for rough in &done_of_own {
        trying.worst.see(trying.rank(&rough.result));
    }
    let mut looked_at: Vec<Tried> = looked_at
        .into_par_iter()
        .zip(near)
        .map(|((prepared, _, recalled), near)| {
            let own = is_own(&prepared).then_some(told.during);
            trying.tried(prepared, near, recalled, own)
        })
        .collect();
    // Those that were the worst before: what they come to tells how closely others have to be looked at.
    looked_at.sort_by(|x, y| x.share.total_cmp(&y.share));
    let first = looked_at.len().min(told.closely * 2);
    let rest = looked_at.split_off(first);
    let pair = |tried| trying.pair(tried);
    let looked = [looked_at, rest].map(|some| some.into_par_iter().map(pair).collect::<Vec<_>>());
    let (found, own): (Vec<Option<PairResult>>, Vec<Option<Rough>>) =
        looked.into_iter().flatten().unzip();
    let whole = done.into_iter().map(|(.., result)| result);
    let whole = whole.chain(found).flatten().collect();
    let own = done_of_own.into_iter().chain(own.into_iter().flatten());
    let mut own = trying.closely(own.collect());
    sort(&mut own, rules);
    TentativeSweep {
        whole: of.summed((whole, aside), count, !progress.stopped()),
        told: own,
    }
}

struct Trying<'a> {
    pairwise: Pairwise<'a>,
    keys: &'a Keys<'a>,
    known: &'a Known,
    worst: Worst,
}

/// What is known of a pair on the path, and its windows there.
#[derive(Default)]
struct Before {
    front: Option<Arc<Front>>,
    windows: Arc<Vec<Window>>,
}

/// What was found of some times, and is certain of each part of them.
#[derive(Default)]
struct FoundInPart {
    nearest: Option<Approach>,
    left: Vec<Stretch>,
}

impl FoundInPart {
    fn of(found: &Minimum) -> Self {
        Self {
            nearest: Some(found.approach),
            left: found.left.clone(),
        }
    }
}

/// What a pair comes to that is to be told, so far.
struct Rough {
    result: PairResult,
    /// Where to go on from.
    so_far: Option<(Prepared, Near, FoundInPart)>,
}

impl Rough {
    fn done(result: PairResult) -> Self {
        Self {
            result,
            so_far: None,
        }
    }
}

/// By what the worst come first: the verdict, then how much of the required clearance is there.
type Rank = (Verdict, f64);

/// The ranks of the worst so far. None of those that are worst in the end ranks after the last of them.
struct Worst {
    count: usize,
    ranks: Mutex<Vec<Rank>>,
}

impl Worst {
    fn of(count: usize) -> Self {
        Self {
            count,
            ranks: Mutex::default(),
        }
    }

    fn see(&self, rank: Rank) {
        let mut ranks = self.ranks.lock().unwrap_or_else(PoisonError::into_inner);
        let at = ranks.partition_point(|other| !comes_before(&rank, other));
        ranks.insert(at, rank);
        ranks.truncate(self.count);
    }

    /// Nothing that ranks after this is among the worst; `None` while anything may be.
    fn last(&self) -> Option<Rank> {
        let ranks = self.ranks.lock().unwrap_or_else(PoisonError::into_inner);
        let full = ranks.len() == self.count;
        full.then(|| ranks.last().copied().unwrap_or(NOTHING_WORSE))
    }
}

/// Nothing ranks before this.
const NOTHING_WORSE: Rank = (Verdict::Broken, f64::NEG_INFINITY);

fn comes_before(one: &Rank, other: &Rank) -> bool {
    one.0.cmp(&other.0).then(one.1.total_cmp(&other.1)).is_lt()
}

/// A pair that is to be looked at.
struct Tried {
    prepared: Prepared,
    near: Near,
    recalled: Option<PairResult>,
    /// Whether it is to be told, and of which part of the path.
    own: Option<Option<(f64, f64)>>,
    before: Before,
    /// How much of the required clearance was there before; infinite for what is not to be told.
    share: f64,
}

impl Trying<'_> {
    fn tried(
        &self,
        prepared: Prepared,
        near: Near,
        recalled: Option<PairResult>,
        own: Option<Option<(f64, f64)>>,
    ) -> Tried {
        let before = self.before(&prepared.pair);
        let comes_near = own.is_some() && !near.stretches.is_empty();
        let least = before.front.as_ref().and_then(|front| front.least());
        let share = match comes_near {
            true => self.share(&prepared.pair, least.unwrap_or(0.0)),
            false => f64::INFINITY,
        };
        Tried {
            prepared,
            near,
            recalled,
            own,
            before,
            share,
        }
    }

    /// What a pair comes to over the whole path, and, if it is to be told, what it comes to then.
    fn pair(&self, tried: Tried) -> (Option<PairResult>, Option<Rough>) {
        let Tried {
            prepared,
            near,
            recalled,
            own,
            before,
            ..
        } = tried;
        if self.pairwise.progress.stopped() {
            return (recalled, None);
        }
        let aim = self.rough_aim(&prepared.pair, own.is_some());
        let part = own.flatten().and_then(|during| {
            let stands = prepared.stands;
            self.part(prepared.pair, during, stands, &near)
        });
        let part = part.map(|(prepared, near)| {
            let begin = |times: &[(f64, f64)], off| before.begin(times, off);
            self.looked_at((prepared, near), &aim, begin)
        });
        if let Some(result) = recalled {
            return (Some(result), part);
        }
        let nothing = FoundInPart::default();
        let of_part = part.as_ref().and_then(|rough| rough.so_far.as_ref());
        let found = of_part.map_or(&nothing, |(.., found)| found);
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
        if let Some(None) = own {
            let rough = self.looked_at((prepared, near), &aim, begin);
            return (Some(rough.result.clone()), Some(rough));
        }
        // Of what is not told the verdict is enough, whatever was told of the part.
        let aim = self.rough_aim(&prepared.pair, false);
        let pairwise = &self.pairwise;
        let whole = pairwise.sweep_from(&prepared, &near, &aim, begin, |_, _| ());
        (Some(whole), part)
    }

    /// A pair in a part of the path, if it comes near in it or may touch to some depth. From when until when it stands still is
    /// `stands`.
    fn part(
        &self,
        pair: Pair,
        (from, to): (f64, f64),
        stands: Option<(f64, f64)>,
        near: &Near,
    ) -> Option<(Prepared, Near)> {
        // What is near when it comes to a stand stays near.
        let stays = |end: f64| near.stretches.iter().any(|times| times.1 >= end);
        let after = stands.filter(|(end, _)| stays(*end));
        let cut = |(a, b): (f64, f64)| (a.max(from), b.min(to));
        let times = near.stretches.iter().copied().chain(after);
        let times = times.map(cut).filter(|(a, b)| a <= b);
        let near = Near {
            lower: near.lower,
            stretches: times.collect(),
        };
        let prepared = self.pairwise.prepared(pair, (from, to))?;
        let tells = !near.stretches.is_empty() || prepared.is_limited();
        tells.then_some((prepared, near))
    }

    /// What a pair that is to be told comes to, for now.
    fn looked_at(
        &self,
        (prepared, near): (Prepared, Near),
        aim: &Aim,
        begin: impl FnOnce(&[(f64, f64)], f64) -> Beginning,
    ) -> Rough {
        let mut found = FoundInPart::default();
        let pairwise = &self.pairwise;
        let result = pairwise.sweep_from(&prepared, &near, aim, begin, |least, _| {
            found = FoundInPart::of(least);
        });
        self.worst.see(self.rank(&result));
        // What does not come near is looked at no more closely.
        let goes_on = !near.stretches.is_empty();
        Rough {
            result,
            so_far: goes_on.then_some((prepared, near, found)),
        }
    }

    /// Looks closely at those that may be among the worst.
    fn closely(&self, all: Vec<Rough>) -> Vec<PairResult> {
        let last = self.worst.last();
        let closely = |rough: Rough| {
            let result = rough.result;
            let share = self.share(&result.pair, result.clearance.lower());
            let counts = last.is_none_or(|last| !comes_before(&last, &(result.verdict, share)));
            let (true, Some((prepared, near, found))) = (counts, rough.so_far) else {
                return result;
            };
            let begin = |times: &[(f64, f64)], _| match found.nearest {
                None => Beginning::anew(times),
                Some(nearest) => Beginning {
                    first: Some(nearest.time),
                    stretches: found.left,
                    nearest: Some(nearest),
                },
            };
            let aim = self.close_aim(&prepared.pair);
            self.pairwise
                .sweep_from(&prepared, &near, &aim, begin, |_, _| ())
        };
        all.into_par_iter().map(closely).collect()
    }

    /// As closely as in any sweep; whether what is broken touches is not asked.
    fn close_aim(&self, pair: &Pair) -> Aim {
        let aim = self.pairwise.aim(pair);
        let [required, tight_below, _] = aim.decisive;
        Aim {
            decisive: [required, tight_below, required],
            ..aim
        }
    }

    /// As closely as the verdict asks for, and, if a pair is to be told, as tells whether it is among the worst.
    fn rough_aim(&self, pair: &Pair, is_told: bool) -> Aim {
        let requirement = self.pairwise.rules.rules[pair.rule].requirement;
        let aim = self.pairwise.aim(pair);
        let (required, tight_below) = (requirement.required(), requirement.tight_below());
        let settled = match self.worst.last() {
            None if is_told => aim.settled,
            Some((Verdict::Meets, share)) if is_told => share * required,
            _ => 0.0,
        };
        let settled = settled.clamp(tight_below, aim.settled);
        Aim {
            critical: required,
            ease: 1.0,
            settled,
            lost: if is_told { aim.lost } else { required },
            decisive: [required, tight_below, settled],
            ..aim
        }
    }

    fn rank(&self, result: &PairResult) -> Rank {
        let share = self.share(&result.pair, result.clearance.attained());
        (result.verdict, share)
    }

    /// A clearance (m) as a share of what is required.
    fn share(&self, pair: &Pair, clearance: f64) -> f64 {
        let requirement = self.pairwise.rules.rules[pair.rule].requirement;
        clearance / requirement.required()
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

//! What a change comes to that is only tried: the clearances, while somebody waits for them with the hand on the mouse.

use std::sync::Arc;

use rayon::prelude::*;

use super::along::{Along, Recalled};
use super::bracket::{Aim, Approach};
use super::fronts::{Front, Window};
use super::known::{CameTo, Key, Keys, Known};
use super::minimum::{Minimum, Stretch};
use super::near::Near;
use super::pairwise::{Beginning, Pairwise, Prepared, without};
use super::progress::Progress;
use super::rules::{Pair, RuleSet};
use super::sweep::{PairResult, Sweep, SweepOptions};
use super::verdict::Verdict;
use super::worst::{Rank, Worst, share_of, sort};
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
    /// Whether it was hurried: brackets may be wider than that then, and pairs that were not looked at may be lacking.
    pub hurried: bool,
}

/// Sweeps a cell that is only tried, going on from what is `known` of the cell before: of pairs that are as they were, and in
/// pairs that changed of the moves that are. Verdicts and brackets hold as those of any sweep; where a bracket may be wide,
/// another sweep may come to another. Nothing of it is kept. Where `progress` is hurried, what is certain by then is told.
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
    let is_done = |(prepared, _, result): &(Prepared, _, Option<PairResult>)| {
        result.is_some() && !matches!(told.of(&prepared.pair), Telling::Part(..))
    };
    let (done, looked_at): (Vec<_>, Vec<_>) = pairs.into_iter().partition(is_done);
    let near = of.near(looked_at.iter().map(|(prepared, ..)| prepared));
    let pairwise = of.pairwise(false, progress);
    let done: Vec<PairResult> = done.into_iter().filter_map(|(.., result)| result).collect();
    let Parted { far, looked_at } = parted(&pairwise, told, looked_at.into_iter().zip(near));
    let to_be_told = |results: &[PairResult]| -> Vec<PairResult> {
        let is_told = |result: &&PairResult| told.of(&result.pair) == Telling::Whole;
        results.iter().filter(is_told).cloned().collect()
    };
    let (done_and_told, far_and_told) = (to_be_told(&done), to_be_told(&far));
    let trying = Trying {
        pairwise,
        keys: &of.keys,
        known,
        worst: Worst::of(told.closely),
    };
    for result in done_and_told.iter().chain(&far_and_told) {
        trying.worst.see(Rank::of(result, rules));
    }
    let mut looked_at: Vec<Tried> = looked_at
        .into_par_iter()
        .map(|((prepared, _, recalled), near)| {
            let telling = told.of(&prepared.pair);
            trying.tried(prepared, near, recalled, telling)
        })
        .collect();
    // Those that were the worst before: what they come to tells how closely others have to be looked at.
    looked_at.sort_by(|x, y| x.share.total_cmp(&y.share));
    let first = looked_at.len().min(told.closely * 2);
    let rest = looked_at.split_off(first);
    // Each by itself: some take long. However much in a hurry, the first are looked at once: an answer that tells nothing is none.
    let all_of = |some: Vec<Tried>, anyway: bool| -> Vec<_> {
        let each = some.into_par_iter().with_max_len(1);
        let pair = |tried: Tried| match anyway || progress.goes_on() {
            true => trying.pair(tried),
            false => (tried.recalled, None),
        };
        each.map(pair).collect()
    };
    let looked = [all_of(looked_at, true), all_of(rest, false)];
    let (found, rough): (Vec<Option<PairResult>>, Vec<Option<Rough>>) =
        looked.into_iter().flatten().unzip();
    let mut told = done_and_told;
    told.extend(trying.closely(rough.into_iter().flatten().collect()));
    let hurried = !progress.goes_on();
    if !hurried {
        // While others may be lacking, what is far away is no news.
        told.extend(far_and_told);
    }
    sort(&mut told, rules);
    let found = found.into_iter().flatten();
    let whole = done.into_iter().chain(far).chain(found);
    TentativeSweep {
        whole: of.summed((whole.collect(), aside), count, !progress.stopped()),
        told,
        hurried,
    }
}

/// A pair, what is known of it, and when it comes near.
type ToLookAt = ((Prepared, Key, Option<PairResult>), Near);

/// Pairs that never come near, as what they come to, and those that are to be looked at.
struct Parted {
    far: Vec<PairResult>,
    looked_at: Vec<ToLookAt>,
}

/// Of those that never come near only so many are looked at as may be told, those whose bound is the smallest: of what is to be
/// told over the whole path, and of all else, which is told where nothing is.
fn parted(pairwise: &Pairwise, told: Told, all: impl Iterator<Item = ToLookAt>) -> Parted {
    let start = pairwise.path.moment(pairwise.assembly, 0.0);
    let poses = start.poses(pairwise.assembly);
    let result = |((prepared, _, recalled), near): &ToLookAt| match recalled {
        None => pairwise.far(prepared, near, &poses),
        Some(_) => None,
    };
    let all: Vec<(Option<PairResult>, ToLookAt)> = all.map(|pair| (result(&pair), pair)).collect();
    let share =
        |result: &PairResult| share_of(result.clearance.lower(), &result.pair, pairwise.rules);
    let is_told = |result: &PairResult| told.of(&result.pair) == Telling::Whole;
    let results = || all.iter().filter_map(|(result, _)| result.as_ref());
    let beyond = |wanted: bool| {
        let own = results().filter(|result| is_told(result) == wanted);
        let mut shares: Vec<f64> = own.map(share).collect();
        shares.sort_unstable_by(f64::total_cmp);
        shares.get(told.closely).copied().unwrap_or(f64::INFINITY)
    };
    let beyond = [false, true].map(beyond);
    let (mut far, mut looked_at) = (Vec::new(), Vec::new());
    for (result, pair) in all {
        match result {
            Some(result) if share(&result) >= beyond[usize::from(is_told(&result))] => {
                far.push(result);
            }
            _ => looked_at.push(pair),
        }
    }
    Parted { far, looked_at }
}

/// So many stretches of a pair are looked at before another core may help: some milliseconds.
const ALONE: usize = 64;

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
    /// What its bodies came to before they moved otherwise.
    came_to: Option<CameTo>,
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

/// What is to be told of a pair.
#[derive(Clone, Copy, PartialEq)]
enum Telling {
    /// Nothing: its verdict is enough.
    Nothing,
    /// What it comes to over the whole path.
    Whole,
    /// What it comes to in a part of it, s.
    Part(f64, f64),
}

impl Told<'_> {
    fn of(&self, pair: &Pair) -> Telling {
        match self.during {
            _ if !(self.of)(pair) => Telling::Nothing,
            None => Telling::Whole,
            Some((from, to)) => Telling::Part(from, to),
        }
    }
}

/// A pair that is to be looked at.
struct Tried {
    prepared: Prepared,
    near: Near,
    recalled: Option<PairResult>,
    telling: Telling,
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
        telling: Telling,
    ) -> Tried {
        let before = self.before(&prepared.pair);
        let share = if telling == Telling::Nothing || near.stretches.is_empty() {
            f64::INFINITY
        } else {
            share_of(before.likely(), &prepared.pair, self.pairwise.rules)
        };
        Tried {
            prepared,
            near,
            recalled,
            telling,
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
            telling,
            before,
            share: _,
        } = tried;
        if self.pairwise.progress.stopped() {
            return (recalled, None);
        }
        let part = match telling {
            Telling::Part(from, to) => self.part(&prepared, (from, to), &near),
            Telling::Nothing | Telling::Whole => None,
        };
        let part = part.map(|part| {
            let begin = |times: &[(f64, f64)], off| before.begin(times, off);
            self.looked_at(part, begin)
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
        if telling == Telling::Whole {
            let rough = self.looked_at((prepared, near), begin);
            return (Some(rough.result.clone()), Some(rough));
        }
        let (aim, pairwise) = (self.aim_at_verdict(&prepared.pair), &self.pairwise);
        let whole = pairwise.sweep_from(&prepared, &near, &aim, begin, |_, _| ());
        (Some(whole), part)
    }

    /// A pair in a part of the path, if it comes near in it or may touch to some depth.
    fn part(
        &self,
        whole: &Prepared,
        (from, to): (f64, f64),
        near: &Near,
    ) -> Option<(Prepared, Near)> {
        // What is near when it comes to a stand stays near.
        let stays = |end: f64| near.stretches.iter().any(|times| times.1 >= end);
        let after = whole.stands.filter(|(end, _)| stays(*end));
        let cut = |(a, b): (f64, f64)| (a.max(from), b.min(to));
        let times = near.stretches.iter().copied().chain(after);
        let times = times.map(cut).filter(|(a, b)| a <= b);
        let near = Near {
            lower: near.lower,
            stretches: times.collect(),
        };
        let prepared = self.pairwise.prepared(whole.pair, (from, to))?;
        let tells = !near.stretches.is_empty() || prepared.is_limited();
        tells.then_some((prepared, near))
    }

    /// What a pair that is to be told comes to, for now.
    fn looked_at(
        &self,
        (prepared, near): (Prepared, Near),
        begin: impl FnOnce(&[(f64, f64)], f64) -> Beginning,
    ) -> Rough {
        let mut found = FoundInPart::default();
        let (aim, pairwise) = (self.aim_at_rank(&prepared.pair), &self.pairwise);
        let result = pairwise.sweep_from(&prepared, &near, &aim, begin, |least, _| {
            found = FoundInPart::of(least);
        });
        self.worst.see(Rank::of(&result, pairwise.rules));
        // What does not come near is looked at no more closely.
        let goes_on = !near.stretches.is_empty();
        Rough {
            result,
            so_far: goes_on.then_some((prepared, near, found)),
        }
    }

    /// Looks closely at those that may be among the worst, those first that may rank first.
    fn closely(&self, all: Vec<Rough>) -> Vec<PairResult> {
        let rules = self.pairwise.rules;
        // Of each as what it may rank, and as what it does so far.
        let ranked = |rough: Rough| {
            let first = Rank::at(rough.result.clearance.lower(), &rough.result, rules);
            (first, Rank::of(&rough.result, rules), rough)
        };
        let mut all: Vec<(Rank, Rank, Rough)> = all.into_iter().map(ranked).collect();
        all.sort_by_key(|(first, ..)| *first);
        let closely = |(rank, so_far, rough): (Rank, Rank, Rough)| {
            let result = rough.result;
            let last = self.worst.last();
            let counts = self.pairwise.progress.goes_on() && last.is_none_or(|last| rank <= last);
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
            let mut aim = self.close_aim(&prepared.pair);
            if let Some(last) = last.filter(|last| last.verdict == rank.verdict) {
                // Beyond that it is none of them.
                let required = rules.rules[prepared.pair.rule].requirement.required();
                aim.settled = aim.settled.min(last.share * required);
            }
            let pairwise = &self.pairwise;
            let result = pairwise.sweep_from(&prepared, &near, &aim, begin, |_, _| ());
            self.worst.instead(so_far, Rank::of(&result, rules));
            result
        };
        all.into_par_iter().with_max_len(1).map(closely).collect()
    }

    /// As closely as in any sweep; whether what is broken touches is not asked.
    fn close_aim(&self, pair: &Pair) -> Aim {
        let aim = self.pairwise.aim(pair);
        let [required, tight_below, _] = aim.decisive;
        Aim {
            decisive: [required, tight_below, required],
            alone: ALONE,
            ..aim
        }
    }

    /// As closely as the verdict asks for.
    fn aim_at_verdict(&self, pair: &Pair) -> Aim {
        let aim = self.close_aim(pair);
        let [required, tight_below, _] = aim.decisive;
        Aim {
            critical: required,
            ease: 1.0,
            settled: tight_below,
            lost: required,
            ..aim
        }
    }

    /// As closely as tells, too, whether it may be among the worst.
    fn aim_at_rank(&self, pair: &Pair) -> Aim {
        let (closely, aim) = (self.close_aim(pair), self.aim_at_verdict(pair));
        let [required, tight_below, _] = aim.decisive;
        let settled = match self.worst.last() {
            None => closely.settled,
            Some(Rank {
                verdict: Verdict::Meets,
                share,
            }) => (share * required).clamp(tight_below, closely.settled),
            Some(_) => tight_below,
        };
        Aim {
            settled,
            lost: closely.lost,
            decisive: [required, tight_below, settled],
            ..aim
        }
    }

    fn before(&self, pair: &Pair) -> Before {
        let (key, windows) = self.keys.windows_of(pair).unzip();
        Before {
            front: key.and_then(|key| self.known.front(key)),
            windows: windows.unwrap_or_default(),
            came_to: self.known.came_to(pair),
        }
    }
}

impl Before {
    /// How near the two likely come, m.
    fn likely(&self) -> f64 {
        let known = self.front.as_ref().and_then(|front| front.least());
        let came_to = self.came_to.map(|came_to| came_to.attained);
        known.or(came_to).unwrap_or(0.0)
    }

    /// Where a search over some times begins, along a path off which the programmed motion is by so much (m).
    fn begin(&self, times: &[(f64, f64)], off: f64) -> Beginning {
        let counts = |time: &f64| times.iter().any(|(from, to)| from <= time && time <= to);
        let likely = self.came_to.map(|came_to| came_to.time).filter(counts);
        let Some(front) = &self.front else {
            return Beginning {
                first: likely,
                ..Beginning::anew(times)
            };
        };
        Beginning {
            first: front.nearest(&self.windows, times).or(likely),
            stretches: front.on(&self.windows, times, off),
            nearest: None,
        }
    }
}

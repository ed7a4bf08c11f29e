//! Every pair under a rule, over the whole path.

use rayon::prelude::*;

use super::bracket::{Aim, Approach, Bracket};
use super::distance::Side;
use super::near::{Asked, Near, when_near};
use super::overlap_depth::DepthBracket;
use super::pair_motion::PairMotion;
use super::progress::Progress;
use super::rules::{LeftOut, LeftOutReason, Named, Pair, RuleScope, RuleSet, Scope};
use super::verdict::{Doubt, Verdict};
use super::violations::{Interval, TOUCH, intervals_below};
use crate::program::{Path, TouchWhy};
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
    let scope = scope_along(assembly, path, rules);
    progress.expect(scope.pairs.len());
    let prepared: Vec<Prepared> = scope
        .pairs
        .into_par_iter()
        .map(|pair| Prepared::new(assembly, path, rules, pair))
        .collect();
    let settled =
        |pair: &Pair| rules.rules[pair.rule].requirement.tight_below() + options.settled_margin;
    let asked: Vec<Asked> = prepared
        .iter()
        .map(|p| Asked {
            a: p.pair.a,
            b: p.pair.b,
            stretches: &p.measured,
            settled: settled(&p.pair),
        })
        .collect();
    let near = when_near(assembly, path, &asked);
    drop(asked);
    let mut pairs: Vec<PairResult> = prepared
        .into_par_iter()
        .zip(near)
        .filter_map(|(pair, near)| {
            if progress.stopped() {
                return None;
            }
            let result = Pairwise {
                assembly,
                path,
                rules,
                options,
                progress,
            }
            .sweep(pair, &near);
            progress.step(1);
            Some(result)
        })
        .collect();
    pairs.sort_by(|x, y| {
        let share = |r: &PairResult| {
            r.clearance.attained() / rules.rules[r.pair.rule].requirement.required()
        };
        x.verdict
            .cmp(&y.verdict)
            .then(share(x).total_cmp(&share(y)))
    });
    let mut worst: Vec<(Option<Verdict>, usize)> = vec![(None, 0); rules.rules.len()];
    for result in &pairs {
        let (verdict, looked) = &mut worst[result.pair.rule];
        *verdict = Some(verdict.map_or(result.verdict, |w| w.min(result.verdict)));
        *looked += 1;
    }
    let of_rule = |(scope, (worst, looked)): (RuleScope, (Option<Verdict>, usize))| {
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
    let rules = scope.rules.into_iter().zip(worst).map(of_rule).collect();
    Sweep {
        pairs,
        left_out: scope.left_out,
        rules,
        complete: !progress.stopped(),
    }
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

/// The times that a pair is about, s.
fn window(path: &Path, pair: &Pair) -> (f64, f64) {
    pair.times.unwrap_or((0.0, path.duration()))
}

/// When and why a pair may touch within its times: by what the cell says, and by how parts are handled. How deep it does
/// is not looked for.
fn allowed(assembly: &Assembly, path: &Path, rules: &RuleSet, pair: &Pair) -> Vec<Allowed> {
    let (from, to) = window(path, pair);
    let within = |times: Vec<(f64, f64)>| -> Vec<(f64, f64)> {
        let cut = times.into_iter().map(|(a, b)| (a.max(from), b.min(to)));
        cut.filter(|(a, b)| a <= b).collect()
    };
    let limited = rules.limited(assembly, pair).into_iter();
    let said = limited.map(|allowance| Allowed {
        reason: allowance.reason.clone(),
        times: within(allowance.times(path)),
        depth: allowance.depth,
        found: None,
    });
    let handled = path.handling().touches(assembly, pair.a, pair.b);
    let handled = handled.map(|touch| Allowed {
        reason: match touch.why {
            TouchWhy::Held => "one holds the other",
            TouchWhy::TakenFrom => "one is taken from the other",
            TouchWhy::SetOn => "one is set on the other",
        }
        .to_owned(),
        times: within(vec![touch.times]),
        depth: None,
        found: None,
    });
    // An allowance of the cell stands there even where none of its moves runs; how parts are handled only where it counts.
    said.chain(handled.filter(|a| !a.times.is_empty()))
        .collect()
}

/// A pair, when and why it may touch, and when its clearance counts.
struct Prepared {
    pair: Pair,
    allowed: Vec<Allowed>,
    measured: Vec<(f64, f64)>,
}

impl Prepared {
    fn new(assembly: &Assembly, path: &Path, rules: &RuleSet, pair: Pair) -> Self {
        let allowed = allowed(assembly, path, rules, &pair);
        let times = allowed.iter().flat_map(|a| a.times.iter().copied());
        let measured = without(window(path, &pair), times);
        Self {
            pair,
            allowed,
            measured,
        }
    }
}

struct Pairwise<'a> {
    assembly: &'a Assembly,
    path: &'a Path,
    rules: &'a RuleSet,
    options: &'a SweepOptions,
    progress: &'a Progress,
}

impl Pairwise<'_> {
    fn sweep(&self, prepared: Prepared, near: &Near) -> PairResult {
        let Prepared {
            pair,
            allowed,
            measured,
        } = prepared;
        let mut result = if measured.is_empty() {
            self.nothing_measured(pair)
        } else if near.stretches.is_empty() {
            // The balls round the bodies never come near each other.
            self.meets(pair, measured[0].0, near.lower)
        } else {
            self.clearance(pair, near)
        };
        for allowed in allowed {
            self.check_allowed(&mut result, allowed);
        }
        result.complete = !self.progress.stopped();
        if !result.complete && result.verdict != Verdict::Broken {
            result.doubts = vec![Doubt::Stopped];
            result.verdict = Verdict::NotCertified;
        }
        result
    }

    fn motion(&self, pair: Pair) -> PairMotion<'_> {
        PairMotion::of(self.assembly, self.path, &pair).stopped_by(self.progress.stop_flag())
    }

    fn clearance(&self, pair: Pair, near: &Near) -> PairResult {
        let measured = &near.stretches;
        let requirement = self.rules.rules[pair.rule].requirement;
        let (required, tight_below) = (requirement.required(), requirement.tight_below());
        let options = self.options;
        let mut motion = self.motion(pair);
        let keep_on = || !self.progress.stopped();
        let aim = Aim {
            tolerance: options.tolerance,
            critical: tight_below,
            ease: options.ease,
            settled: tight_below + options.settled_margin,
            decisive: [required, tight_below, TOUCH],
            work: options.work,
        };
        let (clearance, approach) = motion.minimum(measured, &aim, &keep_on);
        let clearance = Bracket::new(clearance.lower().min(near.lower), clearance.attained());
        let unsure = motion.unsure();
        let spent = motion.work > options.work
            && !aim.is_met(clearance.lower(), clearance.attained(), unsure);
        let (mut verdict, mut doubts) = (Verdict::Meets, Vec::new());
        if clearance.lower() < tight_below {
            verdict = Verdict::Tight;
        }
        if let Some(undecided) = motion.undecided() {
            let open = if undecided.open == Side::First {
                pair.a
            } else {
                pair.b
            };
            doubts.push(Doubt::Open {
                body: open,
                time: undecided.time,
            });
        }
        if clearance.lower() < required {
            doubts.push(if spent {
                Doubt::WorkSpent
            } else {
                Doubt::Within {
                    distance: clearance.width(),
                }
            });
        }
        if !doubts.is_empty() {
            verdict = Verdict::NotCertified;
        }
        if clearance.attained() + unsure < required {
            verdict = Verdict::Broken;
            doubts.retain(|d| matches!(d, Doubt::Open { .. }));
        }
        // What touches is broken, and what is broken is tight: each is looked for in the times of the one before.
        let mut below = |threshold: f64, wanted: bool, within: &[(f64, f64)]| {
            if !(wanted && keep_on()) {
                return Vec::new();
            }
            let tolerance = options.tolerance.max(unsure);
            let found = intervals_below(
                &mut motion,
                within,
                threshold,
                tolerance,
                options.work,
                &keep_on,
            );
            if !found.complete && keep_on() && !doubts.contains(&Doubt::TimesSpent) {
                doubts.push(Doubt::TimesSpent);
            }
            found.intervals
        };
        let outer = |found: &[Interval]| -> Vec<(f64, f64)> {
            found.iter().map(|i| (i.start.0, i.end.1)).collect()
        };
        let tight = below(tight_below, clearance.lower() < tight_below, measured);
        let broken = below(required, clearance.lower() < required, &outer(&tight));
        let touching = below(TOUCH, clearance.attained() < TOUCH, &outer(&broken));
        let allowed = Vec::new();
        PairResult {
            pair,
            clearance,
            approach,
            verdict,
            doubts,
            broken,
            tight,
            touching,
            allowed,
            complete: true,
        }
    }

    /// The pair may touch at all times, to some depth.
    fn nothing_measured(&self, pair: Pair) -> PairResult {
        self.meets(pair, window(self.path, &pair).0, 0.0)
    }

    /// A pair of which nothing more need be known, as it is at the time `from` (s).
    fn meets(&self, pair: Pair, from: f64, lower: f64) -> PairResult {
        let mut motion = self.motion(pair);
        let (look, found) = motion.look(from, f64::INFINITY, lower * 0.2);
        let approach = motion.approach(&look, &found.expect("no limit was set"));
        PairResult {
            pair,
            clearance: Bracket::new(lower, approach.distance),
            approach,
            verdict: Verdict::Meets,
            doubts: Vec::new(),
            broken: Vec::new(),
            tight: Vec::new(),
            touching: Vec::new(),
            allowed: Vec::new(),
            complete: true,
        }
    }

    /// Looks whether they overlap no deeper than they may.
    fn check_allowed(&self, result: &mut PairResult, allowed: Allowed) {
        let keep_on = || !self.progress.stopped();
        let limit = allowed.depth.filter(|_| !allowed.times.is_empty());
        let found = limit.map(|limit| {
            let (tolerance, work) = (self.options.tolerance, self.options.work);
            self.motion(result.pair)
                .depth_over(&allowed.times, limit, tolerance, work, &keep_on)
        });
        if let (Some(limit), Some(found)) = (limit, &found) {
            if found.lower > limit {
                result.verdict = Verdict::Broken;
                result.doubts.push(Doubt::Deeper {
                    limit,
                    depth: found.lower,
                    time: found.time,
                });
            } else if found.upper > limit {
                result.verdict = result.verdict.min(Verdict::NotCertified);
                result.doubts.push(Doubt::DepthUnknown { limit });
            }
        }
        result.allowed.push(Allowed { found, ..allowed });
    }
}

/// What is left of `whole` without `taken`. An instant that both ends of a gap share is not left.
fn without((from, to): (f64, f64), taken: impl Iterator<Item = (f64, f64)>) -> Vec<(f64, f64)> {
    let mut taken: Vec<(f64, f64)> = taken.collect();
    taken.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (mut left, mut at) = (Vec::new(), from);
    let all = taken.is_empty();
    for (start, end) in taken {
        if start > at {
            left.push((at, start));
        }
        at = at.max(end);
    }
    if at < to || all {
        left.push((at, to));
    }
    left
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

//! What one pair of bodies comes to.

use super::bracket::{Aim, Bracket};
use super::distance::Side;
use super::near::Near;
use super::pair_motion::PairMotion;
use super::progress::Progress;
use super::rules::{Pair, RuleSet};
use super::sweep::{Allowed, PairResult, SweepOptions};
use super::verdict::{Doubt, Verdict};
use super::violations::{Interval, TOUCH, intervals_below};
use crate::program::{Path, TouchWhy};
use crate::robot::Assembly;

/// A pair, when and why it may touch, and when its clearance counts.
pub(super) struct Prepared {
    pub pair: Pair,
    pub allowed: Vec<Allowed>,
    pub measured: Vec<(f64, f64)>,
}

impl Prepared {
    /// As far as it is about `during` (s); `None` where it is not.
    pub fn new(
        assembly: &Assembly,
        path: &Path,
        rules: &RuleSet,
        pair: Pair,
        during: Option<(f64, f64)>,
    ) -> Option<Self> {
        let mut allowed = allowed(assembly, path, rules, &pair);
        let times = allowed.iter().flat_map(|a| a.times.iter().copied());
        let mut measured = without(window(path, &pair), times);
        if let Some((from, to)) = during {
            let clip = |times: &mut Vec<(f64, f64)>| {
                *times = times
                    .iter()
                    .map(|&(a, b)| (a.max(from), b.min(to)))
                    .filter(|(a, b)| a <= b)
                    .collect();
            };
            clip(&mut measured);
            allowed.iter_mut().for_each(|a| clip(&mut a.times));
            let limited = |a: &Allowed| a.depth.is_some() && !a.times.is_empty();
            if measured.is_empty() && !allowed.iter().any(limited) {
                return None;
            }
        }
        Some(Self {
            pair,
            allowed,
            measured,
        })
    }
}

pub(super) struct Pairwise<'a> {
    pub assembly: &'a Assembly,
    pub path: &'a Path,
    pub rules: &'a RuleSet,
    pub options: &'a SweepOptions,
    pub progress: &'a Progress,
}

impl Pairwise<'_> {
    pub fn sweep(&self, prepared: Prepared, near: &Near) -> PairResult {
        let Prepared {
            pair,
            allowed,
            measured,
        } = prepared;
        let mut result = if measured.is_empty() {
            let times = allowed.iter().flat_map(|a| a.times.first());
            let from = times.map(|t| t.0).fold(f64::INFINITY, f64::min);
            let whole = window(self.path, &pair).0;
            self.nothing_measured(pair, if from.is_finite() { from } else { whole })
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

    /// The pair may touch at all times, to some depth; it is told as it is at the time `from` (s).
    fn nothing_measured(&self, pair: Pair, from: f64) -> PairResult {
        self.meets(pair, from, 0.0)
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

/// The times that a pair is about, s.
pub(super) fn window(path: &Path, pair: &Pair) -> (f64, f64) {
    pair.times.unwrap_or((0.0, path.duration()))
}

/// When and why a pair may touch within its times: by what the cell says, and by how parts are handled. How deep it does
/// is not looked for.
pub(super) fn allowed(
    assembly: &Assembly,
    path: &Path,
    rules: &RuleSet,
    pair: &Pair,
) -> Vec<Allowed> {
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

/// What is left of `whole` without `taken`. An instant that both ends of a gap share is not left.
pub(super) fn without(
    (from, to): (f64, f64),
    taken: impl Iterator<Item = (f64, f64)>,
) -> Vec<(f64, f64)> {
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

//! What one pair of bodies comes to.

use std::sync::Arc;

use super::bracket::{Aim, Approach, Bracket};
use super::distance::Side;
use super::fronts::{Front, Window};
use super::known::Key;
use super::minimum::{Minimum, Stretch};
use super::near::Near;
use super::pair_motion::PairMotion;
use super::progress::Progress;
use super::rules::{Pair, RuleSet};
use super::sweep::{Allowed, PairResult, SweepOptions};
use super::verdict::{Doubt, Verdict};
use super::violations::{Interval, TOUCH, intervals_below};
use crate::program::{Path, TouchWhy};
use crate::robot::Assembly;
use crate::spatial::Pose;

/// A pair, when and why it may touch, and when its clearance counts.
#[derive(Clone)]
pub(super) struct Prepared {
    pub pair: Pair,
    pub allowed: Vec<Allowed>,
    pub measured: Vec<(f64, f64)>,
    /// From when until when its clearance counts, too, and is what it was just before, s.
    pub stands: Option<(f64, f64)>,
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
        let allowed = allowed(assembly, path, rules, &pair);
        let times = allowed.iter().flat_map(|a| a.times.iter().copied());
        let measured = without(window(path, &pair), times);
        let whole = Self {
            pair,
            allowed,
            measured,
            stands: None,
        };
        match during {
            None => Some(whole),
            Some(during) => whole.during(during),
        }
    }

    /// As far as it is about some times (s); `None` where it is not.
    fn during(&self, (from, to): (f64, f64)) -> Option<Self> {
        let clip = |times: &[(f64, f64)]| -> Vec<(f64, f64)> {
            let cut = times.iter().map(|&(a, b)| (a.max(from), b.min(to)));
            cut.filter(|(a, b)| a <= b).collect()
        };
        let allowed = self.allowed.iter().map(|a| Allowed {
            times: clip(&a.times),
            ..a.clone()
        });
        let part = Self {
            pair: self.pair,
            allowed: allowed.collect(),
            measured: clip(&self.measured),
            stands: None,
        };
        (!part.measured.is_empty() || part.is_limited()).then_some(part)
    }

    /// Whether the two may touch to some depth.
    pub fn is_limited(&self) -> bool {
        let limited = |a: &Allowed| a.depth.is_some() && !a.times.is_empty();
        self.allowed.iter().any(limited)
    }

    /// The same, where nothing moves between the two after `end` (s).
    pub fn until(mut self, end: f64) -> Self {
        let mut times = self.measured.iter_mut();
        if let Some((_, to)) = times.find(|(from, to)| *from < end && end < *to) {
            self.stands = Some((end, *to));
            *to = end;
        }
        self
    }

    /// What was found until it stands still, with what lasts from then on.
    pub fn as_it_stands(&self, mut result: PairResult) -> PairResult {
        let Some((end, to)) = self.stands else {
            return result;
        };
        let times = [&mut result.tight, &mut result.broken, &mut result.touching];
        for interval in times.into_iter().flatten() {
            if interval.end.1 >= end {
                let first = interval.end.0;
                interval.end = (if first >= end { to } else { first }, to);
            }
        }
        result
    }
}

pub(super) struct Pairwise<'a> {
    pub assembly: &'a Assembly,
    pub path: &'a Path,
    pub rules: &'a RuleSet,
    pub options: &'a SweepOptions,
    pub progress: &'a Progress,
    /// Whether times below thresholds are looked for.
    pub times: bool,
}

/// What a pair comes to, and what is certain of it in its windows, if that was looked at.
pub(super) struct Looked {
    pub result: PairResult,
    pub front: Option<(Key, Front)>,
}

/// Where the search for a minimum begins.
pub(super) struct Beginning {
    /// The instant that is looked at first, s; where there is none, the first of the stretches.
    pub first: Option<f64>,
    /// What is certain already.
    pub stretches: Vec<Stretch>,
    /// An approach that was found.
    pub nearest: Option<Approach>,
}

impl Beginning {
    /// Nothing is known.
    pub fn anew(times: &[(f64, f64)]) -> Self {
        let unknown = |&(from, to): &(f64, f64)| Stretch {
            lower: 0.0,
            from,
            to,
        };
        Self {
            first: None,
            stretches: times.iter().map(unknown).collect(),
            nearest: None,
        }
    }
}

impl Pairwise<'_> {
    /// What is found of a pair, kept by `windows` if there are any.
    pub fn sweep(
        &self,
        prepared: &Prepared,
        near: &Near,
        windows: Option<(Key, Arc<Vec<Window>>)>,
    ) -> Looked {
        let mut front = None;
        let begin = |times: &[(f64, f64)], _| Beginning::anew(times);
        let aim = self.aim(&prepared.pair);
        let result = self.sweep_from(prepared, near, &aim, begin, |found, motion| {
            let Some((key, windows)) = &windows else {
                return;
            };
            let (measured, surfaces) = (&prepared.measured, motion.surfaces.clone());
            let kept = Front::new(
                windows,
                measured,
                (near, found),
                motion.deviation(),
                surfaces,
            );
            front = Some((*key, kept));
        });
        Looked { result, front }
    }

    /// How closely a pair is looked at.
    pub fn aim(&self, pair: &Pair) -> Aim {
        let (options, requirement) = (self.options, self.rules.rules[pair.rule].requirement);
        let (required, tight_below) = (requirement.required(), requirement.tight_below());
        Aim {
            tolerance: options.tolerance,
            critical: tight_below,
            ease: options.ease,
            settled: tight_below + options.settled_margin,
            lost: f64::NEG_INFINITY,
            decisive: [required, tight_below, TOUCH],
            work: options.work,
            alone: usize::MAX,
        }
    }

    /// What is found of a pair where the search begins somewhere; `see` is told what is left of it, if all of that is certain.
    pub fn sweep_from(
        &self,
        prepared: &Prepared,
        near: &Near,
        aim: &Aim,
        begin: impl FnOnce(&[(f64, f64)], f64) -> Beginning,
        see: impl FnOnce(&Minimum, &PairMotion),
    ) -> PairResult {
        let Prepared {
            pair,
            allowed,
            measured,
            stands: _,
        } = prepared;
        let pair = *pair;
        let mut result = if measured.is_empty() {
            let times = allowed.iter().flat_map(|a| a.times.first());
            let from = times.map(|t| t.0).fold(f64::INFINITY, f64::min);
            let whole = window(self.path, &pair).0;
            self.nothing_measured(pair, if from.is_finite() { from } else { whole })
        } else if near.stretches.is_empty() {
            // The balls round the bodies never come near each other.
            self.meets(pair, measured[0].0, near.lower)
        } else {
            self.clearance(pair, near, aim, begin, see)
        };
        for allowed in allowed {
            self.check_allowed(&mut result, allowed.clone());
        }
        if self.progress.stopped() {
            result.complete = false;
            if result.verdict != Verdict::Broken {
                result.doubts = vec![Doubt::Stopped];
                result.verdict = Verdict::NotCertified;
            }
        }
        result
    }

    /// A pair as far as it is about some times (s).
    pub fn prepared(&self, pair: Pair, during: (f64, f64)) -> Option<Prepared> {
        Prepared::new(self.assembly, self.path, self.rules, pair, Some(during))
    }

    pub fn motion(&self, pair: Pair) -> PairMotion<'_> {
        PairMotion::of(self.assembly, self.path, &pair).stopped_by(self.progress.stop_flag())
    }

    fn clearance(
        &self,
        pair: Pair,
        near: &Near,
        aim: &Aim,
        begin: impl FnOnce(&[(f64, f64)], f64) -> Beginning,
        see: impl FnOnce(&Minimum, &PairMotion),
    ) -> PairResult {
        let measured = &near.stretches;
        let requirement = self.rules.rules[pair.rule].requirement;
        let (required, tight_below) = (requirement.required(), requirement.tight_below());
        let options = self.options;
        let mut motion = self.motion(pair);
        let keep_on = || self.progress.goes_on();
        let begin = begin(measured, motion.deviation());
        let found = motion.minimum_from(begin, aim, &keep_on);
        if motion.undecided().is_none() {
            see(&found, &motion);
        }
        let Minimum {
            bracket, approach, ..
        } = found;
        let clearance = Bracket::new(bracket.lower().min(near.lower), bracket.attained());
        let unsure = motion.unsure();
        let is_met = aim.is_met(clearance.lower(), clearance.attained(), unsure);
        let spent = motion.work > options.work && !is_met;
        let complete = is_met || keep_on();
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
            doubts.push(if !complete {
                Doubt::Stopped
            } else if spent {
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
            if !(wanted && self.times && keep_on()) {
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
            complete,
        }
    }

    /// The pair may touch at all times, to some depth; it is told as it is at the time `from` (s).
    fn nothing_measured(&self, pair: Pair, from: f64) -> PairResult {
        self.meets(pair, from, 0.0)
    }

    /// A pair of which nothing more need be known, as it is at the time `from` (s).
    fn meets(&self, pair: Pair, from: f64, lower: f64) -> PairResult {
        let mut motion = self.motion(pair);
        let (look, found) = motion.look_roughly(from, 0.0, 0.0);
        certain(pair, lower, motion.approach(&look, &found))
    }

    /// The same at the beginning of the path, where everything stands as in `poses`: not looked at, but told by some point of each.
    /// `None` where more than that counts.
    pub fn far(&self, prepared: &Prepared, near: &Near, poses: &[Pose]) -> Option<PairResult> {
        let Prepared { pair, measured, .. } = prepared;
        let from_beginning = measured.first().is_some_and(|times| times.0 == 0.0);
        let plain = pair.times.is_none() && prepared.allowed.is_empty() && from_beginning;
        if !plain || !near.stretches.is_empty() {
            return None;
        }
        let [on_a, on_b] = [pair.a, pair.b].map(|id| {
            let body = self.assembly.body(id);
            let mesh = body.surface.mesh();
            poses[body.node.0] * mesh.vertices()[mesh.triangles()[0][0] as usize]
        });
        let approach = Approach {
            time: 0.0,
            distance: (on_b - on_a).norm(),
            on_a,
            on_b,
            overlap: false,
        };
        Some(certain(*pair, near.lower, approach))
    }

    /// Looks whether they overlap no deeper than they may.
    fn check_allowed(&self, result: &mut PairResult, allowed: Allowed) {
        let keep_on = || self.progress.goes_on();
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
                result.complete &= keep_on();
            }
        }
        result.allowed.push(Allowed { found, ..allowed });
    }
}

/// A pair that certainly keeps its rule.
fn certain(pair: Pair, lower: f64, approach: Approach) -> PairResult {
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

use std::collections::HashMap;

use indexmap::IndexMap;
use selvik_core::clearance::{
    Band, Doubt, Interval, Named, PairResult, RuleResult, RuleScope, Sweep, Verdict as CoreVerdict,
    named, scope_along,
};
use selvik_core::program::Path;
use selvik_core::robot::{Body, BodyId};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{ReachReport, millimetres};
use crate::Workcell;

/// What something makes of its rule. The worst is the least.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Certainly less than required.
    Broken,
    /// Neither certainly broken nor certainly kept.
    NotCertified,
    /// Certainly as much as required, not certainly as much as what counts as tight.
    Tight,
    /// Certainly more than that all the time.
    Meets,
}

impl Verdict {
    /// What clearance and reach come to together; a cell without a reach rule asks nothing of its reach.
    #[must_use]
    pub fn of_all(clearance: &SweepReport, reach: &ReachReport) -> Self {
        reach
            .verdict
            .map_or(clearance.verdict, |reach| reach.min(clearance.verdict))
    }
}

impl From<CoreVerdict> for Verdict {
    fn from(verdict: CoreVerdict) -> Self {
        match verdict {
            CoreVerdict::Broken => Self::Broken,
            CoreVerdict::NotCertified => Self::NotCertified,
            CoreVerdict::Tight => Self::Tight,
            CoreVerdict::Meets => Self::Meets,
        }
    }
}

/// A body of a pair.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SideReport {
    /// Id of the item.
    pub item: String,
    /// Name of the link, for mechanisms.
    pub link: Option<String>,
    /// What people call the body.
    pub name: String,
}

/// A body of a pair that is open, so that it can't be told whether the other lies inside it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct OpenReport {
    /// Id of the item.
    pub item: String,
    /// Name of the link, for mechanisms.
    pub link: Option<String>,
    /// When the other was there first.
    pub time_s: f64,
}

/// A time during which a clearance stays below a threshold.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct IntervalReport {
    /// Earliest and latest beginning.
    pub start_s: [f64; 2],
    /// Earliest and latest end.
    pub end_s: [f64; 2],
}

/// What the sweep found for one pair.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PairReport {
    /// One body.
    pub a: SideReport,
    /// The other.
    pub b: SideReport,
    /// Which rule, from 0.
    pub rule_index: usize,
    /// Its name.
    pub rule: String,
    /// Less than this breaks the rule.
    pub required_mm: f64,
    /// Less than this is tight.
    pub tight_below_mm: f64,
    /// From when until when it is about, where one is taken or released: at other times it hangs elsewhere, and the pair comes
    /// again, or is under no rule.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub during_s: Option<[f64; 2]>,
    /// What the pair makes of its rule.
    pub verdict: Verdict,
    /// Why nothing better is certified, in sentences; the one about the open body first.
    pub reasons: Vec<String>,
    /// The body that is open, so that it can't be told whether the other lies inside it, if one is.
    pub open: Option<OpenReport>,
    /// Nothing comes nearer than this.
    pub lower_mm: f64,
    /// The smallest distance found.
    pub attained_mm: f64,
    /// When it was found.
    pub time_s: f64,
    /// Closest point of the first body, world coordinates.
    pub on_a_mm: [f64; 3],
    /// Closest point of the second body.
    pub on_b_mm: [f64; 3],
    /// Whether the bodies touch or overlap there.
    pub overlap: bool,
    /// All joint values then, by `item/joint`, degrees or mm.
    pub joints_deg_or_mm: IndexMap<String, f64>,
    /// When the rule is broken.
    pub broken: Vec<IntervalReport>,
    /// When the clearance is tight or less.
    pub tight: Vec<IntervalReport>,
    /// When the bodies touch or overlap.
    pub touching: Vec<IntervalReport>,
    /// For how long the rule is broken, or not certain to be kept: certainly the first, at most the second.
    pub broken_for_s: [f64; 2],
    /// For how long the bodies touch or overlap, likewise; times between which they part for no longer than 5 ms, or hardly, are one.
    pub touching_for_s: [f64; 2],
    /// When and why they may touch; the clearance is that of all other times.
    pub allowed: Vec<AllowedReport>,
    /// The moves that run then, one a lane.
    pub moves: Vec<String>,
    /// `false` when the sweep was stopped before this pair was certain.
    pub complete: bool,
}

/// Times at which two bodies may touch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct AllowedReport {
    /// Why.
    pub reason: String,
    /// From when until when.
    pub times_s: Vec<[f64; 2]>,
    /// How deep they may overlap.
    pub max_depth_mm: Option<f64>,
    /// How deep they do: certainly the first, at most the second.
    pub depth_mm: Option<[f64; 2]>,
}

/// What became of one rule.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct RuleReport {
    /// What people call it.
    pub name: String,
    /// The worst of its pairs; not certified where it measures nothing.
    pub verdict: Verdict,
    /// Less than this breaks it.
    pub required_mm: f64,
    /// Pairs measured under it.
    pub pairs: usize,
    /// Pairs it names that are left out.
    pub left_out: usize,
    /// Pairs it names that another rule decides.
    pub decided_elsewhere: usize,
    /// What it can't measure, in sentences.
    pub reasons: Vec<String>,
}

/// A pair that a rule names but that is not measured.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LeftOutReport {
    /// One body.
    pub a: SideReport,
    /// The other.
    pub b: SideReport,
    /// Why.
    pub reason: String,
}

/// The clearance of every pair under a rule, over the whole path.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SweepReport {
    /// Brackets of what matters are no wider than this.
    pub tolerance_mm: f64,
    /// Length of the path.
    pub duration_s: f64,
    /// The worst of the rules; not certified where there is none.
    pub verdict: Verdict,
    /// One a rule, in their order.
    pub rules: Vec<RuleReport>,
    /// Worst first.
    pub pairs: Vec<PairReport>,
    /// Pairs named by a rule that are not measured.
    pub left_out: Vec<LeftOutReport>,
    /// `false` when it was stopped.
    pub complete: bool,
}

/// The certified clearance of the worst pair over time: one entry a stretch of time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct BandReport {
    /// Clearances above this are shown as this.
    pub ceiling_mm: f64,
    /// Ends of the stretches: one more than there are stretches.
    pub edges_s: Vec<f64>,
    /// Nothing comes nearer than this in each stretch.
    pub lower_mm: Vec<f64>,
    /// The smallest distance found in each stretch.
    pub attained_mm: Vec<f64>,
}

/// `sweep` over `path` with names, in mm.
#[must_use]
pub fn sweep_report(
    workcell: &Workcell,
    path: &Path,
    sweep: &Sweep,
    tolerance: f64,
) -> SweepReport {
    SweepReport {
        tolerance_mm: tolerance * 1e3,
        duration_s: path.duration(),
        verdict: sweep.verdict().into(),
        rules: sweep
            .rules
            .iter()
            .enumerate()
            .map(|(rule, result)| rule_report(workcell, rule, result))
            .collect(),
        pairs: sweep
            .pairs
            .iter()
            .map(|p| pair_report(workcell, path, p))
            .collect(),
        left_out: sweep
            .left_out
            .iter()
            .map(|l| LeftOutReport {
                a: side(workcell, l.a),
                b: side(workcell, l.b),
                reason: l.reason.to_string(),
            })
            .collect(),
        complete: sweep.complete,
    }
}

/// `band` in mm.
#[must_use]
pub fn band_report(band: &Band) -> BandReport {
    let ends = band.points.last().map(|p| p.to);
    BandReport {
        ceiling_mm: band.ceiling * 1e3,
        edges_s: band.points.iter().map(|p| p.from).chain(ends).collect(),
        lower_mm: band.points.iter().map(|p| p.lower * 1e3).collect(),
        attained_mm: band.points.iter().map(|p| p.attained * 1e3).collect(),
    }
}

pub(crate) fn pair_report(workcell: &Workcell, path: &Path, result: &PairResult) -> PairReport {
    let rule = &workcell.rules.rules[result.pair.rule];
    let interval = |i: &Interval| IntervalReport {
        start_s: i.start.into(),
        end_s: i.end.into(),
    };
    let q = path.at(result.approach.time);
    let joints = q.iter().enumerate();
    let (a, b) = (side(workcell, result.pair.a), side(workcell, result.pair.b));
    let open = result.doubts.iter().find_map(|doubt| match doubt {
        Doubt::Open { body, time } => {
            let SideReport { item, link, .. } = side(workcell, *body);
            Some(OpenReport {
                item,
                link,
                time_s: *time,
            })
        }
        _ => None,
    });
    let about_open = open.as_ref().map(|open| open_sentence(open, &a, &b));
    PairReport {
        a,
        b,
        rule_index: result.pair.rule,
        rule: rule.name.clone(),
        required_mm: rule.requirement.required() * 1e3,
        tight_below_mm: rule.requirement.tight_below() * 1e3,
        during_s: result.pair.times.map(|(from, to)| [from, to]),
        verdict: result.verdict.into(),
        reasons: about_open
            .into_iter()
            .chain(result.doubts.iter().filter_map(sentence))
            .collect(),
        open,
        lower_mm: result.clearance.lower() * 1e3,
        attained_mm: result.clearance.attained() * 1e3,
        time_s: result.approach.time,
        on_a_mm: millimetres(&result.approach.on_a),
        on_b_mm: millimetres(&result.approach.on_b),
        overlap: result.approach.overlap,
        joints_deg_or_mm: joints
            .map(|(i, &v)| (workcell.joint_key(i), workcell.joint_value(i, v)))
            .collect(),
        broken: result.broken.iter().map(interval).collect(),
        tight: result.tight.iter().map(interval).collect(),
        touching: result.touching.iter().map(interval).collect(),
        broken_for_s: lasting(&result.broken),
        touching_for_s: lasting(&result.touching),
        allowed: result
            .allowed
            .iter()
            .map(|a| AllowedReport {
                reason: a.reason.clone(),
                times_s: a.times.iter().map(|&(from, to)| [from, to]).collect(),
                max_depth_mm: a.depth.map(|d| d * 1e3),
                depth_mm: a.found.map(|f| [f.lower * 1e3, f.upper * 1e3]),
            })
            .collect(),
        moves: moves_at(workcell, path, result.approach.time),
        complete: result.complete,
    }
}

/// How long intervals last together: certainly, and at most.
fn lasting(intervals: &[Interval]) -> [f64; 2] {
    let certain = |i: &Interval| (i.end.0 - i.start.1).max(0.0);
    let least: f64 = intervals.iter().map(certain).sum();
    let most: f64 = intervals.iter().map(Interval::duration).sum();
    // The sum of nothing is −0.
    [least, most].map(|time| time + 0.0)
}

/// The sentence about a body that is open; both are the sides of its pair.
fn open_sentence(open: &OpenReport, a: &SideReport, b: &SideReport) -> String {
    let first = a.item == open.item && a.link == open.link;
    let (open_one, other) = if first { (a, b) } else { (b, a) };
    format!(
        "{} is open here, so that it can't be told whether {} lies inside it (first at {:.3} s); close its mesh, or \
         declare it a surface only.",
        open_one.name, other.name, open.time_s,
    )
}

/// A doubt in words, but that about open bodies, which has a sentence of its own.
fn sentence(doubt: &Doubt) -> Option<String> {
    Some(match doubt {
        Doubt::Open { .. } => return None,
        Doubt::Within { distance } => {
            let within = (distance * 1e3).max(0.001);
            format!(
                "The smallest clearance can't be told from what is required within {within:.3} mm."
            )
        }
        Doubt::WorkSpent => {
            "Not certified further: the work allowed for one pair was spent.".to_owned()
        }
        Doubt::TimesSpent => {
            "Its times are not bracketed any closer: the work allowed for one pair was spent."
                .to_owned()
        }
        Doubt::Stopped => "The sweep was stopped before it was certain.".to_owned(),
        Doubt::Deeper { limit, depth, time } => {
            format!(
                "They overlap {:.3} mm deep at {time:.3} s but may by {:.3} mm.",
                depth * 1e3,
                limit * 1e3
            )
        }
        Doubt::DepthUnknown { limit } => {
            format!(
                "It is not certain that they overlap by at most {:.3} mm.",
                limit * 1e3
            )
        }
    })
}

fn rule_report(workcell: &Workcell, rule: usize, result: &RuleResult) -> RuleReport {
    let scope = &result.scope;
    let unlooked = (result.unlooked > 0).then(|| match result.unlooked {
        1 => "one of its pairs was not looked at: the sweep was stopped before".to_owned(),
        n => format!("{n} of its pairs were not looked at: the sweep was stopped before"),
    });
    let reasons = unlooked.into_iter().chain(unmeasured(workcell, scope));
    RuleReport {
        name: workcell.rules.rules[rule].name.clone(),
        verdict: result.verdict.into(),
        required_mm: workcell.rules.rules[rule].requirement.required() * 1e3,
        pairs: scope.measured,
        left_out: scope.left_out,
        decided_elsewhere: scope.decided_elsewhere,
        reasons: reasons.collect(),
    }
}

/// What a rule can't measure, in sentences.
fn unmeasured(workcell: &Workcell, scope: &RuleScope) -> Vec<String> {
    let mut reasons = Vec::new();
    let call = |n: &Named| named(&workcell.assembly, n);
    if scope.measured == 0 {
        reasons.push(match (scope.left_out, scope.decided_elsewhere) {
            (0, 0) => "names no pair of bodies".to_owned(),
            (0, _) => "other rules decide every pair it names".to_owned(),
            (_, 0) => "every pair it names is left out".to_owned(),
            _ => "every pair it names is left out or decided by another rule".to_owned(),
        });
    }
    reasons.extend(
        scope
            .without_body
            .iter()
            .map(|n| format!("{} has no body to be measured", call(n))),
    );
    let missing = |n: &Named| {
        let mechanism = workcell.assembly.mechanism(n.item).expect("it has links");
        let files = n.link.map_or_else(String::new, |link| {
            mechanism.links()[link].missing.join(", ")
        });
        format!("geometry of {} is missing: {files}", call(n))
    };
    reasons.extend(scope.incomplete.iter().map(missing));
    reasons
}

fn moves_at(workcell: &Workcell, path: &Path, time: f64) -> Vec<String> {
    path.spans()
        .iter()
        .filter(|s| s.start <= time && time < s.end)
        .map(|s| {
            let program = &workcell.plan.lanes[s.lane].programs[s.program];
            format!("{}: {}", program.name, program.moves[s.index].label)
        })
        .collect()
}

/// Puts the names that things have now into a report on a workcell that differs in names only.
pub fn rename_pairs(report: &mut SweepReport, workcell: &Workcell, path: &Path) {
    let names = body_names(workcell);
    let call = |side: &mut SideReport| {
        if let Some(name) = names.get(&(side.item.as_str(), side.link.as_deref())) {
            side.name.clone_from(name);
        }
    };
    for pair in &mut report.pairs {
        call(&mut pair.a);
        call(&mut pair.b);
        pair.rule
            .clone_from(&workcell.rules.rules[pair.rule_index].name);
        pair.moves = moves_at(workcell, path, pair.time_s);
        if let (Some(open), Some(first)) = (&pair.open, pair.reasons.first_mut()) {
            *first = open_sentence(open, &pair.a, &pair.b);
        }
    }
    for pair in &mut report.left_out {
        call(&mut pair.a);
        call(&mut pair.b);
    }
    let scope = scope_along(&workcell.assembly, path, &workcell.rules);
    for (index, rule) in report.rules.iter_mut().enumerate() {
        rule.name.clone_from(&workcell.rules.rules[index].name);
        rule.reasons = unmeasured(workcell, &scope.rules[index]);
    }
}

/// What people call bodies, by item and link.
fn body_names(workcell: &Workcell) -> HashMap<(&str, Option<&str>), String> {
    let assembly = &workcell.assembly;
    let bodies = assembly.bodies().iter().enumerate();
    let key = |body: &Body| {
        let link = body
            .link
            .zip(assembly.mechanism(body.item))
            .map(|(l, m)| m.links()[l].name.as_str());
        (assembly.cell().items()[body.item].id.0.as_str(), link)
    };
    bodies
        .map(|(at, body)| (key(body), assembly.body_name(BodyId(at))))
        .collect()
}

/// A body as reports tell it.
pub(crate) fn side(workcell: &Workcell, id: BodyId) -> SideReport {
    let body = workcell.assembly.body(id);
    let mechanism = workcell.assembly.mechanism(body.item);
    SideReport {
        item: workcell.assembly.cell().items()[body.item].id.0.clone(),
        link: body
            .link
            .zip(mechanism)
            .map(|(link, m)| m.links()[link].name.clone()),
        name: workcell.assembly.body_name(id),
    }
}

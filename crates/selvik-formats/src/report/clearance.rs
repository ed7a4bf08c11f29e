use indexmap::IndexMap;
use selvik_core::clearance::{Band, Interval, LeftOutReason, PairResult, Sweep, Verdict as CoreVerdict};
use selvik_core::program::Path;
use selvik_core::robot::BodyId;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::millimetres;
use crate::Workcell;

/// What a pair makes of its rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Less clearance than required.
    Broken,
    /// Less than what counts as tight.
    Tight,
    /// More than that all the time.
    Meets,
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
    /// Name of the rule.
    pub rule: String,
    /// Less than this breaks the rule.
    pub required_mm: f64,
    /// Less than this is tight.
    pub tight_below_mm: f64,
    /// What the pair makes of its rule.
    pub verdict: Verdict,
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
    /// The moves that run then, one a lane.
    pub moves: Vec<String>,
    /// `false` when the sweep was stopped before this pair was certain.
    pub complete: bool,
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
pub fn sweep_report(workcell: &Workcell, path: &Path, sweep: &Sweep, tolerance: f64) -> SweepReport {
    SweepReport {
        tolerance_mm: tolerance * 1e3,
        duration_s: path.duration(),
        pairs: sweep.pairs.iter().map(|p| pair_report(workcell, path, p)).collect(),
        left_out: sweep
            .left_out
            .iter()
            .map(|l| LeftOutReport {
                a: side(workcell, l.a),
                b: side(workcell, l.b),
                reason: match &l.reason {
                    LeftOutReason::RigidlyJoined => "rigidly joined".to_owned(),
                    LeftOutReason::Neighbours => "neighbours at a joint".to_owned(),
                    LeftOutReason::Allowed(reason) => reason.clone(),
                },
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

fn pair_report(workcell: &Workcell, path: &Path, result: &PairResult) -> PairReport {
    let rule = &workcell.rules.rules[result.pair.rule];
    let interval = |i: &Interval| IntervalReport { start_s: i.start.into(), end_s: i.end.into() };
    let q = path.at(result.approach.time);
    let joints = q.iter().enumerate();
    PairReport {
        a: side(workcell, result.pair.a),
        b: side(workcell, result.pair.b),
        rule: rule.name.clone(),
        required_mm: rule.requirement.required() * 1e3,
        tight_below_mm: rule.requirement.tight_below() * 1e3,
        verdict: match result.verdict {
            CoreVerdict::Broken => Verdict::Broken,
            CoreVerdict::Tight => Verdict::Tight,
            CoreVerdict::Meets => Verdict::Meets,
        },
        lower_mm: result.clearance.lower() * 1e3,
        attained_mm: result.clearance.attained() * 1e3,
        time_s: result.approach.time,
        on_a_mm: millimetres(&result.approach.on_a),
        on_b_mm: millimetres(&result.approach.on_b),
        overlap: result.approach.overlap,
        joints_deg_or_mm: joints.map(|(i, &v)| (workcell.joint_key(i), workcell.joint_value(i, v))).collect(),
        broken: result.broken.iter().map(interval).collect(),
        tight: result.tight.iter().map(interval).collect(),
        touching: result.touching.iter().map(interval).collect(),
        moves: moves_at(workcell, path, result.approach.time),
        complete: result.complete,
    }
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

fn side(workcell: &Workcell, id: BodyId) -> SideReport {
    let body = workcell.assembly.body(id);
    let mechanism = workcell.assembly.mechanism(body.item);
    SideReport {
        item: workcell.assembly.cell().items()[body.item].id.0.clone(),
        link: body.link.zip(mechanism).map(|(link, m)| m.links()[link].name.clone()),
        name: workcell.assembly.body_name(id),
    }
}

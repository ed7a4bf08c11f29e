use selvik_core::program::{Motion, Path};
use selvik_core::reach::check_reach;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Verdict;
use crate::Workcell;

/// Reach at the end of one move.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ReachRow {
    /// Name of the program.
    pub program: String,
    /// The move, in words.
    pub label: String,
    /// Id of the robot.
    pub robot: String,
    /// Name of the robot.
    pub robot_name: String,
    /// When the move ends.
    pub time_s: f64,
    /// Straight from the robot's base to the TCP.
    pub straight_mm: f64,
    /// The same along the floor.
    pub horizontal_mm: f64,
    /// The same upwards.
    pub vertical_mm: f64,
    /// Share of the stretched arm that is not used; absent for arms without a closed form.
    pub spare_percent: Option<f64>,
    /// The joint nearest to a limit.
    pub nearest_limit_joint: Option<String>,
    /// How far it is from there, degrees or mm.
    pub nearest_limit_deg_or_mm: Option<f64>,
    /// 0 at a singularity.
    pub manipulability: f64,
    /// 1 at the programmed speed; smaller where joint limits forced the move slower.
    pub speed_share: f64,
    /// What that makes of the reach rule.
    pub verdict: Verdict,
}

/// Reach at every target of the run plan.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ReachReport {
    /// Less to spare than this breaks the rule.
    pub required_spare_percent: Option<f64>,
    /// Least to spare first.
    pub rows: Vec<ReachRow>,
}

/// The reach check of every move of the run plan that goes to a target.
#[must_use]
pub fn reach_report(workcell: &Workcell, path: &Path) -> ReachReport {
    let required = workcell.document.reach_rule.as_ref().map(|r| r.spare_percent);
    let mut rows = Vec::new();
    for span in path.spans() {
        let program = &workcell.plan.lanes[span.lane].programs[span.program];
        let step = &program.moves[span.index];
        if matches!(step.motion, Motion::Wait(_) | Motion::Sync(_)) {
            continue;
        }
        let Some(arm) = workcell.lane_arm(span.lane) else { continue };
        let check = check_reach(&workcell.assembly, path, &arm, &[span.end]).remove(0);
        let spare = check.reserve.used.map(|used| (1.0 - used) * 100.0);
        let robot = &workcell.assembly.cell().items()[program.robot];
        let limit = check.reserve.nearest_limit;
        let verdict = match (required, spare) {
            (Some(required), Some(spare)) if spare < required => Verdict::Broken,
            _ => Verdict::Meets,
        };
        rows.push(ReachRow {
            program: program.name.clone(),
            label: step.label.clone(),
            robot: robot.id.0.clone(),
            robot_name: robot.name.clone(),
            time_s: check.time,
            straight_mm: check.reach.straight * 1e3,
            horizontal_mm: check.reach.horizontal * 1e3,
            vertical_mm: check.reach.vertical * 1e3,
            spare_percent: spare,
            nearest_limit_joint: limit
                .map(|(at, _)| workcell.assembly.joints()[arm.joints()[at]].name.clone()),
            nearest_limit_deg_or_mm: limit.map(|(at, room)| workcell.joint_value(arm.joints()[at], room)),
            manipulability: check.reserve.manipulability,
            speed_share: span.speed_share,
            verdict,
        });
    }
    rows.sort_by(|a, b| {
        let key = |r: &ReachRow| r.spare_percent.unwrap_or(f64::MAX);
        key(a).total_cmp(&key(b))
    });
    ReachReport { required_spare_percent: required, rows }
}

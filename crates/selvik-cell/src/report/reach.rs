use std::collections::HashMap;

use selvik_core::program::{Motion, Path};
use selvik_core::reach::{LongestReach, ReachLine, nearest_limit_during, reserve};
use selvik_core::robot::Arm;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::Verdict;
use crate::Workcell;

/// Reach along one move.
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
    /// When least is to spare.
    pub time_s: f64,
    /// Straight from the robot's base to the TCP, then.
    pub straight_mm: f64,
    /// The same along the floor.
    pub horizontal_mm: f64,
    /// The same upwards.
    pub vertical_mm: f64,
    /// The share of the reach that is certainly to spare all along the move.
    pub spare_percent: f64,
    /// No more than this share is; the same where the arm has a closed form.
    pub spare_at_most_percent: f64,
    /// The joint that comes nearest to a limit on the way.
    pub nearest_limit_joint: Option<String>,
    /// How near, degrees or mm.
    pub nearest_limit_deg_or_mm: Option<f64>,
    /// 0 at a singularity; when least is to spare.
    pub manipulability: f64,
    /// 1 at the programmed speed; smaller where joint limits forced a part of the move slower.
    pub speed_share: f64,
    /// What that makes of the reach rule, if there is one.
    pub verdict: Option<Verdict>,
    /// Why nothing better is certified, in a sentence.
    pub reason: Option<String>,
}

/// Reach along the run plan.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ReachReport {
    /// Less to spare than this breaks the rule.
    pub required_spare_percent: Option<f64>,
    /// The worst of the rows; not certified where a rule has none. Absent without a rule.
    pub verdict: Option<Verdict>,
    /// Least to spare first.
    pub rows: Vec<ReachRow>,
}

/// The reach check of every move of the run plan, all along it.
#[must_use]
pub fn reach_report(workcell: &Workcell, path: &Path) -> ReachReport {
    let required = workcell
        .document
        .reach_rule
        .as_ref()
        .map(|r| r.spare_percent);
    let assembly = &workcell.assembly;
    let mut arms: HashMap<(usize, usize), (Arm, LongestReach)> = HashMap::new();
    let mut rows = Vec::new();
    for span in path.spans() {
        let program = &workcell.plan.lanes[span.lane].programs[span.program];
        let step = &program.moves[span.index];
        if step.motion.handles().is_some()
            || matches!(step.motion, Motion::Wait(_) | Motion::Sync(_))
        {
            continue;
        }
        let key = (span.lane, span.program);
        let (arm, longest) = match arms.entry(key) {
            std::collections::hash_map::Entry::Occupied(known) => known.into_mut(),
            std::collections::hash_map::Entry::Vacant(free) => {
                let Some(arm) = workcell.arm_of(span.lane, span.program) else {
                    continue;
                };
                let longest = LongestReach::of(assembly, &arm);
                free.insert((arm, longest))
            }
        };
        let times = (span.start, span.end);
        let (used, time) = longest.used_during(assembly, path, times);
        let moment = path.moment(assembly, time);
        let q = &moment.joints;
        let reach = ReachLine {
            from: arm.base(),
            to: arm.tip(),
        }
        .at(assembly, &moment);
        let limit = nearest_limit_during(assembly, path, arm, times);
        let (spare, at_most) = ((1.0 - used.most) * 100.0, (1.0 - used.least) * 100.0);
        let verdict = required.map(|required| match () {
            () if at_most < required => Verdict::Broken,
            () if spare >= required => Verdict::Meets,
            () => Verdict::NotCertified,
        });
        let reason = longest.bracket().filter(|_| verdict == Some(Verdict::NotCertified)).map(|(from, to)| {
            format!(
                "the reach of this arm is known only to lie between {:.0} and {:.0} mm from its first joint",
                from * 1e3,
                to * 1e3
            )
        });
        let robot = &assembly.cell().items()[program.robot];
        rows.push(ReachRow {
            program: program.name.clone(),
            label: step.label.clone(),
            robot: robot.id.0.clone(),
            robot_name: robot.name.clone(),
            time_s: time,
            straight_mm: reach.straight * 1e3,
            horizontal_mm: reach.horizontal * 1e3,
            vertical_mm: reach.vertical * 1e3,
            spare_percent: spare,
            spare_at_most_percent: at_most,
            nearest_limit_joint: limit
                .map(|(at, _)| assembly.joints()[arm.joints()[at]].name.clone()),
            nearest_limit_deg_or_mm: limit
                .map(|(at, room)| workcell.joint_value(arm.joints()[at], room)),
            manipulability: reserve(assembly, arm, q).manipulability,
            speed_share: span.speed_share,
            verdict,
            reason,
        });
    }
    rows.sort_by(|a, b| a.spare_percent.total_cmp(&b.spare_percent));
    let worst = || {
        rows.iter()
            .filter_map(|r| r.verdict)
            .min()
            .unwrap_or(Verdict::NotCertified)
    };
    ReachReport {
        required_spare_percent: required,
        verdict: required.map(|_| worst()),
        rows,
    }
}

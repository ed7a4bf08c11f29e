use selvik_core::reach::{LongestReach, reserve};
use selvik_core::robot::{Arm, NodeId};
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::document::{Amount, KnownValue, ValueKind};

/// What an arm has left where it stands.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ReachHere {
    /// Id of the robot.
    pub robot: String,
    /// The share of its reach that is certainly used.
    pub used_percent: f64,
    /// No more than this share is; the same where the arm has a closed form.
    pub used_at_most_percent: f64,
    /// The joint nearest to a limit, `item/joint`.
    pub limit_joint: Option<String>,
    /// 0 at a singularity.
    pub manipulability: f64,
    /// The same as numbers with their units: what is used, how near a joint is to a limit, and to a singularity.
    pub numbers: Vec<KnownValue>,
}

impl ReachHere {
    /// Of the arm that moves `tip` at the joint vector `q` (rad, m); `None` where none does.
    pub(crate) fn of(workcell: &Workcell, tip: NodeId, q: &[f64]) -> Option<Self> {
        let (robot, arm) = arm_above(workcell, tip)?;
        let assembly = &workcell.assembly;
        let used = LongestReach::of(assembly, &arm).used(assembly, q, q);
        let left = reserve(assembly, &arm, q);
        let limit = left
            .nearest_limit
            .map(|(at, room)| (arm.joints()[at], room));
        let value = |what, amount| KnownValue { what, amount };
        let room = limit.map(|(joint, room)| {
            let told = workcell.joint_value(joint, room);
            let amount = if assembly.joints()[joint].kind.turns() {
                Amount::AngleDeg(told)
            } else {
                Amount::LengthMm(told)
            };
            value(ValueKind::ToLimit, amount)
        });
        let at_most = Amount::Percent(used.most * 100.0);
        let free = Amount::Plain(left.manipulability);
        let numbers = [
            Some(value(ValueKind::ReachUsed, at_most)),
            room,
            Some(value(ValueKind::ToSingularity, free)),
        ];
        Some(Self {
            robot: assembly.cell().items()[robot].id.0.clone(),
            used_percent: used.least * 100.0,
            used_at_most_percent: used.most * 100.0,
            limit_joint: limit.map(|(joint, _)| workcell.joint_key(joint)),
            manipulability: left.manipulability,
            numbers: numbers.into_iter().flatten().collect(),
        })
    }
}

/// The position of the robot whose joints move `tip` last, and its arm there.
pub(super) fn arm_above(workcell: &Workcell, tip: NodeId) -> Option<(usize, Arm)> {
    let assembly = &workcell.assembly;
    let last = assembly.moving_above(tip).last()?;
    let robot = assembly.nodes()[last.0].item;
    let arm = Arm::new(assembly, robot, tip).ok()?;
    (assembly.cell().items()[robot].role == selvik_core::cell::Role::Robot).then_some((robot, arm))
}

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
    /// How near, degrees or mm.
    pub to_limit_deg_or_mm: Option<f64>,
    /// 0 at a singularity.
    pub manipulability: f64,
    #[serde(skip)]
    limit_turns: bool,
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
        Some(Self {
            robot: assembly.cell().items()[robot].id.0.clone(),
            used_percent: used.least * 100.0,
            used_at_most_percent: used.most * 100.0,
            limit_joint: limit.map(|(joint, _)| workcell.joint_key(joint)),
            to_limit_deg_or_mm: limit.map(|(joint, room)| workcell.joint_value(joint, room)),
            manipulability: left.manipulability,
            limit_turns: limit.is_some_and(|(joint, _)| assembly.joints()[joint].kind.turns()),
        })
    }

    /// Its numbers.
    pub(crate) fn numbers(&self) -> Vec<KnownValue> {
        let value = |what, amount| KnownValue { what, amount };
        let room = self.to_limit_deg_or_mm.map(|room| {
            let amount = if self.limit_turns {
                Amount::AngleDeg(room)
            } else {
                Amount::LengthMm(room)
            };
            value(ValueKind::ToLimit, amount)
        });
        let used = value(
            ValueKind::ReachUsed,
            Amount::Percent(self.used_at_most_percent),
        );
        let free = value(ValueKind::ToSingularity, Amount::Plain(self.manipulability));
        [Some(used), room, Some(free)]
            .into_iter()
            .flatten()
            .collect()
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

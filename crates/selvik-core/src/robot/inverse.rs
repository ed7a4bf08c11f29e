use std::f64::consts::TAU;

use super::closed_form::{ClosedForm, Miss, Screw};
use super::subproblem::Line;
use super::{
    Assembly, BeyondLimit, Bounds, Configuration, Follows, NodeId, OrthoParallelArm, Unreachable,
    WristReach, nearest_values, numeric_inverses,
};
use crate::cell::ItemId;
use crate::spatial::Pose;

/// The joints of one robot between its base and a node that hangs on it, ready to be solved.
#[derive(Debug, Clone)]
pub struct Arm {
    base: NodeId,
    tip: NodeId,
    joints: Vec<usize>,
    form: Form,
}

/// How an arm is solved.
#[derive(Debug, Clone)]
enum Form {
    OrthoParallel(OrthoParallelArm),
    Closed(ClosedForm),
    Numeric,
}

/// Why a robot and a node don't make an arm.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ArmError {
    /// The item has no joints above the node.
    #[error(
        "\"{tip}\" does not hang on a moving link of \"{robot}\"; name a TCP that this robot carries, or hang it on one of its links"
    )]
    NotCarried {
        /// The robot.
        robot: ItemId,
        /// The item that should hang on it.
        tip: ItemId,
    },
}

/// Joint values that reach a pose.
#[derive(Debug, Clone, PartialEq)]
pub struct Solution {
    /// Values of [`Arm::joints`], rad or m.
    pub values: Vec<f64>,
    /// The posture, for arms solved in closed form.
    pub configuration: Option<Configuration>,
}

impl Arm {
    /// The arm of the robot at position `robot` that moves `tip`.
    ///
    /// # Errors
    /// [`ArmError`] when `tip` does not hang on a moving link of the robot.
    pub fn new(assembly: &Assembly, robot: usize, tip: NodeId) -> Result<Self, ArmError> {
        let moving: Vec<NodeId> = assembly
            .moving_above(tip)
            .iter()
            .copied()
            .filter(|n| assembly.nodes()[n.0].item == robot)
            .collect();
        if moving.is_empty() {
            let id = |item: usize| assembly.cell().items()[item].id.clone();
            let tip = id(assembly.nodes()[tip.0].item);
            return Err(ArmError::NotCarried {
                robot: id(robot),
                tip,
            });
        }
        let base = assembly.item_node(robot);
        let joint = |n: &NodeId| assembly.nodes()[n.0].joint.as_ref().expect("it moves");
        let mut joints: Vec<usize> = moving.iter().map(|n| joint(n).index).collect();
        // Several may follow one entry.
        let mut seen = std::collections::HashSet::new();
        joints.retain(|j| seen.insert(*j));
        let plain = |n: &NodeId| joint(n).follows == Follows::default();
        let form = if joints.len() == moving.len() && moving.iter().all(plain) {
            let zero = vec![0.0; assembly.joints().len()];
            let poses = assembly.poses(&zero);
            let inverse = poses[base.0].inverse();
            let screw = |n: &NodeId| {
                let line = Line::of(&(inverse * poses[n.0]), &joint(n).axis);
                Screw {
                    line,
                    turns: joint(n).kind.turns(),
                }
            };
            let screws: Vec<Screw> = moving.iter().map(screw).collect();
            Form::of(&screws, &(inverse * poses[tip.0]))
        } else {
            Form::Numeric
        };
        Ok(Self {
            base,
            tip,
            joints,
            form,
        })
    }

    /// Indices into the cell's joint vector.
    #[must_use]
    pub fn joints(&self) -> &[usize] {
        &self.joints
    }

    /// The frame of the robot's base.
    #[must_use]
    pub fn base(&self) -> NodeId {
        self.base
    }

    /// The frame that is taken to targets.
    #[must_use]
    pub fn tip(&self) -> NodeId {
        self.tip
    }

    /// The ortho-parallel arm it is, if it is one: the build whose postures have names.
    #[must_use]
    pub fn ortho_parallel(&self) -> Option<&OrthoParallelArm> {
        match &self.form {
            Form::OrthoParallel(arm) => Some(arm),
            _ => None,
        }
    }

    /// Joint values within limits at which the tip comes as near to `target` as they let it, from `q` (rad or m): first to
    /// its place, then turned as nearly as that leaves it; and by what it misses it then, m and rad. See [`nearest_values`].
    #[must_use]
    pub fn nearest(&self, assembly: &Assembly, target: &Pose, q: &[f64]) -> (Vec<f64>, (f64, f64)) {
        nearest_values(assembly, self.tip, target, &self.joints, q)
    }

    /// Whether all joint values that reach a pose are known in closed form.
    #[must_use]
    pub fn has_closed_form(&self) -> bool {
        !matches!(self.form, Form::Numeric)
    }

    /// All joint values within limits that take the tip to `target` in the world while the other
    /// joints stay at `q` (rad or m), nearest to `q` first.
    ///
    /// # Errors
    /// [`Unreachable`] with the reason of the posture that comes nearest.
    pub fn solve(
        &self,
        assembly: &Assembly,
        target: &Pose,
        q: &[f64],
    ) -> Result<Vec<Solution>, Unreachable> {
        let in_base = || assembly.pose_of(self.base, q).inverse() * target;
        match &self.form {
            Form::Numeric => self.numeric(assembly, target, q, false),
            Form::OrthoParallel(closed) => {
                let postures = closed.inverse(&in_base()).map_err(|miss| match miss {
                    WristReach::TooFar(by) => Unreachable::TooFar { by },
                    WristReach::TooNear(by) => Unreachable::TooNear { by },
                })?;
                let mut open = false;
                let own = |(mut values, configuration): ([f64; 6], Configuration)| {
                    if is_singular_wrist(closed, &values) {
                        open = true;
                        // Only the sum of angles 4 and 6 counts: keep angle 4 where it was.
                        let shift = q[self.joints[3]] - values[3];
                        values[3] += shift;
                        values[5] -= shift;
                    }
                    Solution {
                        values: values.to_vec(),
                        configuration: Some(configuration),
                    }
                };
                let all: Vec<Solution> = postures.into_iter().map(own).collect();
                match self.within_limits(assembly, q, all.into_iter()) {
                    // Other shares of the sum may keep the limits.
                    Err(beyond) if open => {
                        self.numeric(assembly, target, q, false).map_err(|_| beyond)
                    }
                    solved => solved,
                }
            }
            Form::Closed(closed) => {
                let near: Vec<f64> = self.joints.iter().map(|&j| q[j]).collect();
                let solution = |values| Solution {
                    values,
                    configuration: None,
                };
                let solved = match closed.inverse(&in_base(), &near) {
                    Ok(all) => self.within_limits(assembly, q, all.into_iter().map(solution)),
                    Err(Miss::TooFar(by)) => Err(Unreachable::TooFar { by }),
                    Err(Miss::TooNear(by)) => Err(Unreachable::TooNear { by }),
                    Err(Miss::Tilted(by)) => return Err(Unreachable::Tilted { by }),
                    Err(Miss::Unknown) => return self.numeric(assembly, target, q, false),
                };
                // Where axes fall together angles are open, of which one value was tried.
                solved
                    .or_else(|reason| self.numeric(assembly, target, q, false).map_err(|_| reason))
            }
        }
    }

    /// Of all joint values those that some whole turns take within limits, nearest to `q` first.
    fn within_limits(
        &self,
        assembly: &Assembly,
        q: &[f64],
        all: impl Iterator<Item = Solution>,
    ) -> Result<Vec<Solution>, Unreachable> {
        let mut solutions = Vec::new();
        let mut least: Option<(f64, BeyondLimit)> = None;
        for mut solution in all {
            let mut worst: Option<(f64, BeyondLimit)> = None;
            for (at, value) in solution.values.iter_mut().enumerate() {
                let joint = &assembly.joints()[self.joints[at]];
                let limits = &joint.limits.position;
                if joint.kind.turns() {
                    *value = nearest_turn(*value, q[self.joints[at]], |v| limits.excess(v));
                }
                let excess = limits.excess(*value);
                if worst.as_ref().is_none_or(|w| excess > w.0)
                    && let Some(beyond) = BeyondLimit::of(joint, *value)
                {
                    worst = Some((excess, beyond));
                }
            }
            match worst {
                None => solutions.push(solution),
                Some(worst) if least.as_ref().is_none_or(|l| worst.0 < l.0) => least = Some(worst),
                Some(_) => {}
            }
        }
        if let (true, Some((_, beyond))) = (solutions.is_empty(), least) {
            return Err(Unreachable::JointLimit(beyond));
        }
        let travel = |s: &Solution| -> f64 {
            s.values
                .iter()
                .zip(&self.joints)
                .map(|(v, &j)| (v - q[j]).powi(2))
                .sum()
        };
        solutions.sort_by(|a, b| travel(a).total_cmp(&travel(b)));
        Ok(solutions)
    }

    /// The joint values (rad or m) that take the tip to `target` and are nearest to `q`, as a move that goes on from `q` needs
    /// them.
    ///
    /// # Errors
    /// [`Unreachable`] with the reason.
    pub fn follow(
        &self,
        assembly: &Assembly,
        target: &Pose,
        q: &[f64],
    ) -> Result<Vec<f64>, Unreachable> {
        let solved = match &self.form {
            Form::Numeric => self.numeric(assembly, target, q, true),
            Form::OrthoParallel(closed) => {
                if let Some(values) = self.nearby(closed, assembly, target, q) {
                    return Ok(values.to_vec());
                }
                self.solve(assembly, target, q)
            }
            Form::Closed(_) => self.solve(assembly, target, q),
        };
        solved.map(|mut solutions| solutions.swap_remove(0).values)
    }

    /// The joint values nearest to `q` of all that take the tip to `target`, if they keep the limits: no limit takes others any
    /// nearer. `None` where that is not so plain.
    fn nearby(
        &self,
        closed: &OrthoParallelArm,
        assembly: &Assembly,
        target: &Pose,
        q: &[f64],
    ) -> Option<[f64; 6]> {
        let in_base = assembly.pose_of(self.base, q).inverse() * target;
        let wanted: [f64; 6] = std::array::from_fn(|at| q[self.joints[at]]);
        let mut nearest: Option<(f64, [f64; 6])> = None;
        for (values, _) in closed.inverse(&in_base).ok()? {
            if is_singular_wrist(closed, &values) {
                return None;
            }
            let turned: [f64; 6] = std::array::from_fn(|at| whole_turns_to(values[at], wanted[at]));
            let travel = turned
                .iter()
                .zip(&wanted)
                .map(|(v, w)| (v - w).powi(2))
                .sum();
            if nearest.is_none_or(|(least, _)| travel < least) {
                nearest = Some((travel, turned));
            }
        }
        let (_, values) = nearest?;
        let limits = |at: usize| &assembly.joints()[self.joints[at]].limits.position;
        let kept = (0..6).all(|at| values[at].is_finite() && limits(at).excess(values[at]) == 0.0);
        kept.then_some(values)
    }

    fn numeric(
        &self,
        assembly: &Assembly,
        target: &Pose,
        q: &[f64],
        first_only: bool,
    ) -> Result<Vec<Solution>, Unreachable> {
        let search = |bounds, first_only| {
            numeric_inverses(
                assembly,
                self.tip,
                target,
                &self.joints,
                q,
                bounds,
                first_only,
            )
        };
        let solution = |values| Solution {
            values,
            configuration: None,
        };
        let (position, angle) = match search(Bounds::Kept, first_only) {
            Ok(all) => return Ok(all.into_iter().map(solution).collect()),
            Err(rest) => rest,
        };
        let beyond = search(Bounds::Lifted, false)
            .unwrap_or_default()
            .into_iter()
            .map(solution);
        match self.within_limits(assembly, q, beyond) {
            Err(Unreachable::JointLimit(beyond)) => Err(Unreachable::FoundBeyondLimit(beyond)),
            Ok(all) if !all.is_empty() => Ok(all),
            _ => Err(Unreachable::NotFound { position, angle }),
        }
    }
}

impl Form {
    fn of(screws: &[Screw], tip: &Pose) -> Self {
        if let Ok(six) = <[Screw; 6]>::try_from(screws)
            && six.iter().all(|s| s.turns)
            && let Some(arm) =
                OrthoParallelArm::fit(&six.map(|s| (s.line.point, s.line.along)), tip)
        {
            return Self::OrthoParallel(arm);
        }
        ClosedForm::fit(screws, tip).map_or(Self::Numeric, Self::Closed)
    }
}

/// Whether axes 4 and 6 fall into one line.
fn is_singular_wrist(arm: &OrthoParallelArm, values: &[f64; 6]) -> bool {
    arm.wrist_bend(values).sin().abs() < 1e-9
}

/// `value` plus whole turns: as near `wanted` as it gets.
fn whole_turns_to(value: f64, wanted: f64) -> f64 {
    value + TAU * ((wanted - value) / TAU).round()
}

/// `value` plus whole turns: as near `wanted` as the limits allow.
fn nearest_turn(value: f64, wanted: f64, excess: impl Fn(f64) -> f64) -> f64 {
    let nearest = whole_turns_to(value, wanted);
    if excess(nearest) == 0.0 {
        return nearest;
    }
    [0.0, TAU, -TAU, 2.0 * TAU, -2.0 * TAU]
        .into_iter()
        .map(|turn| nearest + turn)
        .min_by(|a, b| excess(*a).total_cmp(&excess(*b)))
        .expect("five candidates")
}

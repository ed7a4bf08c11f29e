//! One move: from where the joints stand to knots after its start, or why it can't be driven.

use std::collections::HashSet;

use super::lane::Joined;
use super::pace::{Pace, driven};
use super::straight::Straight;
use super::subdivide::nodes;
use super::track::Knot;
use super::way::Way;
use super::{Goal, Motion, Move, Program, ProgramFault, Recording, Trapezoid};
use crate::robot::{Arm, BeyondLimit, JointLimits, NodeId};
use crate::spatial::Pose;

/// How fast the TCP may turn in linear and circular moves, rad/s, and how fast it may get there,
/// rad/s² (common practice: half a turn a second).
const TURN_SPEED: f64 = std::f64::consts::PI;
const TURN_ACCELERATION: f64 = 4.0 * std::f64::consts::PI;

/// What is recorded is rounded where it is written: by so much a value may be beyond a limit, or off the first row, rad or
/// m. The path goes through the row itself.
const ROUNDED_TO: f64 = 1e-4;

/// One move, run.
pub(super) struct Run {
    /// After its start.
    pub knots: Vec<Knot>,
    /// The time it would take at the programmed speed over the time it takes, 0..1.
    pub speed_share: f64,
    /// How far any body may be off the programmed motion between knots, m.
    pub deviation: f64,
}

impl Run {
    fn of(knots: Vec<Knot>) -> Self {
        Self {
            knots,
            speed_share: 1.0,
            deviation: 0.0,
        }
    }
}

/// Runs moves of one lane.
pub(super) struct Runner<'a> {
    pub all: &'a Joined<'a>,
    pub lane: usize,
    /// What the lane has taken so far.
    pub taken: &'a HashSet<usize>,
    /// The joints of the mechanism that the program drives.
    pub own: &'a [usize],
}

impl Runner<'_> {
    /// The knots of `step` after its start at `q`.
    pub fn run(&self, arm: Option<&Arm>, step: &Move, q: &[f64]) -> Result<Run, ProgramFault> {
        let with_tcp = || arm.ok_or(ProgramFault::NoTcp);
        match &step.motion {
            Motion::Wait(seconds) => {
                usable("the waiting time", *seconds, 1e-9, 1e5)?;
                Ok(Run::of(vec![Knot {
                    time: *seconds,
                    q: q.to_vec(),
                    bow: 0.0,
                }]))
            }
            Motion::Sync(_) | Motion::Take { .. } | Motion::Release { .. } => {
                Ok(Run::of(Vec::new()))
            }
            Motion::Recorded(recording) => self.recorded(recording, q),
            Motion::Joint { to, speed } => {
                usable("the speed", *speed, 1e-6, 1.0)?;
                self.joint_move(arm, step, to, *speed, q)
            }
            Motion::Linear {
                to,
                speed,
                acceleration,
            } => self.cartesian_move(with_tcp()?, step, None, to, (*speed, *acceleration), q),
            Motion::Circular {
                via,
                to,
                speed,
                acceleration,
            } => self.cartesian_move(with_tcp()?, step, Some(via), to, (*speed, *acceleration), q),
        }
    }

    /// The rows of a recording after its first.
    fn recorded(&self, recording: &Recording, q: &[f64]) -> Result<Run, ProgramFault> {
        let joints = self.all.assembly.joints();
        let first = recording.rows().next().unwrap_or_default();
        for (&joint, &recorded) in recording.joints().iter().zip(first) {
            if (recorded - q[joint]).abs() > ROUNDED_TO {
                return Err(ProgramFault::BeginsElsewhere {
                    joint: joints[joint].name.clone(),
                    kind: joints[joint].kind,
                    recorded,
                    stands: q[joint],
                });
            }
        }
        let mut knots = Vec::with_capacity(recording.times().len());
        for (&time, row) in recording.times().iter().zip(recording.rows()) {
            let mut now = q.to_vec();
            for (&joint, &value) in recording.joints().iter().zip(row) {
                if joints[joint].limits.position.excess(value) > ROUNDED_TO
                    && let Some(beyond) = BeyondLimit::of(&joints[joint], value)
                {
                    let beyond = Box::new(beyond);
                    return Err(ProgramFault::RecordedBeyondLimit { time, beyond });
                }
                now[joint] = value;
            }
            knots.push(Knot {
                time,
                q: now,
                bow: 0.0,
            });
        }
        Ok(Run::of(knots))
    }

    fn joint_move(
        &self,
        arm: Option<&Arm>,
        step: &Move,
        to: &Goal,
        speed: f64,
        q: &[f64],
    ) -> Result<Run, ProgramFault> {
        let end = self.goal_values(arm, step, to, q)?;
        let mut slowest = (f64::INFINITY, f64::INFINITY);
        for (joint, limits) in self.limits().iter().enumerate() {
            let travel = (end[joint] - q[joint]).abs();
            if travel > 0.0 {
                slowest.0 = slowest.0.min(limits.velocity * speed / travel);
                slowest.1 = slowest.1.min(limits.acceleration * speed / travel);
            }
        }
        if slowest.0.is_infinite() {
            return Ok(Run::of(Vec::new()));
        }
        let travel = Trapezoid::new(1.0, slowest.0, slowest.1);
        let (ramp, duration) = (travel.ramp(), travel.duration());
        let at = |time: f64, bow: f64| {
            let share = travel.at(time);
            Knot {
                time,
                q: q.iter()
                    .zip(&end)
                    .map(|(a, b)| a + (b - a) * share)
                    .collect(),
                bow,
            }
        };
        // The joints are straight; speeding up, going on and slowing down are a piece each.
        Ok(Run::of(vec![
            at(ramp, -1.0),
            at(duration - ramp, 0.0),
            Knot {
                q: end.clone(),
                ..at(duration, 1.0)
            },
        ]))
    }

    fn cartesian_move(
        &self,
        arm: &Arm,
        step: &Move,
        via: Option<&Goal>,
        to: &Goal,
        (speed, acceleration): (f64, f64),
        q: &[f64],
    ) -> Result<Run, ProgramFault> {
        usable("the speed", speed, 1e-6, 100.0)?;
        usable("the acceleration", acceleration, 1e-6, 1e4)?;
        self.base_at_rest(arm)?;
        let start = self.all.assembly.pose_of(arm.tip(), q);
        let end = self.goal_pose(to, step, q)?;
        let way = match via {
            None => Way::line(start, end),
            Some(via) => Way::arc(start, &self.goal_pose(via, step, q)?, end)?,
        };
        if way.angle > std::f64::consts::PI - 1e-6 {
            return Err(ProgramFault::HalfTurn);
        }
        self.with_also(step, q)?;
        let Some(pace) = self.pace(&way, step, (speed, acceleration), q) else {
            return Ok(Run::of(Vec::new()));
        };
        let truth = |s: f64, near: &[f64]| self.at_share(arm, &way, step, q, s, near);
        let straight = Straight::new(self.all.assembly, arm, &way, self.all.levers);
        let travel = Trapezoid::new(1.0, pace.speed, pace.acceleration);
        let ramp = travel.at(travel.ramp());
        let mut ends = vec![ramp, 1.0 - ramp, 1.0];
        ends.dedup_by(|b, a| *b - *a < 1e-9);
        let nodes = nodes(&truth, &straight, self.all.tolerance.position, q, &ends)?;
        let deviation = nodes.iter().map(|n| n.deviation).fold(0.0, f64::max);
        let (times, speeds) = driven(&nodes, &self.limits(), pace);
        let duration = times.last().copied().unwrap_or(0.0);
        let bow = |i: usize| (speeds[i] - speeds[i + 1]) / (speeds[i] + speeds[i + 1]);
        let knots = nodes.into_iter().enumerate().skip(1).map(|(i, node)| Knot {
            time: times[i],
            q: node.q,
            bow: bow(i - 1),
        });
        let knots = knots.collect();
        let speed_share = (travel.duration() / duration).min(1.0);
        // What rounding adds is no slowing.
        let speed_share = if speed_share > 1.0 - 1e-6 {
            1.0
        } else {
            speed_share
        };
        Ok(Run {
            knots,
            speed_share,
            deviation,
        })
    }

    /// The pace the program asks for; `None` where nothing moves.
    fn pace(
        &self,
        way: &Way,
        step: &Move,
        (speed, acceleration): (f64, f64),
        q: &[f64],
    ) -> Option<Pace> {
        let share = |per: f64, whole: f64| {
            if whole > 1e-9 {
                per / whole
            } else {
                f64::INFINITY
            }
        };
        let limits = self.limits();
        let slide = step.also.iter().map(|&(joint, value)| {
            let travel = (value - q[joint]).abs();
            (
                share(limits[joint].velocity, travel),
                share(limits[joint].acceleration, travel),
            )
        });
        let bounds = [
            (share(speed, way.length), share(acceleration, way.length)),
            (
                share(TURN_SPEED, way.angle),
                share(TURN_ACCELERATION, way.angle),
            ),
        ];
        let all = bounds.into_iter().chain(slide);
        let (speed, acceleration) = all.fold((f64::INFINITY, f64::INFINITY), |m, b| {
            (m.0.min(b.0), m.1.min(b.1))
        });
        speed.is_finite().then_some(Pace {
            speed,
            acceleration,
        })
    }

    /// The joint vector at a share of a Cartesian move that began at `q`.
    fn at_share(
        &self,
        arm: &Arm,
        way: &Way,
        step: &Move,
        q: &[f64],
        share: f64,
        near: &[f64],
    ) -> Result<Vec<f64>, ProgramFault> {
        let mut found = near.to_vec();
        for &(joint, value) in &step.also {
            found[joint] = q[joint] + (value - q[joint]) * share;
        }
        let values = arm
            .follow(self.all.assembly, &way.at(share), &found)
            .map_err(|reason| ProgramFault::LeavesReach {
                after: share * way.length,
                reason,
            })?;
        for (value, &joint) in values.iter().zip(arm.joints()) {
            found[joint] = *value;
        }
        Ok(found)
    }

    fn limits(&self) -> Vec<JointLimits> {
        self.all
            .assembly
            .joints()
            .iter()
            .map(|j| j.limits)
            .collect()
    }

    /// A pose in the world says where the arm's joints are only while nobody else moves its base.
    fn base_at_rest(&self, arm: &Arm) -> Result<(), ProgramFault> {
        match self.moved_by_others(arm.base()) {
            Some(joint) => Err(ProgramFault::MovingBase(joint)),
            None => Ok(()),
        }
    }

    /// Neither the robot nor its TCP hangs on anything that is taken on the way.
    pub fn stands_by_itself(&self, program: &Program) -> Result<(), ProgramFault> {
        let robot = self.all.assembly.item_node(program.robot);
        for node in program.tcp.into_iter().chain([robot]) {
            self.not_on_what_is_taken(node, false)?;
        }
        Ok(())
    }

    /// Where a frame stands does not depend on who has taken what. Before the lane itself takes something it may go by
    /// frames that hang on it.
    fn not_on_what_is_taken(&self, frame: NodeId, before: bool) -> Result<(), ProgramFault> {
        if self.all.takers.is_empty() {
            return Ok(());
        }
        let cell = self.all.assembly.cell();
        let own = self.all.assembly.nodes()[frame.0].item;
        let above = std::iter::successors(Some(own), |&item| cell.parent_of(item));
        for item in above {
            let Some(lanes) = self.all.takers.get(&item) else {
                continue;
            };
            let only_later =
                before && lanes.iter().all(|&l| l == self.lane) && !self.taken.contains(&item);
            if !only_later {
                let name = |item: usize| cell.items()[item].name.as_str().into();
                return Err(ProgramFault::OnWhatIsTaken {
                    frame: name(own),
                    part: name(item),
                });
            }
        }
        Ok(())
    }

    /// The joint above `node` that another lane drives, if there is one.
    fn moved_by_others(&self, node: NodeId) -> Option<String> {
        let joint = |n: &NodeId| {
            self.all.assembly.nodes()[n.0]
                .joint
                .as_ref()
                .expect("it moves")
                .index
        };
        let mut above = self.all.assembly.moving_above(node).iter().map(joint);
        let other = above.find(|j| {
            self.all
                .owners
                .get(j)
                .is_some_and(|&lane| lane != self.lane)
        })?;
        Some(self.all.assembly.joints()[other].name.clone())
    }

    /// The joint vector with the joints of `also` at their ends.
    fn with_also(&self, step: &Move, q: &[f64]) -> Result<Vec<f64>, ProgramFault> {
        let mut end = q.to_vec();
        for &(joint, value) in &step.also {
            self.within_limits(joint, value)?;
            end[joint] = value;
        }
        Ok(end)
    }

    fn goal_pose(&self, goal: &Goal, step: &Move, q: &[f64]) -> Result<Pose, ProgramFault> {
        let Goal::Pose { frame, pose, .. } = goal else {
            return Err(ProgramFault::NeedsPose);
        };
        let Some(frame) = frame else { return Ok(*pose) };
        if let Some(joint) = self.moved_by_others(*frame) {
            return Err(ProgramFault::MovingTarget(joint));
        }
        self.not_on_what_is_taken(*frame, true)?;
        Ok(self.all.assembly.pose_of(*frame, &self.with_also(step, q)?) * pose)
    }

    fn goal_values(
        &self,
        arm: Option<&Arm>,
        step: &Move,
        goal: &Goal,
        q: &[f64],
    ) -> Result<Vec<f64>, ProgramFault> {
        let mut end = self.with_also(step, q)?;
        let values = match goal {
            Goal::Here => return Ok(end),
            Goal::Joints(values) => {
                if values.len() != self.own.len() {
                    return Err(ProgramFault::JointCount {
                        given: values.len(),
                        needed: self.own.len(),
                    });
                }
                for (&joint, &value) in self.own.iter().zip(values) {
                    self.within_limits(joint, value)?;
                }
                values.clone()
            }
            Goal::Pose { configuration, .. } => {
                let arm = arm.ok_or(ProgramFault::NoTcp)?;
                self.base_at_rest(arm)?;
                let target = self.goal_pose(goal, step, q)?;
                let solutions = arm
                    .solve(self.all.assembly, &target, &end)
                    .map_err(ProgramFault::Unreachable)?;
                if configuration.is_some() && arm.ortho_parallel().is_none() {
                    return Err(ProgramFault::NoPostures);
                }
                let wanted = |c: &crate::robot::Solution| {
                    configuration.is_none() || c.configuration == *configuration
                };
                match (solutions.into_iter().find(wanted), configuration) {
                    (Some(solution), _) => solution.values,
                    (None, Some(posture)) => return Err(ProgramFault::NotInPosture(*posture)),
                    (None, None) => unreachable!("solutions are never empty"),
                }
            }
        };
        for (&joint, value) in self.own.iter().zip(values) {
            end[joint] = value;
        }
        Ok(end)
    }

    fn within_limits(&self, joint: usize, value: f64) -> Result<(), ProgramFault> {
        match BeyondLimit::of(&self.all.assembly.joints()[joint], value) {
            Some(beyond) => Err(ProgramFault::BeyondLimit(beyond)),
            None => Ok(()),
        }
    }
}

fn usable(what: &'static str, value: f64, least: f64, most: f64) -> Result<(), ProgramFault> {
    if (least..=most).contains(&value) {
        Ok(())
    } else {
        Err(ProgramFault::NotUsable {
            what,
            value,
            least,
            most,
        })
    }
}

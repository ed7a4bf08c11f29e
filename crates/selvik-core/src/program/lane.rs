use std::collections::HashMap;

use super::pace::{Pace, driven};
use super::subdivide::{Course, Node};
use super::way::Way;
use super::{Goal, Lane, Motion, Move, MoveSpan, PathTolerance, ProgramError, ProgramFault, Trapezoid};
use crate::robot::{Arm, Assembly, JointLimits, NodeId, jacobian, manipulability};
use crate::spatial::{Point, Pose};

/// A joint vector at a time.
pub(super) type Knot = (f64, Vec<f64>);

/// How fast the TCP may turn in linear and circular moves, rad/s, and how fast it may get there,
/// rad/s² (common practice: half a turn a second).
const TURN_SPEED: f64 = std::f64::consts::PI;
const TURN_ACCELERATION: f64 = 4.0 * std::f64::consts::PI;

/// What a lane does, cut at its sync marks; times count from the start of each stretch.
pub(super) struct LaneTrack {
    /// The joints it drives.
    pub joints: Vec<usize>,
    /// In order.
    pub stretches: Vec<Stretch>,
    /// How far any body may be off the programmed motion between knots, m.
    pub deviation: f64,
}

/// What a lane does between two sync marks.
pub(super) struct Stretch {
    /// Values are those of [`LaneTrack::joints`].
    pub knots: Vec<Knot>,
    pub spans: Vec<MoveSpan>,
    /// The mark it ends at, if any.
    pub mark: Option<String>,
    /// Program and move that end it.
    pub end: (usize, usize),
}

impl Stretch {
    pub fn duration(&self) -> f64 {
        self.knots.last().map_or(0.0, |k| k.0)
    }
}

/// Runs the programs of `lane` on their own clock.
pub(super) fn run_lane(
    assembly: &Assembly,
    lane: &Lane,
    at: usize,
    owners: &HashMap<usize, usize>,
    rest: &[f64],
    (levers, tolerance): (&[f64], &PathTolerance),
) -> Result<LaneTrack, ProgramError> {
    let mut joints: Vec<usize> = owners.iter().filter(|o| *o.1 == at).map(|o| *o.0).collect();
    joints.sort_unstable();
    let own = |q: &[f64]| -> Vec<f64> { joints.iter().map(|&j| q[j]).collect() };
    let mut q = rest.to_vec();
    let begin = |q: &[f64], end| Stretch { knots: vec![(0.0, own(q))], spans: Vec::new(), mark: None, end };
    let mut stretches = vec![begin(&q, (0, 0))];
    let mut deviation = 0.0f64;
    for (program_at, program) in lane.programs.iter().enumerate() {
        let arm = Arm::new(assembly, program.robot, program.tcp);
        for (index, step) in program.moves.iter().enumerate() {
            let fail = |fault| ProgramError {
                program: program.name.clone(),
                index,
                label: step.label.clone(),
                fault,
            };
            let runner = Runner { assembly, owners, lane: at, levers, tolerance };
            let arm = arm.as_ref().map_err(|e| fail(ProgramFault::NoArm(e.to_string())))?;
            let Run { knots, speed_share, deviation: off } = runner.run(arm, step, &q).map_err(fail)?;
            deviation = deviation.max(off);
            let stretch = stretches.last_mut().expect("never empty");
            let start = stretch.duration();
            let length = knots.last().map_or(0.0, |k| k.0);
            if start + length > LONGEST || length.is_nan() {
                return Err(fail(ProgramFault::TooLong));
            }
            if knots.last().is_some_and(|k| k.1.iter().any(|v| !v.is_finite())) {
                return Err(fail(ProgramFault::NotNumbers));
            }
            if let Some((_, last)) = knots.last() {
                q.clone_from(last);
            }
            stretch.knots.extend(knots.iter().map(|(t, q)| (start + t, own(q))));
            stretch.spans.push(MoveSpan {
                lane: at,
                program: program_at,
                index,
                start,
                end: start + length,
                speed_share,
            });
            stretch.end = (program_at, index);
            if let Motion::Sync(mark) = &step.motion {
                stretch.mark = Some(mark.clone());
                stretches.push(begin(&q, (program_at, index)));
            }
        }
    }
    Ok(LaneTrack { joints, stretches, deviation })
}

/// Longer no lane may run, s: beyond it instants are told apart too coarsely.
const LONGEST: f64 = 1e6;

/// One move, run.
struct Run {
    /// After its start.
    knots: Vec<Knot>,
    /// The time it would take at the programmed speed over the time it takes.
    speed_share: f64,
    /// How far any body may be off the programmed motion between knots, m.
    deviation: f64,
}

impl Run {
    fn of(knots: Vec<Knot>) -> Self {
        Self { knots, speed_share: 1.0, deviation: 0.0 }
    }
}

struct Runner<'a> {
    assembly: &'a Assembly,
    owners: &'a HashMap<usize, usize>,
    lane: usize,
    /// For each joint the longest distance at which it moves anything.
    levers: &'a [f64],
    tolerance: &'a PathTolerance,
}

impl Runner<'_> {
    /// The knots of `step` after its start at `q`.
    fn run(&self, arm: &Arm, step: &Move, q: &[f64]) -> Result<Run, ProgramFault> {
        match &step.motion {
            Motion::Wait(seconds) => {
                usable("the waiting time", *seconds, 1e-9, 1e5)?;
                Ok(Run::of(vec![(*seconds, q.to_vec())]))
            }
            Motion::Sync(_) => Ok(Run::of(Vec::new())),
            Motion::Joint { to, speed } => {
                usable("the speed", *speed, 1e-6, 1.0)?;
                self.joint_move(arm, step, to, *speed, q)
            }
            Motion::Linear { to, speed, acceleration } => {
                self.cartesian_move(arm, step, None, to, (*speed, *acceleration), q)
            }
            Motion::Circular { via, to, speed, acceleration } => {
                self.cartesian_move(arm, step, Some(via), to, (*speed, *acceleration), q)
            }
        }
    }

    fn joint_move(
        &self,
        arm: &Arm,
        step: &Move,
        to: &Goal,
        speed: f64,
        q: &[f64],
    ) -> Result<Run, ProgramFault> {
        let end = self.goal_values(arm, step, to, q)?;
        let mut slowest = (f64::INFINITY, f64::INFINITY);
        let mut sweep = 0.0;
        for (joint, limits) in self.limits().iter().enumerate() {
            let travel = (end[joint] - q[joint]).abs();
            if travel > 0.0 {
                slowest.0 = slowest.0.min(limits.velocity * speed / travel);
                slowest.1 = slowest.1.min(limits.acceleration * speed / travel);
                sweep += travel * self.levers[joint];
            }
        }
        if slowest.0.is_infinite() {
            return Ok(Run::of(Vec::new()));
        }
        let travel = Trapezoid::new(1.0, slowest.0, slowest.1);
        // While the speed is even, so are the joints. In n even steps of a ramp they bow by 1 / 4n² of its way.
        let ramp = sweep * travel.at(travel.ramp());
        let steps = (ramp / (4.0 * self.tolerance.position)).sqrt().ceil().clamp(1.0, 1e5);
        let step_s = travel.ramp() / steps;
        let up = (1..=steps as usize).map(|i| i as f64 * step_s);
        let down = (0..=steps as usize).map(|i| travel.duration() - travel.ramp() + i as f64 * step_s);
        let mut times: Vec<f64> = up.chain(down).collect();
        times.dedup_by(|b, a| *b - *a <= 1e-12 * travel.duration());
        *times.last_mut().expect("a ramp has an end") = travel.duration();
        let at = |t: f64| -> Vec<f64> {
            let s = travel.at(t);
            q.iter().zip(&end).map(|(a, b)| a + (b - a) * s).collect()
        };
        let knots = times.into_iter().map(|t| (t, at(t))).collect();
        Ok(Run { knots, speed_share: 1.0, deviation: ramp / (4.0 * steps * steps) })
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
        let start = self.assembly.pose_of(arm.tip(), q);
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
        // Lengths are compared with angles over the arm's reach.
        let reach = arm.joints().iter().map(|&j| self.levers[j]).fold(0.1, f64::max);
        let freedom = |q: &[f64]| {
            let poses = self.assembly.poses(q);
            let at = Point::from(poses[arm.tip().0].translation.vector);
            manipulability(&jacobian(self.assembly, &poses, arm.tip(), &at, arm.joints()), reach)
        };
        let course = Course {
            truth: &truth,
            twist: (way.length / reach).hypot(way.angle),
            freedom: &freedom,
            levers: self.levers,
            tolerance: self.tolerance.position,
        };
        let travel = Trapezoid::new(1.0, pace.speed, pace.acceleration);
        let ramp = travel.at(travel.ramp());
        let mut ends = vec![ramp, 1.0 - ramp, 1.0];
        ends.dedup_by(|b, a| *b - *a < 1e-9);
        let mut nodes = course.nodes(q, &ends)?;
        let (times, deviation) = self.timed(&course, &mut nodes, pace)?;
        let duration = times.last().copied().unwrap_or(0.0);
        let knots = times.into_iter().zip(nodes).skip(1).map(|(t, node)| (t, node.q)).collect();
        let speed_share = (travel.duration() / duration).min(1.0);
        // What rounding adds is no slowing.
        let speed_share = if speed_share > 1.0 - 1e-6 { 1.0 } else { speed_share };
        Ok(Run { knots, speed_share, deviation })
    }

    /// The pace the program asks for; `None` where nothing moves.
    fn pace(&self, way: &Way, step: &Move, (speed, acceleration): (f64, f64), q: &[f64]) -> Option<Pace> {
        let share = |per: f64, whole: f64| if whole > 1e-9 { per / whole } else { f64::INFINITY };
        let limits = self.limits();
        let slide = step.also.iter().map(|&(joint, value)| {
            let travel = (value - q[joint]).abs();
            (share(limits[joint].velocity, travel), share(limits[joint].acceleration, travel))
        });
        let bounds = [
            (share(speed, way.length), share(acceleration, way.length)),
            (share(TURN_SPEED, way.angle), share(TURN_ACCELERATION, way.angle)),
        ];
        let all = bounds.into_iter().chain(slide);
        let (speed, acceleration) =
            all.fold((f64::INFINITY, f64::INFINITY), |m, b| (m.0.min(b.0), m.1.min(b.1)));
        speed.is_finite().then_some(Pace { speed, acceleration })
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
            .follow(self.assembly, &way.at(share), &found)
            .map_err(|reason| ProgramFault::LeavesReach { after: share * way.length, reason })?;
        for (value, &joint) in values.iter().zip(arm.joints()) {
            found[joint] = *value;
        }
        Ok(found)
    }

    /// When each node is reached, with nodes added until speeding up and slowing down between them leaves no body off by
    /// more than the tolerance; and how far any is off.
    fn timed(
        &self,
        course: &Course,
        nodes: &mut Vec<Node>,
        pace: Pace,
    ) -> Result<(Vec<f64>, f64), ProgramFault> {
        const ROUNDS: usize = 24;
        let limits = self.limits();
        for round in 0.. {
            let (times, speeds) = driven(nodes, &limits, pace);
            // Between nodes the share of the move is a parabola in time: off the chord by Δv Δt / 8.
            let off = |i: usize| {
                let (a, b) = (&nodes[i], &nodes[i + 1]);
                let bow = (speeds[i + 1] - speeds[i]).abs() * (times[i + 1] - times[i]) / 8.0;
                let sweep = a.q.iter().zip(&b.q).zip(self.levers).map(|((x, y), l)| (x - y).abs() * l);
                (bow / (b.share - a.share) * sweep.sum::<f64>(), b.deviation)
            };
            let all: Vec<(f64, f64)> = (0..nodes.len() - 1).map(off).collect();
            let late = all.iter().filter(|o| o.0 > self.tolerance.position).count();
            if late == 0 || round == ROUNDS {
                return Ok((times, all.iter().map(|o| o.0 + o.1).fold(0.0, f64::max)));
            }
            let mut finer = Vec::with_capacity(nodes.len() + late);
            for (i, node) in nodes.iter().enumerate() {
                if i > 0 && all[i - 1].0 > self.tolerance.position {
                    finer.push(course.between(&nodes[i - 1], node)?);
                }
                finer.push(node.clone());
            }
            *nodes = finer;
        }
        unreachable!("the rounds end")
    }

    fn limits(&self) -> Vec<JointLimits> {
        self.assembly.joints().iter().map(|j| j.limits).collect()
    }

    /// A pose in the world says where the arm's joints are only while nobody else moves its base.
    fn base_at_rest(&self, arm: &Arm) -> Result<(), ProgramFault> {
        match self.moved_by_others(arm.base()) {
            Some(joint) => Err(ProgramFault::MovingBase(joint)),
            None => Ok(()),
        }
    }

    /// The joint above `node` that another lane drives, if there is one.
    fn moved_by_others(&self, node: NodeId) -> Option<String> {
        let joint = |n: &NodeId| self.assembly.nodes()[n.0].joint.as_ref().expect("it moves").index;
        let mut above = self.assembly.moving_above(node).iter().map(joint);
        let other = above.find(|j| self.owners.get(j).is_some_and(|&lane| lane != self.lane))?;
        Some(self.assembly.joints()[other].name.clone())
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
        let Goal::Pose { frame, pose, .. } = goal else { return Err(ProgramFault::NeedsPose) };
        let Some(frame) = frame else { return Ok(*pose) };
        if let Some(joint) = self.moved_by_others(*frame) {
            return Err(ProgramFault::MovingTarget(joint));
        }
        Ok(self.assembly.pose_of(*frame, &self.with_also(step, q)?) * pose)
    }

    fn goal_values(&self, arm: &Arm, step: &Move, goal: &Goal, q: &[f64]) -> Result<Vec<f64>, ProgramFault> {
        let mut end = self.with_also(step, q)?;
        let values = match goal {
            Goal::Joints(values) => {
                if values.len() != arm.joints().len() {
                    return Err(ProgramFault::JointCount { given: values.len(), needed: arm.joints().len() });
                }
                for (&joint, &value) in arm.joints().iter().zip(values) {
                    self.within_limits(joint, value)?;
                }
                values.clone()
            }
            Goal::Pose { configuration, .. } => {
                self.base_at_rest(arm)?;
                let target = self.goal_pose(goal, step, q)?;
                let solutions = arm.solve(self.assembly, &target, &end).map_err(ProgramFault::Unreachable)?;
                if configuration.is_some() && arm.closed_form().is_none() {
                    return Err(ProgramFault::NoPostures);
                }
                let wanted =
                    |c: &crate::robot::Solution| configuration.is_none() || c.configuration == *configuration;
                match (solutions.into_iter().find(wanted), configuration) {
                    (Some(solution), _) => solution.values,
                    (None, Some(posture)) => return Err(ProgramFault::NotInPosture(*posture)),
                    (None, None) => unreachable!("solutions are never empty"),
                }
            }
        };
        for (&joint, value) in arm.joints().iter().zip(values) {
            end[joint] = value;
        }
        Ok(end)
    }

    fn within_limits(&self, joint: usize, value: f64) -> Result<(), ProgramFault> {
        let joint = &self.assembly.joints()[joint];
        let by = joint.limits.position.excess(value);
        if by <= 1e-9 && value.is_finite() {
            return Ok(());
        }
        let (by, unit) = if joint.kind.turns() { (by.to_degrees(), "°") } else { (by * 1e3, "mm") };
        Err(ProgramFault::BeyondLimit { joint: joint.name.clone(), by, unit })
    }
}

fn usable(what: &'static str, value: f64, least: f64, most: f64) -> Result<(), ProgramFault> {
    if (least..=most).contains(&value) {
        Ok(())
    } else {
        Err(ProgramFault::NotUsable { what, value, least, most })
    }
}

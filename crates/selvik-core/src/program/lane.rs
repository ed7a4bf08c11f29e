use std::collections::HashMap;

use super::subdivide::{Deviation, Knot, subdivide};
use super::{
    Goal, Lane, Motion, Move, MoveSpan, PathTolerance, Program, ProgramError, ProgramFault, Trapezoid,
};
use crate::robot::{Arm, Assembly};
use crate::spatial::{Point, Pose, rotation_angle};

/// How fast the TCP may turn in linear and circular moves, rad/s, and how fast it may get there,
/// rad/s² (common practice: half a turn a second).
const TURN_SPEED: f64 = std::f64::consts::PI;
const TURN_ACCELERATION: f64 = 4.0 * std::f64::consts::PI;

/// Samples along a Cartesian move at which joint speeds are held against their limits.
const LIMIT_SAMPLES: usize = 200;

/// What a lane does, cut at its sync marks; times count from the start of each stretch.
pub(super) struct LaneTrack {
    /// The joints it drives.
    pub joints: Vec<usize>,
    /// In order.
    pub stretches: Vec<Stretch>,
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
    tolerance: &PathTolerance,
) -> Result<LaneTrack, ProgramError> {
    let mut joints: Vec<usize> = owners.iter().filter(|o| *o.1 == at).map(|o| *o.0).collect();
    joints.sort_unstable();
    let own = |q: &[f64]| -> Vec<f64> { joints.iter().map(|&j| q[j]).collect() };
    let mut q = rest.to_vec();
    let begin = |q: &[f64], end| Stretch { knots: vec![(0.0, own(q))], spans: Vec::new(), mark: None, end };
    let mut stretches = vec![begin(&q, (0, 0))];
    for (program_at, program) in lane.programs.iter().enumerate() {
        for (index, step) in program.moves.iter().enumerate() {
            let fail = |fault| ProgramError {
                program: program.name.clone(),
                index,
                label: step.label.clone(),
                fault,
            };
            let runner = Runner { assembly, program, owners, lane: at, tolerance };
            let (knots, speed_share) = runner.run(step, &q).map_err(fail)?;
            let stretch = stretches.last_mut().expect("never empty");
            let start = stretch.duration();
            let length = knots.last().map_or(0.0, |k| k.0);
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
    Ok(LaneTrack { joints, stretches })
}

/// A Cartesian way: where the TCP is, in the world, for a share 0..1 of the move.
type Way<'a> = Box<dyn Fn(f64, &[f64]) -> Pose + 'a>;

struct Runner<'a> {
    assembly: &'a Assembly,
    program: &'a Program,
    owners: &'a HashMap<usize, usize>,
    lane: usize,
    tolerance: &'a PathTolerance,
}

impl Runner<'_> {
    /// The knots of `step` after its start at `q`, and the share of the programmed speed it runs at.
    fn run(&self, step: &Move, q: &[f64]) -> Result<(Vec<Knot>, f64), ProgramFault> {
        let arm = Arm::new(self.assembly, self.program.robot, self.program.tcp)
            .map_err(|e| ProgramFault::NoArm(e.to_string()))?;
        match &step.motion {
            Motion::Wait(seconds) => {
                positive("the waiting time", *seconds)?;
                Ok((vec![(*seconds, q.to_vec())], 1.0))
            }
            Motion::Sync(_) => Ok((Vec::new(), 1.0)),
            Motion::Joint { to, speed } => {
                positive("the speed", *speed)?;
                self.joint_move(&arm, step, to, *speed, q)
            }
            Motion::Linear { to, speed, acceleration } => {
                self.cartesian_move(&arm, step, None, to, (*speed, *acceleration), q)
            }
            Motion::Circular { via, to, speed, acceleration } => {
                self.cartesian_move(&arm, step, Some(via), to, (*speed, *acceleration), q)
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
    ) -> Result<(Vec<Knot>, f64), ProgramFault> {
        let end = self.goal_values(arm, step, to, q)?;
        let mut slowest = (f64::INFINITY, f64::INFINITY);
        for (joint, limits) in self.assembly.joints().iter().map(|j| j.limits).enumerate() {
            let travel = (end[joint] - q[joint]).abs();
            if travel > 0.0 {
                slowest.0 = slowest.0.min(limits.velocity * speed / travel);
                slowest.1 = slowest.1.min(limits.acceleration * speed / travel);
            }
        }
        if slowest.0.is_infinite() {
            return Ok((Vec::new(), 1.0));
        }
        let travel = Trapezoid::new(1.0, slowest.0, slowest.1);
        let truth = |t: f64, _: &[f64]| -> Result<Vec<f64>, ProgramFault> {
            let s = travel.at(t);
            Ok(q.iter().zip(&end).map(|(a, b)| a + (b - a) * s).collect())
        };
        self.knots(q, &travel, truth, arm).map(|knots| (knots, 1.0))
    }

    fn cartesian_move(
        &self,
        arm: &Arm,
        step: &Move,
        via: Option<&Goal>,
        to: &Goal,
        (speed, acceleration): (f64, f64),
        q: &[f64],
    ) -> Result<(Vec<Knot>, f64), ProgramFault> {
        positive("the speed", speed)?;
        positive("the acceleration", acceleration)?;
        let start = self.assembly.pose_of(arm.tip(), q);
        let end = self.goal_pose(to, step, q)?;
        if rotation_angle(&start, &end) > std::f64::consts::PI - 1e-6 {
            return Err(ProgramFault::HalfTurn);
        }
        let (length, way): (f64, Way) = match via {
            None => line(start, end),
            Some(via) => arc(start, &self.goal_pose(via, step, q)?, end)?,
        };
        let others = self.with_also(step, q)?;
        let angle = rotation_angle(&start, &end);
        let share = |per: f64, whole: f64| if whole > 1e-9 { per / whole } else { f64::INFINITY };
        let slide = step.also.iter().map(|&(joint, value)| {
            let (limits, travel) = (self.assembly.joints()[joint].limits, (value - q[joint]).abs());
            (share(limits.velocity, travel), share(limits.acceleration, travel))
        });
        let bounds = [
            (share(speed, length), share(acceleration, length)),
            (share(TURN_SPEED, angle), share(TURN_ACCELERATION, angle)),
        ];
        let (v, a) = bounds
            .into_iter()
            .chain(slide)
            .fold((f64::INFINITY, f64::INFINITY), |m, b| (m.0.min(b.0), m.1.min(b.1)));
        if v.is_infinite() {
            return Ok((Vec::new(), 1.0));
        }
        let at_share = |s: f64, near: &[f64]| -> Result<Vec<f64>, ProgramFault> {
            let mut guess = near.to_vec();
            for &(joint, value) in &step.also {
                guess[joint] = q[joint] + (value - q[joint]) * s;
            }
            let solved = arm
                .solve(self.assembly, &way(s, &others), &guess)
                .map_err(|reason| ProgramFault::LeavesReach { after: s * length, reason })?;
            for (value, &joint) in solved[0].values.iter().zip(arm.joints()) {
                guess[joint] = *value;
            }
            Ok(guess)
        };
        let travel = Trapezoid::new(1.0, v, a);
        let factor = self.slowing(&travel, q, at_share)?;
        let travel = travel.slowed(factor);
        let truth = |t: f64, near: &[f64]| at_share(travel.at(t), near);
        let knots = self.knots(q, &travel, truth, arm)?;
        Ok((knots, 1.0 / factor))
    }

    /// By how much a Cartesian move must be slowed so that no joint exceeds its speed or
    /// acceleration: the larger of the speed ratio and the root of the acceleration ratio.
    fn slowing(
        &self,
        travel: &Trapezoid,
        q: &[f64],
        at_share: impl Fn(f64, &[f64]) -> Result<Vec<f64>, ProgramFault>,
    ) -> Result<f64, ProgramFault> {
        let step = travel.duration() / LIMIT_SAMPLES as f64;
        let mut rows = vec![q.to_vec()];
        for i in 1..=LIMIT_SAMPLES {
            let near = rows.last().expect("the start is there");
            rows.push(at_share(travel.at(i as f64 * step), near)?);
        }
        let mut factor = 1.0f64;
        for (joint, limits) in self.assembly.joints().iter().map(|j| j.limits).enumerate() {
            for w in rows.windows(2) {
                factor = factor.max((w[1][joint] - w[0][joint]).abs() / step / limits.velocity);
            }
            for w in rows.windows(3) {
                let bend = (w[2][joint] - 2.0 * w[1][joint] + w[0][joint]).abs() / (step * step);
                factor = factor.max((bend / limits.acceleration).sqrt());
            }
        }
        Ok(factor)
    }

    fn knots(
        &self,
        q: &[f64],
        travel: &Trapezoid,
        truth: impl Fn(f64, &[f64]) -> Result<Vec<f64>, ProgramFault>,
        arm: &Arm,
    ) -> Result<Vec<Knot>, ProgramFault> {
        let deviation = |exact: &[f64], between: &[f64]| -> Deviation {
            let (a, b) = (self.assembly.pose_of(arm.tip(), exact), self.assembly.pose_of(arm.tip(), between));
            // A joint that jumps by a turn would pass unseen by the TCP alone.
            let jump = exact.iter().zip(between).any(|(x, y)| (x - y).abs() > 1.0);
            if jump {
                return (f64::INFINITY, f64::INFINITY);
            }
            ((a.translation.vector - b.translation.vector).norm(), rotation_angle(&a, &b))
        };
        let corners = [travel.ramp(), travel.duration() - travel.ramp()];
        subdivide(q, travel.duration(), &corners, self.tolerance, truth, deviation, |along| {
            ProgramFault::Singular { along }
        })
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
        for node in self.assembly.moving_above(*frame) {
            let joint = self.assembly.nodes()[node.0].joint.as_ref().expect("it moves").index;
            if self.owners.get(&joint).is_some_and(|&lane| lane != self.lane) {
                let name = self.assembly.joints()[joint].name.clone();
                return Err(ProgramFault::MovingTarget(name));
            }
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
                let target = self.goal_pose(goal, step, q)?;
                let solutions = arm.solve(self.assembly, &target, &end).map_err(ProgramFault::Unreachable)?;
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
        if by <= 1e-9 {
            return Ok(());
        }
        let (by, unit) = if joint.kind.turns() { (by.to_degrees(), "°") } else { (by * 1e3, "mm") };
        Err(ProgramFault::BeyondLimit { joint: joint.name.clone(), by, unit })
    }
}

fn positive(what: &'static str, value: f64) -> Result<(), ProgramFault> {
    if value > 0.0 && value.is_finite() { Ok(()) } else { Err(ProgramFault::NotPositive(what)) }
}

fn line<'a>(start: Pose, end: Pose) -> (f64, Way<'a>) {
    let length = (end.translation.vector - start.translation.vector).norm();
    (length, Box::new(move |s, _| start.lerp_slerp(&end, s)))
}

/// The circle through the three positions; the orientation turns evenly from start to end.
fn arc<'a>(start: Pose, via: &Pose, end: Pose) -> Result<(f64, Way<'a>), ProgramFault> {
    let [p, v, e] = [&start, via, &end].map(|pose| Point::from(pose.translation.vector));
    let (pv, pe) = (v - p, e - p);
    let normal = pv.cross(&pe);
    let square = normal.norm_squared();
    if square < 1e-12 * pv.norm_squared().max(pe.norm_squared()).powi(2) || square == 0.0 {
        return Err(ProgramFault::NoCircle);
    }
    let to_centre =
        (normal.cross(&pv) * pe.norm_squared() + pe.cross(&normal) * pv.norm_squared()) / (2.0 * square);
    let centre = p + to_centre;
    let axis = nalgebra::Unit::new_normalize(normal);
    let arm = p - centre;
    let far = e - centre;
    let turn = axis.dot(&arm.cross(&far)).atan2(arm.dot(&far));
    let turn = if turn <= 0.0 { turn + std::f64::consts::TAU } else { turn };
    let length = arm.norm() * turn;
    let way = move |s: f64, _: &[f64]| {
        let position = centre + nalgebra::UnitQuaternion::from_axis_angle(&axis, turn * s) * arm;
        Pose::from_parts(position.coords.into(), start.rotation.slerp(&end.rotation, s))
    };
    Ok((length, Box::new(way)))
}

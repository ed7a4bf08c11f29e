use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use super::planned::{Outset, Planned};
use super::run_plan::own_joints;
use super::runner::{Run, Runner};
use super::track::{Knots, Piece};
use super::{Lane, Motion, MoveSpan, PathTolerance, ProgramError, ProgramFault};
use crate::robot::{Arm, Assembly};

/// What a lane does, cut at its sync marks; times count from the start of each stretch.
pub(super) struct LaneRun {
    /// The joints it drives.
    pub joints: Vec<usize>,
    /// In order.
    pub stretches: Vec<Stretch>,
    /// How far any body may be off the programmed motion between knots, m.
    pub deviation: f64,
}

/// What a lane does between two sync marks.
pub(super) struct Stretch {
    /// Where it begins.
    begin: Arc<Knots>,
    /// Each so much after its start, s; values are those of [`LaneRun::joints`].
    pub pieces: Vec<(f64, Arc<Knots>)>,
    pub spans: Vec<MoveSpan>,
    /// The mark it ends at, if any.
    pub mark: Option<String>,
    /// Program and move that end it.
    pub end: (usize, usize),
}

impl Stretch {
    /// How long it takes, s.
    pub fn duration(&self) -> f64 {
        let last = self.pieces.last();
        last.map_or(0.0, |(start, knots)| start + knots.duration())
    }

    /// Its pieces as they come when it starts at `start` (s).
    pub fn placed(&self, start: f64) -> impl Iterator<Item = Piece> {
        let begin = std::iter::once((0.0, &self.begin));
        let pieces = self.pieces.iter().map(|(after, knots)| (*after, knots));
        begin.chain(pieces).map(move |(after, knots)| Piece {
            start: start + after,
            knots: Arc::clone(knots),
        })
    }
}

/// What all lanes share.
#[derive(Clone, Copy)]
pub(super) struct Joined<'a> {
    pub assembly: &'a Assembly,
    /// For each joint the lane that drives it.
    pub owners: &'a HashMap<usize, usize>,
    /// For each item that is taken the lanes that do.
    pub takers: &'a HashMap<usize, Vec<usize>>,
    /// For each joint the longest distance at which it moves anything.
    pub levers: &'a [f64],
    pub tolerance: &'a PathTolerance,
}

/// Runs the programs of `lane` on their own clock.
pub(super) fn run_lane(
    all: &Joined,
    lane: &Lane,
    at: usize,
    rest: &[f64],
    planned: &Planned,
) -> Result<LaneRun, ProgramError> {
    let assembly = all.assembly;
    let drives = all.owners.iter().filter(|o| *o.1 == at);
    let mut joints: Vec<usize> = drives.map(|o| *o.0).collect();
    joints.sort_unstable();
    let mut q = rest.to_vec();
    let begin = |q: &[f64], end| Stretch {
        begin: Arc::new(Knots::new(joints.iter().map(|&j| q[j]))),
        pieces: Vec::new(),
        spans: Vec::new(),
        mark: None,
        end,
    };
    let mut stretches = vec![begin(&q, (0, 0))];
    let mut deviation = 0.0f64;
    let mut taken = HashSet::new();
    for (program_at, program) in lane.programs.iter().enumerate() {
        let arm = program
            .tcp
            .map(|tcp| Arm::new(assembly, program.robot, tcp))
            .transpose();
        let own_joints = own_joints(assembly, program);
        let levers = |arm: &Arm| arm.joints().iter().map(|&j| all.levers[j]).collect();
        for (index, step) in program.moves.iter().enumerate() {
            let fail = |fault| ProgramError {
                program: program.name.as_str().into(),
                lane: at,
                nth: program_at,
                index,
                label: step.label.as_str().into(),
                fault,
            };
            let runner = Runner {
                all,
                lane: at,
                taken: &taken,
                own: &own_joints,
            };
            runner.stands_by_itself(program).map_err(fail)?;
            let arm = arm
                .as_ref()
                .map_err(|e| fail(ProgramFault::NoArm(e.to_string())))?
                .as_ref();
            let from = Outset {
                lane: at,
                robot: program.robot,
                tcp: program.tcp,
                start: q.clone(),
                levers: arm.map_or_else(Vec::new, levers),
            };
            let driven = match planned.find(step, &from) {
                Some(known) => known,
                None => {
                    let run = runner.run(arm, step, &q).map_err(fail)?;
                    let driven = Arc::new(Driven::of(run, &joints, &q));
                    planned.keep(step, from, &driven);
                    driven
                }
            };
            deviation = deviation.max(driven.deviation);
            let stretch = stretches.last_mut().expect("never empty");
            let start = stretch.duration();
            let length = driven.knots.duration();
            if start + length > LONGEST || length.is_nan() {
                return Err(fail(ProgramFault::TooLong));
            }
            if driven.end.iter().any(|v| !v.is_finite()) {
                return Err(fail(ProgramFault::NotNumbers));
            }
            q.clone_from(&driven.end);
            stretch.spans.push(MoveSpan {
                lane: at,
                program: program_at,
                index,
                start,
                end: start + length,
                speed_share: driven.speed_share,
            });
            if !driven.knots.is_empty() {
                stretch.pieces.push((start, Arc::clone(&driven.knots)));
            }
            stretch.end = (program_at, index);
            match &step.motion {
                Motion::Sync(mark) => {
                    stretch.mark = Some(mark.clone());
                    stretches.push(begin(&q, (program_at, index)));
                }
                Motion::Take { item, .. } => {
                    taken.insert(*item);
                }
                _ => {}
            }
        }
    }
    Ok(LaneRun {
        joints,
        stretches,
        deviation,
    })
}

/// Longer no lane may run, s: beyond it instants are told apart too coarsely.
const LONGEST: f64 = 1e6;

/// What the joints of a lane do during one move.
#[derive(Debug)]
pub(super) struct Driven {
    knots: Arc<Knots>,
    /// The joint vector of the cell at its end, rad or m.
    end: Vec<f64>,
    /// See [`Run`].
    speed_share: f64,
    /// See [`Run`], m.
    deviation: f64,
}

impl Driven {
    /// Of a move that began at `start`; only `joints` move.
    fn of(run: Run, joints: &[usize], start: &[f64]) -> Self {
        let mut knots = Knots::new(joints.iter().map(|&j| start[j]));
        for knot in &run.knots {
            knots.push(knot.time, joints.iter().map(|&j| knot.q[j]), knot.bow);
        }
        let last = run.knots.into_iter().next_back();
        Self {
            knots: Arc::new(knots),
            end: last.map_or_else(|| start.to_vec(), |knot| knot.q),
            speed_share: run.speed_share,
            deviation: run.deviation,
        }
    }
}

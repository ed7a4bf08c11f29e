use std::collections::{HashMap, HashSet};

use rayon::prelude::*;

use super::handling::{handling, takers};
use super::lane::{Joined, LaneRun, run_lane};
use super::track::{Piece, Track};
use super::{Motion, MoveSpan, Path, Planned, Program, ProgramError, ProgramFault};
use crate::robot::{Assembly, Carried};

/// The programs one robot runs one after the other.
#[derive(Debug, Clone, PartialEq)]
pub struct Lane {
    /// When the first begins, s.
    pub start: f64,
    /// All of the same robot.
    pub programs: Vec<Program>,
}

/// Which programs run when, on one clock.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RunPlan {
    /// One a robot.
    pub lanes: Vec<Lane>,
}

/// How far joints that go straight from knot to knot may leave anything off the programmed way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PathTolerance {
    /// Any point of any body, m.
    pub position: f64,
}

impl Default for PathTolerance {
    fn default() -> Self {
        Self { position: 5e-6 }
    }
}

/// The path of the whole cell over `plan`, starting with all joints at `rest` (rad, m).
///
/// # Errors
/// [`ProgramError`] names the program and move that can't be run, and why.
pub fn plan_path(
    assembly: &Assembly,
    plan: &RunPlan,
    rest: &[f64],
    tolerance: &PathTolerance,
) -> Result<Path, ProgramError> {
    plan_again(assembly, plan, rest, tolerance, &mut Planned::default())
}

/// The same, planning only those moves that are not `planned` in this assembly, which takes them up.
///
/// # Errors
/// [`ProgramError`] names the program and move that can't be run, and why.
pub fn plan_again(
    assembly: &Assembly,
    plan: &RunPlan,
    rest: &[f64],
    tolerance: &PathTolerance,
    planned: &mut Planned,
) -> Result<Path, ProgramError> {
    let owners = joint_owners(assembly, plan)?;
    let farthest = assembly.farthest();
    let takers = takers(plan);
    let mut levers = assembly.levers(&farthest, &Carried::default());
    loop {
        let all = Joined {
            assembly,
            owners: &owners,
            takers: &takers,
            levers: &levers,
            tolerance,
        };
        planned.begin(&all);
        let run = |(at, lane)| run_lane(&all, lane, at, rest, planned);
        let runs: Vec<Result<LaneRun, ProgramError>> =
            plan.lanes.par_iter().enumerate().map(run).collect();
        let runs: Vec<LaneRun> = runs.into_iter().collect::<Result<_, _>>()?;
        let (tracks, spans): (Vec<Track>, Vec<Vec<MoveSpan>>) =
            align(plan, runs)?.into_iter().unzip();
        let path = Path::of_tracks(rest.to_vec(), tracks, spans.concat());
        let handling = handling(assembly, plan, &path)?;
        // What is carried may stick out farther than all that was there before.
        let needed = handling.levers(assembly, &farthest);
        if needed
            .iter()
            .zip(&levers)
            .all(|(needed, lever)| needed <= lever)
        {
            return Ok(path.with_handling(handling));
        }
        for (lever, needed) in levers.iter_mut().zip(needed) {
            *lever = lever.max(needed * STICKS_OUT);
        }
    }
}

/// Where something is taken may shift a little when the way there is looked at more closely.
const STICKS_OUT: f64 = 1.001;

/// What of `plan` can be run: every lane up to its first move that can't, and why those can't. It shows what goes wrong where;
/// it is not what the cell will do, and nothing is certified along it.
#[must_use]
pub fn plan_as_far_as_it_goes(
    assembly: &Assembly,
    plan: &RunPlan,
    rest: &[f64],
    tolerance: &PathTolerance,
    planned: &mut Planned,
) -> (Path, Vec<ProgramError>) {
    let mut plan = plan.clone();
    let mut faults = Vec::new();
    loop {
        match plan_again(assembly, &plan, rest, tolerance, planned) {
            Ok(path) => return (path, faults),
            Err(fault) => {
                // Each time some lane becomes shorter.
                let lane = &mut plan.lanes[fault.lane];
                lane.programs.truncate(fault.nth + 1);
                lane.programs[fault.nth].moves.truncate(fault.index);
                faults.push(fault);
            }
        }
    }
}

/// Which lane drives which joint.
fn joint_owners(
    assembly: &Assembly,
    plan: &RunPlan,
) -> Result<HashMap<usize, usize>, ProgramError> {
    let mut owners = HashMap::new();
    for (at, lane) in plan.lanes.iter().enumerate() {
        for (nth, program) in lane.programs.iter().enumerate() {
            let own = own_joints(assembly, program);
            for (index, step) in program.moves.iter().enumerate() {
                let recorded = match &step.motion {
                    Motion::Recorded(recording) => recording.joints(),
                    _ => &[],
                };
                let also = step.also.iter().map(|a| &a.0);
                for &joint in own.iter().chain(also).chain(recorded) {
                    if *owners.entry(joint).or_insert(at) != at {
                        return Err(ProgramError {
                            program: program.name.as_str().into(),
                            lane: at,
                            nth,
                            index,
                            label: step.label.as_str().into(),
                            fault: ProgramFault::SharedJoint(assembly.joints()[joint].name.clone()),
                        });
                    }
                }
            }
        }
    }
    Ok(owners)
}

/// The joints of the mechanism that a program drives.
pub(super) fn own_joints(assembly: &Assembly, program: &Program) -> Vec<usize> {
    let Some(tcp) = program.tcp else {
        let all = assembly.joints().iter().enumerate();
        let own = all.filter(|(_, joint)| joint.item == program.robot);
        return own.map(|(index, _)| index).collect();
    };
    let above = assembly.moving_above(tcp).iter();
    let nodes = above.map(|n| &assembly.nodes()[n.0]);
    let own = nodes.filter(|node| node.item == program.robot);
    let mut joints: Vec<usize> = own
        .filter_map(|node| Some(node.joint.as_ref()?.index))
        .collect();
    // Several may follow one entry.
    let mut seen = HashSet::new();
    joints.retain(|joint| seen.insert(*joint));
    joints
}

/// Lets lanes wait for each other at their sync marks.
fn align(
    plan: &RunPlan,
    tracks: Vec<LaneRun>,
) -> Result<Vec<(Track, Vec<MoveSpan>)>, ProgramError> {
    let mut next = vec![0usize; tracks.len()];
    let mut clock: Vec<f64> = plan.lanes.iter().map(|l| l.start).collect();
    let mut starts: Vec<Vec<f64>> = vec![Vec::new(); tracks.len()];
    loop {
        for (lane, track) in tracks.iter().enumerate() {
            // A stretch is followed by the mark at which it ends; the last one by none.
            if starts[lane].len() == next[lane] && next[lane] < track.stretches.len() {
                starts[lane].push(clock[lane]);
                clock[lane] += track.stretches[next[lane]].duration();
            }
        }
        let waiting = |lane: usize| {
            tracks[lane]
                .stretches
                .get(next[lane])
                .and_then(|s| s.mark.as_ref())
        };
        let Some(mark) = (0..tracks.len()).find_map(|lane| {
            let mark = waiting(lane)?;
            let all_there = (0..tracks.len()).all(|other| {
                waiting(other) == Some(mark)
                    || !tracks[other].stretches[next[other].min(tracks[other].stretches.len())..]
                        .iter()
                        .any(|s| s.mark.as_ref() == Some(mark))
            });
            all_there.then(|| mark.clone())
        }) else {
            if let Some(lane) = (0..tracks.len()).find(|&l| waiting(l).is_some()) {
                let stretch = &tracks[lane].stretches[next[lane]];
                let mark = stretch.mark.clone().expect("it waits");
                let program = &plan.lanes[lane].programs[stretch.end.0];
                return Err(ProgramError {
                    program: program.name.as_str().into(),
                    lane,
                    nth: stretch.end.0,
                    index: stretch.end.1,
                    label: program.moves[stretch.end.1].label.as_str().into(),
                    fault: ProgramFault::Deadlock(mark),
                });
            }
            break;
        };
        let there: Vec<usize> = (0..tracks.len())
            .filter(|&l| waiting(l) == Some(&mark))
            .collect();
        let together = there.iter().map(|&l| clock[l]).fold(0.0, f64::max);
        for lane in there {
            clock[lane] = together;
            next[lane] += 1;
        }
    }
    Ok(tracks
        .into_iter()
        .zip(starts)
        .map(|(track, starts)| place(track, &starts))
        .collect())
}

fn place(run: LaneRun, starts: &[f64]) -> (Track, Vec<MoveSpan>) {
    let placed = || run.stretches.iter().zip(starts);
    let pieces = placed().flat_map(|(stretch, start)| stretch.placed(*start));
    let pieces: Vec<Piece> = pieces.collect();
    let later = |span: &MoveSpan, start: f64| MoveSpan {
        start: span.start + start,
        end: span.end + start,
        ..span.clone()
    };
    let spans =
        placed().flat_map(|(stretch, start)| stretch.spans.iter().map(move |s| later(s, *start)));
    let spans = spans.collect();
    (Track::new(run.joints, pieces, run.deviation), spans)
}

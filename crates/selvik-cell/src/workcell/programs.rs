//! Programs and the run plan.

use std::collections::HashMap;

use indexmap::IndexMap;
use selvik_core::program::{Goal, Lane, Motion, Move, Program, RunPlan};
use selvik_core::robot::{Arm, Configuration, Elbow, Shoulder, Wrist};
use selvik_formats::targets_csv::read_targets;
use selvik_formats::{PackageFiles, Result};

use super::RAMP;
use super::names::Names;
use super::refusals::{Refusals, finite, refuse, unique};
use crate::document::{
    CellDocument, LaneDocument, MoveDocument, PostureDocument, ProgramDocument, TargetDocument,
};

/// The run plan of a document; what is wrong with it and its programs is noted.
pub(super) fn run_plan(
    document: &CellDocument,
    files: &PackageFiles,
    names: &Names,
    refusals: &mut Refusals,
) -> RunPlan {
    refusals.note(unique("programs", document.programs.iter().map(|p| &p.id)));
    let mut programs = IndexMap::new();
    for one in &document.programs {
        programs.insert(one.id.clone(), program(one, files, names, refusals));
    }
    let lanes = document.run_plan.lanes.iter().enumerate();
    let lanes = refusals.note_each(lanes.map(|(index, of)| lane(index, of, &programs)));
    RunPlan { lanes }
}

/// A program, or nothing where something is wrong with it.
fn program(
    document: &ProgramDocument,
    files: &PackageFiles,
    names: &Names,
    refusals: &mut Refusals,
) -> Option<Program> {
    let place = format!("program \"{}\"", document.id);
    let robot = refusals.note(names.item(&document.robot, &place));
    let tcp = refusals.note(names.node(&document.tcp, &place));
    let targets = refusals.note(targets(document, files, &place))?;
    let (robot, tcp) = (robot?, tcp?);
    let arm = refusals.note(Arm::new(names.assembly, robot, tcp).map_err(|e| refuse(&place, e)))?;
    let reader = Reader { names, arm: &arm, targets: &targets };
    let steps = document.moves.iter().enumerate();
    let moves =
        refusals.note_each(steps.map(|(at, step)| reader.read(step, &format!("{place} moves[{at}]"))));
    (moves.len() == document.moves.len()).then(|| Program { name: document.name.clone(), robot, tcp, moves })
}

/// The targets of a program by their ids, also those of its CSV file.
fn targets(
    document: &ProgramDocument,
    files: &PackageFiles,
    place: &str,
) -> Result<HashMap<String, TargetDocument>> {
    let mut targets = document.targets.clone();
    if let Some(file) = &document.targets_csv {
        targets.extend(read_targets(file, &files.get(file, place)?)?.into_iter().map(TargetDocument::from));
    }
    unique(&format!("{place} targets"), targets.iter().map(|t| &t.id))?;
    Ok(targets.into_iter().map(|t| (t.id.clone(), t)).collect())
}

/// Reads the moves of one program.
struct Reader<'a> {
    names: &'a Names<'a>,
    arm: &'a Arm,
    targets: &'a HashMap<String, TargetDocument>,
}

impl Reader<'_> {
    fn read(&self, step: &MoveDocument, place: &str) -> Result<Move> {
        let speeds = |speed: f64, acceleration: Option<f64>| {
            (speed * 1e-3, acceleration.map_or(speed * 1e-3 / RAMP, |a| a * 1e-3))
        };
        let (label, motion, also) = match step {
            MoveDocument::Joint { to, joints_deg_or_mm, speed_percent, posture, also_deg_or_mm } => {
                let goal = match (to, joints_deg_or_mm) {
                    (Some(id), None) => self.goal(id, *posture, place)?,
                    (None, Some(values)) => self.joints(values),
                    _ => return Err(refuse(place, "give either to or joints_deg_or_mm, one of them")),
                };
                if !(*speed_percent > 0.0 && *speed_percent <= 100.0) {
                    return Err(refuse(place, "speed_percent must be above 0 and at most 100"));
                }
                let label = format!("joint move to {}", to.as_deref().unwrap_or("joint values"));
                let motion = Motion::Joint { to: goal, speed: speed_percent / 100.0 };
                (label, motion, self.also(also_deg_or_mm, place)?)
            }
            MoveDocument::Linear { to, speed_mm_s, acceleration_mm_s2, also_deg_or_mm } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let motion = Motion::Linear { to: self.goal(to, None, place)?, speed, acceleration };
                (format!("linear move to {to}"), motion, self.also(also_deg_or_mm, place)?)
            }
            MoveDocument::Circular { via, to, speed_mm_s, acceleration_mm_s2 } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let (via, goal) = (self.goal(via, None, place)?, self.goal(to, None, place)?);
                let motion = Motion::Circular { via, to: goal, speed, acceleration };
                (format!("circular move to {to}"), motion, Vec::new())
            }
            MoveDocument::Wait { seconds } => ("wait".to_owned(), Motion::Wait(*seconds), Vec::new()),
            MoveDocument::Sync { mark } => (format!("sync {mark}"), Motion::Sync(mark.clone()), Vec::new()),
        };
        Ok(Move { label, motion, also })
    }

    fn goal(&self, id: &str, posture: Option<PostureDocument>, place: &str) -> Result<Goal> {
        let target = self.targets.get(id);
        let target = target.ok_or_else(|| refuse(place, format!("there is no target \"{id}\"")))?;
        finite(place, target.pose.xyz_mm.iter().chain(&target.pose.rpy_deg))?;
        let frame = target.frame.as_ref().map(|f| self.names.node(f, place)).transpose()?;
        Ok(Goal::Pose { frame, pose: target.pose.to_pose(), configuration: posture.map(configuration) })
    }

    /// Joint values in rad or m; how many there must be is known to the path.
    fn joints(&self, values: &[f64]) -> Goal {
        let joints = self.names.assembly.joints();
        let own = values.iter().zip(self.arm.joints());
        let own = own.map(|(v, &j)| if joints[j].kind.turns() { v.to_radians() } else { v * 1e-3 });
        Goal::Joints(own.chain(values.iter().skip(self.arm.joints().len()).copied()).collect())
    }

    fn also(&self, named: &IndexMap<String, f64>, place: &str) -> Result<Vec<(usize, f64)>> {
        named.iter().map(|(key, &value)| self.names.joint(key, value, place)).collect()
    }
}

fn configuration(posture: PostureDocument) -> Configuration {
    Configuration {
        shoulder: if posture.front { Shoulder::Front } else { Shoulder::Back },
        elbow: if posture.elbow_up { Elbow::Up } else { Elbow::Down },
        wrist: if posture.wrist_positive { Wrist::Positive } else { Wrist::Negative },
    }
}

/// A lane with its programs. One that was refused is left out: that has been told.
fn lane(index: usize, lane: &LaneDocument, programs: &IndexMap<String, Option<Program>>) -> Result<Lane> {
    let place = format!("run_plan.lanes[{index}]");
    if !(0.0..1e6).contains(&lane.start_s) {
        return Err(refuse(&place, "start_s must be from 0 to a million"));
    }
    let mut of_lane: Vec<Program> = Vec::with_capacity(lane.programs.len());
    for id in &lane.programs {
        let known = programs.get(id);
        let known = known.ok_or_else(|| refuse(&place, format!("there is no program \"{id}\"")))?;
        of_lane.extend(known.clone());
    }
    if of_lane.windows(2).any(|w| w[0].robot != w[1].robot) {
        return Err(refuse(&place, "the programs of a lane must be of one robot"));
    }
    Ok(Lane { start: lane.start_s, programs: of_lane })
}

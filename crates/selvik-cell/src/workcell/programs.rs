//! Programs and the run plan.

use std::collections::HashMap;
use std::sync::Arc;

use indexmap::IndexMap;
use selvik_core::program::{Goal, Lane, Motion, Move, Program, Recording, RunPlan};
use selvik_core::robot::{Arm, Configuration, Elbow, NodeId, Shoulder, Wrist};
use selvik_formats::targets_csv::read_targets;
use selvik_formats::{FormatError, PackageFiles, Result, read_recording};

use super::RAMP;
use super::geometry::{Known, description};
use super::names::Names;
use super::refusals::{Refusals, finite, refuse, unique};
use crate::document::{
    CellDocument, LaneDocument, MoveDocument, PostureDocument, ProgramDocument,
    RecordedJointDocument, TargetDocument,
};

/// The run plan of a document; what is wrong with it and its programs is noted.
pub(super) fn run_plan(
    document: &CellDocument,
    (files, known): (&PackageFiles, &mut Known),
    names: &Names,
    refusals: &mut Refusals,
) -> RunPlan {
    refusals.note(unique("programs", document.programs.iter().map(|p| &p.id)));
    let mut programs = IndexMap::new();
    let mut used = HashMap::new();
    let mut filed = HashMap::new();
    for one in &document.programs {
        let place = format!("program \"{}\"", one.id);
        let targets = refusals.note(targets(one, files, &place));
        let read = program(
            one,
            targets.as_ref(),
            (files, known, &mut used),
            names,
            refusals,
        );
        if let Some(targets) = targets.filter(|_| one.targets_csv.is_some()) {
            filed.insert(one.id.clone(), targets.into_values().collect());
        }
        programs.insert(one.id.clone(), read);
    }
    // What no program plays any more is let go.
    known.recordings = used;
    known.filed = filed;
    let lanes = document.run_plan.lanes.iter().enumerate();
    let lanes = refusals.note_each(lanes.map(|(index, of)| lane(index, of, &programs)));
    RunPlan { lanes }
}

/// A program, or nothing where something is wrong with it.
fn program(
    document: &ProgramDocument,
    targets: Option<&HashMap<String, TargetDocument>>,
    (files, known, used): (&PackageFiles, &Known, &mut HashMap<Vec<u8>, Recording>),
    names: &Names,
    refusals: &mut Refusals,
) -> Option<Program> {
    let place = format!("program \"{}\"", document.id);
    let robot = refusals.note(names.item(&document.robot, &place));
    let tcp = document.tcp.as_ref();
    let tcp = refusals.note(tcp.map(|tcp| names.node(tcp, &place)).transpose());
    let targets = targets?;
    let (robot, tcp) = (robot?, tcp?);
    let joints = refusals.note(driven(names, robot, tcp, &place))?;
    let mut reader = Reader {
        names,
        joints: &joints,
        targets,
        files,
        known,
        used,
    };
    let steps = document.moves.iter().enumerate();
    let moves = refusals
        .note_each(steps.map(|(at, step)| reader.read(step, &format!("{place} moves[{at}]"))));
    (moves.len() == document.moves.len()).then(|| Program {
        name: document.name.clone(),
        robot,
        tcp,
        moves,
    })
}

/// The joints that a program drives, from base to tip.
fn driven(names: &Names, robot: usize, tcp: Option<NodeId>, place: &str) -> Result<Vec<usize>> {
    if let Some(tcp) = tcp {
        let arm = Arm::new(names.assembly, robot, tcp).map_err(|e| refuse(place, e))?;
        return Ok(arm.joints().to_vec());
    }
    let joints = names.assembly.joints().iter().enumerate();
    let own = joints.filter(|(_, joint)| joint.item == robot);
    let own: Vec<usize> = own.map(|(index, _)| index).collect();
    if own.is_empty() {
        let id = &names.assembly.cell().items()[robot].id;
        return Err(refuse(
            place,
            format!("\"{id}\" has no joints to be driven"),
        ));
    }
    Ok(own)
}

/// The targets of a program by their ids, also those of its CSV file.
fn targets(
    document: &ProgramDocument,
    files: &PackageFiles,
    place: &str,
) -> Result<HashMap<String, TargetDocument>> {
    let mut targets = document.targets.clone();
    if let Some(file) = &document.targets_csv {
        targets.extend(
            read_targets(file, &files.get(file, place)?)?
                .into_iter()
                .map(TargetDocument::from),
        );
    }
    unique(&format!("{place} targets"), targets.iter().map(|t| &t.id))?;
    Ok(targets.into_iter().map(|t| (t.id.clone(), t)).collect())
}

/// Reads the moves of one program.
struct Reader<'a> {
    names: &'a Names<'a>,
    /// That it drives.
    joints: &'a [usize],
    targets: &'a HashMap<String, TargetDocument>,
    files: &'a PackageFiles,
    known: &'a Known,
    /// Recordings that were read, by how they are described.
    used: &'a mut HashMap<Vec<u8>, Recording>,
}

impl Reader<'_> {
    fn read(&mut self, step: &MoveDocument, place: &str) -> Result<Move> {
        let speeds = |speed: f64, acceleration: Option<f64>| {
            (
                speed * 1e-3,
                acceleration.map_or(speed * 1e-3 / RAMP, |a| a * 1e-3),
            )
        };
        let (label, motion, also) = match step {
            MoveDocument::Joint {
                to,
                joints_deg_or_mm,
                speed_percent,
                posture,
                also_deg_or_mm,
            } => {
                let goal = match (to, joints_deg_or_mm) {
                    (Some(id), None) => self.goal(id, *posture, place)?,
                    (None, Some(values)) => self.joints(values),
                    (None, None) if !also_deg_or_mm.is_empty() => Goal::Here,
                    _ => {
                        return Err(refuse(
                            place,
                            "give either to or joints_deg_or_mm, one of them",
                        ));
                    }
                };
                if !(*speed_percent > 0.0 && *speed_percent <= 100.0) {
                    return Err(refuse(
                        place,
                        "speed_percent must be above 0 and at most 100",
                    ));
                }
                let goal_name = match (to, also_deg_or_mm.keys().next()) {
                    (Some(to), _) => to.as_str(),
                    (None, Some(only)) if goal == Goal::Here && also_deg_or_mm.len() == 1 => only,
                    _ => "joint values",
                };
                let label = format!("joint move to {goal_name}");
                let motion = Motion::Joint {
                    to: goal,
                    speed: speed_percent / 100.0,
                };
                (label, motion, self.also(also_deg_or_mm, place)?)
            }
            MoveDocument::Linear {
                to,
                speed_mm_s,
                acceleration_mm_s2,
                also_deg_or_mm,
            } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let motion = Motion::Linear {
                    to: self.goal(to, None, place)?,
                    speed,
                    acceleration,
                };
                (
                    format!("linear move to {to}"),
                    motion,
                    self.also(also_deg_or_mm, place)?,
                )
            }
            MoveDocument::Circular {
                via,
                to,
                speed_mm_s,
                acceleration_mm_s2,
            } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let (via, goal) = (self.goal(via, None, place)?, self.goal(to, None, place)?);
                let motion = Motion::Circular {
                    via,
                    to: goal,
                    speed,
                    acceleration,
                };
                (format!("circular move to {to}"), motion, Vec::new())
            }
            MoveDocument::Wait { seconds } => {
                ("wait".to_owned(), Motion::Wait(*seconds), Vec::new())
            }
            MoveDocument::Sync { mark } => (
                format!("sync {mark}"),
                Motion::Sync(mark.clone()),
                Vec::new(),
            ),
            MoveDocument::Take {
                item,
                by,
                touching_moves,
            } => {
                let motion = Motion::Take {
                    item: self.names.item(item, place)?,
                    by: self.carrier(by.as_deref(), place)?,
                    touching_moves: *touching_moves as usize,
                };
                (format!("take {item}"), motion, Vec::new())
            }
            MoveDocument::Release {
                item,
                onto,
                touching_moves,
            } => {
                let motion = Motion::Release {
                    item: self.names.item(item, place)?,
                    onto: self.carrier(onto.as_deref(), place)?,
                    touching_moves: *touching_moves as usize,
                };
                (format!("release {item}"), motion, Vec::new())
            }
            MoveDocument::Recorded { file, .. } => {
                let name = file.rsplit('/').next().unwrap_or(file);
                let recording = self.recording(step, place)?;
                let motion = Motion::Recorded(Arc::new(recording));
                (format!("recording {name}"), motion, Vec::new())
            }
        };
        Ok(Move {
            label,
            motion,
            also,
        })
    }

    /// Where something is to hang: the frame of `item` or `item/link`.
    fn carrier(&self, name: Option<&str>, place: &str) -> Result<Option<NodeId>> {
        name.map(|name| self.names.item_or_link_node(name, place))
            .transpose()
    }

    fn goal(&self, id: &str, posture: Option<PostureDocument>, place: &str) -> Result<Goal> {
        let target = self.targets.get(id);
        let target = target.ok_or_else(|| refuse(place, format!("there is no target \"{id}\"")))?;
        finite(place, target.pose.xyz_mm.iter().chain(&target.pose.rpy_deg))?;
        let frame = target
            .frame
            .as_ref()
            .map(|f| self.names.node(f, place))
            .transpose()?;
        Ok(Goal::Pose {
            frame,
            pose: target.pose.to_pose(),
            configuration: posture.map(configuration),
        })
    }

    /// Joint values in rad or m; how many there must be is known to the path.
    fn joints(&self, values: &[f64]) -> Goal {
        let joints = self.names.assembly.joints();
        let own = values.iter().zip(self.joints);
        let own = own.map(|(v, &j)| {
            if joints[j].kind.turns() {
                v.to_radians()
            } else {
                v * 1e-3
            }
        });
        Goal::Joints(
            own.chain(values.iter().skip(self.joints.len()).copied())
                .collect(),
        )
    }

    /// The recording that a step plays.
    fn recording(&mut self, step: &MoveDocument, place: &str) -> Result<Recording> {
        let MoveDocument::Recorded {
            file,
            time_column,
            time_unit,
            joints,
        } = step
        else {
            unreachable!("it is asked for recordings only");
        };
        let driven = joints
            .iter()
            .map(|column| self.recorded_joint(column, place))
            .collect::<Result<Vec<_>>>()?;
        let own = |joint: &usize| self.joints.contains(joint);
        if !driven.iter().any(own) {
            let message = "the recording moves no joint of this program's mechanism";
            return Err(refuse(place, message));
        }
        let units: Vec<_> = joints.iter().map(|j| (j.column, j.unit)).collect();
        let key = description(&(file, time_column, time_unit, units));
        let known = self
            .used
            .get(&key)
            .or_else(|| self.known.recordings.get(&key));
        let recording = match known {
            Some(known) => known.of_joints(driven),
            None => {
                let table = read_recording(file, &self.files.get(file, place)?)?;
                let column = |at: usize| {
                    let count = table.columns.len();
                    let missing = || {
                        let message = format!("there is no column {at}; the file has {count}");
                        FormatError::file(file, message)
                    };
                    (1..=count)
                        .contains(&at)
                        .then(|| at - 1)
                        .ok_or_else(missing)
                };
                let times = table.column(column(*time_column)?);
                let times = times.map(|t| t * time_unit.seconds()).collect();
                let columns = joints
                    .iter()
                    .map(|j| Ok((column(j.column)?, j.unit.in_si())))
                    .collect::<Result<Vec<_>>>()?;
                let width = table.columns.len();
                let rows = table.values.chunks_exact(width);
                let values = rows.flat_map(|row| columns.iter().map(|(at, unit)| row[*at] * unit));
                Recording::new(driven, times, values.collect())
            }
        };
        let recording = recording.map_err(|e| FormatError::file(file, e))?;
        self.used.insert(key, recording.clone());
        Ok(recording)
    }

    fn recorded_joint(&self, column: &RecordedJointDocument, place: &str) -> Result<usize> {
        let joint = self.names.joint_index(&column.joint, place)?;
        let turns = self.names.assembly.joints()[joint].kind.turns();
        if turns != column.unit.is_angle() {
            let (does, units) = match turns {
                true => ("turns", "deg or rad"),
                false => ("slides", "mm or m"),
            };
            let message = format!("joint \"{}\" {does}; its unit is {units}", column.joint);
            return Err(refuse(place, message));
        }
        Ok(joint)
    }

    fn also(&self, named: &IndexMap<String, f64>, place: &str) -> Result<Vec<(usize, f64)>> {
        named
            .iter()
            .map(|(key, &value)| self.names.joint(key, value, place))
            .collect()
    }
}

fn configuration(posture: PostureDocument) -> Configuration {
    Configuration {
        shoulder: if posture.front {
            Shoulder::Front
        } else {
            Shoulder::Back
        },
        elbow: if posture.elbow_up {
            Elbow::Up
        } else {
            Elbow::Down
        },
        wrist: if posture.wrist_positive {
            Wrist::Positive
        } else {
            Wrist::Negative
        },
    }
}

/// A lane with its programs. One that was refused is left out: that has been told.
fn lane(
    index: usize,
    lane: &LaneDocument,
    programs: &IndexMap<String, Option<Program>>,
) -> Result<Lane> {
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
        return Err(refuse(
            &place,
            "the programs of a lane must be of one robot",
        ));
    }
    Ok(Lane {
        start: lane.start_s,
        programs: of_lane,
    })
}

//! Changes of what robots run.

use schemars::JsonSchema;
use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::roster::refuse;
use crate::document::{
    CellDocument, LaneDocument, MoveDocument, ProgramDocument, RunPlanDocument, StretchDocument,
    TargetDocument, checked_name,
};

/// Something that can be done to a program.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum ProgramChange {
    /// Gives it another name.
    Name(String),
    /// Takes another frame to its targets, or none.
    Tcp(Option<String>),
    /// Puts moves in.
    Insert {
        /// Before which move, from 0; past the end is the end.
        at: usize,
        /// The moves.
        moves: Vec<MoveDocument>,
        /// Targets they go to that are new.
        #[serde(default)]
        targets: Vec<TargetDocument>,
    },
    /// Says something else in place of a move.
    Replace {
        /// Which, from 0.
        at: usize,
        /// The move.
        step: Box<MoveDocument>,
    },
    /// Takes moves out.
    Remove {
        /// The first, from 0.
        from: usize,
        /// How many.
        count: usize,
    },
    /// Puts moves elsewhere in the order.
    Shift {
        /// The first, from 0.
        from: usize,
        /// How many.
        count: usize,
        /// Where the first stands afterwards.
        to: usize,
    },
    /// Keeps a target; one of the same id is replaced.
    Target(TargetDocument),
    /// Gives a target another id, in its moves, too.
    RenameTarget {
        /// Its id.
        target: String,
        /// The new one.
        id: String,
    },
    /// Deletes a target that no move goes to.
    DropTarget(String),
}

fn position(document: &CellDocument, id: &str) -> Result<usize> {
    let at = document.programs.iter().position(|p| p.id == id);
    at.ok_or_else(|| refuse(format!("there is no program \"{id}\"")))
}

/// Adds a program, and runs it in the lane of its mechanism if it is new; one of the same id is replaced.
pub(super) fn save(document: &mut CellDocument, program: &ProgramDocument) -> Result<String> {
    let program = ProgramDocument {
        name: checked_name(&program.name)?,
        ..program.clone()
    };
    if program.id.is_empty() {
        return Err(refuse("a program needs an id"));
    }
    let name = program.name.clone();
    if let Ok(at) = position(document, &program.id) {
        document.programs[at] = program;
        return Ok(format!("change program {name}"));
    }
    let of_same = |lane: &&mut LaneDocument| {
        let first = lane.programs.first();
        let runs = document.programs.iter().find(|p| Some(&p.id) == first);
        runs.is_some_and(|p| p.robot == program.robot)
    };
    match document.run_plan.lanes.iter_mut().find(of_same) {
        Some(lane) => lane.programs.push(program.id.clone()),
        None => document.run_plan.lanes.push(LaneDocument {
            programs: vec![program.id.clone()],
            start_s: 0.0,
        }),
    }
    document.programs.push(program);
    Ok(format!("add program {name}"))
}

pub(super) fn delete(document: &mut CellDocument, id: &str) -> Result<String> {
    let gone = document.programs.remove(position(document, id)?);
    let lanes = &mut document.run_plan.lanes;
    lanes
        .iter_mut()
        .for_each(|lane| lane.programs.retain(|p| p != id));
    lanes.retain(|lane| !lane.programs.is_empty());
    for pair in &mut document.may_touch {
        if let Some(during) = &mut pair.during {
            during.retain(|stretch| stretch.program != id);
        }
    }
    Ok(format!("delete program {}", gone.name))
}

pub(super) fn run(document: &mut CellDocument, plan: &RunPlanDocument) -> String {
    document.run_plan = plan.clone();
    "change the run plan".to_owned()
}

pub(super) fn change(
    document: &mut CellDocument,
    id: &str,
    change: &ProgramChange,
) -> Result<String> {
    let at = position(document, id)?;
    let before: Vec<usize> = (0..document.programs[at].moves.len()).collect();
    let (label, after) = changed(&mut document.programs[at], change, before)?;
    follow(document, id, &after);
    Ok(label)
}

/// Changes a program; where each move that stays stood before, in the order that they have now; those that are new stood
/// nowhere.
fn changed(
    program: &mut ProgramDocument,
    change: &ProgramChange,
    mut order: Vec<usize>,
) -> Result<(String, Vec<usize>)> {
    let name = program.name.clone();
    let count = program.moves.len();
    let within = |from: usize, many: usize| {
        let fits = many > 0 && from.checked_add(many).is_some_and(|end| end <= count);
        let message = || {
            refuse(format!(
                "{name} has {count} moves, not {many} from number {}",
                from + 1
            ))
        };
        fits.then_some(()).ok_or_else(message)
    };
    let moves_called = |many: usize, first: usize| match many {
        1 => format!("move {}", first + 1),
        many => format!("{many} moves"),
    };
    let label = match change {
        ProgramChange::Name(new) => {
            program.name = checked_name(new)?;
            format!("rename {name} to {}", program.name)
        }
        ProgramChange::Tcp(tcp) => {
            program.tcp.clone_from(tcp);
            format!("TCP of {name}")
        }
        ProgramChange::Insert { at, moves, targets } => {
            let at = (*at).min(count);
            for target in targets {
                free_target(program, &target.id)?;
                program.targets.push(target.clone());
            }
            program.moves.splice(at..at, moves.iter().cloned());
            order.splice(at..at, moves.iter().map(|_| NEW));
            format!("add {} to {name}", moves_called(moves.len(), at))
        }
        ProgramChange::Replace { at, step } => {
            within(*at, 1)?;
            program.moves[*at] = (**step).clone();
            format!("change move {} of {name}", at + 1)
        }
        ProgramChange::Remove { from, count } => {
            within(*from, *count)?;
            program.moves.drain(*from..from + count);
            order.drain(*from..from + count);
            format!("delete {} of {name}", moves_called(*count, *from))
        }
        ProgramChange::Shift {
            from,
            count: many,
            to,
        } => {
            within(*from, *many)?;
            let to = (*to).min(count - many);
            shift(&mut program.moves, *from, *many, to);
            shift(&mut order, *from, *many, to);
            format!("reorder {} of {name}", moves_called(*many, *from))
        }
        ProgramChange::Target(target) => {
            match program.targets.iter_mut().find(|t| t.id == target.id) {
                Some(before) => *before = target.clone(),
                None => program.targets.push(target.clone()),
            }
            format!("target {} of {name}", target.id)
        }
        ProgramChange::RenameTarget { target, id } => {
            free_target(program, id)?;
            let found = program.targets.iter_mut().find(|t| t.id == *target);
            let found =
                found.ok_or_else(|| refuse(format!("{name} has no target \"{target}\"")))?;
            found.id.clone_from(id);
            let names = program.moves.iter_mut().flat_map(goals);
            names
                .filter(|goal| *goal == target)
                .for_each(|goal| goal.clone_from(id));
            format!("rename target {target} of {name} to {id}")
        }
        ProgramChange::DropTarget(target) => {
            let goes_there = |step: &mut MoveDocument| goals(step).any(|goal| goal == target);
            if let Some(step) = program.moves.iter_mut().position(goes_there) {
                let message = format!(
                    "move {} of {name} goes to {target}; take it out first",
                    step + 1
                );
                return Err(refuse(message));
            }
            let before = program.targets.len();
            program.targets.retain(|t| t.id != *target);
            if program.targets.len() == before {
                return Err(refuse(format!("{name} has no target \"{target}\"")));
            }
            format!("delete target {target} of {name}")
        }
    };
    Ok((label, order))
}

/// Stood nowhere before.
const NEW: usize = usize::MAX;

fn shift<T>(list: &mut [T], from: usize, count: usize, to: usize) {
    if to < from {
        list[to..from + count].rotate_right(count);
    } else {
        list[from..to + count].rotate_left(count);
    }
}

fn free_target(program: &ProgramDocument, id: &str) -> Result<()> {
    let name = &program.name;
    if id.trim().is_empty() {
        return Err(refuse("a target needs an id"));
    }
    match program.targets.iter().any(|t| t.id == id) {
        true => Err(refuse(format!("{name} has a target \"{id}\" already"))),
        false => Ok(()),
    }
}

/// The targets a move goes to.
fn goals(step: &mut MoveDocument) -> impl Iterator<Item = &mut String> {
    let (to, via) = match step {
        MoveDocument::Joint { to, .. } => (to.as_mut(), None),
        MoveDocument::Linear { to, .. } => (Some(to), None),
        MoveDocument::Circular { to, via, .. } => (Some(to), Some(via)),
        MoveDocument::Wait { .. }
        | MoveDocument::Sync { .. }
        | MoveDocument::Take { .. }
        | MoveDocument::Release { .. }
        | MoveDocument::Recorded { .. } => (None, None),
    };
    to.into_iter().chain(via)
}

/// Lets the stretches in which pairs may touch follow their moves: from the first of them that is left to the last. A
/// stretch that loses all of its moves goes.
fn follow(document: &mut CellDocument, program: &str, order: &[usize]) {
    for pair in &mut document.may_touch {
        let Some(during) = &mut pair.during else {
            continue;
        };
        during.retain_mut(|stretch| stretch.program != program || followed(stretch, order));
    }
}

/// Whether anything of a stretch is left.
fn followed(stretch: &mut StretchDocument, order: &[usize]) -> bool {
    let first = stretch.from_move.map_or(0, |from| from.saturating_sub(1));
    let last = stretch.to_move.map_or(NEW - 1, |to| to.saturating_sub(1));
    let inside = |before: &&usize| (first..=last).contains(*before);
    let mut own = order
        .iter()
        .enumerate()
        .filter(|(_, before)| inside(before));
    let Some((from, _)) = own.next() else {
        return false;
    };
    let to = own.next_back().map_or(from, |(to, _)| to);
    stretch.from_move = stretch.from_move.map(|_| from + 1);
    stretch.to_move = stretch.to_move.map(|_| to + 1);
    true
}

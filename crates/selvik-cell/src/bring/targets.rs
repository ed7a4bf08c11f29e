//! Targets of a program that come as a file.

use std::collections::HashSet;

use indexmap::IndexMap;
use selvik_formats::targets_csv::{TargetRow, read_targets};
use selvik_formats::{FormatError, PackageFiles, Result};

use crate::document::{CellDocument, MoveDocument, ProgramDocument, TargetDocument, next_free};
use crate::edit::{Edit, ProgramChange};

/// How fast moves to targets that were brought go, until they are told otherwise: a share of the joints' speeds, mm/s.
const SPEED_PERCENT: f64 = 50.0;
const SPEED_MM_S: f64 = 250.0;

fn program<'a>(document: &'a CellDocument, id: &str) -> Result<&'a ProgramDocument> {
    let program = document.programs.iter().find(|p| p.id == id);
    program.ok_or_else(|| FormatError::said(format!("there is no program \"{id}\"")))
}

/// The edit that adds the targets of a CSV file to a program, and moves to them behind all others: a joint move to the first,
/// linear ones from there on. Ids that the program has already are counted on.
///
/// # Errors
/// [`FormatError`] for a program that is not there or names no TCP, and for what can't be read.
pub fn brought_targets(document: &CellDocument, id: &str, file: &str, text: &[u8]) -> Result<Edit> {
    let program = program(document, id)?;
    if program.tcp.is_none() {
        let message = format!("{} names no TCP that could go to targets", program.name);
        return Err(FormatError::said(message));
    }
    let rows = read_targets(file, text)?;
    if rows.is_empty() {
        return Err(FormatError::file(file, "holds no target below its header"));
    }
    let mut taken: HashSet<String> = program.targets.iter().map(|t| t.id.clone()).collect();
    let targets: Vec<TargetDocument> = rows
        .into_iter()
        .map(|row| {
            let mut target = TargetDocument::from(row);
            if !taken.insert(target.id.clone()) {
                target.id = next_free(&target.id, '-', &mut taken);
            }
            target
        })
        .collect();
    let step = |(at, target): (usize, &TargetDocument)| match at {
        0 => MoveDocument::Joint {
            to: Some(target.id.clone()),
            joints_deg_or_mm: None,
            speed_percent: SPEED_PERCENT,
            posture: None,
            also_deg_or_mm: IndexMap::new(),
        },
        _ => MoveDocument::Linear {
            to: target.id.clone(),
            speed_mm_s: SPEED_MM_S,
            acceleration_mm_s2: None,
            also_deg_or_mm: IndexMap::new(),
        },
    };
    let moves = targets.iter().enumerate().map(step).collect();
    Ok(Edit::ChangeProgram {
        program: id.to_owned(),
        change: ProgramChange::Insert {
            at: program.moves.len(),
            moves,
            targets,
        },
    })
}

/// All targets of a program, also those of its file.
///
/// # Errors
/// [`FormatError`] for a program that is not there.
pub fn targets_of(
    document: &CellDocument,
    files: &PackageFiles,
    id: &str,
) -> Result<Vec<TargetRow>> {
    let program = program(document, id)?;
    let mut rows: Vec<TargetRow> = program.targets.iter().map(TargetRow::from).collect();
    if let Some(file) = &program.targets_csv {
        rows.extend(read_targets(file, &files.get(file, id)?)?);
    }
    Ok(rows)
}

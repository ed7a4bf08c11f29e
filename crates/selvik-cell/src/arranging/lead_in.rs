use indexmap::IndexMap;
use selvik_core::program::Motion;
use selvik_formats::{FormatError, Result};

use crate::Workcell;
use crate::document::MoveDocument;
use crate::edit::{Edit, ProgramChange};

/// How fast one goes to where a recording begins until it is said otherwise, percent.
const SPEED_PERCENT: f64 = 50.0;

/// A joint move to where a recording begins, put before the move `at` (from 0) of a program, which plays it.
///
/// # Errors
/// [`FormatError`] when that is not there, is no recording, or runs in no lane.
pub fn led_in(workcell: &Workcell, program: &str, at: usize) -> Result<Edit> {
    let said = |what: String| FormatError::said(what);
    let lanes = workcell.document.run_plan.lanes.iter().enumerate();
    let place = lanes.flat_map(|(lane, of)| {
        of.programs
            .iter()
            .enumerate()
            .map(move |(nth, id)| (lane, nth, id))
    });
    let (lane, nth, _) = place
        .into_iter()
        .find(|(_, _, id)| *id == program)
        .ok_or_else(|| said(format!("no lane runs a program \"{program}\"")))?;
    let moves = &workcell.plan.lanes[lane].programs[nth].moves;
    let step = moves.get(at).ok_or_else(|| {
        said(format!(
            "the program has {} moves, none with number {}",
            moves.len(),
            at + 1
        ))
    })?;
    let Motion::Recorded(recording) = &step.motion else {
        return Err(said(format!("move {} plays no recording", at + 1)));
    };
    let first = recording.rows().next().unwrap_or_default();
    let values = recording.joints().iter().zip(first);
    // What is recorded may be beyond a limit by its rounding; a joint move goes no farther than the limit.
    let joints = workcell.assembly.joints();
    let named = |(&joint, &value): (&usize, &f64)| {
        let within = joints[joint].limits.position.clamp(value);
        (
            workcell.joint_key(joint),
            workcell.joint_value(joint, within),
        )
    };
    let begins: IndexMap<String, f64> = values.map(named).collect();
    let step = MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: None,
        speed_percent: SPEED_PERCENT,
        posture: None,
        also_deg_or_mm: begins,
    };
    let insert = ProgramChange::Insert {
        at,
        moves: vec![step],
        targets: Vec::new(),
    };
    Ok(Edit::ChangeProgram {
        program: program.to_owned(),
        change: insert,
    })
}

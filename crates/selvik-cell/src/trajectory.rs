//! What joints do along the path, written for others.

use std::fmt::Write;

use selvik_core::program::Path;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;

/// How a trajectory is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Layout {
    /// `time_s`, then a column a joint, degrees or mm (RFC 4180).
    Csv,
    /// `joint_names` and `points` with `positions` and `time_from_start`: rad, m, s.
    Json,
}

/// Where joints speed up or slow down between knots values are written so often, s.
const STEP_S: f64 = 0.01;
/// No more rows are written: as many as a recording may well have.
const MOST_ROWS: f64 = 2e6;

/// The joint values of the mechanism `item` along `path`: at every knot, and between them as often as it takes to follow how
/// they speed up.
///
/// # Errors
/// [`FormatError`] for an item that is not there or has no joints, and for a path that would make too many rows.
pub fn trajectory(workcell: &Workcell, path: &Path, item: &str, layout: Layout) -> Result<Vec<u8>> {
    let assembly = &workcell.assembly;
    let at = assembly.cell().position(&item.into());
    let at = at.ok_or_else(|| FormatError::said(format!("there is no item \"{item}\"")))?;
    let joints: Vec<usize> = (0..assembly.joints().len())
        .filter(|&j| assembly.joints()[j].item == at)
        .collect();
    if joints.is_empty() {
        return Err(FormatError::said(format!("\"{item}\" has no joints")));
    }
    let times = times(path, &joints).ok_or_else(|| {
        FormatError::said(
            "joints speed up and slow down for so long that it would be millions of rows",
        )
    })?;
    let names = joints.iter().map(|&j| &assembly.joints()[j].name);
    let mut text = String::new();
    match layout {
        Layout::Csv => {
            let titles: Vec<String> = names.map(|name| quoted(name)).collect();
            let _ = write!(text, "time_s,{}\r\n", titles.join(","));
            for t in times {
                let q = path.at(t);
                let values = joints
                    .iter()
                    .map(|&j| workcell.joint_value(j, q[j]).to_string());
                let _ = write!(text, "{t},{}\r\n", values.collect::<Vec<_>>().join(","));
            }
        }
        Layout::Json => {
            let names: Vec<&String> = names.collect();
            let names = serde_json::to_string(&names).expect("plain data");
            let _ = write!(text, "{{\"joint_names\":{names},\"points\":[");
            for (row, t) in times.into_iter().enumerate() {
                let q = path.at(t);
                let values: Vec<f64> = joints.iter().map(|&j| q[j]).collect();
                let values = serde_json::to_string(&values).expect("plain data");
                let comma = if row == 0 { "" } else { "," };
                let _ = write!(
                    text,
                    "{comma}{{\"positions\":{values},\"time_from_start\":{t}}}"
                );
            }
            text.push_str("]}");
        }
    }
    Ok(text.into_bytes())
}

/// All knots, and between two of them, where some of `joints` speeds up or slows down, instants close enough to follow that, s;
/// none where it would be too many.
fn times(path: &Path, joints: &[usize]) -> Option<Vec<f64>> {
    let mut times = Vec::new();
    for pair in path.knots().windows(2) {
        let (from, to) = (pair[0], pair[1]);
        let [first, middle, last] = [from, f64::midpoint(from, to), to].map(|t| path.at(t));
        // Each piece has even acceleration: it is straight if its middle is.
        let is_straight = |&joint: &usize| {
            (middle[joint] - f64::midpoint(first[joint], last[joint])).abs() < 1e-12
        };
        let steps = match joints.iter().all(is_straight) {
            true => 1.0,
            false => ((to - from) / STEP_S).ceil().max(1.0),
        };
        if times.len() as f64 + steps > MOST_ROWS {
            return None;
        }
        times.extend((0..steps as u32).map(|i| from + (to - from) * f64::from(i) / steps));
    }
    times.push(path.duration());
    Some(times)
}

/// A name as a field of CSV.
fn quoted(name: &str) -> String {
    match name.contains([',', '"', '\n', '\r']) {
        true => format!("\"{}\"", name.replace('"', "\"\"")),
        false => name.to_owned(),
    }
}

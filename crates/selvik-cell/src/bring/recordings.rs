//! Recorded joint values among dropped files.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_formats::mesh::ending;
use selvik_formats::{FormatError, PackageFiles, RecordedTable, Result, read_recording};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::things::nothing;
use super::{Found, FoundKind};
use crate::document::{CELL_FILE, JointUnit, MoveDocument, RecordedJointDocument, TimeUnit};

/// What a recording holds.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FoundRecording {
    /// How many rows.
    pub rows: usize,
    /// Its columns in order.
    pub columns: Vec<FoundColumn>,
    /// The column of times, from 1, as far as can be guessed.
    pub time_column: usize,
    /// Unit of the times, as far as can be guessed.
    pub time_unit: TimeUnit,
    /// Unit of angles, as far as can be guessed.
    pub angle_unit: JointUnit,
    /// Unit of lengths, as far as can be guessed.
    pub length_unit: JointUnit,
}

/// A column of a recording.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FoundColumn {
    /// Its name.
    pub name: String,
    /// Its first value.
    pub first: f64,
    /// Its least value.
    pub low: f64,
    /// Its greatest.
    pub high: f64,
}

/// What a recording moves, and which of its columns says what.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RecordingChoice {
    /// The mechanism: id of an item of the cell, or the file of a robot that is brought along.
    pub robot: String,
    /// The column of times, from 1.
    pub time_column: usize,
    /// Unit of the times.
    #[serde(default)]
    pub time_unit: TimeUnit,
    /// Joints of the mechanism by their names, and where their values stand.
    pub joints: Vec<RecordedJointDocument>,
}

/// Whether a file may hold recorded joint values.
pub(super) fn is_recording(name: &str) -> bool {
    matches!(ending(name).as_str(), "csv" | "json") && name != CELL_FILE
}

pub(super) fn recording(files: &PackageFiles, file: &str) -> Found {
    let mut found = nothing(file, FoundKind::Recording);
    let read = files.get(file, "the import");
    match read.and_then(|bytes| read_recording(file, &bytes)) {
        Ok(table) => found.recording = Some(guessed(&table)),
        Err(error) => found.problem = Some(error.to_string()),
    }
    found
}

/// What the columns of a table might be.
fn guessed(table: &RecordedTable) -> FoundRecording {
    let columns = table.columns.iter().enumerate().map(|(at, name)| {
        let values = || table.column(at);
        FoundColumn {
            name: name.clone(),
            first: values().next().unwrap_or(0.0),
            low: values().fold(f64::INFINITY, f64::min),
            high: values().fold(f64::NEG_INFINITY, f64::max),
        }
    });
    let columns: Vec<FoundColumn> = columns.collect();
    let is_time = |name: &str| {
        let time = |w: &String| matches!(w.as_str(), "t" | "time" | "timestamp");
        words_of(name).iter().any(time)
    };
    let rises = |at: usize| {
        let later = table.column(at).skip(1).zip(table.column(at));
        later.into_iter().all(|(now, before)| now > before)
    };
    let named = (0..columns.len()).find(|&at| is_time(&columns[at].name) && rises(at));
    let time = named
        .or_else(|| (0..columns.len()).find(|&at| rises(at)))
        .unwrap_or(0);
    let says = |unit: &str| {
        columns
            .iter()
            .any(|c| words_of(&c.name).iter().any(|w| w == unit))
    };
    let others = || columns.iter().enumerate().filter(|(at, _)| *at != time);
    let largest = others()
        .map(|(_, c)| c.low.abs().max(c.high.abs()))
        .fold(0.0, f64::max);
    // No joint turns by more than a few turns: larger numbers are degrees.
    let degrees =
        says("deg") || (!says("rad") && !table.in_si && largest > 4.0 * std::f64::consts::PI);
    let steps = table.rows().saturating_sub(1).max(1) as f64;
    let step = (columns[time].high - columns[time].low) / steps;
    let milliseconds = words_of(&columns[time].name).iter().any(|w| w == "ms")
        || (!table.in_si && step >= 2.0 && !words_of(&columns[time].name).iter().any(|w| w == "s"));
    FoundRecording {
        rows: table.rows(),
        time_column: time + 1,
        time_unit: if milliseconds {
            TimeUnit::Ms
        } else {
            TimeUnit::S
        },
        angle_unit: if degrees {
            JointUnit::Deg
        } else {
            JointUnit::Rad
        },
        length_unit: if says("mm") || (!table.in_si && !says("m") && degrees) {
            JointUnit::Mm
        } else {
            JointUnit::M
        },
        columns,
    }
}

/// The words of a column's name, small.
fn words_of(name: &str) -> Vec<String> {
    let parts = name.split(|c: char| !c.is_alphanumeric());
    parts
        .filter(|p| !p.is_empty())
        .map(str::to_lowercase)
        .collect()
}

/// The first row of a recording by joint names, degrees or mm.
pub(super) fn first_row(
    files: &PackageFiles,
    file: &str,
    asked: &RecordingChoice,
) -> Result<IndexMap<String, f64>> {
    let table = read_recording(file, &files.get(file, "the import")?)?;
    let value = |joint: &RecordedJointDocument| {
        let at = joint.column.checked_sub(1);
        let value = at
            .filter(|&at| at < table.columns.len())
            .and_then(|at| table.values.get(at));
        let message = || format!("there is no column {}", joint.column);
        let value = value.ok_or_else(|| FormatError::file(file, message()))? * joint.unit.in_si();
        let shown = match joint.unit.is_angle() {
            true => value.to_degrees(),
            false => value * 1e3,
        };
        Ok((joint.joint.clone(), shown))
    };
    asked.joints.iter().map(value).collect()
}

/// A joint move to the first row of a recording.
pub(super) fn go_to(first: &IndexMap<String, f64>, robot: &str) -> MoveDocument {
    let named = first
        .iter()
        .map(|(joint, value)| (format!("{robot}/{joint}"), *value));
    MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: None,
        speed_percent: TO_FIRST_ROW,
        posture: None,
        also_deg_or_mm: named.collect(),
    }
}

/// How fast a mechanism that has run something else before goes to where a recording begins, percent.
const TO_FIRST_ROW: f64 = 25.0;

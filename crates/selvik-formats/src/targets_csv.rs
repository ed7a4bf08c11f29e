//! Targets as CSV (RFC 4180): one a line, below a header.

use csv::{DeserializeErrorKind, ErrorKind, StringRecord};
use serde::{Deserialize, Serialize};

use crate::{FormatError, Result};

/// A line of the file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TargetRow {
    /// What moves call it.
    pub id: String,
    /// Id of the item in whose frame it stands; the world where empty.
    pub frame: Option<String>,
    /// Position.
    pub x_mm: f64,
    /// Position.
    pub y_mm: f64,
    /// Position.
    pub z_mm: f64,
    /// About X first.
    pub roll_deg: f64,
    /// Then about the fixed Y.
    pub pitch_deg: f64,
    /// Then about the fixed Z.
    pub yaw_deg: f64,
}

/// The columns, in the order in which they are written.
const COLUMNS: [&str; 8] = [
    "id",
    "frame",
    "x_mm",
    "y_mm",
    "z_mm",
    "roll_deg",
    "pitch_deg",
    "yaw_deg",
];

/// Reads targets from CSV with a header line.
///
/// # Errors
/// [`FormatError`] with the line and the column.
pub fn read_targets(file: &str, bytes: &[u8]) -> Result<Vec<TargetRow>> {
    let mut reader = csv::Reader::from_reader(bytes);
    let header = reader
        .headers()
        .map_err(|e| said(file, 1, &StringRecord::new(), &e))?
        .clone();
    for column in COLUMNS {
        if !header.iter().any(|name| name == column) {
            let message = format!(
                "the header has no column \"{column}\"; it must name {}",
                COLUMNS.join(", ")
            );
            return Err(FormatError::at(file, "line 1", message));
        }
    }
    if let Some(other) = header.iter().find(|name| !COLUMNS.contains(name)) {
        let message =
            format!("the header has a column \"{other}\" that means nothing here; take it out");
        return Err(FormatError::at(file, "line 1", message));
    }
    let mut targets = Vec::new();
    for (index, row) in reader.into_records().enumerate() {
        let guess = index as u64 + 2;
        let row = row.map_err(|e| said(file, guess, &header, &e))?;
        let line = row.position().map_or(guess, csv::Position::line);
        let target: TargetRow = row
            .deserialize(Some(&header))
            .map_err(|e| said(file, line, &header, &e))?;
        let numbers = [
            target.x_mm,
            target.y_mm,
            target.z_mm,
            target.roll_deg,
            target.pitch_deg,
            target.yaw_deg,
        ];
        if !numbers.iter().all(|n| n.is_finite()) {
            let message = "a coordinate is NaN or infinite; write a number";
            return Err(FormatError::at(file, format!("line {line}"), message));
        }
        targets.push(TargetRow {
            frame: target.frame.filter(|f| !f.is_empty()),
            ..target
        });
    }
    Ok(targets)
}

/// What is wrong with a line, in words.
fn said(file: &str, guess: u64, header: &StringRecord, error: &csv::Error) -> FormatError {
    let line = error.position().map_or(guess, csv::Position::line);
    let message = match error.kind() {
        ErrorKind::Utf8 { .. } => "is not UTF-8 text; save the file as UTF-8".to_owned(),
        ErrorKind::UnequalLengths {
            expected_len, len, ..
        } => {
            format!("has {len} values, but the header names {expected_len} columns")
        }
        ErrorKind::Deserialize { err, .. } => {
            let column = err
                .field()
                .and_then(|at| header.get(at as usize))
                .unwrap_or("?");
            match err.kind() {
                DeserializeErrorKind::ParseFloat(_) => {
                    format!("the value of {column} is not a number")
                }
                _ => format!("the value of {column} can't be read: {err}"),
            }
        }
        _ => error.to_string(),
    };
    FormatError::at(file, format!("line {line}"), message)
}

/// Writes targets as CSV.
///
/// # Panics
/// Never: writing to memory does not fail.
#[must_use]
pub fn write_targets(targets: &[TargetRow]) -> Vec<u8> {
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new());
    for target in targets {
        writer.serialize(target).expect("to memory");
    }
    writer.into_inner().expect("to memory")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(id: &str, frame: Option<&str>, [x_mm, y_mm, z_mm]: [f64; 3]) -> TargetRow {
        let (id, frame) = (id.to_owned(), frame.map(str::to_owned));
        TargetRow {
            id,
            frame,
            x_mm,
            y_mm,
            z_mm,
            roll_deg: 180.0,
            pitch_deg: 0.1,
            yaw_deg: -90.0,
        }
    }

    #[test]
    fn what_is_written_is_read_again() {
        let targets = vec![
            row("T1, first", Some("fixture"), [1.5, -2.25, 1e-3]),
            row("T\"2", None, [0.0, 0.0, 0.0]),
        ];
        assert_eq!(
            read_targets("t.csv", &write_targets(&targets)).unwrap(),
            targets
        );
    }

    #[rstest::rstest]
    #[case::a_word(
        "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nA,,1,2,x,0,0,0\n",
        "t.csv, line 2: the value of z_mm is not a number"
    )]
    #[case::no_number_at_all(
        "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nA,,1,2,3,0,0,0\nB,,NaN,0,0,0,0,0\n",
        "t.csv, line 3: a coordinate is NaN or infinite"
    )]
    #[case::a_column_too_many(
        "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg,speed\nA,,1,2,3,0,0,0,9\n",
        "t.csv, line 1: the header has a column \"speed\""
    )]
    #[case::a_column_too_few("id,frame,x_mm,y_mm\nA,,1,2\n", "the header has no column \"z_mm\"")]
    #[case::a_short_line(
        "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nA,,1,2\n",
        "t.csv, line 2: has 4 values, but the header names 8 columns"
    )]
    #[case::nothing("", "the header has no column \"id\"")]
    fn bad_rows_are_refused_with_their_line(#[case] text: &str, #[case] says: &str) {
        let error = read_targets("t.csv", text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(error.contains(says), "{error}");
    }
}

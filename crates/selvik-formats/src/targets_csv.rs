//! Targets as CSV (RFC 4180): one a line, below a header.

use csv::{ErrorKind, StringRecord};
use nalgebra::{Quaternion, Translation3, UnitQuaternion};
use selvik_core::spatial::{Pose, rpy_of};
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

/// What stands in a column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Column {
    Id,
    Frame,
    /// X, Y or Z.
    Place(usize),
    /// Roll, pitch or yaw.
    Turn(usize),
    /// X, Y, Z or W of a quaternion.
    Quaternion(usize),
}

/// A column by its name: lengths in mm (`_mm`) or m, angles in degrees (`_deg`) or radians (`_rad`); mm and degrees where nothing
/// is said. With it how much of mm or degrees its unit is.
fn column(name: &str) -> Option<(Column, f64)> {
    let name = name.trim().to_lowercase();
    let split = |ending: &str| name.strip_suffix(ending);
    let units = [
        ("_mm", 1.0),
        ("_deg", 1.0),
        ("_rad", 180.0 / std::f64::consts::PI),
        ("_m", 1e3),
    ];
    let unit = units
        .iter()
        .find_map(|&(ending, unit)| Some((split(ending)?, ending, unit)));
    let (plain, ending, unit) = unit.unwrap_or((&name, "", 1.0));
    let column = match plain {
        "id" | "name" | "target" if ending.is_empty() => Column::Id,
        "frame" if ending.is_empty() => Column::Frame,
        "x" => Column::Place(0),
        "y" => Column::Place(1),
        "z" => Column::Place(2),
        "roll" => Column::Turn(0),
        "pitch" => Column::Turn(1),
        "yaw" => Column::Turn(2),
        "qx" if ending.is_empty() => Column::Quaternion(0),
        "qy" if ending.is_empty() => Column::Quaternion(1),
        "qz" if ending.is_empty() => Column::Quaternion(2),
        "qw" if ending.is_empty() => Column::Quaternion(3),
        _ => return None,
    };
    let fits = match column {
        Column::Place(_) => ["", "_mm", "_m"].contains(&ending),
        Column::Turn(_) => ["", "_deg", "_rad"].contains(&ending),
        _ => true,
    };
    fits.then_some((column, unit))
}

/// The columns there must be, by the name they are written with.
const PLACE: [&str; 3] = ["x_mm", "y_mm", "z_mm"];
const TURN: [&str; 3] = ["roll_deg", "pitch_deg", "yaw_deg"];
const QUATERNION: [&str; 4] = ["qx", "qy", "qz", "qw"];

/// Reads targets from CSV with a header line: `x`, `y`, `z` with `_mm` or `_m`; `roll`, `pitch`, `yaw` with `_deg` or `_rad`, or
/// a quaternion `qx`, `qy`, `qz`, `qw`, or no turn at all; `id` and `frame` where they are given. Between values stand commas,
/// semicolons or tabs; with one of the latter numbers may have decimal commas.
///
/// # Errors
/// [`FormatError`] with the line and the column.
pub fn read_targets(file: &str, bytes: &[u8]) -> Result<Vec<TargetRow>> {
    let first = bytes.split(|b| *b == b'\n').next().unwrap_or_default();
    let count = |of: u8| first.iter().filter(|b| **b == of).count();
    let between = *b",;\t"
        .iter()
        .max_by_key(|b| (count(**b), **b == b','))
        .expect("there are three");
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(between)
        .from_reader(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes));
    let header = reader.headers().map_err(|e| said(file, 1, &e))?.clone();
    let columns = columns(file, &header)?;
    let has = |wanted: Column| columns.iter().any(|(column, _)| *column == wanted);
    let quaternion = has(Column::Quaternion(0));
    let mut targets = Vec::new();
    for (index, row) in reader.into_records().enumerate() {
        let guess = index as u64 + 2;
        let row = row.map_err(|e| said(file, guess, &e))?;
        let line = row.position().map_or(guess, csv::Position::line);
        let at_line = |message: String| FormatError::at(file, format!("line {line}"), message);
        let (mut place, mut turn, mut unit) = ([0.0; 3], [0.0; 3], [0.0; 4]);
        let mut target = TargetRow {
            id: format!("T{}", index + 1),
            frame: None,
            x_mm: 0.0,
            y_mm: 0.0,
            z_mm: 0.0,
            roll_deg: 0.0,
            pitch_deg: 0.0,
            yaw_deg: 0.0,
        };
        for ((cell, (column, scale)), name) in row.iter().zip(&columns).zip(&header) {
            let cell = cell.trim();
            let number = || -> Result<f64> {
                let read = match between {
                    b',' => cell.parse::<f64>(),
                    _ => cell.replace(',', ".").parse(),
                };
                let read =
                    read.map_err(|_| at_line(format!("the value of {name} is not a number")))?;
                let finite = read.is_finite().then_some(read * scale);
                finite.ok_or_else(|| {
                    at_line("a coordinate is NaN or infinite; write a number".to_owned())
                })
            };
            match column {
                Column::Id => cell.clone_into(&mut target.id),
                Column::Frame => target.frame = (!cell.is_empty()).then(|| cell.to_owned()),
                Column::Place(i) => place[*i] = number()?,
                Column::Turn(i) => turn[*i] = number()?,
                Column::Quaternion(i) => unit[*i] = number()?,
            }
        }
        if quaternion {
            turn = turned(unit)
                .ok_or_else(|| at_line("the quaternion is 0 and has no direction".to_owned()))?;
        }
        [target.x_mm, target.y_mm, target.z_mm] = place;
        [target.roll_deg, target.pitch_deg, target.yaw_deg] = turn;
        targets.push(target);
    }
    Ok(targets)
}

/// What stands in each column; complete, and none twice.
fn columns(file: &str, header: &StringRecord) -> Result<Vec<(Column, f64)>> {
    let refuse = |message: String| FormatError::at(file, "line 1", message);
    let mut columns: Vec<(Column, f64)> = Vec::with_capacity(header.len());
    for name in header {
        let Some(found) = column(name) else {
            if name.trim().is_empty() && header.len() == 1 {
                break;
            }
            let message =
                format!("the header has a column \"{name}\" that means nothing here; take it out");
            return Err(refuse(message));
        };
        if columns.iter().any(|(known, _)| *known == found.0) {
            return Err(refuse(format!("the header names \"{name}\" twice")));
        }
        columns.push(found);
    }
    let has = |wanted: Column| columns.iter().any(|(column, _)| *column == wanted);
    let lacks = |names: &[&str], of: fn(usize) -> Column| {
        let missing = (0..names.len()).find(|i| !has(of(*i)));
        missing.map(|i| names[i].to_owned())
    };
    let any = |count: usize, of: fn(usize) -> Column| (0..count).any(|i| has(of(i)));
    let (turns, quaternion) = (any(3, Column::Turn), any(4, Column::Quaternion));
    if turns && quaternion {
        let message = "the header names angles and a quaternion; keep one of them";
        return Err(refuse(message.to_owned()));
    }
    let missing = lacks(&PLACE, Column::Place)
        .or_else(|| turns.then(|| lacks(&TURN, Column::Turn)).flatten())
        .or_else(|| {
            quaternion
                .then(|| lacks(&QUATERNION, Column::Quaternion))
                .flatten()
        });
    match missing {
        Some(name) => Err(refuse(format!(
            "the header has no column \"{name}\"; it names id, frame, {}, and {} or {}",
            PLACE.join(", "),
            TURN.join(", "),
            QUATERNION.join(", "),
        ))),
        None => Ok(columns),
    }
}

/// Roll, pitch and yaw (degrees) of a quaternion x, y, z, w of any length but 0.
fn turned([x, y, z, w]: [f64; 4]) -> Option<[f64; 3]> {
    let turn = UnitQuaternion::try_new(Quaternion::new(w, x, y, z), 1e-9)?;
    let pose = Pose::from_parts(Translation3::identity(), turn);
    Some(rpy_of(&pose).map(f64::to_degrees))
}

/// What is wrong with a line, in words.
fn said(file: &str, guess: u64, error: &csv::Error) -> FormatError {
    let line = error.position().map_or(guess, csv::Position::line);
    let message = match error.kind() {
        ErrorKind::Utf8 { .. } => "is not UTF-8 text; save the file as UTF-8".to_owned(),
        ErrorKind::UnequalLengths {
            expected_len, len, ..
        } => {
            format!("has {len} values, but the header names {expected_len} columns")
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

    /// The same pose written in other ways: half a turn about X, then a quarter about Z.
    #[rstest::rstest]
    #[case::angles("id,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nT1,100,-20.5,3,180,0,90\n")]
    #[case::radians(
        "x,y,z,roll_rad,pitch_rad,yaw_rad\n100,-20.5,3,3.141592653589793,0,1.5707963267948966\n"
    )]
    #[case::metres_and_tabs("X_m\tY_m\tZ_m\tRoll\tPitch\tYaw\n0.1\t-0.0205\t0.003\t180\t0\t90\n")]
    #[case::decimal_commas("x;y;z;roll;pitch;yaw\n100;-20,5;3;180;0;90\n")]
    #[case::quaternion("x,y,z,qw,qx,qy,qz\n100,-20.5,3,0,2,2,0\n")]
    fn poses_are_read_however_they_are_written(#[case] text: &str) {
        let [row] = &read_targets("t.csv", text.as_bytes()).unwrap()[..] else {
            panic!("one line");
        };
        assert_eq!((row.id.as_str(), &row.frame), ("T1", &None));
        let numbers = [
            row.x_mm,
            row.y_mm,
            row.z_mm,
            row.roll_deg.abs(),
            row.pitch_deg,
            row.yaw_deg,
        ];
        for (found, wanted) in numbers.iter().zip([100.0, -20.5, 3.0, 180.0, 0.0, 90.0]) {
            assert!((found - wanted).abs() < 1e-9, "{numbers:?}");
        }
    }

    #[test]
    fn without_a_turn_the_axes_are_those_of_the_frame() {
        let rows = read_targets("t.csv", b"name,frame,x,y,z\nA,table,1,2,3\nB,,4,5,6\n").unwrap();
        assert_eq!(
            (rows[0].id.as_str(), rows[0].frame.as_deref()),
            ("A", Some("table"))
        );
        assert_eq!((rows[1].z_mm, rows[1].yaw_deg), (6.0, 0.0));
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
    #[case::nothing("", "the header has no column \"x_mm\"")]
    #[case::twice("x_mm,y_mm,z_mm,x\n", "names \"x\" twice")]
    #[case::of_another_unit("x_deg,y_mm,z_mm\n", "\"x_deg\" that means nothing")]
    #[case::both_turns("x,y,z,roll,pitch,yaw,qx,qy,qz,qw\n", "angles and a quaternion")]
    #[case::half_a_quaternion("x,y,z,qx,qy\n", "no column \"qz\"")]
    #[case::no_direction("x,y,z,qx,qy,qz,qw\n1,2,3,0,0,0,0\n", "line 2: the quaternion is 0")]
    fn bad_rows_are_refused_with_their_line(#[case] text: &str, #[case] says: &str) {
        let error = read_targets("t.csv", text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(error.contains(says), "{error}");
    }
}

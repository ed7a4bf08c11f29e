use serde::{Deserialize, Serialize};

use super::{PoseDocument, TargetDocument};
use crate::{FormatError, Result};

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    id: String,
    frame: Option<String>,
    x_mm: f64,
    y_mm: f64,
    z_mm: f64,
    roll_deg: f64,
    pitch_deg: f64,
    yaw_deg: f64,
}

/// Reads targets from CSV (RFC 4180) with a header line.
///
/// # Errors
/// [`FormatError`] with the line.
pub fn read_targets(file: &str, bytes: &[u8]) -> Result<Vec<TargetDocument>> {
    let mut targets = Vec::new();
    for (index, row) in csv::Reader::from_reader(bytes).deserialize::<Row>().enumerate() {
        let fallback = index as u64 + 2;
        let row = row.map_err(|e| {
            let line = e.position().map_or(fallback, csv::Position::line);
            FormatError::at(file, format!("line {line}"), e)
        })?;
        let numbers = [row.x_mm, row.y_mm, row.z_mm, row.roll_deg, row.pitch_deg, row.yaw_deg];
        if !numbers.iter().all(|n| n.is_finite()) {
            let message = "a coordinate is NaN or infinite; write a number";
            return Err(FormatError::at(file, format!("line {fallback}"), message));
        }
        targets.push(TargetDocument {
            id: row.id,
            frame: row.frame.filter(|f| !f.is_empty()),
            pose: PoseDocument {
                xyz_mm: [row.x_mm, row.y_mm, row.z_mm],
                rpy_deg: [row.roll_deg, row.pitch_deg, row.yaw_deg],
            },
        });
    }
    Ok(targets)
}

/// Writes targets as CSV (RFC 4180).
///
/// # Panics
/// Never: writing to memory does not fail.
#[must_use]
pub fn write_targets(targets: &[TargetDocument]) -> Vec<u8> {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    for target in targets {
        let ([x_mm, y_mm, z_mm], [roll_deg, pitch_deg, yaw_deg]) = (target.pose.xyz_mm, target.pose.rpy_deg);
        let (id, frame) = (target.id.clone(), target.frame.clone());
        let row = Row { id, frame, x_mm, y_mm, z_mm, roll_deg, pitch_deg, yaw_deg };
        writer.serialize(row).expect("to memory");
    }
    writer.into_inner().expect("to memory")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_again() {
        let targets = vec![
            TargetDocument {
                id: "T1, first".to_owned(),
                frame: Some("fixture".to_owned()),
                pose: PoseDocument { xyz_mm: [1.5, -2.25, 1e-3], rpy_deg: [180.0, 0.1, -90.0] },
            },
            TargetDocument { id: "T\"2".to_owned(), frame: None, pose: PoseDocument::default() },
        ];
        assert_eq!(read_targets("t.csv", &write_targets(&targets)).unwrap(), targets);
    }

    #[rstest::rstest]
    #[case("id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nA,,1,2,x,0,0,0\n", "line 2")]
    #[case(
        "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\nA,,1,2,3,0,0,0\nB,,NaN,0,0,0,0,0\n",
        "line 3"
    )]
    #[case("id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg,speed\nA,,1,2,3,0,0,0,9\n", "speed")]
    #[case("id,frame,x_mm,y_mm\nA,,1,2\n", "z_mm")]
    fn bad_rows_are_refused_with_their_line(#[case] text: &str, #[case] says: &str) {
        let error = read_targets("t.csv", text.as_bytes()).unwrap_err().to_string();
        assert!(error.contains(says), "{error}");
    }
}

//! Recorded motions, in and out.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{
    CellDocument, JointUnit, MoveDocument, RecordedJointDocument, TimeUnit,
};
use selvik_cell::edit::Edit;
use selvik_cell::report::{CaveatKind, caveats};
use selvik_cell::trajectory::{Layout, trajectory};
use selvik_formats::{PackageFiles, read_recording};

use crate::programmed::*;

const ROWS: &str = "t_ms,q1_rad\n0,0\n1000,0.5\n2000,0.25\n";

fn playing(file: &str, joint: &str, column: usize, unit: JointUnit) -> CellDocument {
    let mut document = cell();
    document.programs[0].moves = vec![MoveDocument::Recorded {
        file: file.to_owned(),
        time_column: 1,
        time_unit: TimeUnit::Ms,
        joints: vec![RecordedJointDocument {
            joint: joint.to_owned(),
            column,
            unit,
        }],
    }];
    document
}

fn with_rows() -> PackageFiles {
    let mut files = PackageFiles::default();
    files
        .insert("run.csv", ROWS.as_bytes().to_vec())
        .expect("a name");
    files
}

#[test]
fn a_recording_is_played_as_it_is() {
    let document = playing("run.csv", "arm/q1", 2, JointUnit::Rad);
    let workcell = built_with(&document, &with_rows());
    let path = workcell.path().expect("a path");
    assert_eq!(path.duration(), 2.0);
    assert_eq!([0.5, 1.0, 1.5].map(|t| path.at(t)[0]), [0.25, 0.5, 0.375]);
    // Another cell built on it needs no file again.
    let again = Workcell::built_on(&[&workcell], document, &PackageFiles::default());
    assert_eq!(
        again.expect("known").path().expect("a path").at(1.5),
        path.at(1.5)
    );
}

#[rstest]
#[case::no_file("other.csv", "arm/q1", 2, JointUnit::Rad, "other.csv")]
#[case::no_column(
    "run.csv",
    "arm/q1",
    3,
    JointUnit::Rad,
    "there is no column 3; the file has 2"
)]
#[case::column_nought("run.csv", "arm/q1", 0, JointUnit::Rad, "there is no column 0")]
#[case::another_kind("run.csv", "arm/q1", 2, JointUnit::Mm, "turns; its unit is deg or rad")]
#[case::no_joint("run.csv", "arm/q9", 2, JointUnit::Rad, "there is no joint \"arm/q9\"")]
#[case::of_another(
    "run.csv",
    "clamp/stroke",
    2,
    JointUnit::M,
    "moves no joint of this program's mechanism"
)]
fn a_recording_that_does_not_fit_is_refused(
    #[case] file: &str,
    #[case] joint: &str,
    #[case] column: usize,
    #[case] unit: JointUnit,
    #[case] says: &str,
) {
    let document = playing(file, joint, column, unit);
    let error = Workcell::from_document(document, &with_rows())
        .unwrap_err()
        .to_string();
    assert!(error.contains(says), "{error}");
}

#[test]
fn what_a_recording_moves_can_t_go_without_it() {
    let mut document = playing("run.csv", "arm/q1", 2, JointUnit::Rad);
    let delete = Edit::DeleteItems {
        items: vec!["arm".to_owned()],
    };
    done(&mut document, delete);
    assert!(document.programs.is_empty() && document.run_plan.lanes.is_empty());
}

/// What is written is read again, and is where the path is.
#[rstest]
#[case::csv(Layout::Csv, "run.csv", 180.0 / std::f64::consts::PI)]
#[case::json(Layout::Json, "run.json", 1.0)]
fn a_trajectory_comes_out_as_it_can_come_in(
    #[case] layout: Layout,
    #[case] file: &str,
    #[case] unit: f64,
) {
    let workcell = built(&cell());
    let path = workcell.path().expect("a path");
    let bytes = trajectory(&workcell, &path, "arm", layout).expect("rows");
    let table = read_recording(file, &bytes).expect("a recording");
    assert_eq!(table.columns[1], "q1");
    assert!(table.rows() > 50);
    for (time, value) in table.column(0).zip(table.column(1)) {
        assert!((path.at(time)[0] * unit - value).abs() < 1e-9, "at {time}");
    }
    assert_eq!(table.column(0).last(), Some(path.duration()));
    assert!(
        trajectory(&workcell, &path, "post", layout)
            .unwrap_err()
            .to_string()
            .contains("no joints")
    );
}

/// Where nothing speeds up there is nothing to follow: a wait is two rows, however long.
#[test]
fn a_long_wait_is_written_in_two_rows() {
    let mut document = cell();
    document.programs[0].moves = vec![MoveDocument::Wait { seconds: 90_000.0 }];
    let workcell = built(&document);
    let path = workcell.path().expect("a path");
    let bytes = trajectory(&workcell, &path, "arm", Layout::Csv).expect("rows");
    let table = read_recording("run.csv", &bytes).expect("a recording");
    assert_eq!(table.rows(), 2);
}

/// A recording is played as it is, and what no joint could follow is said.
#[rstest]
#[case::as_fast_as_it_may("t,q\n0,0\n1,90\n", false)]
#[case::faster("t,q\n0,0\n1,20\n1.1,40\n", true)]
fn recorded_speeds_beyond_the_limit_are_told(#[case] rows: &str, #[case] told: bool) {
    let mut document = playing("run.csv", "arm/q1", 2, JointUnit::Deg);
    let MoveDocument::Recorded { time_unit, .. } = &mut document.programs[0].moves[0] else {
        unreachable!("it plays a recording");
    };
    *time_unit = TimeUnit::S;
    let mut files = PackageFiles::default();
    files
        .insert("run.csv", rows.as_bytes().to_vec())
        .expect("a name");
    let workcell = built_with(&document, &files);
    let path = workcell.path().expect("a path");
    let said = caveats(&workcell, &path);
    let fast = said.iter().find(|c| c.about == CaveatKind::Fast);
    assert_eq!(fast.is_some(), told, "{said:?}");
    if let Some(fast) = fast {
        assert!(
            fast.text
                .contains("moves arm/q1 at up to 200 °/s, but it can do 90 °/s"),
            "{}",
            fast.text
        );
    }
}

//! Targets from a file, and out again.

use rstest::rstest;
use selvik_cell::bring::{brought_targets, targets_of};
use selvik_cell::document::MoveDocument;
use selvik_formats::PackageFiles;
use selvik_formats::targets_csv::{read_targets, write_targets};

use crate::programmed::*;

#[test]
fn targets_of_a_file_become_moves_behind_all_others_and_come_out_again() {
    let mut document = cell();
    let text = b"id;x;y;z;roll;pitch;yaw\nA;0;400;0;0;0;90\nB;282,8427;282,8427;0;0;0;45\n";
    let edit = brought_targets(&document, "p", "poses.csv", text).expect("targets");
    assert_eq!(done(&mut document, edit), "add 2 moves to Turn");
    // The program has an A of its own.
    let ids: Vec<&str> = document.programs[0]
        .targets
        .iter()
        .map(|t| t.id.as_str())
        .collect();
    assert_eq!(ids, ["A", "A-2", "B"]);
    let moves = &document.programs[0].moves;
    assert!(matches!(&moves[4], MoveDocument::Joint { to: Some(to), .. } if to == "A-2"));
    assert!(matches!(&moves[5], MoveDocument::Linear { to, .. } if to == "B"));
    let files = PackageFiles::default();
    let written = write_targets(&targets_of(&document, &files, "p").expect("targets"));
    let read = read_targets("again.csv", &written).expect("read");
    assert_eq!((read.len(), read[2].x_mm), (3, 282.8427));
}

#[rstest]
#[case::no_program("q", "x,y,z\n1,2,3\n", "no program \"q\"")]
#[case::nothing("p", "x,y,z\n", "poses.csv: holds no target")]
#[case::no_number(
    "p",
    "x,y,z\n1,2,far\n",
    "poses.csv, line 2: the value of z is not a number"
)]
fn files_of_targets_are_refused_with_what_is_wrong(
    #[case] program: &str,
    #[case] text: &str,
    #[case] says: &str,
) {
    let error = brought_targets(&cell(), program, "poses.csv", text.as_bytes())
        .expect_err("refused")
        .to_string();
    assert!(error.contains(says), "{error}");
}

//! Programs that are edited: what it does, what it refuses, and what follows it.

use indexmap::IndexMap;
use rstest::rstest;
use selvik_cell::document::{
    MayTouchDocument, MoveDocument, PoseDocument, ProgramDocument, StretchDocument, TargetDocument,
};
use selvik_cell::edit::{Edit, ProgramChange};

use crate::programmed::*;

/// Moves 2 to 3 may touch; where they stand after a change, from 1.
#[rstest]
#[case::before(ProgramChange::Insert { at: 0, moves: vec![to_joint(0.0)], targets: vec![] }, Some((3, 4)))]
#[case::within(ProgramChange::Insert { at: 2, moves: vec![to_joint(0.0)], targets: vec![] }, Some((2, 4)))]
#[case::behind(ProgramChange::Insert { at: 99, moves: vec![to_joint(0.0)], targets: vec![] }, Some((2, 3)))]
#[case::one_of_them_goes(ProgramChange::Remove { from: 1, count: 1 }, Some((2, 2)))]
#[case::both_go(ProgramChange::Remove { from: 1, count: 2 }, None)]
#[case::to_the_front(ProgramChange::Shift { from: 1, count: 2, to: 0 }, Some((1, 2)))]
#[case::to_the_end(ProgramChange::Shift { from: 1, count: 2, to: 9 }, Some((3, 4)))]
#[case::in_place(ProgramChange::Replace { at: 1, step: Box::new(to_joint(5.0)) }, Some((2, 3)))]
fn stretches_in_which_things_may_touch_follow_their_moves(
    #[case] change: ProgramChange,
    #[case] expected: Option<(usize, usize)>,
) {
    let mut document = cell();
    let stretch = StretchDocument {
        program: "p".to_owned(),
        from_move: Some(2),
        to_move: Some(3),
    };
    let pair = MayTouchDocument {
        a: "arm".to_owned(),
        b: "post".to_owned(),
        reason: "it rests there".to_owned(),
        max_depth_mm: None,
        during: Some(vec![stretch]),
    };
    done(&mut document, Edit::LetTouch { pair });
    done(&mut document, program(change));
    built(&document);
    let during = document.may_touch[0].during.as_ref().expect("given");
    let now = during
        .first()
        .map(|s| (s.from_move.unwrap(), s.to_move.unwrap()));
    assert_eq!(now, expected);
}

#[test]
fn moves_are_put_in_taken_out_and_reordered() {
    let mut document = cell();
    let insert = ProgramChange::Insert {
        at: 1,
        moves: vec![to_joint(12.0), to_joint(14.0)],
        targets: vec![],
    };
    assert_eq!(done(&mut document, program(insert)), "add 2 moves to Turn");
    assert_eq!(values(&document)[..4], [10.0, 12.0, 14.0, 20.0]);
    let shift = ProgramChange::Shift {
        from: 0,
        count: 1,
        to: 2,
    };
    done(&mut document, program(shift));
    assert_eq!(values(&document)[..4], [12.0, 14.0, 10.0, 20.0]);
    done(
        &mut document,
        program(ProgramChange::Remove { from: 0, count: 2 }),
    );
    assert_eq!(values(&document)[..2], [10.0, 20.0]);
    let too_many = program(ProgramChange::Remove { from: 3, count: 2 });
    assert_eq!(
        refused(&document, too_many),
        "Turn has 4 moves, not 2 from number 4"
    );
    let overflowing = program(ProgramChange::Remove {
        from: 1,
        count: usize::MAX,
    });
    refused(&document, overflowing);
}

#[test]
fn targets_are_renamed_with_their_moves_and_kept_while_a_move_goes_there() {
    let mut document = cell();
    let rename = ProgramChange::RenameTarget {
        target: "A".to_owned(),
        id: "B".to_owned(),
    };
    done(&mut document, program(rename));
    built(&document);
    let drop = || program(ProgramChange::DropTarget("B".to_owned()));
    assert_eq!(
        refused(&document, drop()),
        "move 3 of Turn goes to B; take it out first"
    );
    done(
        &mut document,
        program(ProgramChange::Remove { from: 2, count: 1 }),
    );
    done(&mut document, drop());
    assert!(document.programs[0].targets.is_empty());
    let target = TargetDocument {
        id: "C".to_owned(),
        frame: Some("post".to_owned()),
        pose: PoseDocument::default(),
    };
    let line = MoveDocument::Linear {
        to: "C".to_owned(),
        speed_mm_s: 100.0,
        acceleration_mm_s2: None,
        also_deg_or_mm: IndexMap::new(),
    };
    let insert = ProgramChange::Insert {
        at: 0,
        moves: vec![line],
        targets: vec![target],
    };
    done(&mut document, program(insert.clone()));
    built(&document);
    assert_eq!(
        refused(&document, program(insert)),
        "Turn has a target \"C\" already"
    );
}

/// A clamp has no TCP and closes while the arm turns.
#[test]
fn a_clamp_moves_by_itself_in_a_lane_of_its_own() {
    let mut document = cell();
    let close = ProgramDocument {
        id: "close".to_owned(),
        name: "Close".to_owned(),
        robot: "clamp".to_owned(),
        tcp: None,
        targets: Vec::new(),
        targets_csv: None,
        moves: vec![to_joint(50.0)],
    };
    done(
        &mut document,
        Edit::SaveProgram {
            program: Box::new(close.clone()),
        },
    );
    assert_eq!(document.run_plan.lanes.len(), 2);
    let workcell = built(&document);
    let path = workcell.path().expect("a path");
    let stroke = workcell.assembly.joint_index(2, "stroke").expect("there");
    assert!((path.at(path.duration())[stroke] - 0.05).abs() < 1e-12);
    assert!((workcell.path().expect("a path").at(0.3)[stroke]) > 0.005);
    // Once more after it, in the same lane; then both go.
    let open = ProgramDocument {
        id: "open".to_owned(),
        name: "Open".to_owned(),
        moves: vec![to_joint(0.0)],
        ..close
    };
    done(
        &mut document,
        Edit::SaveProgram {
            program: Box::new(open),
        },
    );
    assert_eq!(document.run_plan.lanes[1].programs, ["close", "open"]);
    built(&document);
    for id in ["close", "open"] {
        done(
            &mut document,
            Edit::DeleteProgram {
                program: id.to_owned(),
            },
        );
    }
    assert_eq!(document.run_plan, cell().run_plan);
}

//! What a change of a target comes to before it is made: a ball that slides along X to another.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::arranging::{Arrange, FrameChoice, Posed, Subject, TargetNamed, edit_of};
use selvik_cell::document::PoseDocument;
use selvik_cell::report::Verdict;
use serde_json::{Value, json};

use super::trying::{Passing, item, passing_at, passing_by, target};

/// The ball stops short of the other, which stands at its way's end: 100 + 50 mm, and 30 between.
fn stopping(moves: Value) -> Passing {
    passing_by([1100.0, 0.0], None, moves)
}

fn there() -> Value {
    json!({ "move": "linear", "to": "t", "speed_mm_s": 500.0 })
}

fn to(mm: f64) -> Value {
    json!({ "move": "joint", "joints_deg_or_mm": [mm], "speed_percent": 50.0 })
}

#[test]
fn a_target_is_shifted_until_the_moves_to_and_from_it_keep_their_rules() {
    let cell = stopping(json!([to(700.0), there(), to(700.0)]));
    let found = cell.smallest(&target("t"), &[0], 500.0).unwrap();
    // To 920 mm, in whole millimetres; that no shorter one does it is not said.
    let by = -found.by_mm.expect("back")[0];
    assert!((80.0..81.5).contains(&by), "{found:?}");
    assert!(!found.smallest, "{found:?}");
}

/// A move that goes elsewhere is as near as before; a target can't help that, and is not asked to.
#[test]
fn a_target_answers_for_no_other_moves() {
    let cell = stopping(json!([to(1000.0), to(700.0), there(), to(700.0)]));
    let found = cell.smallest(&target("t"), &[0], 500.0).unwrap();
    let by = -found.by_mm.expect("back")[0];
    assert!((80.0..81.5).contains(&by), "{found:?}");
    // As an obstacle does that has to keep its rules over the whole path.
    let whole = cell.smallest(&item("post"), &[0], 500.0).unwrap();
    assert!((whole.by_mm.unwrap()[0] - 80.0).abs() < 0.2, "{whole:?}");
}

/// The other ball stands where the target is; the far one, which is passed on the way, breaks its rule whatever the target does.
#[test]
fn a_target_is_shifted_out_of_what_stands_there() {
    let cell = passing_by([1000.0, 0.0], None, json!([to(700.0), there(), to(700.0)]));
    // Along Y the slide can't go, along X it is free: to 820, not past the other side.
    let found = cell.smallest(&target("t"), &[0], 500.0).unwrap();
    let by = found.by_mm.expect("back")[0];
    assert!((-181.5..=-180.0).contains(&by), "{found:?}");
    let refused = cell.smallest(&target("t"), &[1], 3.0).unwrap();
    assert_eq!(refused.by_mm, None, "{refused:?}");
}

#[rstest]
#[case(target("u"), "no target")]
#[case(Subject::Target(TargetNamed { program: "q".to_owned(), target: "t".to_owned() }), "no program")]
#[case(Subject::Items(Vec::new()), "select")]
fn what_is_not_there_is_not_shifted(#[case] subject: Subject, #[case] said: &str) {
    let refused = stopping(json!([there()])).smallest(&subject, &[0], 100.0);
    let refused = refused.unwrap_err().to_string();
    assert!(refused.contains(said), "{refused}");
}

#[test]
fn a_target_no_program_goes_to_has_no_smallest_shift() {
    let cell = stopping(json!([to(900.0)]));
    let refused = cell.smallest(&target("t"), &[0], 100.0).unwrap_err();
    assert!(refused.to_string().contains("no program"), "{refused}");
}

/// The mover is told of while it goes to the target and leaves it, and where it stands there.
#[test]
fn a_target_is_tried_with_what_its_robot_moves() {
    let cell = stopping(json!([to(500.0), there(), to(0.0), to(1000.0)]));
    let tried = cell.tried(&target("t"), [-50.0, 0.0, 0.0]);
    let [from, until] = tried.during_s;
    let spans = cell.path.spans();
    assert!((from - spans[0].end).abs() < 1e-9, "{tried:?}");
    assert!(until > from && until < spans[3].end, "{tried:?}");
    let to_post = tried
        .pairs
        .iter()
        .find(|p| p.b.item == "post" || p.a.item == "post");
    // 1,100 − 950 − 150; over the whole path the last move comes as near as before.
    assert!(to_post.unwrap().attained_mm < 0.15, "{tried:?}");
    let kept = cell.tried(&target("t"), [-90.0, 0.0, 0.0]);
    let to_post = kept
        .pairs
        .iter()
        .find(|p| p.b.item == "post" || p.a.item == "post");
    assert!(
        (to_post.unwrap().attained_mm - 40.0).abs() < 0.15,
        "{kept:?}"
    );
    assert_eq!(kept.verdict, Verdict::Broken);
    let now = kept.now.iter().find(|p| p.a == "Post" || p.b == "Post");
    assert!((now.unwrap().distance_mm - 40.0).abs() < 1e-6, "{kept:?}");
    // The carriage stands where the target is then.
    assert_eq!(kept.nodes.len(), kept.poses.len());
    assert!(
        kept.poses.iter().any(|p| (p[0] - 0.91).abs() < 1e-6),
        "{kept:?}"
    );
}

/// It stays there while it waits, and to the end where nothing leaves.
#[rstest]
#[case::waits(json!([to(500.0), there(), { "move": "wait", "seconds": 2.0 }, to(0.0), to(1000.0)]), Some(3))]
#[case::goes_to_where_it_is(json!([to(500.0), there(), to(1000.0), { "move": "wait", "seconds": 2.0 }, to(0.0), to(1000.0)]), Some(4))]
#[case::stays(json!([to(500.0), there(), { "move": "wait", "seconds": 2.0 }]), None)]
fn a_target_matters_until_the_robot_has_left(#[case] moves: Value, #[case] leaves: Option<usize>) {
    let cell = stopping(moves);
    let Subject::Target(named) = target("t") else {
        panic!("a target")
    };
    let used = named.used(&cell.workcell.document, &cell.path).unwrap();
    let spans = cell.path.spans();
    let left = leaves.map_or(cell.path.duration(), |move_| spans[move_].end);
    assert_eq!(used, Some((spans[1].start, left)));
}

/// Numbers of a target are in its frame, whatever frame it is shifted along.
#[test]
fn a_target_is_arranged_in_its_own_frame() {
    let mut cell = passing_at([30.0, 178.0], Some("plate"));
    cell.workcell
        .document
        .items
        .iter_mut()
        .find(|i| i.id == "plate")
        .unwrap()
        .pose
        .rpy_deg = [0.0, 0.0, 90.0];
    let workcell = Workcell::from_document(cell.workcell.document.clone(), &cell.files).unwrap();
    let posed = Posed::new(&workcell, &cell.moment());
    let shift = |frame: FrameChoice| {
        let by = PoseDocument {
            xyz_mm: [10.0, 0.0, 0.0],
            rpy_deg: [0.0; 3],
        };
        let how = Arrange::Shift {
            frame,
            by,
            about_mm: None,
        };
        let mut document = workcell.document.clone();
        edit_of(&posed, &target("t"), &how)
            .unwrap()
            .apply(&mut document)
            .unwrap();
        document.programs[0].targets[0].pose.xyz_mm
    };
    assert_eq!(shift(FrameChoice::Parent), [1010.0, 0.0, 0.0]);
    // The world's X is the frame's −Y.
    assert_eq!(shift(FrameChoice::World), [1000.0, -10.0, 0.0]);
    let refused = edit_of(&posed, &target("t"), &Arrange::Drop).unwrap_err();
    assert!(
        refused.to_string().contains("moved and turned"),
        "{refused}"
    );
}

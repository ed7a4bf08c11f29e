//! What is taken and released: in every answer, under its rules, and what is refused.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::arranging::{Arrange, Posed, Subject, edit_of};
use selvik_cell::document::{CellDocument, MoveDocument};
use selvik_cell::edit::{Edit, ProgramChange};
use selvik_cell::findings::{WithBand, find};
use selvik_cell::jog::{JogRequest, Jogging, Ruled};
use selvik_cell::questions::Asked;
use selvik_cell::report::{CaveatKind, PairReport, Verdict, caveats};
use selvik_core::clearance::{Progress, SweepOptions};
use selvik_core::robot::Moment;
use selvik_formats::PackageFiles;

use crate::programmed::*;

/// A ball before the TCP is taken, turned by 90° and set down on the post.
fn carrying() -> CellDocument {
    let mut document = cell();
    let text = r#"{"id": "ball", "name": "Ball", "role": "part", "parent": "pole", "pose": {"xyz_mm": [430, 600, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 25}}}]}"#;
    document
        .items
        .push(serde_json::from_str(text).expect("an item"));
    let rule = r#"{"id": "r", "name": "Arm", "between": ["arm"], "required_mm": 10, "tight_below_mm": 20}"#;
    document
        .rules
        .push(serde_json::from_str(rule).expect("a rule"));
    let steps = r#"[{"move": "take", "item": "ball"},
        {"move": "joint", "joints_deg_or_mm": [60], "speed_percent": 50},
        {"move": "joint", "joints_deg_or_mm": [90], "speed_percent": 50},
        {"move": "release", "item": "ball", "onto": "post"},
        {"move": "joint", "joints_deg_or_mm": [0], "speed_percent": 50}]"#;
    document.programs[0].targets.clear();
    document.programs[0].moves.clear();
    let change = ProgramChange::Insert {
        at: 0,
        moves: serde_json::from_str(steps).expect("moves"),
        targets: Vec::new(),
    };
    done(&mut document, program(change));
    document
}

#[test]
fn what_is_taken_goes_along_in_every_answer() {
    let document = carrying();
    let workcell = built(&document);
    let path = workcell.path().expect("it runs");
    let end = path.duration();
    let at = |time_s: f64| {
        let poses = Asked::at_time(&workcell, time_s).expect("asked").poses();
        poses.items["ball"].xyz_mm
    };
    let near = |found: [f64; 3], wanted: [f64; 3]| {
        assert!(
            found.iter().zip(wanted).all(|(f, w)| (f - w).abs() < 1e-6),
            "{found:?}"
        );
    };
    near(at(0.0), [430.0, 0.0, 0.0]);
    let released = path.handling().changes()[1];
    near(at(released), [0.0, 430.0, 0.0]);
    near(at(end), [0.0, 430.0, 0.0]);
    // Halfway round at the same distance.
    let [x, y, _] = at(released / 2.0);
    assert!((x.hypot(y) - 430.0).abs() < 1e-6 && x > 100.0 && y > 100.0);
    let distance = |time: f64| {
        let asked = Asked::at_time(&workcell, time).expect("asked");
        asked
            .distance("ball", "post")
            .expect("measured")
            .distance_mm
    };
    assert!((distance(released) - (170.0 - 75.0)).abs() < 1e-6);
    assert!(distance(0.0) > 600.0);
    // In the hand it is jogged along.
    let mut jogging = Jogging::default();
    let pairs = workcell.rules.scope(&workcell.assembly, &path).pairs;
    let ruled = Ruled {
        workcell: &workcell,
        pairs: &pairs,
    };
    let request: JogRequest =
        serde_json::from_str(r#"{"joints_deg_or_mm": {"arm/q1": 60}}"#).expect("a request");
    let moment = path.moment(&workcell.assembly, released / 2.0);
    let answer = jogging.answer(ruled, &moment, &request).expect("jogged");
    let ball = workcell
        .assembly
        .cell()
        .position(&"ball".into())
        .expect("there");
    let node = workcell.assembly.item_node(ball).0;
    let place = answer
        .nodes
        .iter()
        .position(|n| *n == node)
        .expect("it moves");
    let [x, y, ..] = answer.poses[place];
    assert!((y.atan2(x).to_degrees() - 60.0).abs() < 1e-6);
}

#[test]
fn a_carried_part_is_measured_under_the_rule_of_what_carries_it_and_told_once_a_stay() {
    let workcell = built(&carrying());
    let path = workcell.path().expect("it runs");
    let options = SweepOptions::every_pair(1e-4);
    let found = find(
        &workcell,
        &path,
        &options,
        WithBand::No,
        &Progress::default(),
    );
    let of = |a: &str, b: &str| {
        let is =
            |p: &&PairReport| [(a, b), (b, a)].contains(&(p.a.item.as_str(), p.b.item.as_str()));
        found.clearance.pairs.iter().filter(is).collect::<Vec<_>>()
    };
    let [ball] = of("ball", "post")[..] else {
        panic!("the rule names the arm and what it carries");
    };
    let released = path.handling().changes()[1];
    assert_eq!(ball.during_s, Some([0.0, released]));
    // It may touch the post only on the last move there: the one before ends at 60°.
    let (sin, cos) = 60f64.to_radians().sin_cos();
    let exact = (430.0 * cos).hypot(600.0 - 430.0 * sin) - 75.0;
    assert!((ball.attained_mm - exact).abs() < 0.11, "{ball:?}");
    assert_eq!(ball.allowed[0].times_s, [[path.spans()[1].end, released]]);
    // Held all the time it may touch the arm; afterwards it may on the next move.
    let kept = of("arm", "ball");
    assert!(
        kept.iter().all(|p| p.verdict != Verdict::Broken),
        "{kept:?}"
    );
    let reasons: Vec<&str> = found
        .clearance
        .left_out
        .iter()
        .map(|l| l.reason.as_str())
        .collect();
    assert!(reasons.contains(&"one holds the other"), "{reasons:?}");
}

#[test]
fn what_is_taken_goes_with_its_program_and_is_placed_only_where_it_stands_by_itself() {
    let mut document = carrying();
    let workcell = built(&document);
    let path = workcell.path().expect("it runs");
    let middle = path.handling().changes()[1] / 2.0;
    let ball = Subject::Items(vec!["ball".to_owned()]);
    let posed = Posed::new(&workcell, &path.moment(&workcell.assembly, middle));
    let refused = edit_of(&posed, &ball, &Arrange::Drop).expect_err("it is held");
    assert!(
        refused.to_string().contains("Ball was taken before"),
        "{refused}"
    );
    let rest = Moment::of_roster(workcell.rest.clone());
    let posed = Posed::new(&workcell, &rest);
    edit_of(&posed, &ball, &Arrange::Drop).expect("it stands by itself");
    let gone = Edit::DeleteItems {
        items: vec!["ball".to_owned()],
    };
    done(&mut document, gone);
    assert!(
        document.programs.is_empty(),
        "it can't be run without the ball"
    );
}

#[rstest]
#[case(r#"{"move": "take", "item": "bal"}"#, "there is no item \"bal\"")]
#[case(
    r#"{"move": "take", "item": "ball", "by": "arm/q9"}"#,
    "no link of the name in \"arm/q9\""
)]
#[case(
    r#"{"move": "release", "item": "ball", "onto": "shelf"}"#,
    "there is no item \"shelf\""
)]
fn parts_and_what_takes_them_are_there(#[case] step: &str, #[case] says: &str) {
    let mut document = carrying();
    let step: MoveDocument = serde_json::from_str(step).expect("a move");
    document.programs[0].moves[0] = step;
    let error = Workcell::from_document(document, &PackageFiles::default())
        .expect_err("refused")
        .to_string();
    assert!(
        error.contains("program \"p\" moves[0]") && error.contains(says),
        "{error}"
    );
}

/// The ball is 5 mm off the arm when it is taken, and 95 mm off the post when it is set down.
#[rstest]
#[case::in_hand(430.0, &["hangs on Post, 95 mm away from it"])]
#[case::out_of_hand(435.1, &["From 0.00 s on Ball hangs on Arm, 10 mm away from it", "hangs on Post"])]
fn what_is_handled_from_afar_is_told(#[case] x_mm: f64, #[case] told: &[&str]) {
    let mut document = carrying();
    let ball = document.items.iter_mut().find(|i| i.id == "ball");
    ball.expect("a ball").pose.xyz_mm[0] = x_mm;
    let workcell = built(&document);
    let mut said = caveats(&workcell, &workcell.path().expect("it runs"));
    said.retain(|caveat| caveat.about == CaveatKind::FarFromHand);
    assert_eq!(said.len(), told.len(), "{said:?}");
    for (caveat, told) in said.iter().zip(told) {
        assert!(caveat.text.contains(told), "{}", caveat.text);
    }
}

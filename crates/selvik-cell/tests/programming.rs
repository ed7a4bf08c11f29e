//! What is edited of mechanisms, programs and rules: what it does, what it refuses, and what follows it.

use indexmap::IndexMap;
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::arranging::{
    Arrange, FrameChoice, JointAxis, NewArm, NewJoint, Posed, edit_of, jointed, new_arm,
};
use selvik_cell::bring::{brought_targets, targets_of};
use selvik_cell::document::{
    CellDocument, DhConvention, DhRowDocument, JointUnit, MayTouchDocument, MoveDocument,
    NamedPosture, PoseDocument, ProgramDocument, RecordedJointDocument, RuleDocument,
    StretchDocument, TargetDocument, TimeUnit, VisibilitySetDocument, begun_cell,
    document_from_slice, write_document,
};
use selvik_cell::edit::{Edit, MechanismChange, ProgramChange};
use selvik_cell::entries::{from_entries, to_entries};
use selvik_cell::findings::{WithBand, find};
use selvik_cell::fingerprint::{fingerprint, only_views_differ};
use selvik_cell::jog::{JogRequest, Jogging, Ruled};
use selvik_cell::questions::Asked;
use selvik_cell::report::{CaveatKind, PairReport, Verdict, caveats};
use selvik_cell::trajectory::{Layout, trajectory};
use selvik_core::clearance::{Progress, SweepOptions};
use selvik_core::program::Path;
use selvik_core::robot::{BodyId, Moment};
use selvik_core::spatial::Point;
use selvik_formats::targets_csv::{read_targets, write_targets};
use selvik_formats::{PackageFiles, read_recording};

/// An arm of one joint with a TCP, a gripper whose second finger follows the first, and two posts.
fn cell() -> CellDocument {
    let text = r#"{"format": "selvik-cell/1", "name": "Programmed", "items": [
        {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "q1", "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90,
             "bodies": [{"shape": {"box": {"size_mm": [400, 40, 40]}}, "pose": {"xyz_mm": [200, 0, 0]}}]}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "q1", "pose": {"xyz_mm": [400, 0, 0]}},
        {"id": "clamp", "name": "Clamp", "role": "fixture", "pose": {"xyz_mm": [0, 2000, 0]},
         "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "stroke", "slides": true, "limits_deg_or_mm": [0, 50], "velocity_deg_or_mm_s": 100,
             "bodies": [{"shape": {"sphere": {"radius_mm": 10}}}]}]}}}},
        {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [0, 600, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 50}}}]},
        {"id": "pole", "name": "Pole", "role": "structure", "pose": {"xyz_mm": [0, -600, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 50}}}]}],
      "programs": [{"id": "p", "name": "Turn", "robot": "arm", "tcp": "tcp",
        "targets": [{"id": "A", "pose": {"xyz_mm": [0, 400, 0], "rpy_deg": [0, 0, 90]}}],
        "moves": [{"move": "joint", "joints_deg_or_mm": [10], "speed_percent": 50},
                  {"move": "joint", "joints_deg_or_mm": [20], "speed_percent": 50},
                  {"move": "joint", "to": "A", "speed_percent": 50},
                  {"move": "joint", "joints_deg_or_mm": [40], "speed_percent": 50}]}],
      "run_plan": {"lanes": [{"programs": ["p"]}]}}"#;
    document_from_slice(text.as_bytes()).expect("readable")
}

fn built(document: &CellDocument) -> Workcell {
    built_with(document, &PackageFiles::default())
}

fn built_with(document: &CellDocument, files: &PackageFiles) -> Workcell {
    assert_eq!(
        &from_entries(to_entries(document)).expect("entries"),
        document
    );
    assert_eq!(
        &document_from_slice(&write_document(document)).expect("written"),
        document
    );
    Workcell::from_document(document.clone(), files).expect("a sound cell")
}

fn done(document: &mut CellDocument, edit: Edit) -> String {
    edit.apply(document).expect("can be done")
}

fn refused(document: &CellDocument, edit: Edit) -> String {
    edit.apply(&mut document.clone())
        .expect_err("can't be done")
        .to_string()
}

fn program(change: ProgramChange) -> Edit {
    Edit::ChangeProgram {
        program: "p".to_owned(),
        change,
    }
}

fn to_joint(value: f64) -> MoveDocument {
    MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: Some(vec![value]),
        speed_percent: 50.0,
        posture: None,
        also_deg_or_mm: IndexMap::new(),
    }
}

fn values(document: &CellDocument) -> Vec<f64> {
    let value = |step: &MoveDocument| match step {
        MoveDocument::Joint {
            joints_deg_or_mm: Some(values),
            ..
        } => values[0],
        _ => f64::NAN,
    };
    document.programs[0].moves.iter().map(value).collect()
}

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

#[test]
fn rest_postures_and_limits_are_kept_and_a_posture_changes_no_finding() {
    let mut document = cell();
    let change = |change| Edit::ChangeMechanism {
        item: "arm".to_owned(),
        change,
    };
    let at = |value: f64| IndexMap::from([("q1".to_owned(), value)]);
    assert_eq!(
        done(&mut document, change(MechanismChange::Rest(at(30.0)))),
        "rest of Arm"
    );
    assert!((built(&document).rest[0].to_degrees() - 30.0).abs() < 1e-12);
    let before = fingerprint(&document, "");
    let home = NamedPosture {
        name: "home".to_owned(),
        joints_deg_or_mm: at(90.0),
    };
    done(&mut document, change(MechanismChange::KeepPosture(home)));
    built(&document);
    assert_eq!(fingerprint(&document, ""), before);
    let limits = MechanismChange::Limits {
        joint: "q1".to_owned(),
        range_deg_or_mm: Some([-45.0, 45.0]),
        velocity_deg_or_mm_s: None,
        acceleration_deg_or_mm_s2: None,
    };
    done(&mut document, change(limits));
    let says = Workcell::from_document(document.clone(), &PackageFiles::default()).unwrap_err();
    assert!(says.to_string().contains("posture \"home\""), "{says}");
    done(
        &mut document,
        change(MechanismChange::DropPosture("home".to_owned())),
    );
    built(&document);
    assert!(
        refused(
            &document,
            change(MechanismChange::DropPosture("home".to_owned()))
        )
        .contains("no posture")
    );
    let of_a_post = Edit::ChangeMechanism {
        item: "post".to_owned(),
        change: MechanismChange::Rest(at(1.0)),
    };
    assert_eq!(refused(&document, of_a_post), "Post has no joints");
}

fn rule(id: &str, between: &[&str], and: &[&str], required_mm: f64) -> Edit {
    let side = |ids: &[&str]| ids.iter().map(|id| (*id).to_owned()).collect();
    Edit::SaveRule {
        rule: RuleDocument {
            id: id.to_owned(),
            name: id.to_owned(),
            between: side(between),
            and: side(and),
            required_mm,
            tight_below_mm: required_mm,
        },
    }
}

/// What is required between the arm and the post under all rules together, mm.
fn required(document: &CellDocument) -> Option<f64> {
    let workcell = built(document);
    let scope = workcell
        .rules
        .scope(&workcell.assembly, &Path::standing(&workcell.rest));
    let item = |id: &str| {
        workcell
            .assembly
            .cell()
            .position(&id.into())
            .expect("there")
    };
    let of = |body| workcell.assembly.body(body).item;
    let pair = scope.pairs.iter().find(|p| {
        let both = [of(p.a), of(p.b)];
        both.contains(&item("arm")) && both.contains(&item("post"))
    })?;
    Some((workcell.rules.rules[pair.rule].requirement.required() * 1e3).round())
}

#[rstest]
#[case::a_role_after_the_items(&[(&["arm"][..], &["post"][..], 5.0), (&["role:robot"], &["role:structure"], 50.0)], Some(5.0))]
#[case::a_link_before_its_item(&[(&["arm/q1"][..], &["post"][..], 7.0), (&["arm"], &["post"], 9.0)], Some(7.0))]
#[case::a_set_over_a_role(&[(&["set:s"][..], &["arm"][..], 11.0), (&["role:structure"], &["arm"], 12.0)], Some(11.0))]
#[case::both_alike(&[(&["arm"][..], &["post"][..], 5.0), (&["post"], &["arm"], 6.0)], Some(6.0))]
#[case::everything_least(&[(&["role:robot"][..], &["role:structure"][..], 3.0), (&["arm"], &[], 4.0)], Some(4.0))]
#[case::no_such_items(&[(&["role:robot"][..], &["role:part"][..], 3.0)], None)]
fn the_most_particular_rule_decides(
    #[case] rules: &[(&[&str], &[&str], f64)],
    #[case] expected: Option<f64>,
) {
    let mut document = cell();
    document.visibility_sets = vec![VisibilitySetDocument {
        id: "s".to_owned(),
        name: "Posts".to_owned(),
        items: vec!["post".to_owned(), "pole".to_owned()],
    }];
    for (i, (between, and, required)) in rules.iter().enumerate() {
        done(
            &mut document,
            rule(&format!("r{i}"), between, and, *required),
        );
    }
    assert_eq!(required(&document), expected);
}

/// A set that a rule is about is more than a way to look at a cell.
#[test]
fn a_set_counts_once_a_rule_is_about_it() {
    let mut document = cell();
    let set = |items: &[&str]| Edit::SaveSet {
        set: VisibilitySetDocument {
            id: "s".to_owned(),
            name: "Posts".to_owned(),
            items: items.iter().map(|i| (*i).to_owned()).collect(),
        },
    };
    done(&mut document, set(&["post"]));
    let mut other = document.clone();
    done(&mut other, set(&["pole"]));
    assert!(only_views_differ(&document, &other));
    for document in [&mut document, &mut other] {
        done(document, rule("r", &["arm"], &["set:s"], 5.0));
    }
    assert!(!only_views_differ(&document, &other));
    assert_ne!(fingerprint(&document, ""), fingerprint(&other, ""));
    assert_eq!((required(&document), required(&other)), (Some(5.0), None));
    let delete = Edit::DeleteSet {
        set: "s".to_owned(),
    };
    assert_eq!(
        refused(&document, delete),
        "rule r is about this set; change the rule first"
    );
}

#[test]
fn rules_and_pairs_are_kept_replaced_and_taken_out() {
    let mut document = cell();
    assert_eq!(
        done(&mut document, rule("r", &["arm"], &["post"], 5.0)),
        "add rule r"
    );
    assert_eq!(
        done(&mut document, rule("r", &["arm"], &["post"], 8.0)),
        "change rule r"
    );
    assert_eq!(required(&document), Some(8.0));
    let pair = |a: &str, b: &str, reason: &str| Edit::LetTouch {
        pair: MayTouchDocument {
            a: a.to_owned(),
            b: b.to_owned(),
            reason: reason.to_owned(),
            max_depth_mm: None,
            during: None,
        },
    };
    assert!(refused(&document, pair("arm", "post", " ")).contains("say why"));
    done(&mut document, pair("arm/q1", "post", "it rests there"));
    assert_eq!(
        done(&mut document, pair("post", "arm/q1", "it rests on it")),
        "let Post and Arm q1 touch"
    );
    assert_eq!(document.may_touch.len(), 1);
    assert_eq!(required(&document), None);
    let apart = || Edit::KeepApart {
        a: "arm/q1".to_owned(),
        b: "post".to_owned(),
    };
    done(&mut document, apart());
    assert!(refused(&document, apart()).contains("no pair"));
    done(
        &mut document,
        Edit::DeleteRule {
            rule: "r".to_owned(),
        },
    );
    assert_eq!(document, cell());
}

#[test]
fn several_changes_are_one_or_none() {
    let mut document = cell();
    let edits = vec![
        rule("a", &["arm"], &[], 5.0),
        rule("b", &["arm"], &["post"], 6.0),
    ];
    let together = |edits| Edit::Together {
        label: "two rules".to_owned(),
        edits,
    };
    assert_eq!(done(&mut document, together(edits)), "two rules");
    assert_eq!(document.rules.len(), 2);
    let nested = together(vec![together(vec![rule("c", &["arm"], &[], 5.0)])]);
    assert!(refused(&document, nested).contains("each by itself"));
    assert!(refused(&document, together(vec![])).contains("1 to"));
}

/// A new cell says what it requires, and is sound as it is.
#[test]
fn a_new_cell_begins_with_one_rule() {
    let document = begun_cell("Cell");
    let workcell = built(&document);
    assert_eq!(workcell.rules.rules.len(), 1);
    let mut with_arm = cell();
    with_arm.rules = document.rules;
    assert_eq!(required(&with_arm), Some(10.0));
}

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

/// A post that stands askew, with something on it, gets a hinge along its own X: at rest nothing moves, and by 90° everything
/// of it goes round its origin.
#[test]
fn what_came_as_a_mesh_gets_a_joint_and_stays_where_it_is() {
    let mut document = cell();
    let pose = PoseDocument {
        xyz_mm: [100.0, 600.0, 50.0],
        rpy_deg: [20.0, -10.0, 70.0],
    };
    let post = document
        .items
        .iter_mut()
        .find(|i| i.id == "post")
        .expect("there");
    post.pose = pose;
    post.bodies[0].pose.xyz_mm = [0.0, 30.0, 40.0];
    let pole = document
        .items
        .iter_mut()
        .find(|i| i.id == "pole")
        .expect("there");
    pole.parent = Some("post".to_owned());
    document.programs[0].targets[0] = TargetDocument {
        id: "A".to_owned(),
        frame: Some("post".to_owned()),
        pose: PoseDocument {
            xyz_mm: [-10.0, 20.0, 30.0],
            rpy_deg: [0.0, 0.0, 15.0],
        },
    };
    document.programs[0].moves.clear();
    let target = |document: &CellDocument, workcell: &Workcell| {
        let posed = Posed::new(workcell, &Moment::of_roster(workcell.rest.clone()));
        let pose = &document.programs[0].targets[0].pose;
        posed
            .pose_in(&FrameChoice::Own, "post", pose)
            .expect("a pose")
    };
    let before = built(&document);
    let target_before = target(&document, &before);
    let place = |workcell: &Workcell, joints: &[f64]| {
        let poses = workcell.assembly.poses(joints);
        let of = |id: &str| {
            let at = workcell
                .assembly
                .cell()
                .position(&id.into())
                .expect("there");
            let body = workcell.assembly.bodies().iter().position(|b| b.item == at);
            let body = workcell.assembly.body(BodyId(body.expect("it has a body")));
            poses[body.node.0] * body.surface.ball().0
        };
        [of("post"), of("pole")]
    };
    let hinge = |axis| NewJoint {
        name: "hinge".to_owned(),
        slides: false,
        axis,
        range_deg_or_mm: [0.0, 90.0],
        velocity_deg_or_mm_s: 45.0,
    };
    let posed = Posed::new(&before, &Moment::of_roster(before.rest.clone()));
    let edit = jointed(&posed, "post", &hinge(JointAxis::Own(0))).expect("a joint");
    assert_eq!(done(&mut document, edit), "give Post a joint");
    let after = built(&document);
    let (was, is) = (place(&before, &before.rest), place(&after, &after.rest));
    for (was, is) in was.iter().zip(&is) {
        assert!((was - is).norm() < 1e-8, "{was} {is}");
    }
    let moved = target_before.inverse() * target(&document, &after);
    assert!(moved.translation.vector.norm() < 1e-8 && moved.rotation.angle() < 1e-8);
    // Turned by 90° about the line through its origin along its X.
    let hinge_at = after
        .assembly
        .joints()
        .iter()
        .position(|j| j.name == "hinge");
    let mut q = after.rest.clone();
    q[hinge_at.expect("there")] = 90f64.to_radians();
    let origin = Point::from(pose.to_pose().translation.vector);
    let along = pose.to_pose().rotation * nalgebra::Vector3::x();
    for (was, is) in was.iter().zip(place(&after, &q)) {
        let (from, to) = (was - origin, is - origin);
        assert!((from.norm() - to.norm()).abs() < 1e-9);
        assert!((from.dot(&along) - to.dot(&along)).abs() < 1e-9);
        let [flat, turned] = [from, to].map(|v| v - along * v.dot(&along));
        assert!(
            flat.dot(&turned).abs() < 1e-9,
            "it is turned by a right angle"
        );
        assert!(along.dot(&flat.cross(&turned)) > 0.0, "the right way round");
    }
    let posed = Posed::new(&after, &Moment::of_roster(after.rest.clone()));
    let says = |item: &str, joint: NewJoint| jointed(&posed, item, &joint).unwrap_err().to_string();
    assert!(says("post", hinge(JointAxis::Own(0))).contains("joints already"));
    assert!(says("tcp", hinge(JointAxis::Own(0))).contains("no body"));
    let askew = NewJoint {
        range_deg_or_mm: [10.0, 90.0],
        ..hinge(JointAxis::Own(0))
    };
    assert!(says("pole", askew).contains("stands at 0 now"));
    assert!(says("pole", hinge(JointAxis::Own(3))).contains("three axes"));
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
    let posed = Posed::new(&workcell, &path.moment(&workcell.assembly, middle));
    let refused = edit_of(&posed, &["ball".to_owned()], &Arrange::Drop).expect_err("it is held");
    assert!(
        refused.to_string().contains("Ball was taken before"),
        "{refused}"
    );
    let rest = Moment::of_roster(workcell.rest.clone());
    let posed = Posed::new(&workcell, &rest);
    edit_of(&posed, &["ball".to_owned()], &Arrange::Drop).expect("it stands by itself");
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

fn row(joint: &str, a_mm: f64, alpha_deg: f64, d_mm: f64, theta_deg: f64) -> DhRowDocument {
    DhRowDocument {
        joint: joint.to_owned(),
        slides: false,
        a_mm,
        alpha_deg,
        d_mm,
        theta_deg,
        limits_deg_or_mm: [-170.0, 170.0],
        velocity_deg_or_mm_s: 180.0,
        bodies: Vec::new(),
    }
}

/// An arm on a slide, in both conventions: the same joints, written differently.
fn tables() -> [(DhConvention, Vec<DhRowDocument>); 2] {
    let slide = DhRowDocument {
        slides: true,
        limits_deg_or_mm: [0.0, 800.0],
        ..row("lift", 0.0, 0.0, 200.0, 0.0)
    };
    let standard = vec![
        DhRowDocument {
            a_mm: 150.0,
            alpha_deg: -90.0,
            ..slide.clone()
        },
        row("turn", 600.0, 0.0, 50.0, 0.0),
        row("wrist", 100.0, 0.0, 0.0, 0.0),
    ];
    let modified = vec![
        slide,
        row("turn", 150.0, -90.0, 50.0, 0.0),
        row("wrist", 600.0, 0.0, 0.0, 0.0),
    ];
    [
        (DhConvention::Standard, standard),
        (DhConvention::Modified, modified),
    ]
}

#[test]
fn an_arm_from_a_table_is_drawn_as_long_as_it_is_and_goes_where_the_table_says() {
    for (convention, rows) in tables() {
        let mut document = cell();
        let new = NewArm {
            name: " Lift arm ".to_owned(),
            convention,
            rows,
            at: PoseDocument {
                xyz_mm: [1000.0, 0.0, 0.0],
                rpy_deg: [0.0; 3],
            },
            drawn: true,
        };
        let edit = new_arm(&document, &new).expect("a robot");
        done(&mut document, edit);
        let workcell = built(&document);
        let robot = workcell
            .assembly
            .cell()
            .position(&"robot-1".into())
            .expect("it is there");
        assert_eq!(workcell.assembly.cell().items()[robot].name, "Lift arm");
        let mechanism = workcell.assembly.mechanism(robot).expect("joints");
        let bare = mechanism
            .links()
            .iter()
            .filter(|l| l.surface.is_none())
            .count();
        // The base has its foot and the rail; only the flange of the standard table is bare.
        assert_eq!(bare, 1 + usize::from(convention == DhConvention::Standard));
        // Lifted by 300 and turned by 90° about the lying axis: the upper arm hangs straight down.
        let mut q = workcell.rest.clone();
        q[workcell.joint_named("robot-1/lift").expect("a joint")] = 0.3;
        q[workcell.joint_named("robot-1/turn").expect("a joint")] = 90f64.to_radians();
        let poses = Moment::of_roster(q).poses(&workcell.assembly);
        let wrist = workcell.assembly.link_node(robot, "wrist").expect("a link");
        let at = poses[wrist.0].translation.vector * 1e3;
        assert!(
            (at.x - 1150.0).abs() < 1e-6 && (at.z + 100.0).abs() < 1e-6,
            "{at:?}"
        );
        // What is drawn of the upper arm reaches from one joint to the next.
        let upper = workcell
            .assembly
            .bodies()
            .iter()
            .find(|b| b.item == robot && b.link == mechanism.link("turn"))
            .expect("drawn");
        let pose = poses[upper.node.0];
        let heights = upper
            .surface
            .mesh()
            .vertices()
            .iter()
            .map(|v| (pose * v).z * 1e3);
        let (low, high) = heights.fold((f64::MAX, f64::MIN), |(l, h), z| (l.min(z), h.max(z)));
        assert!(low < -100.0 && high > 500.0, "{low} {high}");
        let tcp = document
            .items
            .iter()
            .find(|i| i.id == "tcp-1")
            .expect("a TCP");
        assert_eq!(tcp.parent.as_deref(), Some("robot-1"));
    }
}

#[rstest]
#[case::no_rows(|new: &mut NewArm| new.rows.clear(), "from 1 to 30 rows")]
#[case::no_name(|new: &mut NewArm| new.name = " ".to_owned(), "needs a name")]
#[case::no_joint(|new: &mut NewArm| new.rows[1].joint.clear(), "row 2: its joint needs a name")]
#[case::nowhere(|new: &mut NewArm| new.rows[2].limits_deg_or_mm = [5.0, 5.0], "row 3: it goes from 5 to 5")]
#[case::no_number(|new: &mut NewArm| new.rows[0].a_mm = f64::NAN, "row 1: NaN is not a usable number")]
#[case::no_speed(|new: &mut NewArm| new.rows[0].velocity_deg_or_mm_s = 0.0, "row 1: its speed")]
fn a_table_that_makes_no_robot_is_refused_by_its_row(
    #[case] spoil: fn(&mut NewArm),
    #[case] says: &str,
) {
    let [(convention, rows), _] = tables();
    let mut new = NewArm {
        name: "Arm".to_owned(),
        convention,
        rows,
        at: PoseDocument::default(),
        drawn: true,
    };
    spoil(&mut new);
    let error = new_arm(&cell(), &new).expect_err("refused").to_string();
    assert!(error.contains(says), "{error}");
}

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

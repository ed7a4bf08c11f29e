//! What can be seen and come to: closed forms.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::access::{
    AccessAnswer, AccessFrom, AccessVerdict, AccessWanted, ConeWanted, RodWanted, access,
    free_directions,
};
use selvik_cell::document::{PickDocument, PickKind};
use selvik_cell::questions::Asked;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

/// A table of a metre square whose top is the floor of the world, over half of it, half a metre up, a roof; a post under the
/// roof's edge; a program with a target on either side, coming straight down.
fn files() -> PackageFiles {
    let boxed = |id: &str, xyz: [f64; 3], size: [f64; 3]| {
        json!({"id": id, "name": id, "role": "fixture", "pose": {"xyz_mm": xyz},
            "bodies": [{"shape": {"box": {"size_mm": size}}}]})
    };
    let target =
        |id: &str, x: f64| json!({"id": id, "pose": {"xyz_mm": [x, 0, 0], "rpy_deg": [180, 0, 0]}});
    let text = json!({"format": "selvik-cell/1", "name": "Access", "items": [
        boxed("table", [0.0, 0.0, -50.0], [1000.0, 1000.0, 100.0]),
        boxed("roof", [-250.0, 0.0, 505.0], [500.0, 1000.0, 10.0]),
        {"id": "arm", "name": "Arm", "role": "robot", "pose": {"xyz_mm": [0, 3000, 0]}, "mechanism": {"from": {"dh": {"convention": "modified",
            "rows": [{"joint": "q", "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "q"},
    ], "programs": [{"id": "p", "name": "P", "robot": "arm", "tcp": "tcp",
        "targets": [target("under", -100.0), target("beside", 100.0)], "moves": []}]});
    let mut files = PackageFiles::default();
    files
        .insert("cell.json", text.to_string().into_bytes())
        .expect("a plain name");
    files
}

const SIGHT: RodWanted = RodWanted {
    diameter_mm: 0.0,
    length_mm: None,
    tip_mm: 0.0,
};

fn wanted(from: AccessFrom) -> AccessWanted {
    AccessWanted {
        from,
        rod: SIGHT,
        items: Vec::new(),
        picks: Vec::new(),
        program: None,
        without: Vec::new(),
    }
}

fn asked(wanted: &AccessWanted) -> Result<AccessAnswer, String> {
    let files = files();
    let workcell = Workcell::read(&files).expect("readable");
    access(&Asked::at_rest(&workcell), &files, wanted).map_err(|e| e.to_string())
}

/// Of a block of 1000 × 1000 × 100 the top is 10/24 of the area; half of it lies under the roof.
#[rstest]
#[case(&[], 0.5e6, 0.5e6)]
#[case(&["roof"], 1e6, 0.0)]
fn half_a_table_lies_under_a_roof(
    #[case] without: &[&str],
    #[case] free: f64,
    #[case] blocked: f64,
) {
    let answer = asked(&AccessWanted {
        items: vec!["table".to_owned()],
        without: without.iter().map(|id| (*id).to_owned()).collect(),
        ..wanted(AccessFrom::Towards([0.0, 0.0, 1.0]))
    });
    let faces = answer.expect("judged").faces.expect("of the table");
    let near = |a: f64, b: f64| (a - b).abs() < 0.01e6;
    assert!(
        near(faces.free_mm2, free) && near(faces.blocked_mm2, blocked),
        "{faces:?}"
    );
    // Four sides and the bottom.
    assert!(near(faces.away_mm2, 1.4e6));
    let by: Vec<&str> = faces.blocked_by.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(
        by,
        if without.is_empty() {
            vec!["roof"]
        } else {
            vec![]
        }
    );
    assert_eq!(faces.free_triangles_mm.len() % 9, 0);
    assert!(faces.free_triangles_mm.chunks(3).all(|p| p[2].abs() < 1e-3));
}

#[test]
fn targets_are_come_to_against_their_axis() {
    let answer = asked(&AccessWanted {
        program: Some("p".to_owned()),
        ..wanted(AccessFrom::Own)
    });
    let points = answer.expect("judged").points;
    assert_eq!(points[0].verdict, AccessVerdict::Blocked);
    assert_eq!(points[0].by.as_deref(), Some("roof"));
    assert!(
        points[0]
            .out_mm
            .is_some_and(|out| (out - 500.0).abs() < 1e-6)
    );
    assert_eq!(points[1].verdict, AccessVerdict::Free);
    // 100 mm beside the edge of the roof: a tool of 200 mm just about does not pass.
    for (diameter_mm, verdict) in [
        (199.0, AccessVerdict::Free),
        (201.0, AccessVerdict::Blocked),
    ] {
        let rod = RodWanted {
            diameter_mm,
            length_mm: Some(1500.0),
            tip_mm: 50.0,
        };
        let answer = asked(&AccessWanted {
            rod,
            program: Some("p".to_owned()),
            ..wanted(AccessFrom::Own)
        });
        assert_eq!(
            answer.expect("judged").points[1].verdict,
            verdict,
            "{diameter_mm}"
        );
    }
}

/// A spot on the top of the table, under the middle of the roof's edge: 45° is the widest cone there is between that edge
/// and the table. The roof takes twice the solid angle of a square seen from as far over its corner as it is wide: atan(1/√3).
#[test]
fn under_the_edge_of_a_roof_a_right_angle_is_free() {
    let files = files();
    let workcell = Workcell::read(&files).expect("readable");
    let wanted = |at: [f64; 3]| ConeWanted {
        pick: PickDocument {
            on: "table".to_owned(),
            kind: PickKind::Spot,
            is: None,
            at_mm: Some(at),
        },
        rod: SIGHT,
        without: Vec::new(),
    };
    let found = free_directions(&Asked::at_rest(&workcell), &wanted([0.0, 0.0, 50.0]));
    let found = found.expect("judged");
    assert!((found.half_angle_deg - 45.0).abs() < 0.5, "{found:?}");
    assert_eq!(found.at_mm, [0.0, 0.0, 0.0]);
    let free = 100.0 * (1.0 - 2.0 * (1.0 / 3f64.sqrt()).atan() / std::f64::consts::TAU);
    assert!((found.free_percent - free).abs() < 1.0, "{free}");
    let axis = found.axis.expect("free");
    assert!((axis[0] - axis[2]).abs() < 0.02, "{axis:?}");
    // The bottom looks at nothing.
    let below = free_directions(&Asked::at_rest(&workcell), &wanted([0.0, 0.0, -50.0]));
    assert!((below.expect("judged").half_angle_deg - 90.0).abs() < 1e-6);
}

/// What looks away is not called blocked, and what one looks from is not in the way of itself.
#[test]
fn a_place_on_a_face_that_looks_away_is_told_so() {
    let spot = |z: f64| PickDocument {
        on: "table".to_owned(),
        kind: PickKind::Spot,
        is: None,
        at_mm: Some([300.0, 0.0, z]),
    };
    let answer = asked(&AccessWanted {
        picks: vec![spot(50.0), spot(-50.0)],
        ..wanted(AccessFrom::FromMm([300.0, 0.0, 2000.0]))
    });
    let verdicts: Vec<AccessVerdict> = answer
        .expect("judged")
        .points
        .iter()
        .map(|p| p.verdict)
        .collect();
    assert_eq!(verdicts, [AccessVerdict::Free, AccessVerdict::Away]);
}

/// A corner has no direction of its own: nothing was looked at, and that never counts as free.
#[test]
fn what_has_no_direction_is_not_judged() {
    let corner = PickDocument {
        on: "table".to_owned(),
        kind: PickKind::Corner,
        is: None,
        at_mm: Some([500.0, 500.0, 50.0]),
    };
    let answer = asked(&AccessWanted {
        picks: vec![corner],
        ..wanted(AccessFrom::Own)
    });
    let points = answer.expect("judged").points;
    assert_eq!(points[0].verdict, AccessVerdict::NotJudged);
}

#[rstest]
#[case::no_direction(json!({"from": {"towards": [0, 0, 0]}, "rod": {"diameter_mm": 0}}), "points somewhere")]
#[case::a_tool_that_is_all_tip(json!({"from": "own", "rod": {"diameter_mm": 20, "length_mm": 50, "tip_mm": 40}}), "longer than its tip")]
#[case::a_thick_negative(json!({"from": "own", "rod": {"diameter_mm": -1}}), "0 mm or more")]
#[case::faces_from_nowhere(json!({"from": "own", "rod": {"diameter_mm": 0}, "items": ["table"]}), "from a direction")]
#[case::an_unknown_item(json!({"from": "own", "rod": {"diameter_mm": 0}, "without": ["nobody"]}), "no item \"nobody\"")]
#[case::an_unknown_program(json!({"from": "own", "rod": {"diameter_mm": 0}, "program": "q"}), "\"q\"")]
fn what_cant_be_judged_is_refused(#[case] wanted: Value, #[case] says: &str) {
    let wanted: AccessWanted = serde_json::from_value(wanted).expect("a request");
    let refused = asked(&wanted).expect_err("can't be judged");
    assert!(refused.contains(says), "{refused}");
}

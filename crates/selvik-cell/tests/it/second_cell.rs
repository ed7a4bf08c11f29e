//! A cell unlike the demo, end to end: a textbook arm from a Denavit–Hartenberg table, boxes, joint
//! targets. Nothing is tied to the demo.

use proptest::prelude::*;
use selvik_cell::Workcell;
use selvik_cell::document::{CELL_FILE, read_document, write_document};
use selvik_cell::entries::{from_entries, to_entries};
use selvik_cell::report::{Verdict, reach_report, sweep_report};
use selvik_core::clearance::{Progress, SweepOptions, sweep};
use selvik_formats::{FormatError, PackageFiles};
use serde_json::{Value, json};

/// A planar arm of two links of 500 mm and 400 mm (Siciliano et al., ch. 2.9.1) over a table, beside
/// a post at (0, 700) mm.
fn cell() -> Value {
    let row = |name: &str, a: f64, size: f64| {
        json!({
            "joint": name, "a_mm": a, "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90,
            "bodies": [{"shape": {"box": {"size_mm": [size, 40, 40]}}, "pose": {"xyz_mm": [size / 2.0, 0, 0]}}],
        })
    };
    json!({
        "format": "selvik-cell/1",
        "name": "Two links and a post",
        "items": [
            {"id": "arm", "name": "Planar arm", "role": "robot", "pose": {"xyz_mm": [0, 0, 300]},
             "mechanism": {"from": {"dh": {"convention": "standard", "rows": [row("q1", 500.0, 500.0), row("q2", 400.0, 400.0)]}}}},
            {"id": "tip", "name": "Tip", "role": "frame", "parent": "arm", "on_link": "flange", "frame_kind": "tcp"},
            {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [0, 960, 300]},
             "bodies": [{"shape": {"box": {"size_mm": [100, 100, 600]}}}]},
        ],
        "rules": [{"id": "r", "name": "Arm to post", "between": ["arm"], "and": ["post"], "required_mm": 20, "tight_below_mm": 30}],
        "programs": [{"id": "swing", "name": "Swing", "robot": "arm", "tcp": "tip",
            "moves": [
                {"move": "joint", "joints_deg_or_mm": [150, 0], "speed_percent": 100},
                {"move": "wait", "seconds": 0.5},
            ]}],
        "run_plan": {"lanes": [{"programs": ["swing"]}]},
    })
}

fn package(cell: &Value) -> PackageFiles {
    let mut files = PackageFiles::default();
    files
        .insert(CELL_FILE, cell.to_string().into_bytes())
        .expect("a plain name");
    files
}

fn refusal(cell: &Value) -> FormatError {
    Workcell::read(&package(cell)).expect_err("it should be refused")
}

#[test]
fn the_arm_swings_past_the_post_as_geometry_says() {
    let workcell = Workcell::read(&package(&cell())).expect("readable");
    let path = workcell.path().expect("it runs");
    // 150° at 90°/s, full speed after 0.25 s: 150/90 + 0.25 s, then the wait.
    assert!(
        (path.duration() - (150.0 / 90.0 + 0.25 + 0.5)).abs() < 1e-9,
        "{}",
        path.duration()
    );
    let options = SweepOptions::every_pair(1e-4);
    let found = sweep(
        &workcell.assembly,
        &path,
        &workcell.rules,
        &options,
        &Progress::default(),
    );
    let report = sweep_report(&workcell, &path, &found, 1e-4);
    // Stretched, the corner of the tip (900, 20) passes the post's face at y = 910.
    let nearest = 910.0 - (900.0f64.powi(2) + 20.0f64.powi(2)).sqrt();
    let tip = &report.pairs[0];
    assert_eq!(tip.a.link.as_deref(), Some("q2"));
    assert!(
        (tip.attained_mm - nearest).abs() < 0.1,
        "{} {nearest}",
        tip.attained_mm
    );
    assert_eq!(tip.verdict, Verdict::Broken);
    assert!((tip.joints_deg_or_mm["arm/q1"] - 90.0).abs() < 4.0);
    let reach = reach_report(&workcell, &path);
    assert!((reach.rows[0].straight_mm - 900.0).abs() < 1e-6);
}

#[test]
fn what_is_read_is_written_and_read_again_the_same() {
    let first = read_document(&package(&cell())).expect("readable");
    let mut files = PackageFiles::default();
    files
        .insert(CELL_FILE, write_document(&first))
        .expect("a plain name");
    assert_eq!(read_document(&files).expect("readable"), first);
    let zipped = PackageFiles::from_zip(&files.to_zip().expect("a zip")).expect("a zip");
    assert_eq!(zipped, files);
    assert_eq!(from_entries(to_entries(&first)).expect("a document"), first);
}

/// A change to the cell, where it is refused, and what is said.
#[rstest::rstest]
#[case::unknown_key("/items/0/tint", json!("red"), "items[0]", "unknown field")]
#[case::unknown_parent("/items/1/parent", json!("leg"), "items", "\"leg\"")]
#[case::unknown_link("/items/1/on_link", json!("hand"), "items", "only base, q1, q2, flange")]
#[case::own_parent("/items/2/parent", json!("post"), "items", "carry itself")]
#[case::unknown_rule_item("/rules/0/and/0", json!("mast"), "rule \"r\"", "no item \"mast\"")]
#[case::crossed_rule("/rules/0/tight_below_mm", json!(10), "rule \"r\"", "required_mm ≤ tight_below_mm")]
#[case::missing_mesh("/items/2/bodies/0/shape", json!({"mesh": {"file": "a.stl"}}), "a.stl", "not in the package")]
#[case::leading_out("/items/2/bodies/0/shape", json!({"mesh": {"file": "../a.stl"}}), "a.stl", "not in the package")]
#[case::flat_box("/items/2/bodies/0/shape", json!({"box": {"size_mm": [1, 0, 1]}}), "bodies[0]", "positive")]
#[case::far_away("/items/2/pose/xyz_mm/0", json!(1e300), "items[2]", "usable number")]
#[case::unknown_program("/run_plan/lanes/0/programs/0", json!("dance"), "run_plan", "no program \"dance\"")]
#[case::wrong_format("/format", json!("other/1"), "format", "selvik-cell/1")]
#[case::no_target("/programs/0/moves/0", json!({"move": "linear", "to": "T", "speed_mm_s": 9}), "moves[0]", "no target \"T\"")]
#[case::colour("/items/0/colour", json!("red"), "items[0]", "#RRGGBB")]
#[case::unknown_opening("/opening_view", json!("v"), "opening_view", "no view")]
#[case::crossed_limits("/items/0/mechanism/from/dh/rows/0/limits_deg_or_mm", json!([9, 1]), "q1", "crossed")]
fn what_does_not_fit_is_refused_with_its_place(
    #[case] at: &str,
    #[case] value: Value,
    #[case] place: &str,
    #[case] says: &str,
) {
    let mut cell = cell();
    let (parent, key) = at.rsplit_once('/').expect("a pointer");
    match cell.pointer_mut(parent).expect("it is there") {
        Value::Object(object) => drop(object.insert(key.to_owned(), value)),
        Value::Array(list) => list[key.parse::<usize>().expect("an index")] = value,
        other => panic!("{other}"),
    }
    let error = refusal(&cell).to_string();
    assert!(error.contains(place) && error.contains(says), "{error}");
}

#[rstest::rstest]
#[case::too_far([-170.0, 500.0].to_vec(), "beyond its limit")]
#[case::too_many([1.0, 2.0, 3.0].to_vec(), "3 joint values for an arm of 2")]
fn moves_that_cannot_be_run_say_which_and_why(#[case] joints: Vec<f64>, #[case] says: &str) {
    let mut cell = cell();
    cell["programs"][0]["moves"][0]["joints_deg_or_mm"] = json!(joints);
    let error = Workcell::read(&package(&cell))
        .expect("readable")
        .path()
        .expect_err("not runnable")
        .to_string();
    assert!(
        error.contains("\"Swing\", move 1") && error.contains(says),
        "{error}"
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn damaged_documents_never_crash(at in 0usize..5000, with in any::<u8>()) {
        let mut bytes = cell().to_string().into_bytes();
        let at = at % bytes.len();
        bytes[at] = with;
        let mut files = PackageFiles::default();
        files.insert(CELL_FILE, bytes).expect("a plain name");
        if let Ok(workcell) = Workcell::read(&files) {
            let _ = workcell.path();
        }
    }
}

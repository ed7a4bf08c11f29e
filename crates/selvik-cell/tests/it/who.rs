//! Who is measured against whom.

use selvik_cell::Workcell;
use selvik_cell::against::{AgainstPlace, against};
use selvik_cell::document::document_from_slice;
use selvik_cell::ruling::ruling;
use selvik_core::program::Path;
use selvik_formats::PackageFiles;

/// A robot of two links that carries a tool, a table with a fixture on it, and a wall that no rule names.
#[test]
fn the_table_holds_each_pair_of_bodies_once_under_what_stands_for_it() {
    let text = r#"{"format": "selvik-cell/1", "name": "Who", "items": [
        {"id": "wall", "name": "Wall", "role": "structure", "pose": {"xyz_mm": [-9000, 0, 0]}, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]},
        {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "q1", "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]},
            {"joint": "q2", "a_mm": 300, "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]}]}}}},
        {"id": "tool", "name": "Tool", "role": "tool", "parent": "arm", "on_link": "q2", "pose": {"xyz_mm": [300, 0, 0]}, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]},
        {"id": "held", "name": "Held", "role": "part", "parent": "tool", "pose": {"xyz_mm": [50, 0, 0]}, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]},
        {"id": "table", "name": "Table", "role": "structure", "pose": {"xyz_mm": [0, 900, 0]}, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]},
        {"id": "fixture", "name": "Fixture", "role": "fixture", "parent": "table", "pose": {"xyz_mm": [0, 0, 50]}, "bodies": [{"shape": {"sphere": {"radius_mm": 9}}}]}],
      "rules": [{"id": "all", "name": "Arm to table", "between": ["arm"], "and": ["table", "fixture"], "required_mm": 10, "tight_below_mm": 20},
                {"id": "near", "name": "Tool to fixture", "between": ["tool"], "and": ["fixture"], "required_mm": 3, "tight_below_mm": 5}],
      "may_touch": [{"a": "held", "b": "fixture", "reason": "it is set down there"}]}"#;
    let document = document_from_slice(text.as_bytes()).expect("readable");
    let workcell = Workcell::from_document(document, &PackageFiles::default()).expect("sound");
    let told = against(&workcell, &Path::standing(&workcell.rest));
    assert_eq!(told.things, ["wall", "arm", "tool", "table"]);
    let place = |a, b, measured, may_touch, required_mm, rules: &[&str]| AgainstPlace {
        a,
        b,
        measured,
        may_touch,
        required_mm,
        rules: rules.iter().map(|&rule| rule.to_owned()).collect(),
    };
    // Two links to table and fixture; the tool and what it holds to both: the more particular rule decides, one pair may touch.
    let expected = [
        place(1, 3, 4, 0, Some([10.0, 10.0]), &["all"]),
        place(2, 3, 3, 1, Some([3.0, 10.0]), &["all", "near"]),
    ];
    assert_eq!(told.places, expected);
    // A place asks for all it stands for; an item within it for itself and what hangs on it.
    let why = |a: &str, b: &str| -> Vec<String> {
        let told = ruling(&workcell, a, b).expect("both have bodies");
        told.into_iter().map(|one| one.why).collect()
    };
    let only = "Arm to table is the only rule that names both";
    assert_eq!(why("table", "arm"), [only]);
    assert_eq!(why("arm", "wall"), ["no rule names both"]);
    let [first, second] = &why("fixture", "tool")[..] else {
        panic!("the tool under its own rule, and what it holds may touch");
    };
    assert!(first.starts_with("Tool to fixture names them more particularly"));
    assert_eq!(
        second,
        "left out: they may touch, because it is set down there"
    );
    assert_eq!(why("table", "tool").len(), 3);
}

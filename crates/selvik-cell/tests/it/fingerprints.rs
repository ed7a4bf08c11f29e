//! What a sweep depends on, told by one name.

use rstest::rstest;
use selvik_cell::document::{
    CellDocument, ItemDocument, PoseDocument, RoleDocument, document_from_slice, empty_cell,
};
use selvik_cell::fingerprint::{fingerprint, moves_alike, names_hash};
use serde_json::json;

fn cell(x_mm: f64, name: &str) -> CellDocument {
    let mut document = empty_cell("Cell");
    let pose = PoseDocument {
        xyz_mm: [x_mm, 0.0, -0.05],
        rpy_deg: [0.0, 0.0, x_mm],
    };
    document.items = vec![ItemDocument {
        pose,
        ..ItemDocument::new("a", name, RoleDocument::Part)
    }];
    document
}

#[test]
fn a_place_counts_and_neither_a_name_nor_the_sign_of_a_zero_does() {
    let of = |document: &CellDocument| fingerprint(document, "files");
    assert_eq!(of(&cell(0.0, "A")), of(&cell(-0.0, "B")));
    assert_ne!(of(&cell(0.0, "A")), of(&cell(1e-9, "A")));
    assert_ne!(of(&cell(0.5, "A")), of(&cell(-0.5, "A")));
    assert_ne!(names_hash(&cell(0.0, "A")), names_hash(&cell(0.0, "B")));
}

/// An arm on a stand and a plate whose frame is gone to; a post stands aside.
fn running() -> CellDocument {
    let item = |id: &str, parent: Option<&str>| json!({ "id": id, "name": id, "role": "frame", "parent": parent });
    let mut arm = item("arm", Some("stand"));
    arm["mechanism"] = json!({ "from": { "urdf": "arm.urdf" } });
    let cell = json!({ "format": "selvik-cell/1", "name": "A cell",
        "items": [item("hall", None), item("stand", Some("hall")), arm, item("tcp", Some("arm")), item("plate", Some("hall")),
            item("seat", Some("plate")), item("rack", None), item("part", Some("rack")), item("tray", None), item("post", Some("hall"))],
        "programs": [{ "id": "p", "name": "P", "robot": "arm", "tcp": "tcp", "targets": [{ "id": "t", "frame": "seat", "pose": {} }],
            "moves": [{ "move": "linear", "to": "t", "speed_mm_s": 100.0 }, { "move": "take", "item": "part" },
                { "move": "release", "item": "part", "onto": "tray" }] }],
        "run_plan": { "lanes": [{ "programs": ["p"] }] } });
    document_from_slice(cell.to_string().as_bytes()).expect("a sound document")
}

#[rstest]
#[case::stands_aside("post", true)]
#[case::carries_all("hall", false)]
#[case::carries_an_arm("stand", false)]
#[case::moves("arm", false)]
#[case::is_led("tcp", false)]
#[case::carries_what_is_gone_to("plate", false)]
#[case::is_gone_to("seat", false)]
#[case::carries_what_is_taken("rack", false)]
#[case::is_taken("part", false)]
#[case::is_set_on("tray", false)]
fn moves_come_to_the_same_where_only_what_stands_aside_stands_elsewhere(
    #[case] moved: &str,
    #[case] alike: bool,
) {
    let before = running();
    let changed = |change: &dyn Fn(&mut ItemDocument)| {
        let mut after = before.clone();
        let item = after.items.iter_mut().find(|item| item.id == moved);
        change(item.expect("it is there"));
        moves_alike(&before, &after)
    };
    assert!(changed(&|item| item.name = "Another".to_owned()));
    assert_eq!(changed(&|item| item.pose.xyz_mm[0] += 1.0), alike);
    assert!(!changed(&|item| item.surface_only = true));
    assert!(!changed(&|item| item.parent = Some("elsewhere".to_owned())));
    assert!(!moves_alike(&before, &empty_cell("Cell")));
}

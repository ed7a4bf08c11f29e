//! Edits of what is in a cell: what they do, what they refuse, and that nothing is lost.

use proptest::prelude::*;
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{
    CellDocument, PoseDocument, RoleDocument, document_from_slice, write_document,
};
use selvik_cell::edit::{Edit, Hanging, ItemChange, Placement, consequences};
use selvik_cell::entries::{from_entries, to_entries};
use selvik_core::cell::ItemId;
use selvik_core::robot::{Moment, Placing};
use selvik_formats::PackageFiles;

/// A table that carries a fixture with two clamps, and a robot with a program.
fn cell() -> CellDocument {
    let text = r#"{"format": "selvik-cell/1", "name": "Edited", "items": [
        {"id": "table", "name": "Table", "role": "fixture", "pose": {"xyz_mm": [1000, 0, 800], "rpy_deg": [0, 0, 90]},
         "bodies": [{"shape": {"box": {"size_mm": [400, 400, 40]}}}]},
        {"id": "fixture", "name": "Fixture", "role": "fixture", "parent": "table", "pose": {"xyz_mm": [100, 0, 20]}},
        {"id": "clamp", "name": "Clamp", "role": "fixture", "parent": "fixture", "pose": {"xyz_mm": [0, 50, 10], "rpy_deg": [10, 20, 30]}},
        {"id": "clamp-2", "name": "Clamp 2", "role": "fixture", "parent": "fixture", "pose": {"xyz_mm": [0, -50, 10]}},
        {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "q1", "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "q1", "pose": {"xyz_mm": [500, 0, 0]}}],
      "rules": [{"id": "r", "name": "Arm to clamps", "between": ["arm"], "and": ["clamp", "clamp-2"], "required_mm": 5, "tight_below_mm": 9},
                {"id": "all", "name": "Arm to all", "between": ["arm"], "required_mm": 5, "tight_below_mm": 9}],
      "may_touch": [{"a": "tcp", "b": "clamp", "reason": "it closes it"}],
      "programs": [{"id": "p", "name": "Turn", "robot": "arm", "tcp": "tcp", "moves": [{"move": "joint", "joints_deg_or_mm": [45], "speed_percent": 50}]}],
      "run_plan": {"lanes": [{"programs": ["p"]}]},
      "visibility_sets": [{"id": "s", "name": "Clamps", "items": ["clamp", "clamp-2"]}],
      "views": [{"id": "v", "name": "V", "style": "shaded", "hidden": ["clamp"], "sets": ["s"], "viewpoint": {"pivot_mm": [0, 0, 0],
        "bearing_deg": 0, "elevation_deg": 0, "distance_mm": 1, "projection": "parallel", "lens_mm": 35, "width_mm": 1}}]}"#;
    document_from_slice(text.as_bytes()).expect("readable")
}

fn ids(list: &[&str]) -> Vec<String> {
    list.iter().map(|s| (*s).to_owned()).collect()
}

fn world(document: &CellDocument, id: &str) -> [f64; 6] {
    let workcell =
        Workcell::from_document(document.clone(), &PackageFiles::default()).expect("a sound cell");
    let item = workcell
        .assembly
        .cell()
        .position(&ItemId(id.to_owned()))
        .expect("there");
    let pose = PoseDocument::from_pose(
        &Placing::new(
            &workcell.assembly,
            &Moment::of_roster(workcell.rest.clone()),
        )
        .world(item),
    );
    [pose.xyz_mm, pose.rpy_deg]
        .concat()
        .try_into()
        .expect("six numbers")
}

fn near(a: [f64; 6], b: [f64; 6]) -> bool {
    a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-9)
}

fn find<'a>(document: &'a CellDocument, id: &str) -> &'a selvik_cell::document::ItemDocument {
    document.items.iter().find(|i| i.id == id).expect("there")
}

#[test]
fn a_copy_brings_all_that_hangs_on_it_under_names_of_its_own() {
    let mut document = cell();
    let label = Edit::DuplicateItems {
        items: ids(&["fixture"]),
    }
    .apply(&mut document)
    .expect("copied");
    assert_eq!(label, "duplicate Fixture");
    let copy = find(&document, "fixture-2");
    assert_eq!(
        (copy.name.as_str(), copy.parent.as_deref()),
        ("Fixture 2", Some("table"))
    );
    // clamp-2 was taken: the copies count on.
    let of_copy = document
        .items
        .iter()
        .filter(|i| i.parent.as_deref() == Some("fixture-2"));
    assert_eq!(
        of_copy.map(|i| i.id.as_str()).collect::<Vec<_>>(),
        ["clamp-3", "clamp-4"]
    );
    assert!(near(world(&document, "clamp-3"), world(&document, "clamp")));
}

#[test]
fn grouping_and_ungrouping_leave_everything_where_it_is() {
    let mut document = cell();
    let before = world(&document, "clamp");
    let group = Edit::GroupItems {
        name: "Both clamps".to_owned(),
        parent: Some("fixture".to_owned()),
        on_link: None,
        places: ["clamp", "clamp-2"]
            .map(|id| Placement {
                item: id.to_owned(),
                pose: find(&document, id).pose,
            })
            .to_vec(),
    };
    assert_eq!(
        group.apply(&mut document).expect("grouped"),
        "group 2 items as Both clamps"
    );
    let moved = PoseDocument {
        xyz_mm: [0.0, 0.0, 100.0],
        rpy_deg: [0.0, 90.0, 0.0],
    };
    let place = Placement {
        item: "group-2".to_owned(),
        pose: moved,
    };
    Edit::PlaceItems {
        places: vec![place],
    }
    .apply(&mut document)
    .expect("moved");
    let with_group = world(&document, "clamp");
    assert!(!near(with_group, before));
    Edit::Ungroup {
        item: "group-2".to_owned(),
    }
    .apply(&mut document)
    .expect("ungrouped");
    assert!(near(world(&document, "clamp"), with_group));
    assert_eq!(find(&document, "clamp").parent.as_deref(), Some("fixture"));
    let no_group = Edit::Ungroup {
        item: "table".to_owned(),
    }
    .apply(&mut document)
    .expect_err("it has a body");
    assert!(
        no_group.to_string().contains("is not a group"),
        "{no_group}"
    );
}

#[test]
fn deleting_lists_and_takes_all_that_can_not_do_without() {
    let document = cell();
    let gone = consequences(&document, &ids(&["fixture"])).expect("possible");
    assert_eq!(gone.items, ["Fixture", "Clamp", "Clamp 2"]);
    assert_eq!(
        (gone.rules.as_slice(), gone.programs.len()),
        (&["Arm to clamps".to_owned()][..], 0)
    );
    assert_eq!(gone.pairs, ["TCP – Clamp"]);
    let gone = consequences(&document, &ids(&["tcp"])).expect("possible");
    assert_eq!(
        (gone.items.as_slice(), gone.programs.as_slice()),
        (&["TCP".to_owned()][..], &["Turn".to_owned()][..])
    );

    let mut without = document.clone();
    let label = Edit::DeleteItems {
        items: ids(&["clamp"]),
    }
    .apply(&mut without)
    .expect("deleted");
    assert_eq!(label, "delete Clamp");
    assert_eq!(
        without.rules.len(),
        2,
        "the rule still names the other clamp"
    );
    assert!(without.views[0].hidden.is_empty());
    assert_eq!(without.visibility_sets[0].items, ["clamp-2"]);
    Workcell::from_document(without, &PackageFiles::default()).expect("a sound cell is left");
}

#[test]
fn what_is_locked_stays_and_says_so() {
    let mut document = cell();
    let lock = |locked| Edit::ChangeItems {
        items: ids(&["clamp"]),
        change: ItemChange::Locked(locked),
    };
    assert_eq!(
        lock(true).apply(&mut document).expect("locked"),
        "lock Clamp"
    );
    let place = Placement {
        item: "clamp".to_owned(),
        pose: PoseDocument::default(),
    };
    for edit in [
        Edit::PlaceItems {
            places: vec![place.clone()],
        },
        Edit::HangItems {
            places: vec![Hanging {
                item: "clamp".into(),
                parent: None,
                on_link: None,
                pose: place.pose,
            }],
        },
        Edit::DeleteItems {
            items: ids(&["table"]),
        },
    ] {
        let locked = document.clone();
        let refused = edit
            .apply(&mut document.clone())
            .expect_err("it is locked")
            .to_string();
        assert!(refused.contains("Clamp is locked"), "{refused}");
        assert_eq!(document, locked);
    }
    assert_eq!(
        lock(false).apply(&mut document).expect("unlocked"),
        "unlock Clamp"
    );
    Edit::PlaceItems {
        places: vec![place],
    }
    .apply(&mut document)
    .expect("it moves again");
}

#[rstest]
#[case::no_such_item(Edit::RenameItem { item: "lamp".into(), name: "Lamp".into() }, "no item \"lamp\"")]
#[case::no_name(Edit::RenameItem { item: "clamp".into(), name: "  ".into() }, "1 to 200")]
#[case::no_items(Edit::DuplicateItems { items: Vec::new() }, "names no item")]
#[case::no_colour(Edit::ChangeItems { items: ids(&["clamp"]), change: ItemChange::Colour(Some("red".into())) }, "#RRGGBB")]
#[case::long_note(Edit::ChangeItems { items: ids(&["clamp"]), change: ItemChange::Notes("n".repeat(20_001)) }, "at most")]
#[case::no_set(Edit::DeleteSet { set: "q".into() }, "no set")]
fn what_makes_no_sense_is_refused(#[case] edit: Edit, #[case] says: &str) {
    let refused = edit
        .apply(&mut cell())
        .expect_err("it makes no sense")
        .to_string();
    assert!(refused.contains(says), "{refused}");
}

/// An edit of any kind, on items that may or may not be there.
fn edit() -> impl Strategy<Value = Edit> {
    let item = || {
        proptest::sample::select(vec![
            "table", "fixture", "clamp", "clamp-2", "arm", "tcp", "clamp-3", "group-2",
        ])
    };
    let some = || proptest::collection::vec(item().prop_map(str::to_owned), 1..3);
    let place = || {
        (item(), -500.0..500.0f64, -180.0..180.0f64).prop_map(|(item, x, turn)| Placement {
            item: item.to_owned(),
            pose: PoseDocument {
                xyz_mm: [x, 1.0, 2.0],
                rpy_deg: [0.0, 10.0, turn],
            },
        })
    };
    let hang = (place(), proptest::option::of(item())).prop_map(|(p, parent)| Hanging {
        item: p.item,
        parent: parent.map(str::to_owned),
        on_link: None,
        pose: p.pose,
    });
    let change = prop_oneof![
        any::<bool>().prop_map(ItemChange::Locked),
        Just(ItemChange::Role(RoleDocument::Part)),
        "[a-z ]{0,9}".prop_map(ItemChange::Notes),
    ];
    prop_oneof![
        proptest::collection::vec(place(), 1..3).prop_map(|places| Edit::PlaceItems { places }),
        hang.prop_map(|h| Edit::HangItems { places: vec![h] }),
        (some(), change).prop_map(|(items, change)| Edit::ChangeItems { items, change }),
        some().prop_map(|items| Edit::DuplicateItems { items }),
        some().prop_map(|items| Edit::DeleteItems { items }),
        item().prop_map(|item| Edit::Ungroup {
            item: item.to_owned()
        }),
        (item(), "[A-Z]{0,3}").prop_map(|(item, name)| Edit::RenameItem {
            item: item.to_owned(),
            name
        }),
        place().prop_map(|p| Edit::GroupItems {
            name: "G".into(),
            parent: None,
            on_link: None,
            places: vec![p]
        }),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    /// Whatever is done in whatever order: a cell that is accepted can be written, taken apart and put
    /// together again, and what refuses leaves no trace. Geometry taken over is the same as read anew.
    #[test]
    fn any_row_of_edits_leaves_a_cell_that_survives_storing(edits in proptest::collection::vec(edit(), 1..12)) {
        let files = PackageFiles::default();
        let mut workcell = Workcell::from_document(cell(), &files).expect("a sound cell");
        for edit in edits {
            let mut document = workcell.document.clone();
            if edit.apply(&mut document).is_err() {
                continue;
            }
            // The server has the last word: what can't be built is not stored.
            let built = Workcell::built_on(&[&workcell], document.clone(), &files);
            prop_assert_eq!(built.is_ok(), Workcell::from_document(document, &files).is_ok());
            workcell = match built {
                Ok(built) => built,
                Err(_) => continue,
            };
            let document = &workcell.document;
            prop_assert_eq!(&from_entries(to_entries(document)).expect("entries"), document);
            prop_assert_eq!(&document_from_slice(&write_document(document)).expect("written"), document);
        }
    }
}

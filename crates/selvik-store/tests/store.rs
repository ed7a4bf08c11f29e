//! Cells in a real PostgreSQL.

mod support;

use selvik_formats::package::{CELL_FILE, CellDocument, Edit, PackageFiles, Placement, PoseDocument};
use selvik_formats::{FormatError, Workcell};
use selvik_store::{Committed, KeptSweep, Store, StoreError, Verdicts};
use uuid::Uuid;

async fn store() -> Store {
    Store::open(&support::database()).await.expect("a database")
}

fn small() -> (CellDocument, PackageFiles) {
    let text = br#"{"format": "selvik-cell/1", "name": "Small",
        "items": [{"id": "a", "name": "A", "role": "part"}, {"id": "b", "name": "B", "role": "part", "parent": "a"}]}"#;
    let mut files = PackageFiles::default();
    files.insert(CELL_FILE, text.to_vec()).expect("a plain name");
    files.insert("notes/read.txt", b"hello".to_vec()).expect("a plain name");
    files.insert("notes/same.txt", b"hello".to_vec()).expect("a plain name");
    (Workcell::read(&files).expect("readable").document, files)
}

async fn with_small(store: &Store) -> Uuid {
    let (document, files) = small();
    store.create(&document, &files).await.expect("stored")
}

fn rename(item: &str, name: &str) -> Edit {
    Edit::RenameItem { item: item.to_owned(), name: name.to_owned() }
}

fn none() -> PackageFiles {
    PackageFiles::default()
}

fn any(_: &CellDocument) -> Result<(), FormatError> {
    Ok(())
}

fn names(document: &CellDocument) -> Vec<&str> {
    document.items.iter().map(|i| i.name.as_str()).collect()
}

/// Does an edit as a server does: checked against the cell as it is, again if somebody came before.
async fn edit(
    store: &Store,
    id: Uuid,
    base: i64,
    edit: &Edit,
    added: &PackageFiles,
    check: fn(&CellDocument) -> Result<(), FormatError>,
) -> Result<Committed, StoreError> {
    loop {
        let known = store.load(id).await?.revision;
        match store.edit(id, (base, known), edit, added, check).await {
            Err(StoreError::Moved) => {}
            done => return done,
        }
    }
}

/// The revision of the step that undo or redo would do.
async fn step(store: &Store, id: Uuid, which: &str) -> i64 {
    let state = store.undo_state(id).await.expect("a state");
    let step = if which == "undo" { state.undo } else { state.redo };
    step.map_or(0, |s| s.revision)
}

#[tokio::test]
async fn a_cell_comes_back_as_it_was_stored() {
    let store = store().await;
    let package = selvik_demo::demo_package();
    let document = Workcell::read(&package).expect("readable").document;
    let id = store.create(&document, &package).await.expect("stored");
    let stored = store.load(id).await.expect("there");
    assert_eq!(stored.document, document);
    let again = stored.package();
    for (name, content) in package.iter().filter(|(n, _)| *n != CELL_FILE) {
        assert_eq!(again.get(name, "a test").expect("there"), content, "{name}");
    }
    assert_eq!(store.list().await.expect("a list")[0].name, document.name);
}

#[tokio::test]
async fn edits_undo_and_redo_over_a_restart() {
    let url = support::database();
    let store = Store::open(&url).await.expect("a database");
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "First"), &none(), any).await.expect("renamed");
    let pose = PoseDocument { xyz_mm: [1.5, 2.5, 3.5], ..Default::default() };
    let moved = Edit::PlaceItems { places: vec![Placement { item: "b".to_owned(), pose }] };
    edit(&store, id, 2, &moved, &none(), any).await.expect("moved");
    drop(store);

    let store = Store::open(&url).await.expect("the same database");
    let state = store.undo_state(id).await.expect("a state");
    assert_eq!(state.undo.as_ref().map(|s| (s.revision, s.label.as_str())), Some((3, "move B")));
    // Another step than the last one is not taken back unasked.
    assert!(matches!(store.undo(id, 2).await, Err(StoreError::OtherStep { .. })));
    let undone = store.undo(id, step(&store, id, "undo").await).await.expect("undone");
    assert_eq!(undone.document.items[1].pose, PoseDocument::default());
    let undone = store.undo(id, step(&store, id, "undo").await).await.expect("undone");
    assert_eq!(names(&undone.document), ["A", "B"]);
    assert!(matches!(store.undo(id, step(&store, id, "undo").await).await, Err(StoreError::Nothing("undo"))));
    let redone = store.redo(id, step(&store, id, "redo").await).await.expect("redone");
    assert_eq!(names(&redone.document), ["First", "B"]);
    assert_eq!(redone.revision, 6);
    // Another edit overtakes what was undone.
    edit(&store, id, 6, &rename("b", "Second"), &none(), any).await.expect("renamed");
    assert!(matches!(store.redo(id, step(&store, id, "redo").await).await, Err(StoreError::Nothing("redo"))));
}

#[tokio::test]
async fn edits_of_different_items_both_succeed_and_of_the_same_the_later_is_told() {
    let store = store().await;
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "Mine"), &none(), any).await.expect("first");
    edit(&store, id, 1, &rename("b", "Theirs"), &none(), any).await.expect("another item");
    let clash = edit(&store, id, 1, &rename("a", "Also mine"), &none(), any).await;
    let Err(StoreError::Conflict { what, label }) = clash else { panic!("{clash:?}") };
    assert_eq!((what.as_str(), label.as_str()), ("item \"a\"", "rename A to Mine"));
    assert_eq!(names(&store.load(id).await.expect("there").document), ["Mine", "Theirs"]);
}

#[tokio::test]
async fn an_edit_that_is_refused_leaves_nothing_behind() {
    let store = store().await;
    let id = with_small(&store).await;
    let refuse = |_: &CellDocument| Err(FormatError::file("a test", "no"));
    assert!(matches!(
        edit(&store, id, 1, &rename("a", "X"), &none(), refuse).await,
        Err(StoreError::Refused(_))
    ));
    assert!(matches!(
        edit(&store, id, 1, &rename("c", "X"), &none(), any).await,
        Err(StoreError::Refused(_))
    ));
    let stored = store.load(id).await.expect("there");
    assert_eq!((stored.revision, names(&stored.document)), (1, vec!["A", "B"]));
}

#[tokio::test]
async fn twenty_edits_at_once_all_stand() {
    let store = store().await;
    let id = with_small(&store).await;
    let edits = (0..20).map(|i| {
        let store = store.clone();
        tokio::spawn(async move {
            let view = serde_json::from_value(serde_json::json!({
                "id": format!("v{i}"), "name": format!("View {i}"), "style": "shaded",
                "viewpoint": {"pivot_mm": [0, 0, 0], "bearing_deg": i, "elevation_deg": 0, "distance_mm": 1,
                              "projection": "parallel", "lens_mm": 35, "width_mm": 1},
            }))
            .expect("a view");
            edit(&store, id, 1, &Edit::SaveView { view: Box::new(view) }, &none(), any).await.expect("saved")
        })
    });
    for edit in edits.collect::<Vec<_>>() {
        edit.await.expect("no panic");
    }
    let stored = store.load(id).await.expect("there");
    assert_eq!((stored.revision, stored.document.views.len()), (21, 20));
}

#[tokio::test]
async fn a_cell_in_the_bin_comes_back_and_goes_for_good_only_from_there() {
    let store = store().await;
    let id = with_small(&store).await;
    assert!(matches!(store.delete(id).await, Err(StoreError::NoCell)), "it is not in the bin");
    store.bin(id, true).await.expect("binned");
    let line = store.list().await.expect("a list").remove(0);
    assert!(line.binned_at.is_some());
    store.bin(id, false).await.expect("restored");
    assert!(store.list().await.expect("a list")[0].binned_at.is_none());
    assert_eq!(names(&store.load(id).await.expect("there").document), ["A", "B"]);
    store.bin(id, true).await.expect("binned");
    store.delete(id).await.expect("deleted");
    assert!(store.list().await.expect("a list").is_empty());
    assert!(matches!(store.bin(id, false).await, Err(StoreError::NoCell)));
}

#[tokio::test]
async fn a_copy_has_everything_but_the_history_and_outlives_the_first() {
    let store = store().await;
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "First"), &none(), any).await.expect("renamed");
    store.keep_thumbnail(id, b"a picture").await.expect("kept");
    let copy = store.duplicate(id, "Copy").await.expect("copied");
    let there = store.load(copy).await.expect("there");
    assert_eq!((there.document.name.as_str(), names(&there.document)), ("Copy", vec!["First", "B"]));
    assert_eq!(store.undo_state(copy).await.expect("a state").undo, None);
    assert_eq!(store.thumbnail(copy).await.expect("an answer").as_deref(), Some(&b"a picture"[..]));
    // Contents are shared: they stay as long as one cell needs them.
    store.bin(id, true).await.expect("binned");
    store.delete(id).await.expect("deleted");
    let files = store.load(copy).await.expect("there").files;
    assert_eq!(files.get("notes/read.txt", "a test").expect("there"), b"hello");
    let line = store.list().await.expect("a list").remove(0);
    assert_eq!((line.items, line.bytes, line.has_thumbnail, line.swept), (2, 10, true, None));
}

#[tokio::test]
async fn files_that_an_edit_brings_are_stored_with_it_or_not_at_all() {
    let store = store().await;
    let id = with_small(&store).await;
    let mut brought = PackageFiles::default();
    brought.insert("brought/1/part.txt", b"hello".to_vec()).expect("a plain name");
    let refuse = |_: &CellDocument| Err(FormatError::file("a test", "no"));
    let refused = edit(&store, id, 1, &rename("a", "X"), &brought, refuse).await;
    assert!(matches!(refused, Err(StoreError::Refused(_))));
    assert!(!store.load(id).await.expect("there").files.contains("brought/1/part.txt"));
    edit(&store, id, 1, &rename("a", "X"), &brought, any).await.expect("renamed");
    assert!(store.load(id).await.expect("there").files.contains("brought/1/part.txt"));
}

#[tokio::test]
async fn an_edit_that_changes_nothing_is_no_step_of_the_history() {
    let store = store().await;
    let id = with_small(&store).await;
    let same = edit(&store, id, 1, &rename("a", "A"), &none(), any).await.expect("accepted");
    assert_eq!(same.revision, 1);
    assert_eq!(store.undo_state(id).await.expect("a state").undo, None);
}

#[tokio::test]
async fn renaming_a_cell_is_an_edit_and_shows_in_the_list() {
    let store = store().await;
    let id = with_small(&store).await;
    let rename = Edit::RenameCell { name: "Large".to_owned() };
    let label = edit(&store, id, 1, &rename, &none(), any).await.expect("renamed").label;
    assert_eq!(label, "rename the cell to Large");
    assert_eq!(store.list().await.expect("a list")[0].name, "Large");
    store.undo(id, step(&store, id, "undo").await).await.expect("undone");
    assert_eq!(store.list().await.expect("a list")[0].name, "Small");
}

#[tokio::test]
async fn how_the_rules_stood_is_told_with_the_list() {
    let store = store().await;
    let id = with_small(&store).await;
    let verdicts = Verdicts { pairs: 9, broken: 3, tight: 1, not_certified: 2, verdict: "broken".to_owned() };
    let kept = |fingerprint: &str, revision: i64| KeptSweep {
        fingerprint: fingerprint.to_owned(),
        revision,
        report: serde_json::json!({ "of": fingerprint }),
    };
    let swept = async || store.list().await.expect("a list")[0].swept.clone().expect("swept");
    store.note_fingerprint(id, 1, "f").await.expect("noted");
    store.keep_sweep(id, &kept("f", 1), &verdicts).await.expect("kept");
    assert_eq!((swept().await.verdicts, swept().await.changed_since), (verdicts.clone(), false));
    edit(&store, id, 1, &rename("a", "X"), &none(), any).await.expect("renamed");
    // Not every edit changes what a sweep depends on.
    store.note_fingerprint(id, 2, "f").await.expect("noted");
    assert!(!swept().await.changed_since);
    store.note_fingerprint(id, 2, "g").await.expect("noted");
    assert!(swept().await.changed_since);
    let better = Verdicts { broken: 0, verdict: "tight".to_owned(), ..verdicts.clone() };
    store.keep_sweep(id, &kept("g", 2), &better).await.expect("kept");
    assert_eq!(swept().await.verdicts, better);
    // One of an older model that ends later does not take its place.
    store.keep_sweep(id, &kept("f", 1), &verdicts).await.expect("let go");
    assert_eq!((swept().await.verdicts, swept().await.changed_since), (better, false));
    assert_eq!(store.last_sweep(id).await.expect("a sweep").expect("one").fingerprint, "g");
}

#[tokio::test]
async fn a_sweep_that_never_ended_is_noted() {
    let store = store().await;
    let id = with_small(&store).await;
    assert_eq!(store.sweeping_since(id).await.expect("known"), None);
    store.note_sweeping(id, true).await.expect("noted");
    assert!(store.sweeping_since(id).await.expect("known").is_some());
    store.note_sweeping(id, false).await.expect("noted");
    assert_eq!(store.sweeping_since(id).await.expect("known"), None);
}

#[tokio::test]
async fn a_change_ahead_of_the_cell_is_refused() {
    let store = store().await;
    let id = with_small(&store).await;
    let ahead = store.edit(id, (2, 1), &rename("a", "X"), &none(), any).await;
    assert!(matches!(ahead, Err(StoreError::Refused(_))));
    let moved = store.edit(id, (1, 0), &rename("a", "X"), &none(), any).await;
    assert!(matches!(moved, Err(StoreError::Moved)));
}

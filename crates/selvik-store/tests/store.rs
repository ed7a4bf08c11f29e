//! Cells in a real PostgreSQL.

mod support;

use selvik_formats::package::{CELL_FILE, CellDocument, Edit, PackageFiles, Placement, PoseDocument};
use selvik_formats::{FormatError, Workcell};
use selvik_store::{Store, StoreError};
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
    store.edit(id, 1, &rename("a", "First"), &none(), any).await.expect("renamed");
    let pose = PoseDocument { xyz_mm: [1.5, 2.5, 3.5], ..Default::default() };
    let moved = Edit::PlaceItems { places: vec![Placement { item: "b".to_owned(), pose }] };
    store.edit(id, 2, &moved, &none(), any).await.expect("moved");
    drop(store);

    let store = Store::open(&url).await.expect("the same database");
    let state = store.undo_state(id).await.expect("a state");
    assert_eq!(state.undo.as_deref(), Some("move B"));
    let undone = store.undo(id).await.expect("undone");
    assert_eq!(undone.document.items[1].pose, PoseDocument::default());
    let undone = store.undo(id).await.expect("undone");
    assert_eq!(names(&undone.document), ["A", "B"]);
    assert!(matches!(store.undo(id).await, Err(StoreError::Nothing("undo"))));
    let redone = store.redo(id).await.expect("redone");
    assert_eq!(names(&redone.document), ["First", "B"]);
    assert_eq!(redone.revision, 6);
    // Another edit overtakes what was undone.
    store.edit(id, 6, &rename("b", "Second"), &none(), any).await.expect("renamed");
    assert!(matches!(store.redo(id).await, Err(StoreError::Nothing("redo"))));
}

#[tokio::test]
async fn edits_of_different_items_both_succeed_and_of_the_same_the_later_is_told() {
    let store = store().await;
    let id = with_small(&store).await;
    store.edit(id, 1, &rename("a", "Mine"), &none(), any).await.expect("first");
    store.edit(id, 1, &rename("b", "Theirs"), &none(), any).await.expect("another item");
    let clash = store.edit(id, 1, &rename("a", "Also mine"), &none(), any).await;
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
        store.edit(id, 1, &rename("a", "X"), &none(), refuse).await,
        Err(StoreError::Refused(_))
    ));
    assert!(matches!(store.edit(id, 1, &rename("c", "X"), &none(), any).await, Err(StoreError::Refused(_))));
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
            store.edit(id, 1, &Edit::SaveView { view: Box::new(view) }, &none(), any).await.expect("saved")
        })
    });
    for edit in edits.collect::<Vec<_>>() {
        edit.await.expect("no panic");
    }
    let stored = store.load(id).await.expect("there");
    assert_eq!((stored.revision, stored.document.views.len()), (21, 20));
}

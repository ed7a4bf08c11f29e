//! Edits, and the log of them.

use std::process::Command;

use selvik_cell::document::PoseDocument;
use selvik_cell::edit::{Edit, Placement, ProgramChange};
use selvik_formats::PackageFiles;
use selvik_store::{NewEdit, Store, StoreError, Walk};

use crate::{edit, names, none, rename, small, store, support, walk, with_small};

#[tokio::test]
async fn edits_undo_and_redo_over_a_restart() {
    let url = support::database();
    let store = Store::open_up_to_date(&url).await.expect("a database");
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "First"), &none())
        .await
        .expect("renamed");
    let pose = PoseDocument {
        xyz_mm: [1.5, 2.5, 3.5],
        ..Default::default()
    };
    let moved = Edit::PlaceItems {
        places: vec![Placement {
            item: "b".to_owned(),
            pose,
        }],
    };
    edit(&store, id, 2, &moved, &none()).await.expect("moved");
    drop(store);

    let store = Store::open_up_to_date(&url)
        .await
        .expect("the same database");
    let state = store.undo_state(id).await.expect("a state");
    assert_eq!(
        state.undo.as_ref().map(|s| (s.revision, s.label.as_str())),
        Some((3, "move B"))
    );
    // Another step than the last one is not taken back unasked.
    assert!(matches!(
        store.step(id, Walk::Undo, 2).await,
        Err(StoreError::OtherStep { .. })
    ));
    let undone = walk(&store, id, Walk::Undo).await.expect("undone");
    assert_eq!(undone.items[1].pose, PoseDocument::default());
    let undone = walk(&store, id, Walk::Undo).await.expect("undone");
    assert_eq!(names(&undone), ["A", "B"]);
    assert!(matches!(
        walk(&store, id, Walk::Undo).await,
        Err(StoreError::Nothing("undo"))
    ));
    let redone = walk(&store, id, Walk::Redo).await.expect("redone");
    assert_eq!(names(&redone), ["First", "B"]);
    assert_eq!(store.load(id).await.expect("there").revision, 6);
    // Another edit overtakes what was undone.
    edit(&store, id, 6, &rename("b", "Second"), &none())
        .await
        .expect("renamed");
    assert!(matches!(
        walk(&store, id, Walk::Redo).await,
        Err(StoreError::Nothing("redo"))
    ));
}

#[tokio::test]
async fn edits_of_different_items_both_succeed_and_of_the_same_the_later_is_told() {
    let store = store().await;
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "Mine"), &none())
        .await
        .expect("first");
    edit(&store, id, 1, &rename("b", "Theirs"), &none())
        .await
        .expect("another item");
    let clash = edit(&store, id, 1, &rename("a", "Also mine"), &none()).await;
    let Err(StoreError::Conflict { what, label }) = clash else {
        panic!("{clash:?}")
    };
    assert_eq!(
        (what.as_str(), label.as_str()),
        ("item \"a\"", "rename A to Mine")
    );
    assert_eq!(
        names(&store.load(id).await.expect("there").document),
        ["Mine", "Theirs"]
    );
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
            edit(&store, id, 1, &Edit::SaveView { view: Box::new(view) }, &none()).await.expect("saved")
        })
    });
    for edit in edits.collect::<Vec<_>>() {
        edit.await.expect("no panic");
    }
    let stored = store.load(id).await.expect("there");
    assert_eq!((stored.revision, stored.document.views.len()), (21, 20));
}

#[tokio::test]
async fn files_that_an_edit_brings_are_stored_with_it_or_not_at_all() {
    let store = store().await;
    let id = with_small(&store).await;
    let mut brought = PackageFiles::default();
    brought
        .insert("brought/1/part.txt", b"hello".to_vec())
        .expect("a plain name");
    edit(&store, id, 1, &rename("a", "Mine"), &none())
        .await
        .expect("renamed");
    let clash = edit(&store, id, 1, &rename("a", "X"), &brought).await;
    assert!(
        matches!(clash, Err(StoreError::Conflict { .. })),
        "{clash:?}"
    );
    assert!(
        !store
            .load(id)
            .await
            .expect("there")
            .files
            .contains("brought/1/part.txt")
    );
    edit(&store, id, 2, &rename("a", "X"), &brought)
        .await
        .expect("renamed");
    assert!(
        store
            .load(id)
            .await
            .expect("there")
            .files
            .contains("brought/1/part.txt")
    );
}

#[tokio::test]
async fn an_edit_that_changes_nothing_is_no_step_of_the_history() {
    let store = store().await;
    let id = with_small(&store).await;
    let same = edit(&store, id, 1, &rename("a", "A"), &none())
        .await
        .expect("accepted");
    assert_eq!(same.revision, 1);
    assert_eq!(store.undo_state(id).await.expect("a state").undo, None);
}

#[tokio::test]
async fn renaming_a_cell_is_an_edit_and_shows_in_the_list() {
    let store = store().await;
    let id = with_small(&store).await;
    let rename = Edit::RenameCell {
        name: "Large".to_owned(),
    };
    let label = edit(&store, id, 1, &rename, &none())
        .await
        .expect("renamed")
        .label;
    assert_eq!(label, "rename the cell to Large");
    assert_eq!(store.list().await.expect("a list")[0].name, "Large");
    walk(&store, id, Walk::Undo).await.expect("undone");
    assert_eq!(store.list().await.expect("a list")[0].name, "Small");
}

#[tokio::test]
async fn a_change_ahead_of_the_cell_or_behind_it_is_refused() {
    let store = store().await;
    let id = with_small(&store).await;
    let (document, files) = (small().0, none());
    let commit = async |base, known| {
        let new = NewEdit {
            base,
            known,
            label: "x",
            changes: &[],
            after: &document,
            added: &files,
            fingerprint: "f",
        };
        store.commit(id, &new).await
    };
    assert!(matches!(commit(2, 1).await, Err(StoreError::Refused(_))));
    assert!(matches!(commit(1, 0).await, Err(StoreError::Moved)));
}

/// A long program is stored in runs. Where it stands otherwise, whole as an earlier version stored it or cut elsewhere,
/// the next edit of it writes it anew.
#[tokio::test]
async fn a_program_that_is_stored_otherwise_is_written_anew_and_nothing_of_it_is_lost() {
    let url = support::database();
    let store = Store::open_up_to_date(&url).await.expect("a store");
    let (mut document, files) = small();
    let moves = (1..=300).map(|i| format!(r#"{{"move": "wait", "seconds": {i}}}"#));
    let moves = moves.collect::<Vec<_>>().join(", ");
    let text = format!(
        r#"{{"id": "p", "name": "Long", "robot": "a", "targets": [], "moves": [{moves}]}}"#
    );
    document
        .programs
        .push(serde_json::from_str(&text).expect("a program"));
    let id = store.create(&document, &files).await.expect("stored");
    assert_eq!(store.load(id).await.expect("there").document, document);
    let sql = |text: &str| {
        let done = Command::new("psql").args([&url, "-qc", text]).status();
        assert!(done.expect("psql runs").success());
    };
    sql(&format!(
        "DELETE FROM entries WHERE kind LIKE 'run of %';
         UPDATE entries SET body = $${text}$$ WHERE kind = 'program'"
    ));
    assert_eq!(store.load(id).await.expect("there").document, document);
    let shorter = Edit::ChangeProgram {
        program: "p".to_owned(),
        change: ProgramChange::Remove { from: 7, count: 1 },
    };
    // What is not of the program changes nothing of how it is stored.
    edit(&store, id, 1, &rename("b", "Anew"), &none())
        .await
        .expect("done");
    edit(&store, id, 2, &shorter, &none()).await.expect("done");
    let stored = store.load(id).await.expect("there").document;
    document.programs[0].moves.remove(7);
    assert_eq!(stored.programs, document.programs);
    walk(&store, id, Walk::Undo).await.expect("undone");
    assert_eq!(walk(&store, id, Walk::Redo).await.expect("redone"), stored);
}

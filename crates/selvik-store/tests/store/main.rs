//! Cells in a real PostgreSQL.

#[path = "../support/mod.rs"]
mod support;

mod cells;
mod edits;
mod sweeps;

use selvik_cell::Workcell;
use selvik_cell::document::{CELL_FILE, CellDocument};
use selvik_cell::edit::Edit;
use selvik_cell::entries::{changed, difference};
use selvik_cell::fingerprint::{files_hash, fingerprint};
use selvik_formats::PackageFiles;
use selvik_store::{NewEdit, Store, StoreError, Walk};
use uuid::Uuid;

async fn store() -> Store {
    Store::open_up_to_date(&support::database())
        .await
        .expect("a database")
}

fn small() -> (CellDocument, PackageFiles) {
    let text = br#"{"format": "selvik-cell/1", "name": "Small",
        "items": [{"id": "a", "name": "A", "role": "part"}, {"id": "b", "name": "B", "role": "part", "parent": "a"}]}"#;
    let mut files = PackageFiles::default();
    files
        .insert(CELL_FILE, text.to_vec())
        .expect("a plain name");
    files
        .insert("notes/read.txt", b"hello".to_vec())
        .expect("a plain name");
    files
        .insert("notes/same.txt", b"hello".to_vec())
        .expect("a plain name");
    (Workcell::read(&files).expect("readable").document, files)
}

async fn with_small(store: &Store) -> Uuid {
    let (document, files) = small();
    store.create(&document, &files).await.expect("stored")
}

fn rename(item: &str, name: &str) -> Edit {
    Edit::RenameItem {
        item: item.to_owned(),
        name: name.to_owned(),
    }
}

fn none() -> PackageFiles {
    PackageFiles::default()
}

fn names(document: &CellDocument) -> Vec<&str> {
    document.items.iter().map(|i| i.name.as_str()).collect()
}

/// What is stored of an edit.
#[derive(Debug, PartialEq)]
struct Done {
    revision: i64,
    label: String,
}

/// Does an edit as a server does: worked out from the cell as it is, again if somebody came before.
async fn edit(
    store: &Store,
    id: Uuid,
    base: i64,
    edit: &Edit,
    added: &PackageFiles,
) -> Result<Done, StoreError> {
    loop {
        let known = store.load(id).await?;
        let mut after = known.document.clone();
        let label = edit.apply(&mut after)?;
        let fingerprint = fingerprint(&after, &files_hash(&known.files).expect("held"));
        let new = NewEdit {
            base,
            known: known.revision,
            label: &label,
            changes: &difference(&known.document, &after),
            after: &after,
            added,
            fingerprint: &fingerprint,
        };
        match store.commit(id, &new).await {
            Err(StoreError::Moved) => {}
            done => return done.map(|revision| Done { revision, label }),
        }
    }
}

/// Walks the log by one step.
async fn walk(store: &Store, id: Uuid, way: Walk) -> Result<CellDocument, StoreError> {
    let known = store.load(id).await?;
    let step = store.step(id, way, step(store, id, way).await).await?;
    let after = changed(&known.document, &step.changes)?;
    let fingerprint = fingerprint(&after, &files_hash(&known.files).expect("held"));
    store
        .commit_step(
            id,
            known.revision,
            &step,
            &selvik_store::Done {
                changes: &difference(&known.document, &after),
                after: &after,
                fingerprint: &fingerprint,
            },
        )
        .await?;
    let stored = store.load(id).await?;
    assert_eq!(
        stored.document, after,
        "what is stored is what was worked out"
    );
    Ok(stored.document)
}

/// The revision of the step that undo or redo would do.
async fn step(store: &Store, id: Uuid, way: Walk) -> i64 {
    let state = store.undo_state(id).await.expect("a state");
    let step = if way == Walk::Undo {
        state.undo
    } else {
        state.redo
    };
    step.map_or(0, |s| s.revision)
}

//! Cells in a real PostgreSQL.

mod support;

use std::process::Command;

use selvik_cell::Workcell;
use selvik_cell::document::{CELL_FILE, CellDocument, PoseDocument};
use selvik_cell::edit::{Edit, Placement, ProgramChange};
use selvik_cell::entries::{changed, difference};
use selvik_cell::fingerprint::{files_hash, fingerprint};
use selvik_formats::PackageFiles;
use selvik_store::{KeptSweep, NewEdit, Store, StoreError, TakenUp, Verdicts, Walk};
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
        assert_eq!(
            again.iter().find(|(n, _)| *n == name).expect("there").1,
            content,
            "{name}"
        );
    }
    assert_eq!(store.list().await.expect("a list")[0].name, document.name);
}

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
async fn a_cell_in_the_bin_comes_back_and_goes_for_good_only_from_there() {
    let store = store().await;
    let id = with_small(&store).await;
    assert!(
        matches!(store.delete(id).await, Err(StoreError::NoCell)),
        "it is not in the bin"
    );
    store.bin(id, true).await.expect("binned");
    let line = store.list().await.expect("a list").remove(0);
    assert!(line.binned_at.is_some());
    store.bin(id, false).await.expect("restored");
    assert!(store.list().await.expect("a list")[0].binned_at.is_none());
    assert_eq!(
        names(&store.load(id).await.expect("there").document),
        ["A", "B"]
    );
    store.bin(id, true).await.expect("binned");
    store.delete(id).await.expect("deleted");
    assert!(store.list().await.expect("a list").is_empty());
    assert!(matches!(
        store.bin(id, false).await,
        Err(StoreError::NoCell)
    ));
}

#[tokio::test]
async fn a_copy_has_everything_but_the_history_and_outlives_the_first() {
    let store = store().await;
    let id = with_small(&store).await;
    edit(&store, id, 1, &rename("a", "First"), &none())
        .await
        .expect("renamed");
    store.keep_thumbnail(id, b"a picture").await.expect("kept");
    let copy = store.duplicate(id, "Copy").await.expect("copied");
    let there = store.load(copy).await.expect("there");
    assert_eq!(
        (there.document.name.as_str(), names(&there.document)),
        ("Copy", vec!["First", "B"])
    );
    assert_eq!(store.undo_state(copy).await.expect("a state").undo, None);
    assert_eq!(
        store.thumbnail(copy).await.expect("an answer").as_deref(),
        Some(&b"a picture"[..])
    );
    // Contents are shared: they stay as long as one cell needs them.
    store.bin(id, true).await.expect("binned");
    store.delete(id).await.expect("deleted");
    let files = store.load(copy).await.expect("there").files;
    assert_eq!(
        *files.get("notes/read.txt", "a test").expect("there"),
        *b"hello"
    );
    let line = store.list().await.expect("a list").remove(0);
    assert_eq!(
        (line.items, line.bytes, line.has_thumbnail, line.swept),
        (2, 10, true, None)
    );
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
async fn how_the_rules_stood_is_told_with_the_list() {
    let store = store().await;
    let id = with_small(&store).await;
    let verdicts = Verdicts {
        pairs: 9,
        broken: 3,
        tight: 1,
        not_certified: 2,
        verdict: "broken".to_owned(),
    };
    let kept = |fingerprint: &str, revision: i64| KeptSweep {
        fingerprint: fingerprint.to_owned(),
        revision,
        report: serde_json::json!({ "of": fingerprint }),
    };
    let swept = async || {
        store.list().await.expect("a list")[0]
            .swept
            .clone()
            .expect("swept")
    };
    let now = async || {
        let stored = store.load(id).await.expect("there");
        fingerprint(&stored.document, &files_hash(&stored.files).expect("held"))
    };
    let first = now().await;
    store
        .keep_sweep(id, &kept(&first, 1), &verdicts)
        .await
        .expect("kept");
    assert_eq!(
        (swept().await.verdicts, swept().await.changed_since),
        (verdicts.clone(), false)
    );
    // A name is nothing that a sweep depends on.
    edit(&store, id, 1, &rename("a", "X"), &none())
        .await
        .expect("renamed");
    assert!(!swept().await.changed_since);
    let pose = PoseDocument {
        xyz_mm: [1.0, 2.0, 3.0],
        ..Default::default()
    };
    let moved = Edit::PlaceItems {
        places: vec![Placement {
            item: "b".to_owned(),
            pose,
        }],
    };
    edit(&store, id, 2, &moved, &none()).await.expect("moved");
    assert!(swept().await.changed_since);
    let better = Verdicts {
        broken: 0,
        verdict: "tight".to_owned(),
        ..verdicts.clone()
    };
    let second = now().await;
    store
        .keep_sweep(id, &kept(&second, 3), &better)
        .await
        .expect("kept");
    assert_eq!(swept().await.verdicts, better);
    // One of an older model that ends later does not take its place.
    store
        .keep_sweep(id, &kept(&first, 1), &verdicts)
        .await
        .expect("kept");
    assert_eq!(
        (swept().await.verdicts, swept().await.changed_since),
        (better.clone(), false)
    );
    assert_eq!(
        store.last_sweep(id, &second).await.expect("known"),
        Some((second.clone(), 3))
    );
    // After an undo the one that fits again is found.
    walk(&store, id, Walk::Undo).await.expect("undone");
    assert_eq!(
        (swept().await.verdicts, swept().await.changed_since),
        (verdicts, false)
    );
    assert_eq!(
        store.last_sweep(id, &first).await.expect("known"),
        Some((first.clone(), 1))
    );
    let report = store
        .sweep(id, &first)
        .await
        .expect("a sweep")
        .expect("one")
        .report;
    assert_eq!(report["of"], serde_json::json!(first));
    // Of many states the last few are kept.
    for n in 0..12 {
        store
            .keep_sweep(id, &kept(&format!("state {n}"), 10 + n), &better)
            .await
            .expect("kept");
    }
    assert_eq!(store.sweep(id, "state 3").await.expect("an answer"), None);
    assert!(
        store
            .sweep(id, "state 4")
            .await
            .expect("an answer")
            .is_some()
    );
}

#[tokio::test]
async fn a_sweep_is_wanted_until_it_ends_is_stopped_or_is_lost() {
    let store = store().await;
    let id = with_small(&store).await;
    assert_eq!(store.wanted_sweep(id).await.expect("known"), None);
    let (job, new) = store.want_sweep(id, "f").await.expect("wanted");
    assert!(new);
    assert_eq!(
        store.want_sweep(id, "f").await.expect("wanted"),
        (job, false),
        "the same state once at a time"
    );
    assert_eq!(store.take_up(job, 2).await.expect("known"), TakenUp::Yes);
    assert!(
        store.note_progress(job, (3, 10)).await.expect("noted"),
        "it goes on"
    );
    let wanted = store.wanted_sweep(id).await.expect("known").expect("one");
    assert_eq!(
        (wanted.job, wanted.pairs, wanted.begun_at.is_some()),
        (job, (3, 10), true)
    );
    // Whoever worked on it died; the next takes it up, but not for ever.
    assert_eq!(store.take_up(job, 2).await.expect("known"), TakenUp::Yes);
    assert_eq!(
        store.take_up(job, 2).await.expect("known"),
        TakenUp::TooOften
    );
    store.lose_sweep(job, "because").await.expect("noted");
    assert_eq!(
        store
            .wanted_sweep(id)
            .await
            .expect("known")
            .expect("one")
            .lost
            .as_deref(),
        Some("because")
    );
    assert_eq!(store.take_up(job, 9).await.expect("known"), TakenUp::Gone);
    // Asked for again it is another.
    let (second, new) = store.want_sweep(id, "f").await.expect("wanted");
    assert!(new && second != job);
    assert_eq!(store.stop_other_sweep(id, "f").await.expect("known"), None);
    assert_eq!(
        store.stop_other_sweep(id, "g").await.expect("known"),
        Some(second)
    );
    assert!(
        !store.note_progress(second, (1, 2)).await.expect("noted"),
        "it is to stop"
    );
    assert_eq!(
        store.take_up(second, 9).await.expect("known"),
        TakenUp::Gone
    );
    store.end_sweep(second).await.expect("ended");
    assert_eq!(store.wanted_sweep(id).await.expect("known"), None);
    assert_eq!(store.stop_sweep(second).await.expect("known"), None);
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

#[tokio::test]
async fn tables_are_made_only_when_asked_and_by_one_at_a_time() {
    let url = support::database();
    assert!(matches!(Store::open(&url).await, Err(StoreError::Outdated)));
    let opened = (0..4).map(|_| {
        let url = url.clone();
        tokio::spawn(async move { Store::open_up_to_date(&url).await.map(drop) })
    });
    for opened in opened.collect::<Vec<_>>() {
        opened.await.expect("no panic").expect("open");
    }
    Store::open(&url).await.expect("now it is up to date");
}

#[tokio::test]
async fn notes_are_heard_by_everybody_on_the_database() {
    use futures_util::StreamExt;
    let store = store().await;
    let mut notes = [
        store.listen().await.expect("heard"),
        store.listen().await.expect("heard"),
    ];
    store.send_note("one").await.expect("sent");
    store.send_note("two").await.expect("sent");
    for notes in &mut notes {
        let heard: Vec<String> = notes.stream().take(2).collect().await;
        assert_eq!(heard, ["one", "two"]);
    }
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

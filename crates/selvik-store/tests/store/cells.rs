//! Cells as they are stored, copied, binned; their tables, and what is told of them.

use selvik_cell::Workcell;
use selvik_cell::document::CELL_FILE;
use selvik_store::{Store, StoreError};

use crate::{edit, names, none, rename, store, support, with_small};

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

//! Sweeps that are wanted, kept and told.

use selvik_cell::document::PoseDocument;
use selvik_cell::edit::{Edit, Placement};
use selvik_cell::fingerprint::{files_hash, fingerprint};
use selvik_store::{KeptSweep, TakenUp, Verdicts, Walk};

use crate::{edit, none, rename, store, walk, with_small};

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

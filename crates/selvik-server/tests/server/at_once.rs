//! Edits sent at once, by one client, by many, on two servers.

use std::time::Duration;

use crate::support::Server;
use reqwest::{Client, StatusCode};
use serde_json::json;

/// Sixty steps of a millimetre at once: each is done on the one before, or refused.
#[tokio::test]
async fn steps_sent_at_once_are_all_done_or_refused() {
    let (server, id) = Server::with_demo().await;
    let at = async || {
        let cell = server.get(&format!("/api/cells/{id}")).await;
        let items = cell["document"]["items"].as_array().expect("items").clone();
        let rack = items
            .iter()
            .find(|i| i["id"] == "rack")
            .expect("the rack")
            .clone();
        (
            rack["pose"]["xyz_mm"][0].as_f64().expect("a number"),
            cell["revision"].as_i64().expect("a revision"),
        )
    };
    let (from, revision) = at().await;
    let step = |base: i64| {
        let url = format!("{}/api/cells/{id}/arrange", server.url);
        let how = json!({ "shift": { "frame": "world", "by": { "xyz_mm": [1, 0, 0] } } });
        let body = json!({ "base_revision": base, "items": ["rack"], "time_s": 0, "how": how });
        tokio::spawn(async move {
            Client::new()
                .post(url)
                .json(&body)
                .send()
                .await
                .expect("an answer")
                .status()
        })
    };
    let ahead = step(revision + 50).await.expect("no panic");
    assert_eq!(ahead, StatusCode::UNPROCESSABLE_ENTITY);
    let mut done = 0.0;
    for sent in (0..60).map(|_| step(revision)).collect::<Vec<_>>() {
        match sent.await.expect("no panic") {
            StatusCode::OK => done += 1.0,
            status => assert_eq!(status, StatusCode::CONFLICT),
        }
    }
    assert!(
        done >= 1.0 && ((at().await.0 - from) - done).abs() < 1e-6,
        "{done}"
    );
}

/// Clients that hang up in the middle of their step: each step is done or it is not, the rest goes on from there.
#[tokio::test]
async fn who_leaves_in_the_middle_of_an_edit_changes_nothing_for_the_others() {
    use tokio::io::AsyncWriteExt;
    let server = Server::start().await;
    let id = server.with(&crate::support::small_cell()).await;
    let address = server.url.strip_prefix("http://").expect("plain");
    let place = |x: i64, base: i64| {
        json!({ "base_revision": base, "edit": { "edit": "place_items",
            "places": [{ "item": "post", "pose": { "xyz_mm": [x, 700, 500] } }] } })
    };
    for round in 0..30u64 {
        let before = server.get(&format!("/api/cells/{id}")).await["revision"]
            .as_i64()
            .expect("a revision");
        let body = place(1000 + round as i64, before).to_string();
        let head = format!(
            "POST /api/cells/{id}/edits HTTP/1.1\r\nhost: {address}\r\ncontent-type: application/json\r\n\
             content-length: {}\r\n\r\n",
            body.len()
        );
        let mut stream = tokio::net::TcpStream::connect(address)
            .await
            .expect("a connection");
        stream
            .write_all(format!("{head}{body}").as_bytes())
            .await
            .expect("sent");
        // It leaves after none to three milliseconds.
        tokio::time::sleep(Duration::from_micros(round * 100)).await;
        drop(stream);
        // Somebody else's step is done at once, on what is there, or refused because the other came first.
        let edits = format!("/api/cells/{id}/edits");
        let (status, answer) = server
            .post(&edits, place(2000 + round as i64, before))
            .await;
        let now = server.get(&format!("/api/cells/{id}")).await;
        let post = now["document"]["items"]
            .as_array()
            .expect("items")
            .iter()
            .find(|i| i["id"] == "post");
        let x = post.expect("the post")["pose"]["xyz_mm"][0]
            .as_f64()
            .expect("a number");
        let revision = now["revision"].as_i64().expect("a revision");
        match status {
            200 => assert_eq!(
                (x, revision),
                (2000.0 + round as f64, before + 1),
                "{answer}"
            ),
            409 => assert_eq!(
                (x, revision),
                (1000.0 + round as f64, before + 1),
                "{answer}"
            ),
            other => panic!("{other}: {answer}"),
        }
    }
}

/// Two servers on one database: neither overwrites what the other did, and both tell the same in the end.
#[tokio::test]
async fn two_servers_on_one_database_agree() {
    let one = Server::start().await;
    let other = one.beside().await;
    let id = one.with(&crate::support::small_cell()).await;
    let place = |x: i64, base: i64| {
        json!({ "base_revision": base, "edit": { "edit": "place_items",
            "places": [{ "item": "post", "pose": { "xyz_mm": [x, 700, 500] } }] } })
    };
    let revision =
        async |server: &Server| server.get(&format!("/api/cells/{id}")).await["revision"].as_i64();
    let first = revision(&one).await.expect("a revision");
    assert_eq!(revision(&other).await, Some(first));
    let edits = format!("/api/cells/{id}/edits");
    assert_eq!(one.post(&edits, place(100, first)).await.0, 200);
    // It knows nothing of that yet, and must not put its own in its place.
    assert_eq!(other.post(&edits, place(200, first)).await.0, 409);
    assert_eq!(revision(&other).await, Some(first + 1));
    assert_eq!(other.post(&edits, place(300, first + 1)).await.0, 200);
    assert_eq!(revision(&one).await, Some(first + 2));
    let cell = one.get(&format!("/api/cells/{id}")).await;
    let step = json!({ "step": cell["undo"]["step"] });
    let (status, undone) = one.post(&format!("/api/cells/{id}/undo"), step).await;
    assert_eq!(
        (status, undone["revision"].as_i64()),
        (200, Some(first + 3)),
        "{undone}"
    );
}

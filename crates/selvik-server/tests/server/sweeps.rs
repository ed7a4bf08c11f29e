//! Sweeps as jobs: progress, what is kept, stopping, what makes one stale.

use std::time::{Duration, Instant};

use crate::support::Server;
use reqwest::{Client, StatusCode};
use serde_json::{Value, json};

/// Waits until a job is over.
async fn is_over_within_three_seconds(url: &str, start: Instant) {
    crate::support::eventually("the job is over", async || {
        let asked = Client::new().delete(url).send().await;
        asked.expect("an answer").status() == StatusCode::NOT_FOUND
    })
    .await;
    let took = start.elapsed();
    assert!(took < Duration::from_secs(3), "{took:?}");
}

#[tokio::test]
async fn a_sweep_runs_as_a_job_tells_its_progress_and_is_kept() {
    let (server, id) = Server::with_demo().await;
    let socket = server.url.replace("http", "ws") + "/api/live";
    let (mut live, _) = tokio_tungstenite::connect_async(socket)
        .await
        .expect("a socket");
    let sweep = format!("{}/api/cells/{id}/sweep", server.url);
    let before = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!(
        (&before["tag"], &before["running"]),
        (&Value::Null, &Value::Null)
    );
    assert_eq!(
        Client::new()
            .post(&sweep)
            .send()
            .await
            .expect("an answer")
            .status(),
        StatusCode::ACCEPTED
    );
    let finished = async {
        use futures_util::StreamExt;
        while let Some(Ok(message)) = live.next().await {
            let event: Value =
                serde_json::from_str(message.to_text().expect("text")).expect("JSON");
            if event["state"] == "finished" {
                return event;
            }
        }
        panic!("the socket closed");
    };
    let event = tokio::time::timeout(Duration::from_secs(120), finished)
        .await
        .expect("it finishes");
    assert_eq!(event["done"], event["total"]);
    let after = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!(
        (&after["fresh"], &after["running"]),
        (&json!(true), &Value::Null)
    );
    let found = findings(&server, &id).await;
    let band = &found["band"];
    for (lower, attained) in band["lower_mm"]
        .as_array()
        .expect("a band")
        .iter()
        .zip(band["attained_mm"].as_array().expect("a band"))
    {
        assert!(lower.as_f64() <= attained.as_f64());
    }
    // The band never promises more than the sweep attained.
    let pair = &found["pairs"][1];
    let time = pair["time_s"].as_f64().expect("a time");
    let edges: Vec<f64> = band["edges_s"]
        .as_array()
        .expect("edges")
        .iter()
        .filter_map(Value::as_f64)
        .collect();
    let at = edges.partition_point(|e| *e <= time) - 1;
    assert!(band["lower_mm"][at].as_f64() <= pair["attained_mm"].as_f64());

    // Moving something makes it stale; undoing makes it fresh again.
    let edit = json!({"base_revision": 1, "edit": {"edit": "place_items", "places": [{"item": "rack", "pose": {"xyz_mm": [1500, 2000, 0]}}]}});
    let edits = format!("{}/api/cells/{id}/edits", server.url);
    let answer = Client::new()
        .post(&edits)
        .json(&edit)
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::OK);
    assert_eq!(
        server.get(&format!("/api/cells/{id}/sweep")).await["fresh"],
        false
    );
    let step = server.get(&format!("/api/cells/{id}")).await["undo"]["step"].clone();
    let undo = Client::new()
        .post(format!("{}/api/cells/{id}/undo", server.url))
        .json(&json!({ "step": step }));
    let undone = undo.send().await.expect("an answer");
    assert_eq!(undone.status(), StatusCode::OK);
    assert_eq!(
        server.get(&format!("/api/cells/{id}/sweep")).await["fresh"],
        true
    );

    // A name is nothing that it depends on; what was found is told with the new one.
    let tag = server.get(&format!("/api/cells/{id}/sweep")).await["tag"].clone();
    let item = &pair["a"]["item"];
    let rename = json!({ "base_revision": 3, "edit": { "edit": "rename_item", "item": item, "name": "Another name" } });
    let answer = Client::new()
        .post(&edits)
        .json(&rename)
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::OK);
    let renamed = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!(renamed["fresh"], true);
    assert_ne!(renamed["tag"], tag);
    let again = findings(&server, &id).await;
    let name = again["pairs"][1]["a"]["name"].as_str().expect("a name");
    assert!(name.starts_with("Another name"), "{name}");
    let numbers = |found: &Value| found["pairs"][1]["lower_mm"].clone();
    assert_eq!(numbers(&again), numbers(&found));
}

/// What the last sweep of a cell found.
async fn findings(server: &Server, id: &str) -> Value {
    let last = server.get(&format!("/api/cells/{id}/sweep")).await;
    let of = last["fingerprint"].as_str().expect("it was swept");
    server
        .get(&format!("/api/cells/{id}/findings?fingerprint={of}"))
        .await
}

#[tokio::test]
async fn a_sweep_can_be_stopped_at_once() {
    let (server, id) = Server::with_demo().await;
    let sweep = format!("{}/api/cells/{id}/sweep", server.url);
    let started: Value = Client::new()
        .post(&sweep)
        .send()
        .await
        .expect("an answer")
        .json()
        .await
        .expect("JSON");
    let job = started["job"].as_str().expect("a job");
    let start = Instant::now();
    let url = format!("{}/api/jobs/{job}", server.url);
    assert_eq!(
        Client::new()
            .delete(&url)
            .send()
            .await
            .expect("an answer")
            .status(),
        StatusCode::NO_CONTENT
    );
    is_over_within_three_seconds(&url, start).await;
    assert_eq!(
        server.get(&format!("/api/cells/{id}/sweep")).await["tag"],
        Value::Null
    );
}

#[tokio::test]
async fn an_edit_beside_an_import_succeeds_and_a_stale_sweep_ends() {
    let (server, id) = Server::with_demo().await;
    let sweep = format!("{}/api/cells/{id}/sweep", server.url);
    let started: Value = Client::new()
        .post(&sweep)
        .send()
        .await
        .expect("an answer")
        .json()
        .await
        .expect("JSON");
    let place = |base: i64, x: i64| {
        json!({ "base_revision": base, "edit": { "edit": "place_items",
            "places": [{ "item": "rack", "pose": { "xyz_mm": [x, 2000, 0] } }] } })
    };
    let edits = format!("{}/api/cells/{id}/edits", server.url);
    let answer = Client::new()
        .post(&edits)
        .json(&place(1, 1500))
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::OK);
    // What it would have found is of a cell that is no more.
    let url = format!(
        "{}/api/jobs/{}",
        server.url,
        started["job"].as_str().expect("a job")
    );
    let start = Instant::now();
    is_over_within_three_seconds(&url, start).await;
    let last = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!((&last["tag"], &last["lost"]), (&Value::Null, &Value::Null));
}

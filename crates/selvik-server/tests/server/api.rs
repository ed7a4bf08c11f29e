//! The API over HTTP and the socket.

use std::time::{Duration, Instant};

use crate::support::Server;
use reqwest::multipart::{Form, Part};
use reqwest::{Client, StatusCode};
use selvik_cell::document::MoveDocument;
use serde_json::{Value, json};

async fn demo() -> (Server, String) {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo()).await;
    (server, id)
}

#[tokio::test]
async fn other_origins_and_unknown_hosts_are_refused() {
    let server = Server::start().await;
    let ask = |name: &'static str, value: String| {
        let request = Client::new()
            .get(format!("{}/api/cells", server.url))
            .header(name, value);
        async move { request.send().await.expect("an answer").status() }
    };
    let own = server.url.clone();
    assert_eq!(ask("origin", own).await, StatusCode::OK);
    assert_eq!(
        ask("origin", "http://evil.example".to_owned()).await,
        StatusCode::FORBIDDEN
    );
    assert_eq!(
        ask("origin", "http://127.0.0.1:1".to_owned()).await,
        StatusCode::FORBIDDEN
    );
    assert_eq!(
        ask("host", "evil.example".to_owned()).await,
        StatusCode::FORBIDDEN
    );
    assert_eq!(
        ask("origin", "null".to_owned()).await,
        StatusCode::FORBIDDEN
    );
}

#[tokio::test]
async fn the_page_is_strict_about_scripts() {
    let server = Server::start().await;
    let page = reqwest::get(&server.url).await.expect("an answer");
    let policy = page.headers()["content-security-policy"]
        .to_str()
        .expect("text")
        .to_owned();
    assert!(
        policy.contains("script-src 'self'") && policy.contains("default-src 'none'"),
        "{policy}"
    );
    let text = page.text().await.expect("text");
    assert!(!text.contains("NONCE"), "the nonce is filled in");
}

#[tokio::test]
async fn a_bad_package_is_refused_with_a_problem_and_nothing_is_stored() {
    let server = Server::start().await;
    let cell = br#"{"format":"selvik-cell/1","name":"x","items":[{"id":"a","name":"A","role":"part","parent":"b"}]}"#;
    let form = Form::new().part(
        "file",
        Part::bytes(cell.to_vec()).file_name("cell/cell.json"),
    );
    let answer = Client::new()
        .post(format!("{}/api/cells", server.url))
        .multipart(form)
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(answer.headers()["content-type"], "application/problem+json");
    let problem: Value = answer.json().await.expect("JSON");
    assert!(
        problem["detail"]
            .as_str()
            .expect("a sentence")
            .contains("hangs on \"b\""),
        "{problem}"
    );
    assert_eq!(server.get("/api/cells").await, json!([]));
}

#[tokio::test]
async fn a_package_goes_in_and_comes_out_the_same() {
    let server = Server::start().await;
    let package = crate::support::demo();
    let form = Form::new().part(
        "file",
        Part::bytes(package.to_zip().expect("a zip")).file_name("demo.zip"),
    );
    let answer = Client::new()
        .post(format!("{}/api/cells", server.url))
        .multipart(form)
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::CREATED);
    let id = answer.json::<Value>().await.expect("JSON")["id"]
        .as_str()
        .expect("an id")
        .to_owned();
    let out = reqwest::get(format!("{}/api/cells/{id}/package", server.url))
        .await
        .expect("an answer");
    let out =
        selvik_formats::PackageFiles::from_zip(&out.bytes().await.expect("bytes")).expect("a zip");
    let document = |files| selvik_cell::document::read_document(files).expect("readable");
    assert_eq!(document(&out), document(&package));
    assert_eq!(out.iter().count(), package.iter().count());
    for (name, content) in package.iter().filter(|(name, _)| *name != "cell.json") {
        assert!(
            *out.get(name, "a test").expect("there") == *content.read().expect("held"),
            "{name}"
        );
    }
}

#[tokio::test]
async fn meshes_are_compressed_kept_and_shared() {
    let (server, id) = demo().await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let bodies = cell["bodies"].as_array().expect("bodies");
    let names: std::collections::HashSet<&str> =
        bodies.iter().filter_map(|b| b["mesh"].as_str()).collect();
    assert!(
        names.len() * 2 < bodies.len(),
        "both arms and all panels share their meshes"
    );
    let url = format!(
        "{}/api/cells/{id}/meshes/{}",
        server.url,
        bodies[0]["mesh"].as_str().expect("a name")
    );
    let answer = Client::new()
        .get(url)
        .header("accept-encoding", "gzip")
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.headers()["content-encoding"], "gzip");
    assert!(
        answer.headers()["cache-control"]
            .to_str()
            .expect("text")
            .contains("immutable")
    );

    // Small ones come together too, each as it comes alone.
    let bytes = |path: String| async move {
        reqwest::get(path)
            .await
            .expect("an answer")
            .bytes()
            .await
            .expect("bytes")
    };
    let together = bytes(format!("{}/api/cells/{id}/small-meshes", server.url)).await;
    let (mut rest, mut found) = (&together[..], std::collections::HashSet::new());
    while !rest.is_empty() {
        let (name, after) = rest.split_at(64);
        let length = u32::from_le_bytes(after[..4].try_into().expect("four bytes")) as usize;
        let name = std::str::from_utf8(name).expect("letters");
        if found.is_empty() {
            let alone = bytes(format!("{}/api/cells/{id}/meshes/{name}", server.url)).await;
            assert_eq!(alone, &after[4..4 + length]);
        }
        assert!(
            names.contains(name) && found.insert(name.to_owned()),
            "{name}"
        );
        rest = &after[4 + length..];
    }
    let small = |b: &&Value| b["triangles"].as_u64().expect("a number") <= 2000;
    let wanted: std::collections::HashSet<_> = bodies
        .iter()
        .filter(small)
        .filter_map(|b| b["mesh"].as_str())
        .collect();
    assert_eq!(found.len(), wanted.len());
}

#[tokio::test]
async fn a_sweep_runs_as_a_job_tells_its_progress_and_is_kept() {
    let (server, id) = demo().await;
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
    let (server, id) = demo().await;
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
    crate::support::eventually("the job is over", async || {
        Client::new()
            .delete(&url)
            .send()
            .await
            .expect("an answer")
            .status()
            == StatusCode::NOT_FOUND
    })
    .await;
    assert!(
        start.elapsed() < Duration::from_secs(3),
        "{:?}",
        start.elapsed()
    );
    assert_eq!(
        server.get(&format!("/api/cells/{id}/sweep")).await["tag"],
        Value::Null
    );
}

#[tokio::test]
async fn a_cut_through_a_housing_is_a_ring() {
    let (server, id) = demo().await;
    let body = json!({
        "sections": [{"point_mm": [0, 0, 818], "normal": [0, 0, 1]}], "items": ["housing-a"], "time_s": 0,
    });
    let answer = Client::new()
        .post(format!("{}/api/cells/{id}/section", server.url))
        .json(&body)
        .send()
        .await;
    let found: Value = answer.expect("an answer").json().await.expect("JSON");
    let face = &found["faces"][0];
    assert_eq!(face["item"], "housing-a");
    let loops = face["outlines_mm"].as_array().expect("outlines");
    let points: Vec<&Value> = loops
        .iter()
        .flat_map(|l| l.as_array().expect("points"))
        .collect();
    let area: f64 = face["triangles"]
        .as_array()
        .expect("triangles")
        .iter()
        .map(|t| {
            let corner = |i: usize| points[t[i].as_u64().expect("an index") as usize];
            let p = |i: usize, k: usize| corner(i)[k].as_f64().expect("a number");
            ((p(1, 0) - p(0, 0)) * (p(2, 1) - p(0, 1)) - (p(2, 0) - p(0, 0)) * (p(1, 1) - p(0, 1)))
                .abs()
                / 2.0
        })
        .sum();
    assert!(
        (area - face["area_mm2"].as_f64().expect("an area")).abs() < 1.0,
        "{area}"
    );
}

/// A cut goes through what is jogged where the hand has it; what is no joint is refused.
#[tokio::test]
async fn what_is_jogged_is_cut_where_it_is() {
    let (server, id) = demo().await;
    let cut = async |joints: Value| {
        let body = json!({
            "sections": [{"point_mm": [0, 0, 1200], "normal": [0, 0, 1]}], "items": ["r1"], "time_s": 0,
            "joints_deg_or_mm": joints,
        });
        server.post(&format!("/api/cells/{id}/section"), body).await
    };
    let area = |found: &Value| found["area_mm2"].as_f64().expect("an area");
    let (_, before) = cut(json!({})).await;
    let (_, turned) = cut(json!({"r1/joint_1": 50})).await;
    let (_, bent) = cut(json!({"r1/joint_2": 30})).await;
    // Turned about the vertical it is cut alike, elsewhere; bent it is not.
    assert!((area(&before) - area(&turned)).abs() < 1e-3 * area(&before));
    assert_ne!(
        before["faces"][0]["centroid_mm"],
        turned["faces"][0]["centroid_mm"]
    );
    assert!((area(&before) - area(&bent)).abs() > 1.0, "{bent}");
    let (status, said) = cut(json!({"r1/nobody": 1})).await;
    assert_eq!(status, 422, "{said}");
}

/// Sixty steps of a millimetre at once: each is done on the one before, or refused.
#[tokio::test]
async fn steps_sent_at_once_are_all_done_or_refused() {
    let (server, id) = demo().await;
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

#[tokio::test]
async fn an_edit_beside_an_import_succeeds_and_a_stale_sweep_ends() {
    let (server, id) = demo().await;
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
    crate::support::eventually("the job is over", async || {
        Client::new()
            .delete(&url)
            .send()
            .await
            .expect("an answer")
            .status()
            == StatusCode::NOT_FOUND
    })
    .await;
    assert!(
        start.elapsed() < Duration::from_secs(3),
        "{:?}",
        start.elapsed()
    );
    let last = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!((&last["tag"], &last["lost"]), (&Value::Null, &Value::Null));
}

/// What the bodies of one item share counts once; a robot's own volume is asked for by itself, so that nothing else waits.
#[tokio::test]
async fn volumes_count_what_is_shared_once() {
    let text = r#"{"format": "selvik-cell/1", "name": "Shared", "items": [
        {"id": "cross", "name": "Cross", "role": "fixture", "bodies": [
            {"shape": {"box": {"size_mm": [300, 100, 100]}}}, {"shape": {"box": {"size_mm": [100, 300, 100]}}}]},
        {"id": "pin", "name": "Pin", "role": "fixture", "bodies": [
            {"shape": {"cylinder": {"radius_mm": 20, "length_mm": 100}}}, {"shape": {"sphere": {"radius_mm": 20}}}]},
        {"id": "ball", "name": "Ball", "role": "part", "bodies": [{"shape": {"sphere": {"radius_mm": 100}}}]},
        {"id": "datum", "name": "Datum", "role": "frame"}]}"#;
    let mut files = selvik_formats::PackageFiles::default();
    files
        .insert("cell.json", text.as_bytes().to_vec())
        .expect("a plain name");
    let server = Server::start().await;
    let id = server.with(&files).await;
    let all = json!({ "items": ["cross", "pin", "ball", "datum"] });
    let (status, masses) = server.post(&format!("/api/cells/{id}/masses"), all).await;
    assert_eq!(status, 200, "{masses}");
    let number = |at: usize, key: &str| masses[at][key].as_f64().expect("a number");
    assert!((number(0, "volume_mm3") - 5e6).abs() < 1.0, "{masses}");
    assert!((number(0, "area_mm2") - 22e4).abs() < 1.0, "{masses}");
    // Round shapes that stand in each other are not worked out; one alone is exact.
    assert_eq!(
        (&masses[1]["volume_mm3"], &masses[3]["volume_mm3"]),
        (&Value::Null, &Value::Null)
    );
    let exact = 4.0 / 3.0 * std::f64::consts::PI * 1e6;
    assert!((number(2, "volume_mm3") - exact).abs() < 1e-3, "{masses}");
    let (status, problem) = server
        .post(
            &format!("/api/cells/{id}/masses"),
            json!({ "items": ["moon"] }),
        )
        .await;
    assert!(status == 422 || status == 404, "{problem}");
}

/// Every refusal is a problem document with what is wrong, also those that the framework makes; every answer has an id.
#[tokio::test]
async fn every_refusal_is_a_problem_document() {
    let server = Server::start().await;
    let id = server.with(&crate::support::small_cell()).await;
    let at = |path: &str| format!("{}{path}", server.url);
    let edits = format!("/api/cells/{id}/edits");
    let client = Client::new();
    let large = vec![b' '; 3 << 20];
    let requests = [
        (
            "no such cell",
            client.get(at("/api/cells/00000000-0000-7000-8000-000000000000")),
            404,
        ),
        ("no id", client.get(at("/api/cells/none")), 400),
        ("nothing there", client.get(at("/api/nothing")), 404),
        ("no such method", client.patch(at("/api/cells")), 405),
        (
            "no JSON",
            client
                .post(at(&edits))
                .header("content-type", "application/json")
                .body("{"),
            400,
        ),
        (
            "JSON of another kind",
            client.post(at(&edits)).json(&json!({ "edit": 3 })),
            422,
        ),
        ("no kind at all", client.post(at(&edits)).body("{}"), 415),
        (
            "too large",
            client
                .post(at(&edits))
                .header("content-type", "application/json")
                .body(large),
            413,
        ),
        (
            "no query",
            client.get(at(&format!("/api/cells/{id}/poses"))),
            400,
        ),
    ];
    for (what, request, status) in requests {
        let answer = request.send().await.expect("an answer");
        assert_eq!(answer.status().as_u16(), status, "{what}");
        assert_eq!(
            answer.headers()["content-type"],
            "application/problem+json",
            "{what}"
        );
        assert!(!answer.headers()["x-request-id"].is_empty(), "{what}");
        if status == 405 {
            assert!(answer.headers().contains_key("allow"));
        }
        let problem: Value = answer.json().await.expect("JSON");
        assert_eq!(problem["status"], status, "{what}");
        assert!(
            problem["detail"].as_str().is_some_and(|d| d.len() > 8),
            "{what}: {problem}"
        );
    }
    // A browser takes it compressed, and reads the same.
    let packed = client
        .post(at(&edits))
        .json(&json!({ "edit": 3 }))
        .header("accept-encoding", "gzip");
    let answer = packed.send().await.expect("an answer");
    assert_eq!(answer.headers()["content-encoding"], "gzip");
    let mut said = String::new();
    let body = answer.bytes().await.expect("bytes");
    std::io::Read::read_to_string(&mut flate2::read::GzDecoder::new(&body[..]), &mut said)
        .expect("text");
    let problem: Value = serde_json::from_str(&said).expect("JSON");
    assert!(
        problem["detail"]
            .as_str()
            .is_some_and(|d| d.contains("JSON")),
        "{problem}"
    );
    let health = client.get(at("/healthz")).send().await.expect("an answer");
    assert_eq!(health.status(), StatusCode::OK);
    let described = server.get("/api/openapi.json").await;
    assert!(
        described["paths"]["/api/cells"]["get"].is_object(),
        "{described}"
    );
}

/// A path of a hundred thousand seconds is sent in parts, and a reach along it is no longer than that of a short one.
#[tokio::test]
async fn a_long_wait_makes_no_long_answer() {
    let mut package = crate::support::demo();
    let mut document = selvik_cell::document::read_document(&package).expect("readable");
    let mut waits = document
        .programs
        .iter_mut()
        .flat_map(|p| &mut p.moves)
        .filter_map(|m| match m {
            MoveDocument::Wait { seconds } => Some(seconds),
            _ => None,
        });
    *waits.next().expect("it waits somewhere") = 90_000.0;
    drop(waits);
    package
        .insert(
            "cell.json",
            selvik_cell::document::write_document(&document),
        )
        .expect("a plain name");
    let server = Server::start().await;
    let id = server.with(&package).await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let (duration, nodes) = (
        cell["path"]["duration_s"].as_f64(),
        cell["moving_nodes"].as_array().map(Vec::len),
    );
    assert!(duration.is_some_and(|d| d > 80_000.0), "{duration:?}");
    for (part, samples) in [(0, 1001), (4000, 1001), (1_000_000, 0)] {
        let url = format!("{}/api/cells/{id}/track?part={part}", server.url);
        let bytes = Client::new()
            .get(url)
            .send()
            .await
            .expect("an answer")
            .bytes()
            .await
            .expect("bytes");
        assert_eq!(
            Some(bytes.len()),
            nodes.map(|n| n * samples * 28),
            "part {part}"
        );
    }
    let reach = server
        .get(&format!("/api/cells/{id}/reach?from=r1&to=tcp-nozzle"))
        .await;
    assert!(
        reach["straight_mm"]
            .as_array()
            .is_some_and(|values| values.len() < 40_000)
    );
}

/// What `make fuzz` has found.
#[tokio::test]
async fn made_up_requests_find_no_failure_again() {
    let server = Server::start().await;
    let id = server.with(&crate::support::small_cell()).await;
    let status = async |path: &str| {
        reqwest::get(format!("{}/api/cells/{id}/{path}", server.url))
            .await
            .expect("an answer")
            .status()
    };
    // Text that PostgreSQL does not take.
    assert_eq!(
        status("findings?fingerprint=%00a").await,
        StatusCode::NOT_FOUND
    );
    assert_eq!(
        status("findings/pairs?fingerprint=%00%C3%B3&from=8774").await,
        StatusCode::NOT_FOUND
    );
}

/// The hose bracket goes into the rib while it touches it, and is far from it at the start.
#[tokio::test]
async fn an_overlap_is_told_as_deep_as_it_certainly_gets() {
    let (server, id) = demo().await;
    let path = format!("/api/cells/{id}/overlap");
    let [a, b] = [json!({"item": "hose-bracket"}), json!({"item": "rib-a"})];
    let during = |from: f64, to: f64| json!({"a": a, "b": b, "during_s": [from, to]});
    let (status, found) = server.post(&path, during(13.82, 13.88)).await;
    assert_eq!(status, 200, "{found}");
    let depth = found["at_least_mm"].as_f64().expect("a depth");
    assert!(depth > 0.01 && depth < 20.0, "{found}");
    let time = found["time_s"].as_f64().expect("a time");
    assert!((13.82..=13.88).contains(&time), "{found}");
    let (_, apart) = server.post(&path, during(0.0, 0.0)).await;
    assert_eq!(apart, json!({"at_least_mm": 0.0, "time_s": 0.0}));
    for (body, expected) in [
        (during(2.0, 1.0), 422),
        (
            json!({"a": {"item": "nothing"}, "b": b, "during_s": [0.0, 1.0]}),
            404,
        ),
        (json!({"a": a, "b": b}), 422),
    ] {
        assert_eq!(server.post(&path, body).await.0, expected);
    }
}

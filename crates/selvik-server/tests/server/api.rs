//! The API over HTTP and the socket.

use crate::support::Server;
use reqwest::multipart::{Form, Part};
use reqwest::{Client, StatusCode};
use selvik_cell::document::MoveDocument;
use serde_json::{Value, json};

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
    let (server, id) = Server::with_demo().await;
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
    let wanted = json!({"tcp": "tcp-nozzle"});
    let (_, reach) = server
        .post(&format!("/api/cells/{id}/reach-along"), wanted)
        .await;
    let series = reach["series"].as_array().expect("numbers");
    let lengths = series.iter().map(|s| s["values"].as_array().map(Vec::len));
    assert!(lengths.flatten().all(|n| n < 1000), "{reach}");
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

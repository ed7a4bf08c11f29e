//! The real server under an address limit of 4 GiB: what a few bytes ask for, thousands of sockets, a database that goes
//! and comes back.

use std::io::{BufRead, BufReader, Cursor, Write};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use crate::support::{cluster, eventually, small_cell};
use reqwest::multipart::{Form, Part};
use reqwest::{Client, StatusCode};
use serde_json::{Value, json};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;

/// What the server may address, bytes.
const ADDRESSES: u64 = 4 << 30;

/// A server of its own process.
struct Limited {
    process: Child,
    url: String,
}

impl Limited {
    fn start(database: &str) -> Self {
        let serve = format!(
            "ulimit -v {} && exec {} serve --listen 127.0.0.1:0 --database {database}",
            ADDRESSES >> 10,
            env!("CARGO_BIN_EXE_selvik"),
        );
        let mut process = Command::new("sh")
            .args(["-c", &serve])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("the server runs");
        let mut said = String::new();
        BufReader::new(process.stdout.take().expect("piped"))
            .read_line(&mut said)
            .expect("an address");
        let url = said
            .trim()
            .strip_prefix("Selvik is at ")
            .expect("an address")
            .trim_end_matches('/');
        Self {
            url: url.to_owned(),
            process,
        }
    }

    async fn with(&self, package: &selvik_formats::PackageFiles) -> String {
        let zip = package.to_zip().expect("a zip");
        let (status, said) = self.upload("/api/cells", vec![("cell.zip", zip)]).await;
        assert_eq!(status, StatusCode::CREATED, "{said}");
        said["id"].as_str().expect("an id").to_owned()
    }

    async fn upload(&self, path: &str, files: Vec<(&str, Vec<u8>)>) -> (StatusCode, Value) {
        let form = files
            .into_iter()
            .fold(Form::new(), |form, (name, content)| {
                form.part("file", Part::bytes(content).file_name(name.to_owned()))
            });
        let request = Client::new()
            .post(format!("{}{path}", self.url))
            .multipart(form);
        let answer = request.send().await.expect("an answer");
        (answer.status(), answer.json().await.unwrap_or_default())
    }

    async fn get(&self, path: &str) -> (StatusCode, Value) {
        let answer = Client::new()
            .get(format!("{}{path}", self.url))
            .send()
            .await
            .expect("an answer");
        (answer.status(), answer.json().await.unwrap_or_default())
    }

    async fn post(&self, path: &str, body: Value) -> (StatusCode, Value) {
        let request = Client::new()
            .post(format!("{}{path}", self.url))
            .json(&body);
        let answer = request.send().await.expect("an answer");
        (answer.status(), answer.json().await.unwrap_or_default())
    }

    /// What it holds in memory, MiB.
    fn resident_mib(&self) -> u64 {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.process.id()))
            .expect("it lives");
        let line = status
            .lines()
            .find(|l| l.starts_with("VmRSS:"))
            .expect("a line");
        line.split_whitespace()
            .nth(1)
            .and_then(|kib| kib.parse::<u64>().ok())
            .expect("a number")
            >> 10
    }
}

impl Drop for Limited {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// A glTF whose accessor says that it has 2e9 vertices, in some 500 bytes.
fn endless_accessor() -> Vec<u8> {
    json!({
        "asset": { "version": "2.0" }, "scenes": [{ "nodes": [0] }], "scene": 0, "nodes": [{ "mesh": 0 }],
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0 } }] }],
        "accessors": [{ "componentType": 5126, "count": 2_000_000_000u32, "type": "VEC3" }],
    })
    .to_string()
    .into_bytes()
}

/// A zip of 400 MB of zeros.
fn bomb() -> Vec<u8> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default();
    writer.start_file("zeros.stl", options).expect("to memory");
    for _ in 0..400 {
        writer.write_all(&vec![0; 1_000_000]).expect("to memory");
    }
    writer.finish().expect("to memory").into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_few_bytes_ask_for_is_refused_within_the_limit() {
    let server = Limited::start(&cluster::database());

    // Counts are held against the bytes that are there.
    let (status, begun) = server
        .upload("/api/imports", vec![("endless.gltf", endless_accessor())])
        .await;
    assert_eq!(status, StatusCode::ACCEPTED, "{begun}");
    let import = format!("/api/imports/{}", begun["id"].as_str().expect("an id"));
    let mut state = Value::Null;
    eventually("the file is looked through", async || {
        state = server.get(&import).await.1;
        state["state"] != "reading"
    })
    .await;
    assert!(state.to_string().contains("endless.gltf"), "{state}");
    assert_eq!(state["found"][0]["triangles"], json!(0), "{state}");

    // Zips of one upload share what may be unpacked: nine of 400 MB each do not.
    let bomb = bomb();
    let names: Vec<String> = (0..9).map(|n| format!("{n}.zip")).collect();
    let files = names
        .iter()
        .map(|name| (name.as_str(), bomb.clone()))
        .collect();
    let (status, said) = server.upload("/api/imports", files).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
    assert!(
        said["detail"]
            .as_str()
            .expect("a sentence")
            .contains("more than"),
        "{said}"
    );

    // A wait of a quarter of a million seconds makes no long answer.
    let text = r#"{"format": "selvik-cell/1", "name": "Long", "items": [
        {"id": "m", "name": "M", "role": "robot", "mechanism": {"from": {"dh": {"convention": "standard", "rows": [
            {"joint": "q", "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "frame_kind": "tcp", "parent": "m", "on_link": "flange"}],
      "programs": [{"id": "p", "name": "P", "robot": "m", "tcp": "tcp", "moves": [{"move": "wait", "seconds": 250000}]}],
      "run_plan": {"lanes": [{"programs": ["p"]}]}}"#;
    let mut long = selvik_formats::PackageFiles::default();
    long.insert("cell.json", text.as_bytes().to_vec())
        .expect("a plain name");
    let id = server.with(&long).await;
    let track = reqwest::get(format!("{}/api/cells/{id}/track?part=0", server.url))
        .await
        .expect("an answer");
    assert!(track.bytes().await.expect("bytes").len() < 1 << 20);

    // A body without end is cut off, and the server goes on.
    let huge = vec![b' '; 3 << 20];
    let request = Client::new().post(format!("{}/api/cells/new", server.url));
    let answer = request
        .header("content-type", "application/json")
        .body(huge)
        .send()
        .await
        .expect("an answer");
    assert_eq!(answer.status(), StatusCode::PAYLOAD_TOO_LARGE);
    assert_eq!(server.get("/api/cells").await.0, StatusCode::OK);
    assert!(
        server.resident_mib() < 1024,
        "{} MiB",
        server.resident_mib()
    );
}

/// Opens a web socket by hand, as small as it gets.
async fn open_socket(address: &str) -> TcpStream {
    let mut stream = TcpStream::connect(address).await.expect("a connection");
    let hello = format!(
        "GET /api/live HTTP/1.1\r\nHost: {address}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\
         Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\nSec-WebSocket-Version: 13\r\n\r\n"
    );
    stream.write_all(hello.as_bytes()).await.expect("sent");
    let mut said = [0; 12];
    stream.read_exact(&mut said).await.expect("an answer");
    assert_eq!(&said, b"HTTP/1.1 101");
    stream
}

#[tokio::test(flavor = "multi_thread")]
async fn four_thousand_sockets_cost_under_100_mb_and_what_they_took_serves_the_next() {
    rlimit::increase_nofile_limit(u64::MAX).expect("more handles");
    let server = Limited::start(&cluster::database());
    let address = server
        .url
        .strip_prefix("http://")
        .expect("an address")
        .to_owned();
    // What the first few need stays: threads, the connection to the database.
    drop(open_socket(&address).await);
    let before = server.resident_mib();
    let metrics = async || {
        let answer = reqwest::get(format!("{}/metrics", server.url)).await;
        answer.expect("an answer").text().await.expect("text")
    };
    let mut with_them = Vec::new();
    for _ in 0..2 {
        let mut sockets = Vec::new();
        for _ in 0..4000 {
            sockets.push(open_socket(&address).await);
        }
        let told = metrics().await;
        assert!(told.contains("selvik_pages 4000"), "{told}");
        with_them.push(server.resident_mib());
        drop(sockets);
        eventually("all are gone", async || {
            metrics().await.contains("selvik_pages 0")
        })
        .await;
    }
    println!("4,000 sockets: {before} MiB before, {with_them:?} with them, twice");
    assert!(
        with_them[0] < before + 100,
        "{before} MiB before, {with_them:?} with them"
    );
    assert!(
        with_them[1] < with_them[0] + 10,
        "{before} MiB before, {with_them:?} with them"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn while_the_database_is_gone_what_is_loaded_answers_and_afterwards_all_goes_on() {
    let folder = tempfile::tempdir().expect("a folder");
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../tools/database.sh");
    // PostgreSQL runs as somebody else.
    let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
    std::fs::set_permissions(folder.path(), open).expect("set");
    let data = folder.path().join("cluster");
    let cluster = |action: &str| {
        let ran = Command::new(script)
            .arg(action)
            .arg(&data)
            .stderr(Stdio::inherit())
            .output();
        String::from_utf8(ran.expect("it runs").stdout)
            .expect("text")
            .trim()
            .to_owned()
    };
    let url = cluster("start");
    // It comes back where it was.
    let port = url
        .rsplit_once(':')
        .and_then(|(_, rest)| rest.split_once('/'))
        .expect("a port")
        .0
        .to_owned();
    let server = Limited::start(&url);
    let id = server.with(&small_cell()).await;
    let cell = format!("/api/cells/{id}");
    assert_eq!(server.get(&cell).await.0, StatusCode::OK);
    let masses = json!({ "items": ["table"] });
    let rename = |name: &str, base: i64| json!({ "base_revision": base, "edit": { "edit": "rename_item", "item": "post", "name": name } });

    cluster("stop");
    assert_eq!(
        server.get("/healthz").await.0,
        StatusCode::SERVICE_UNAVAILABLE
    );
    // What is loaded answers; nothing is pretended to be stored.
    assert_eq!(
        server.post(&format!("{cell}/masses"), masses).await.0,
        StatusCode::OK
    );
    let start = Instant::now();
    let (status, said) = server
        .post(&format!("{cell}/edits"), rename("Lost", 1))
        .await;
    assert_eq!(status, StatusCode::SERVICE_UNAVAILABLE, "{said}");
    let sentence = said["detail"].as_str().expect("a sentence");
    assert!(
        sentence.contains("database") && !sentence.contains("refused"),
        "{said}"
    );
    assert!(
        start.elapsed() < Duration::from_secs(12),
        "{:?}",
        start.elapsed()
    );

    let again = Command::new(script)
        .arg("start")
        .arg(&data)
        .env("SELVIK_PG_OPTIONS", format!("-p {port}"))
        .output()
        .expect("it runs");
    let back = String::from_utf8(again.stdout).expect("text");
    assert!(back.contains(&format!(":{port}/")), "{back}");
    eventually("the server has its database again", async || {
        server.get("/healthz").await.0 == StatusCode::OK
    })
    .await;
    let (status, said) = server
        .post(&format!("{cell}/edits"), rename("Pillar", 1))
        .await;
    assert_eq!(
        (status, &said["revision"]),
        (StatusCode::OK, &json!(2)),
        "{said}"
    );
    // The worker works again, too.
    let (status, said) = server.post(&format!("{cell}/sweep"), json!({})).await;
    assert_eq!(status, StatusCode::ACCEPTED, "{said}");
    eventually("the sweep ends", async || {
        server.get(&format!("{cell}/sweep")).await.1["fresh"] == true
    })
    .await;
    cluster("stop");
}

#[tokio::test(flavor = "multi_thread")]
async fn names_that_cannot_be_shown_are_refused_by_their_place() {
    let server = Limited::start(&cluster::database());
    let id = server.with(&small_cell()).await;
    for name in ["a\u{0}b", "a\u{7}b", "a\nb", "x\u{85}y"] {
        let (status, said) = server.post("/api/cells/new", json!({ "name": name })).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{name:?}: {said}");
        let edit = json!({ "base_revision": 1, "edit": { "edit": "rename_item", "item": "post", "name": name } });
        let (status, said) = server.post(&format!("/api/cells/{id}/edits"), edit).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{name:?}: {said}");
        assert!(
            said["detail"]
                .as_str()
                .expect("a sentence")
                .contains("control character"),
            "{said}"
        );
    }
    let notes = |text: &str| json!({ "base_revision": 1, "edit": { "edit": "change_items", "items": ["post"], "change": { "notes": text } } });
    let (status, said) = server
        .post(&format!("/api/cells/{id}/edits"), notes("two\u{0}lines"))
        .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{said}");
    assert!(
        said["detail"]
            .as_str()
            .expect("a sentence")
            .contains("items[4].notes"),
        "{said}"
    );
    let (status, said) = server
        .post(&format!("/api/cells/{id}/edits"), notes("two\nlines"))
        .await;
    assert_eq!(status, StatusCode::OK, "{said}");
}

/// A connection that sends `head` and then nothing more.
async fn silent(address: &str, head: &str) -> TcpStream {
    let mut stream = TcpStream::connect(address).await.expect("a connection");
    stream.write_all(head.as_bytes()).await.expect("sent");
    stream
}

#[tokio::test(flavor = "multi_thread")]
async fn who_sends_nothing_more_is_given_up_and_holds_nobody_up() {
    let server = Limited::start(&cluster::database());
    let address = server
        .url
        .strip_prefix("http://")
        .expect("an address")
        .to_owned();
    let start = Instant::now();
    let mut half = silent(&address, "GET /api/cells HTTP/1.1\r\nHost: ").await;

    // As many uploads as are taken at a time, none of which goes on.
    let upload = format!(
        "POST /api/imports HTTP/1.1\r\nHost: {address}\r\nContent-Length: 1000\r\n\
         Content-Type: multipart/form-data; boundary=x\r\n\r\n--x\r\n\
         Content-Disposition: form-data; name=\"file\"; filename=\"a.stl\"\r\n\r\nsolid"
    );
    let mut uploads = Vec::new();
    for _ in 0..4 {
        uploads.push(silent(&address, &upload).await);
    }
    let metrics = async || {
        reqwest::get(format!("{}/healthz", server.url))
            .await
            .expect("an answer")
            .status()
    };
    assert_eq!(metrics().await, StatusCode::OK, "others are answered");
    let (status, said) = server
        .upload("/api/imports", vec![("b.stl", b"solid".to_vec())])
        .await;
    assert_eq!(status, StatusCode::SERVICE_UNAVAILABLE, "{said}");
    assert!(
        said["detail"]
            .as_str()
            .expect("a sentence")
            .contains("uploads"),
        "{said}"
    );

    let mut rest = Vec::new();
    let closed = tokio::time::timeout(Duration::from_secs(30), half.read_to_end(&mut rest)).await;
    assert!(closed.is_ok(), "half a head is waited for without end");
    assert!(
        start.elapsed() < Duration::from_secs(30),
        "{:?}",
        start.elapsed()
    );
    // Bodies that don't go on are given up after half a minute; then there is room again.
    eventually("there is room again", async || {
        server
            .upload("/api/imports", vec![("b.stl", b"solid".to_vec())])
            .await
            .0
            == StatusCode::ACCEPTED
    })
    .await;
    drop(uploads);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cell_that_many_ask_for_at_once_is_read_once() {
    let server = Limited::start(&cluster::database());
    let id = server.with(&crate::support::demo()).await;
    let url = format!("{}/api/cells/{id}", server.url);
    let asked = (0..30).map(|_| tokio::spawn(reqwest::get(url.clone())));
    for answer in asked.collect::<Vec<_>>() {
        assert_eq!(
            answer.await.expect("no panic").expect("an answer").status(),
            StatusCode::OK
        );
    }
    let told = reqwest::get(format!("{}/metrics", server.url))
        .await
        .expect("an answer");
    let told = told.text().await.expect("text");
    assert!(told.contains("selvik_cells_read_total 1\n"), "{told}");
    assert!(
        told.contains("route=\"/api/cells/{id}\",status=\"200\"} 30\n"),
        "{told}"
    );
}

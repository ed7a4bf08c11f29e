//! The real server, killed at any moment: what it acknowledged is there, and nothing else.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use crate::support::{cluster, small_cell};
use reqwest::Client;
use reqwest::multipart::{Form, Part};
use selvik_cell::document::read_document;
use selvik_cell::edit::Edit;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

struct Killed {
    process: Child,
    url: String,
}

impl Killed {
    fn start(database: &str) -> Self {
        Self::start_with(database, &[])
    }

    fn start_with(database: &str, more: &[&str]) -> Self {
        let mut process = Command::new(env!("CARGO_BIN_EXE_selvik"))
            .args(["serve", "--listen", "127.0.0.1:0", "--database", database])
            .args(more)
            .stdout(Stdio::piped())
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
            .trim_end_matches('/')
            .to_owned();
        Self { process, url }
    }

    /// SIGKILL: it has no say in it.
    fn kill(&mut self) {
        self.process.kill().expect("killed");
        self.process.wait().expect("gone");
    }
}

impl Drop for Killed {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

async fn json_of(request: reqwest::RequestBuilder) -> Option<Value> {
    let answer = request.send().await.ok()?;
    let good = answer.status().is_success();
    answer.json().await.ok().filter(|_| good)
}

async fn exported(server: &Killed, id: &str) -> PackageFiles {
    let answer = reqwest::get(format!("{}/api/cells/{id}/package", server.url))
        .await
        .expect("an answer");
    PackageFiles::from_zip(&answer.bytes().await.expect("a zip")).expect("readable")
}

/// The nth edit of a round: a move, a new name, a copy, a deletion, a lock and a note in turn.
fn edit(n: usize) -> Value {
    match n % 5 {
        0 => {
            json!({"edit": "place_items", "places": [{"item": "post", "pose": {"xyz_mm": [n, 0.1, 1e-3], "rpy_deg": [0, 0, n]}}]})
        }
        1 => json!({"edit": "rename_item", "item": "fixture", "name": format!("Fixture {n}")}),
        2 => json!({"edit": "duplicate_items", "items": ["post"]}),
        3 => json!({"edit": "delete_items", "items": ["post-2"]}),
        _ => {
            json!({"edit": "change_items", "items": ["table"], "change": {"notes": format!("note {n}")}})
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_in_the_middle_of_edits_the_server_keeps_what_it_acknowledged_and_nothing_else() {
    let database = cluster::database();
    let mut server = Killed::start(&database);
    let package = small_cell();
    let form = Form::new().part(
        "file",
        Part::bytes(package.to_zip().expect("a zip")).file_name("small.zip"),
    );
    let made = json_of(
        Client::new()
            .post(format!("{}/api/cells", server.url))
            .multipart(form),
    )
    .await;
    let id = made.expect("stored")["id"]
        .as_str()
        .expect("an id")
        .to_owned();
    let mut expected = read_document(&package).expect("readable");
    let mut revision = 1i64;
    for round in 0..20u64 {
        let (client, url) = (
            Client::new(),
            format!("{}/api/cells/{id}/edits", server.url),
        );
        // Killed after another while in every round, while up to 50 edits go in one after the other.
        let patience = Duration::from_millis(15 + 37 * (round * 7 % 20));
        let acknowledged = tokio::time::timeout(patience, async {
            for n in 0..50 {
                let body = json!({"base_revision": revision, "edit": edit(n)});
                let said = json_of(client.post(&url).json(&body))
                    .await
                    .expect("acknowledged");
                revision = said["revision"].as_i64().expect("a revision");
                let change: Edit = serde_json::from_value(edit(n)).expect("an edit");
                change.apply(&mut expected).expect("possible");
            }
        });
        let all = acknowledged.await.is_ok();
        server.kill();
        server = Killed::start(&database);
        let there = read_document(&exported(&server, &id).await).expect("a sound cell");
        if there != expected {
            // One edit may have been under way: then it is there as a whole, though nobody was told.
            assert!(!all, "round {round}: an acknowledged edit is missing");
            let now = json_of(Client::new().get(format!("{}/api/cells/{id}", server.url)))
                .await
                .expect("a cell");
            assert_eq!(
                now["revision"].as_i64(),
                Some(revision + 1),
                "round {round}: one edit at most"
            );
            let possible = (0..50).any(|n| {
                let mut with = expected.clone();
                let change: Edit = serde_json::from_value(edit(n)).expect("an edit");
                change.apply(&mut with).is_ok() && with == there
            });
            assert!(possible, "round {round}: nothing but that edit");
        }
        // Undone so far that the next round begins from the same again.
        loop {
            let cell = json_of(Client::new().get(format!("{}/api/cells/{id}", server.url)))
                .await
                .expect("a cell");
            let Some(step) = cell["undo"]["step"].as_i64() else {
                break;
            };
            let undo = Client::new().post(format!("{}/api/cells/{id}/undo", server.url));
            let said = json_of(undo.json(&json!({ "step": step })))
                .await
                .expect("undone");
            revision = said["revision"].as_i64().expect("a revision");
        }
        expected = read_document(&package).expect("readable");
        let there = read_document(&exported(&server, &id).await).expect("a sound cell");
        assert_eq!(
            there, expected,
            "round {round}: every edit can be undone after the restart"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn killed_in_the_middle_of_an_import_the_server_has_all_of_it_or_nothing() {
    let database = cluster::database();
    let mut server = Killed::start(&database);
    let package = crate::support::demo();
    let zip = package.to_zip().expect("a zip");
    let document = read_document(&package).expect("readable");
    let mut whole = 0;
    for round in 0..20u64 {
        let form = Form::new().part("file", Part::bytes(zip.clone()).file_name("demo.zip"));
        let request = Client::new()
            .post(format!("{}/api/cells", server.url))
            .multipart(form);
        let patience = Duration::from_millis(60 * (round + 1));
        let acknowledged = tokio::time::timeout(patience, json_of(request))
            .await
            .ok()
            .flatten();
        server.kill();
        server = Killed::start(&database);
        let cells = json_of(Client::new().get(format!("{}/api/cells", server.url)))
            .await
            .expect("a list");
        let cells = cells.as_array().expect("a list");
        assert!(
            cells.len() == whole || cells.len() == whole + 1,
            "round {round}"
        );
        assert!(
            acknowledged.is_none() || cells.len() == whole + 1,
            "round {round}: an acknowledged cell is missing"
        );
        if cells.len() > whole && whole < 3 {
            // Whatever is listed is whole.
            let id = cells.iter().max_by_key(|c| c["id"].as_str()).expect("one")["id"]
                .as_str()
                .expect("an id");
            let there = exported(&server, id).await;
            assert_eq!(read_document(&there).expect("readable"), document);
            assert_eq!(
                there.iter().count(),
                package.iter().count(),
                "round {round}: all files"
            );
        }
        whole = cells.len();
    }
}

/// Told to end, it does at once, also while it sweeps and while a page holds its socket.
#[tokio::test(flavor = "multi_thread")]
async fn told_to_end_it_does_within_two_seconds() {
    let database = cluster::database();
    let mut server = Killed::start(&database);
    let package = crate::support::demo();
    let form = Form::new().part(
        "file",
        Part::bytes(package.to_zip().expect("a zip")).file_name("demo.zip"),
    );
    let made = json_of(
        Client::new()
            .post(format!("{}/api/cells", server.url))
            .multipart(form),
    )
    .await;
    let id = made.expect("stored")["id"]
        .as_str()
        .expect("an id")
        .to_owned();
    let live = server.url.replace("http", "ws") + "/api/live";
    let (socket, _) = tokio_tungstenite::connect_async(live)
        .await
        .expect("a socket");
    let sweep = format!("{}/api/cells/{id}/sweep", server.url);
    json_of(Client::new().post(&sweep))
        .await
        .expect("it sweeps");
    let start = std::time::Instant::now();
    let ended = Command::new("kill")
        .arg(server.process.id().to_string())
        .status()
        .expect("kill runs");
    assert!(ended.success());
    let code = loop {
        if let Some(code) = server.process.try_wait().expect("it is asked") {
            break code;
        }
        assert!(start.elapsed() < Duration::from_secs(2), "it goes on");
        tokio::time::sleep(Duration::from_millis(20)).await;
    };
    assert!(code.success(), "{code}");
    drop(socket);
    // Nobody stopped that sweep: the next server takes it up and ends it.
    let next = Killed::start(&database);
    ends_well(&next, &id).await;
}

/// Waits until the sweep that is wanted of a cell has ended, and ended well.
async fn ends_well(server: &Killed, id: &str) {
    crate::support::eventually("its sweep ends", async || {
        let last = json_of(Client::new().get(format!("{}/api/cells/{id}/sweep", server.url))).await;
        let last = last.expect("an answer");
        assert_eq!(last["lost"], Value::Null, "{last}");
        last["fresh"] == json!(true)
    })
    .await;
}

/// A worker beside the server, on the same database.
fn worker(database: &str) -> Child {
    let work = Command::new(env!("CARGO_BIN_EXE_selvik"))
        .args(["work", "--database", database])
        .stdout(Stdio::piped())
        .spawn();
    let mut process = work.expect("the worker runs");
    let mut said = String::new();
    BufReader::new(process.stdout.take().expect("piped"))
        .read_line(&mut said)
        .expect("a line");
    assert!(said.starts_with("Working"), "{said}");
    process
}

/// Two workers share the sweeps of six cells; one is killed in the middle of its work, and nothing is lost.
#[tokio::test(flavor = "multi_thread")]
async fn of_two_workers_one_is_killed_and_the_other_takes_up_its_sweep() {
    let database = cluster::database();
    let server = Killed::start_with(&database, &["--no-worker"]);
    let zip = crate::support::demo().to_zip().expect("a zip");
    let mut cells = Vec::new();
    for _ in 0..6 {
        let form = Form::new().part("file", Part::bytes(zip.clone()).file_name("demo.zip"));
        let made = json_of(
            Client::new()
                .post(format!("{}/api/cells", server.url))
                .multipart(form),
        )
        .await;
        cells.push(
            made.expect("stored")["id"]
                .as_str()
                .expect("an id")
                .to_owned(),
        );
    }
    for id in &cells {
        let sweep = format!("{}/api/cells/{id}/sweep", server.url);
        json_of(Client::new().post(&sweep))
            .await
            .expect("it is wanted");
        let last = json_of(Client::new().get(&sweep)).await.expect("an answer");
        assert_eq!(
            last["running"]["waiting"],
            json!(true),
            "nobody works yet: {last}"
        );
    }
    let (mut first, mut second) = (worker(&database), worker(&database));
    let sweeping = async |id: &String| {
        let last = json_of(Client::new().get(format!("{}/api/cells/{id}/sweep", server.url))).await;
        last.expect("an answer")["running"]["waiting"] == json!(false)
    };
    // Killed while both have taken something up.
    crate::support::eventually("two are taken up at a time", async || {
        let mut taken = 0;
        for id in &cells {
            taken += usize::from(sweeping(id).await);
        }
        taken == 2
    })
    .await;
    first.kill().expect("killed");
    first.wait().expect("gone");
    for id in &cells {
        ends_well(&server, id).await;
    }
    second.kill().expect("killed");
    second.wait().expect("gone");
}

/// Two workers share the variants of a cell; one is killed in the middle of one, and the table is filled all the same.
#[tokio::test(flavor = "multi_thread")]
async fn a_table_of_variants_is_filled_by_two_workers_one_of_which_is_killed() {
    let database = cluster::database();
    let server = Killed::start_with(&database, &["--no-worker"]);
    let zip = crate::support::demo().to_zip().expect("a zip");
    let form = Form::new().part("file", Part::bytes(zip).file_name("demo.zip"));
    let made = json_of(
        Client::new()
            .post(format!("{}/api/cells", server.url))
            .multipart(form),
    );
    let made = made.await.expect("stored");
    let id = made["id"].as_str().expect("an id");
    let url = format!("{}/api/cells/{id}/variants", server.url);
    let along = json!([{"axis": "x", "from": 0, "to": 50, "count": 5}, {"axis": "turn", "from": -10, "to": 10, "count": 4}]);
    let wanted = json!({"time_s": 0, "items": ["clamp-a2"], "along": along});
    let asked = Client::new().post(format!("{url}/series")).json(&wanted);
    let added = json_of(asked).await.expect("they are added");
    let all = added.as_array().expect("a table");
    assert!(all.len() == 20 && all.iter().all(|v| v["wanted"] == json!(true)));
    let (mut first, mut second) = (worker(&database), worker(&database));
    let told = async || json_of(Client::new().get(&url)).await.expect("a table");
    let count = |table: &Value, key: &str| {
        let all = table.as_array().expect("a table").iter();
        all.filter(|v| v[key] == json!(true)).count()
    };
    crate::support::eventually("two are taken up at a time", async || {
        count(&told().await, "begun") == 2
    })
    .await;
    first.kill().expect("killed");
    first.wait().expect("gone");
    crate::support::eventually("all are swept", async || {
        count(&told().await, "wanted") == 0
    })
    .await;
    let table = told().await;
    assert_eq!(count(&table, "fresh"), 20, "{table}");
    for variant in table.as_array().expect("a table") {
        let found = &variant["outcome"];
        assert!(
            found["outcome"] == "swept" && found["pairs"].as_u64() > Some(1000),
            "{variant}"
        );
    }
    second.kill().expect("killed");
    second.wait().expect("gone");
}

//! A server of its own for each test, on a database of its own.
#![allow(dead_code)]

#[path = "../../../selvik-store/tests/support/mod.rs"]
pub mod cluster;

pub mod browser;
pub mod pixels;

use std::sync::LazyLock;

use selvik_cell::Workcell;
use selvik_formats::PackageFiles;
use selvik_server::{AllowedHosts, App, Settings, serve};
use selvik_store::Store;
use tokio_util::sync::CancellationToken;

/// The demo cell, made once for all tests.
pub fn demo() -> PackageFiles {
    static DEMO: LazyLock<PackageFiles> = LazyLock::new(selvik_demo::demo_package);
    DEMO.clone()
}

/// The demo cell without clearance rules and without the bars of its fence: nothing to sweep and less than
/// half to draw, for tests of looking.
pub fn demo_without_rules() -> PackageFiles {
    let mut files = demo();
    let mut document = selvik_cell::document::read_document(&files).expect("readable");
    document.rules.clear();
    for item in document
        .items
        .iter_mut()
        .filter(|i| i.parent.as_deref() == Some("fence"))
    {
        item.bodies.clear();
    }
    files
        .insert(
            "cell.json",
            selvik_cell::document::write_document(&document),
        )
        .expect("a plain name");
    files
}

/// A cell of boxes that is quick to draw: a table that carries a fixture with two clamps, a post, a frame.
pub fn small_cell() -> PackageFiles {
    let text = r#"{"format": "selvik-cell/1", "name": "Small cell", "items": [
        {"id": "table", "name": "Table", "role": "structure", "pose": {"xyz_mm": [0, 0, 400]}, "bodies": [{"shape": {"box": {"size_mm": [1200, 800, 40]}}}]},
        {"id": "fixture", "name": "Fixture", "role": "fixture", "parent": "table", "pose": {"xyz_mm": [-300, 0, 60], "rpy_deg": [0, 0, 90]},
         "bodies": [{"shape": {"box": {"size_mm": [300, 300, 80]}}}]},
        {"id": "clamp-1", "name": "Clamp 1", "role": "fixture", "parent": "fixture", "pose": {"xyz_mm": [0, 100, 80]}, "bodies": [{"shape": {"box": {"size_mm": [60, 60, 80]}}}]},
        {"id": "clamp-2", "name": "Clamp 2", "role": "fixture", "parent": "fixture", "pose": {"xyz_mm": [0, -100, 80]}, "bodies": [{"shape": {"box": {"size_mm": [60, 60, 80]}}}]},
        {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [600, 700, 500]}, "bodies": [{"shape": {"cylinder": {"radius_mm": 60, "length_mm": 1000}}}]},
        {"id": "datum", "name": "Datum", "role": "frame", "parent": "table", "pose": {"xyz_mm": [0, 0, 20]}}],
      "rules": [{"id": "r", "name": "Clamps to post", "between": ["clamp-1", "clamp-2"], "and": ["post"], "required_mm": 10, "tight_below_mm": 20}]}"#;
    let mut files = PackageFiles::default();
    files
        .insert("cell.json", text.as_bytes().to_vec())
        .expect("a plain name");
    files
}

/// Waits until something has come true; for a minute at most.
pub async fn eventually(what: &str, mut is: impl AsyncFnMut() -> bool) {
    let start = std::time::Instant::now();
    while !is().await {
        assert!(
            start.elapsed() < std::time::Duration::from_secs(60),
            "it never came true: {what}"
        );
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
}

/// A running server that works on its jobs itself.
pub struct Server {
    /// `http://127.0.0.1:PORT`
    pub url: String,
    /// Its database.
    pub store: Store,
    stop: CancellationToken,
}

impl Drop for Server {
    fn drop(&mut self) {
        self.stop.cancel();
    }
}

impl Server {
    /// Starts one with the demo cell in it; its id.
    pub async fn with_demo() -> (Self, String) {
        let server = Self::start().await;
        let id = server.with(&demo()).await;
        (server, id)
    }

    /// Starts one with an empty database.
    pub async fn start() -> Self {
        Self::on(
            Store::open_up_to_date(&cluster::database())
                .await
                .expect("a database"),
        )
        .await
    }

    /// Another one on the same database.
    pub async fn beside(&self) -> Self {
        Self::on(self.store.clone()).await
    }

    async fn on(store: Store) -> Self {
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0")
            .await
            .expect("a free port");
        let url = format!("http://{}", listener.local_addr().expect("an address"));
        let stop = CancellationToken::new();
        let app = App::new(store.clone(), Settings::default(), stop.clone())
            .await
            .expect("an application");
        tokio::spawn(app.clone().work(stop.clone()));
        tokio::spawn(serve(
            listener,
            app.router(AllowedHosts::default()),
            stop.clone(),
        ));
        Self { url, store, stop }
    }

    /// Stores a package and returns the cell's id.
    pub async fn with(&self, package: &PackageFiles) -> String {
        let document = Workcell::read(package).expect("readable").document;
        self.store
            .create(&document, package)
            .await
            .expect("stored")
            .to_string()
    }

    /// Sends JSON to a path: the status, and the JSON that came back.
    pub async fn post(&self, path: &str, body: serde_json::Value) -> (u16, serde_json::Value) {
        let request = reqwest::Client::new()
            .post(format!("{}{path}", self.url))
            .json(&body);
        let answer = request.send().await.expect("an answer");
        (
            answer.status().as_u16(),
            answer.json().await.unwrap_or_default(),
        )
    }

    /// Sweeps a cell as it is, and waits until it has ended: what it found, with the fingerprint of the model.
    pub async fn swept(&self, id: &str) -> serde_json::Value {
        let sweep = format!("/api/cells/{id}/sweep");
        let (status, said) = self.post(&sweep, serde_json::json!({})).await;
        assert_eq!(status, 202, "{said}");
        eventually("the sweep has ended", async || {
            let last = self.get(&sweep).await;
            last["fresh"] == true && last["running"].is_null()
        })
        .await;
        let of = self.get(&sweep).await["fingerprint"].clone();
        let fingerprint = of.as_str().expect("it was swept");
        let found = format!("/api/cells/{id}/findings?fingerprint={fingerprint}");
        let mut found = self.get(&found).await;
        found["fingerprint"] = of;
        found
    }

    /// The JSON at a path.
    pub async fn get(&self, path: &str) -> serde_json::Value {
        reqwest::get(format!("{}{path}", self.url))
            .await
            .expect("an answer")
            .json()
            .await
            .expect("JSON")
    }
}

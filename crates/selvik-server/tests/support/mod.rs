//! A server of its own for each test, on a database of its own.
#![allow(dead_code)]

#[path = "../../../selvik-store/tests/support/mod.rs"]
mod cluster;

pub mod browser;

use selvik_formats::Workcell;
use selvik_formats::package::PackageFiles;
use selvik_server::{AllowedHosts, App};
use selvik_store::Store;

/// The demo cell without clearance rules: nothing to sweep, for tests of looking.
pub fn demo_without_rules() -> PackageFiles {
    let mut files = selvik_demo::demo_package();
    let mut document = selvik_formats::package::read_document(&files).expect("readable");
    document.rules.clear();
    files.insert("cell.json", selvik_formats::package::write_document(&document)).expect("a plain name");
    files
}

/// A running server.
pub struct Server {
    /// `http://127.0.0.1:PORT`
    pub url: String,
    /// Its database.
    pub store: Store,
}

impl Server {
    /// Starts one with an empty database.
    pub async fn start() -> Self {
        let store = Store::open(&cluster::database()).await.expect("a database");
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("a free port");
        let url = format!("http://{}", listener.local_addr().expect("an address"));
        let router = App::new(store.clone()).router(AllowedHosts::default());
        tokio::spawn(async move { axum::serve(listener, router).await });
        Self { url, store }
    }

    /// Stores a package and returns the cell's id.
    pub async fn with(&self, package: &PackageFiles) -> String {
        let document = Workcell::read(package).expect("readable").document;
        self.store.create(&document, package).await.expect("stored").to_string()
    }

    /// The JSON at a path.
    pub async fn get(&self, path: &str) -> serde_json::Value {
        reqwest::get(format!("{}{path}", self.url)).await.expect("an answer").json().await.expect("JSON")
    }
}

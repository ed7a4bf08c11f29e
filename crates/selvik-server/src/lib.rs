//! The server: API, live socket, jobs and the built front end.
//!
//! Knows the job only through the core: every number it answers with is computed there.

mod api;
mod error;
mod guard;
mod imports;
mod jobs;
mod live;
mod open_cell;
mod pages;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use axum::Router;
use selvik_store::Store;
use tower_http::compression::{CompressionLayer, CompressionLevel};
use uuid::Uuid;

pub use api::openapi;
pub use guard::AllowedHosts;
use imports::Imports;
use jobs::Jobs;
use live::Live;
use open_cell::OpenCell;

/// What all requests share.
#[derive(Clone)]
pub struct App {
    store: Store,
    open: Arc<Mutex<HashMap<Uuid, Arc<OpenCell>>>>,
    /// Whose turn it is to change a cell.
    turns: Arc<Mutex<HashMap<Uuid, Arc<tokio::sync::Mutex<()>>>>>,
    jobs: Jobs,
    imports: Imports,
    live: Live,
}

impl App {
    /// An application on the cells of `store`.
    #[must_use]
    pub fn new(store: Store) -> Self {
        Self {
            store,
            open: Arc::default(),
            turns: Arc::default(),
            jobs: Jobs::default(),
            imports: Imports::default(),
            live: Live::default(),
        }
    }

    /// The turn to change a cell.
    fn turn(&self, id: Uuid) -> Arc<tokio::sync::Mutex<()>> {
        Arc::clone(self.turns.lock().expect("not poisoned").entry(id).or_default())
    }

    /// Everything the server answers to.
    pub fn router(self, hosts: AllowedHosts) -> Router {
        let (api, _) = api::router().split_for_parts();
        api.route("/api/live", axum::routing::any(live::socket))
            .fallback(pages::page)
            .layer(axum::extract::DefaultBodyLimit::max(1 << 30))
            // Meshes are many megabytes and the way is short: a little smaller at once is better than small later.
            .layer(CompressionLayer::new().quality(CompressionLevel::Fastest))
            .layer(axum::middleware::from_fn_with_state(hosts, guard::guard))
            .with_state(self)
    }
}

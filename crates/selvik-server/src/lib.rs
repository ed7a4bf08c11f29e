//! The server: API, live socket, jobs and the built front end.
//!
//! Knows the job only through the core: every number it answers with is computed there.

mod api;
mod edges;
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
use axum::extract::State;
use selvik_store::Store;
use tower_http::compression::{CompressionLayer, CompressionLevel};
use tower_http::request_id::{MakeRequestUuid, PropagateRequestIdLayer, SetRequestIdLayer};
use tower_http::trace::TraceLayer;
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

    /// Ends all sweeps, as before the server does; they are said to be lost.
    pub fn stop_work(&self) {
        self.jobs.close();
    }

    /// The turn to change a cell.
    fn turn(&self, id: Uuid) -> Arc<tokio::sync::Mutex<()>> {
        Arc::clone(self.turns.lock().expect("not poisoned").entry(id).or_default())
    }

    /// Everything the server answers to.
    pub fn router(self, hosts: AllowedHosts) -> Router {
        let (api, description) = api::router().split_for_parts();
        let described = axum::Json(description);
        api.route("/api/live", axum::routing::any(live::socket))
            .route("/api/openapi.json", axum::routing::get(move || async { described }))
            .route("/healthz", axum::routing::get(health))
            .fallback(pages::page)
            // Reads what is said, which must not be compressed yet.
            .layer(axum::middleware::from_fn(edges::tell))
            // Meshes are many megabytes and the way is short: a little smaller at once is better than small later.
            .layer(CompressionLayer::new().quality(CompressionLevel::Fastest))
            .layer(axum::middleware::from_fn_with_state(hosts, guard::guard))
            .layer(TraceLayer::new_for_http())
            .layer(PropagateRequestIdLayer::new(edges::REQUEST_ID))
            .layer(SetRequestIdLayer::new(edges::REQUEST_ID, MakeRequestUuid))
            .with_state(self)
    }
}

/// Whether the server and its database answer.
async fn health(State(app): State<App>) -> Result<&'static str, error::Problem> {
    app.store.answers().await?;
    Ok("the server and its database answer\n")
}

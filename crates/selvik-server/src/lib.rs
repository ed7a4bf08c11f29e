//! The server: API, live socket, jobs and the built front end.
//!
//! Knows the job only through the core: every number it answers with is computed there.

mod api;
mod background;
mod cells;
mod edges;
mod error;
mod guard;
mod imports;
mod jobs;
mod limits;
mod live;
mod metrics;
mod pages;
mod serve;

pub use api::openapi;
use axum::Router;
use axum::extract::State;
pub use background::Background;
use cells::Cells;
pub use guard::AllowedHosts;
use imports::Imports;
use jobs::Jobs;
use live::Live;
use selvik_store::{Store, StoreError};
pub use serve::serve;
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;
use tower_http::compression::{CompressionLayer, CompressionLevel};
use tower_http::request_id::{MakeRequestUuid, PropagateRequestIdLayer, SetRequestIdLayer};
use tower_http::trace::TraceLayer;

/// What a server may take.
#[derive(Debug, Clone, Copy)]
pub struct Settings {
    /// Cells are kept in memory up to this.
    pub cells_mib: u64,
}

impl Default for Settings {
    fn default() -> Self {
        Self { cells_mib: 1024 }
    }
}

/// What all requests share.
#[derive(Clone)]
pub struct App {
    store: Store,
    cells: Cells,
    findings: api::FindingsRead,
    jobs: Jobs,
    background: Background,
    imports: Imports,
    live: Live,
    /// When the server is to end.
    stop: CancellationToken,
    /// What goes on though whoever asked has left.
    tasks: TaskTracker,
}

impl std::fmt::Debug for App {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("App").finish_non_exhaustive()
    }
}

impl App {
    /// An application on the cells of `store`, until `stop`.
    ///
    /// # Errors
    /// [`StoreError::Database`] when the tables of the queue can't be made.
    ///
    /// # Panics
    /// Outside a Tokio runtime, or where the system gives no threads.
    pub async fn new(
        store: Store,
        settings: Settings,
        stop: CancellationToken,
    ) -> Result<Self, StoreError> {
        let jobs = Jobs::of(&store)?;
        jobs.migrate().await?;
        let app = Self {
            cells: Cells::new(store.clone(), settings.cells_mib),
            findings: api::FindingsRead::default(),
            jobs,
            background: Background::new().expect("threads"),
            imports: Imports::default(),
            live: Live::over(store.clone(), stop.clone()),
            stop: stop.clone(),
            tasks: TaskTracker::new(),
            store,
        };
        tokio::spawn(app.clone().hear(stop));
        Ok(app)
    }

    /// Waits until nothing goes on any more.
    pub async fn ended(&self) {
        self.tasks.close();
        self.tasks.wait().await;
    }

    /// Everything the server answers to.
    pub fn router(self, hosts: AllowedHosts) -> Router {
        let (api, description) = api::described();
        let described = axum::Json(description);
        api.route("/api/live", axum::routing::any(live::socket))
            .route(
                "/api/cells/{id}/jogging",
                axum::routing::any(api::jogging::socket),
            )
            .route(
                "/api/openapi.json",
                axum::routing::get(move || async { described }),
            )
            .route("/healthz", axum::routing::get(health))
            .route("/metrics", axum::routing::get(metrics::tell))
            .fallback(pages::page)
            // By route: the path that matched is known only inside.
            .route_layer(axum::middleware::from_fn(metrics::count))
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

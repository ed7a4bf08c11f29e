//! What the server does, in numbers, for Prometheus.

use std::sync::OnceLock;
use std::time::Instant;

use axum::extract::{MatchedPath, Request, State};
use axum::http::header;
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use metrics_exporter_prometheus::{Matcher, PrometheusBuilder, PrometheusHandle};

use crate::App;
use crate::cells::READ;

/// Answers are sorted by how long they took into these, s.
const TIMES: [f64; 9] = [0.001, 0.005, 0.02, 0.05, 0.1, 0.5, 2.0, 10.0, 60.0];

const REQUESTS: &str = "selvik_requests_total";
const SECONDS: &str = "selvik_request_seconds";

/// One recorder a process, whatever servers it runs.
fn recorder() -> &'static PrometheusHandle {
    static HANDLE: OnceLock<PrometheusHandle> = OnceLock::new();
    HANDLE.get_or_init(|| {
        let seconds = Matcher::Full(SECONDS.to_owned());
        let builder = PrometheusBuilder::new().set_buckets_for_metric(seconds, &TIMES);
        let handle = builder
            .expect("there are buckets")
            .install_recorder()
            .expect("the only one");
        metrics::describe_counter!(REQUESTS, "Requests answered, by method, route and status");
        metrics::describe_histogram!(SECONDS, "How long answers took, by route");
        metrics::describe_gauge!("selvik_pages", "Open pages that listen");
        metrics::describe_gauge!("selvik_cells_open", "Cells in memory");
        metrics::describe_counter!(READ, "Cells read from the database");
        metrics::describe_gauge!("selvik_cells_kib", "What they hold, KiB");
        metrics::describe_gauge!("selvik_jobs_here", "Jobs this server works on");
        metrics::describe_gauge!(
            "selvik_imports",
            "Imports that are kept until they are stored"
        );
        handle
    })
}

/// Counts answers and their times.
pub async fn count(request: Request, next: Next) -> Response {
    recorder();
    let path = request
        .extensions()
        .get::<MatchedPath>()
        .map_or("", MatchedPath::as_str)
        .to_owned();
    let method = request.method().to_string();
    let start = Instant::now();
    let response = next.run(request).await;
    let status = response.status().as_u16().to_string();
    metrics::counter!(REQUESTS, "method" => method, "route" => path.clone(), "status" => status)
        .increment(1);
    metrics::histogram!(SECONDS, "route" => path).record(start.elapsed().as_secs_f64());
    response
}

/// All numbers, as text.
pub async fn tell(State(app): State<App>) -> impl IntoResponse {
    let handle = recorder();
    let (cells, kib) = app.cells.size();
    metrics::gauge!("selvik_pages").set(app.live.pages() as f64);
    metrics::gauge!("selvik_cells_open").set(cells as f64);
    metrics::gauge!("selvik_cells_kib").set(kib as f64);
    metrics::gauge!("selvik_jobs_here").set(app.jobs.running_here() as f64);
    metrics::gauge!("selvik_imports").set(app.imports.count() as f64);
    (
        [(header::CONTENT_TYPE, "text/plain; version=0.0.4")],
        handle.render(),
    )
}

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use selvik_core::cell::ItemId;
use selvik_core::reach::ReachLine;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::error::Problem;
use crate::jobs::{Findings, RunningJob};

/// A job that was asked for.
#[derive(Serialize, ToSchema)]
pub struct Started {
    job: Uuid,
}

/// Starts a sweep of the run plan.
#[utoipa::path(post, path = "/api/cells/{id}/sweep", params(("id" = Uuid, Path)),
    responses((status = 202, body = Started), (status = 422, body = Problem)))]
pub async fn start_sweep(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<(StatusCode, Json<Started>), Problem> {
    let cell = app.cell(id).await?;
    let job = app.start_sweep(id, cell)?;
    Ok((StatusCode::ACCEPTED, Json(Started { job })))
}

/// The last finished sweep, and the one under way.
#[derive(Serialize, ToSchema)]
pub struct LastSweep {
    /// `false` when the model has changed since.
    fresh: bool,
    /// The fingerprint of the model that it was made of.
    fingerprint: Option<String>,
    /// What it found; absent when there was none.
    findings: Option<Findings>,
    /// The sweep that runs now, if one does.
    running: Option<RunningJob>,
    /// Whether a sweep was begun that neither ended nor runs: it died with its server, or what it found could not be kept.
    lost: bool,
    /// Whether there are findings of an earlier build that this one can't read.
    unreadable: bool,
}

/// What the last finished sweep found.
#[utoipa::path(get, path = "/api/cells/{id}/sweep", params(("id" = Uuid, Path)), responses((status = 200, body = LastSweep)))]
pub async fn last_sweep(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<LastSweep>, Problem> {
    let cell = app.cell(id).await?;
    // Asked first: a sweep that ends in between is then told over the socket.
    let running = app.jobs.of_cell(id);
    let kept = app.store.last_sweep(id).await?;
    let lost = running.is_none() && app.store.sweeping_since(id).await?.is_some();
    let (fingerprint, report) = kept.map(|k| (k.fingerprint, k.report)).unzip();
    let fresh = fingerprint.as_ref() == Some(&cell.fingerprint);
    let kept = report.is_some();
    let findings: Option<Findings> = report.and_then(|report| serde_json::from_value(report).ok());
    let unreadable = kept && findings.is_none();
    Ok(Json(LastSweep { fresh, fingerprint, findings, running, lost, unreadable }))
}

/// Stops a job.
#[utoipa::path(delete, path = "/api/jobs/{job}", params(("job" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn stop_job(State(app): State<App>, Path(job): Path<Uuid>) -> Result<StatusCode, Problem> {
    if app.jobs.stop(job) { Ok(StatusCode::NO_CONTENT) } else { Err(Problem::missing("that job is over")) }
}

/// From which item's frame to which.
#[derive(Deserialize, IntoParams)]
pub struct ReachQuery {
    from: String,
    to: String,
}

/// A reach along the path.
#[derive(Serialize, ToSchema)]
pub struct ReachSeries {
    /// Seconds between values.
    step_s: f64,
    straight_mm: Vec<f64>,
    horizontal_mm: Vec<f64>,
    vertical_mm: Vec<f64>,
}

/// Values a second in a reach series, and how many there are at most: of a longer path fewer a second.
const RATE_HZ: f64 = 50.0;
const MOST: f64 = 30_000.0;

/// The distance between two frames along the path, 50 a second.
#[utoipa::path(get, path = "/api/cells/{id}/reach", params(("id" = Uuid, Path), ReachQuery),
    responses((status = 200, body = ReachSeries), (status = 404, body = Problem)))]
pub async fn reach(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<ReachQuery>,
) -> Result<Json<ReachSeries>, Problem> {
    let cell = app.cell(id).await?;
    let assembly = &cell.workcell.assembly;
    let node = |id: &str| {
        let position = assembly.cell().position(&ItemId(id.to_owned()));
        let missing = || Problem::missing(format!("there is no item \"{id}\""));
        Ok::<_, Problem>(assembly.item_node(position.ok_or_else(missing)?))
    };
    let line = ReachLine { from: node(&query.from)?, to: node(&query.to)? };
    let duration = cell.path.as_ref().map_or(0.0, selvik_core::program::Path::duration);
    let step_s = (duration / MOST).max(1.0 / RATE_HZ);
    let steps = (duration / step_s).ceil() as usize;
    let reaches: Vec<_> =
        (0..=steps).map(|i| line.at(assembly, &cell.joints_at(Some(i as f64 * step_s)))).collect();
    Ok(Json(ReachSeries {
        step_s,
        straight_mm: reaches.iter().map(|r| r.straight * 1e3).collect(),
        horizontal_mm: reaches.iter().map(|r| r.horizontal * 1e3).collect(),
        vertical_mm: reaches.iter().map(|r| r.vertical * 1e3).collect(),
    }))
}

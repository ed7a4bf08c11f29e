//! Numbers along the path, and what can be reached.

use axum::Json;
use axum::extract::{Path, Query, State};
use selvik_cell::measuring::AlongWanted;
use selvik_cell::reach::{OutlineAnswer, OutlineWanted, ReachWanted};
use selvik_cell::series::SeriesAnswer;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::jogging::WithJoints;
use crate::App;
use crate::error::Problem;

/// What was picked, along the path: of one thing how far and how fast it travels, of two what lies between them, with the
/// smallest and largest value bracketed.
#[utoipa::path(post, path = "/api/cells/{id}/along", params(("id" = Uuid, Path)), request_body = AlongWanted,
    responses((status = 200, body = SeriesAnswer)))]
pub async fn measured_along(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<AlongWanted>,
) -> Result<Json<SeriesAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        selvik_cell::measuring::measured_along(&cell.workcell, &cell.shown, &request)
    });
    Ok(Json(found.await??))
}

/// The reach of a robot along the path: how much of it is used, how near joints come to their limits, how near it comes to a
/// singularity, how far its TCP is from where it stands.
#[utoipa::path(post, path = "/api/cells/{id}/reach-along", params(("id" = Uuid, Path)), request_body = ReachWanted,
    responses((status = 200, body = SeriesAnswer)))]
pub async fn reach_along(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ReachWanted>,
) -> Result<Json<SeriesAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        selvik_cell::reach::reach_along(&cell.workcell, &cell.shown, &request)
    });
    Ok(Json(found.await??))
}

/// An instant of the path.
#[derive(Deserialize, IntoParams)]
pub struct Instant {
    time_s: f64,
}

/// The knots before and after an instant: between two of them every joint goes straight.
#[derive(Serialize, ToSchema)]
pub struct KnotsAbout {
    before_s: Option<f64>,
    after_s: Option<f64>,
}

/// Knots nearer than this are where one stands, s.
const SAME_S: f64 = 1e-6;

/// The knots before and after an instant.
#[utoipa::path(get, path = "/api/cells/{id}/knots", params(("id" = Uuid, Path), Instant),
    responses((status = 200, body = KnotsAbout)))]
pub async fn knots_about(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(Instant { time_s }): Query<Instant>,
) -> Result<Json<KnotsAbout>, Problem> {
    let cell = app.cells.get(id).await?;
    let knots = cell.shown.knots();
    let before = knots.partition_point(|&t| t < time_s - SAME_S);
    let after = knots.partition_point(|&t| t <= time_s + SAME_S);
    Ok(Json(KnotsAbout {
        before_s: before.checked_sub(1).map(|at| knots[at]),
        after_s: knots.get(after).copied(),
    }))
}

/// Which outline is wanted, and when.
#[derive(Deserialize, ToSchema)]
pub struct OutlineRequest {
    #[serde(flatten)]
    wanted: OutlineWanted,
    #[serde(flatten)]
    with: WithJoints,
}

/// The outline of what a robot can reach in a plane.
#[utoipa::path(post, path = "/api/cells/{id}/reach-outline", params(("id" = Uuid, Path)), request_body = OutlineRequest,
    responses((status = 200, body = OutlineAnswer)))]
pub async fn reach_outline(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<OutlineRequest>,
) -> Result<Json<OutlineAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(selvik_cell::reach::reach_outline(&asked, &request.wanted)?)
    });
    Ok(Json(found.await??))
}

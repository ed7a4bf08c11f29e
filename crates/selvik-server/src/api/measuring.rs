use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use selvik_cell::document::PickDocument;
use selvik_cell::measuring::{
    KeptFinding, Known, Measured, Measuring, Near, Picked, findings_csv, kept_findings, measure,
    nearest, snap,
};
use selvik_cell::overlaps::{Overlaps, OverlapsWanted, overlaps};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::jogging::WithJoints;
use super::waiting::Waiting;
use crate::App;
use crate::error::Problem;

/// Where the pointer meets a body, and when.
#[derive(Deserialize, ToSchema)]
pub struct PickRequest {
    #[serde(flatten)]
    picked: Picked,
    /// Id of the item in whose frame coordinates are told; the world's where absent.
    #[serde(default)]
    frame: Option<String>,
    #[serde(flatten)]
    with: WithJoints,
}

/// What is meant there.
#[derive(Serialize, ToSchema)]
pub struct PickAnswer {
    pick: PickDocument,
    known: Known,
}

/// What is meant where the pointer meets a body: a corner or an edge near it, else the face; and what is known of it.
#[utoipa::path(post, path = "/api/cells/{id}/pick", params(("id" = Uuid, Path)), request_body = PickRequest,
    responses((status = 200, body = PickAnswer)))]
pub async fn pick(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<PickRequest>,
) -> Result<Json<PickAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        let pick = snap(&asked, &request.picked)?;
        let wanted = Measuring {
            picks: vec![pick.clone()],
            frame: request.frame,
            volumes: false,
        };
        let mut measured = measure(&asked, &wanted)?;
        let known = measured.known.remove(0);
        Ok::<_, Problem>(PickAnswer { pick, known })
    });
    Ok(Json(found.await??))
}

/// What is to be measured, and when.
#[derive(Deserialize, ToSchema)]
pub struct MeasureRequest {
    #[serde(flatten)]
    wanted: Measuring,
    #[serde(flatten)]
    with: WithJoints,
}

/// All that is known of one thing that was picked, and what lies between two.
#[utoipa::path(post, path = "/api/cells/{id}/measure", params(("id" = Uuid, Path)), request_body = MeasureRequest,
    responses((status = 200, body = Measured)))]
pub async fn measure_picked(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<MeasureRequest>,
) -> Result<Json<Measured>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(measure(&asked, &request.wanted)?)
    });
    Ok(Json(found.await??))
}

/// What is to have its neighbours told, and when.
#[derive(Deserialize, ToSchema)]
pub struct NearestRequest {
    pick: PickDocument,
    #[serde(flatten)]
    with: WithJoints,
}

/// So many neighbours are told.
const NEIGHBOURS: usize = 6;

/// The bodies of other items nearest to what was picked, nearest first; those that touch it among them.
#[utoipa::path(post, path = "/api/cells/{id}/nearest", params(("id" = Uuid, Path)), request_body = NearestRequest,
    responses((status = 200, body = [Near])))]
pub async fn nearest_to(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<NearestRequest>,
) -> Result<Json<Vec<Near>>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(nearest(&asked, &request.pick, NEIGHBOURS)?)
    });
    Ok(Json(found.await??))
}

/// All kept findings, worked out anew: what is found now, what differs, what is gone.
#[utoipa::path(get, path = "/api/cells/{id}/kept-findings", params(("id" = Uuid, Path)),
    responses((status = 200, body = [KeptFinding])))]
pub async fn kept(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<KeptFinding>>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || kept_findings(&cell.workcell, &cell.shown));
    Ok(Json(found.await?))
}

/// The same as CSV, a row for each number.
#[utoipa::path(get, path = "/api/cells/{id}/kept-findings.csv", params(("id" = Uuid, Path)),
    responses((status = 200, body = String, content_type = "text/csv")))]
pub async fn kept_csv(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<impl IntoResponse, Problem> {
    let cell = app.cells.get(id).await?;
    let text = tokio::task::spawn_blocking(move || findings_csv(&cell.workcell, &cell.shown));
    let kind = (header::CONTENT_TYPE, "text/csv; charset=utf-8");
    let name = (
        header::CONTENT_DISPOSITION,
        "attachment; filename=\"findings.csv\"",
    );
    Ok(([kind, name], text.await??))
}

/// Among what overlaps are looked for, and when.
#[derive(Deserialize, ToSchema)]
pub struct OverlapsRequest {
    #[serde(flatten)]
    wanted: OverlapsWanted,
    #[serde(flatten)]
    with: WithJoints,
}

/// What touches and overlaps where everything stands: how deep, how much, in which lines; what may touch is left out by name.
#[utoipa::path(post, path = "/api/cells/{id}/overlaps", params(("id" = Uuid, Path)), request_body = OverlapsRequest,
    responses((status = 200, body = Overlaps)))]
pub async fn overlapping(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<OverlapsRequest>,
) -> Result<Json<Overlaps>, Problem> {
    let cell = app.cells.get(id).await?;
    let waiting = Waiting::default();
    let progress = Arc::clone(&waiting.0);
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(overlaps(&asked, &request.wanted, &progress)?)
    });
    Ok(Json(found.await??))
}

//! What rules come to: which decides and why, who is measured against whom, what touches by the way it is built.

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::against::{Against, against};
use selvik_cell::ruling::{Ruling, TouchingPair, ruling, touching};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::error::Problem;

/// Which two are asked about.
#[derive(Deserialize, ToSchema)]
pub struct RulingRequest {
    /// Id of an item, or `item/link`.
    a: String,
    /// The other.
    b: String,
}

/// Which rule decides between two items, and why.
#[utoipa::path(post, path = "/api/cells/{id}/ask/rule", params(("id" = Uuid, Path)), request_body = RulingRequest,
    responses((status = 200, body = [Ruling])))]
pub async fn rule_between(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<RulingRequest>,
) -> Result<Json<Vec<Ruling>>, Problem> {
    let cell = app.cells.get(id).await?;
    let RulingRequest { a, b } = request;
    let told = tokio::task::spawn_blocking(move || ruling(&cell.workcell, &a, &b));
    Ok(Json(told.await??))
}

/// Pairs under a rule that are joined rigidly and touch: suggestions of what may touch.
#[utoipa::path(get, path = "/api/cells/{id}/touching", params(("id" = Uuid, Path)),
    responses((status = 200, body = [TouchingPair])))]
pub async fn touching_pairs(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<TouchingPair>>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || touching(&cell.workcell, cell.pairs()));
    Ok(Json(found.await?))
}

/// Who is measured against whom: a table of things against things.
#[utoipa::path(get, path = "/api/cells/{id}/against", params(("id" = Uuid, Path)),
    responses((status = 200, body = Against)))]
pub async fn measured_against(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Against>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || against(&cell.workcell, &cell.shown));
    Ok(Json(found.await?))
}

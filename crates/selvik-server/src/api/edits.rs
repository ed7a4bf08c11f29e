//! Changes of a cell, one step at a time.

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::edit::{Consequences, Edit, consequences};
use selvik_store::Walk;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::cell_detail::{CellDetail, detail};
use crate::App;
use crate::cells::Brought;
use crate::error::Problem;

/// An edit and the revision it was made looking at.
#[derive(Deserialize, ToSchema)]
pub struct EditRequest {
    base_revision: i64,
    edit: Edit,
}

/// Changes a cell.
#[utoipa::path(post, path = "/api/cells/{id}/edits", params(("id" = Uuid, Path)), request_body = EditRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn edit_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<EditRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let cell = app
        .commit(id, request.base_revision, request.edit, Brought::default())
        .await?;
    detail(&app, id, &cell).await
}

/// Items by their ids.
#[derive(Deserialize, ToSchema)]
pub struct SomeItems {
    items: Vec<String>,
}

/// What would go if items were deleted.
#[utoipa::path(post, path = "/api/cells/{id}/consequences", params(("id" = Uuid, Path)), request_body = SomeItems,
    responses((status = 200, body = Consequences)))]
pub async fn deletion(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<SomeItems>,
) -> Result<Json<Consequences>, Problem> {
    let cell = app.cells.get(id).await?;
    Ok(Json(consequences(&cell.workcell.document, &request.items)?))
}

/// Which step is meant.
#[derive(Deserialize, ToSchema)]
pub struct StepRequest {
    /// The revision that the edit made which is to be taken back, or done again.
    step: i64,
}

/// Takes back the last edit, if it is the one that is meant.
#[utoipa::path(post, path = "/api/cells/{id}/undo", params(("id" = Uuid, Path)), request_body = StepRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn undo(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<StepRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let cell = app.walk(id, Walk::Undo, request.step).await?;
    detail(&app, id, &cell).await
}

/// Does again what was undone last, if it is what is meant.
#[utoipa::path(post, path = "/api/cells/{id}/redo", params(("id" = Uuid, Path)), request_body = StepRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn redo(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<StepRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let cell = app.walk(id, Walk::Redo, request.step).await?;
    detail(&app, id, &cell).await
}

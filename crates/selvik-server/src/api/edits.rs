use axum::Json;
use axum::extract::{Path, State};
use selvik_formats::package::Edit;
use selvik_formats::{FormatError, Workcell};
use selvik_store::{Committed, StoreError};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::cells::{CellDetail, detail};
use crate::App;
use crate::error::Problem;
use crate::live::Event;
use crate::open_cell::{OpenCell, only_views_differ};

/// An edit and the revision it was made looking at.
#[derive(Deserialize, ToSchema)]
pub struct EditRequest {
    base_revision: i64,
    edit: Edit,
}

/// Changes a cell.
#[utoipa::path(post, path = "/api/cells/{id}/edits", params(("id" = Uuid, Path)), request_body = EditRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn edit_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<EditRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let before = app.cell(id).await?;
    let check = |document: &selvik_formats::package::CellDocument| -> Result<(), FormatError> {
        if only_views_differ(&before.workcell.document, document) {
            return before.workcell.check_views(document);
        }
        Workcell::from_document(document.clone(), &before.files).map(drop)
    };
    let committed = app.store.edit(id, request.base_revision, &request.edit, check).await;
    finish(&app, id, &before, committed).await
}

/// Takes back the last edit.
#[utoipa::path(post, path = "/api/cells/{id}/undo", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn undo(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let before = app.cell(id).await?;
    let committed = app.store.undo(id).await;
    finish(&app, id, &before, committed).await
}

/// Does again what was undone last.
#[utoipa::path(post, path = "/api/cells/{id}/redo", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn redo(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let before = app.cell(id).await?;
    let committed = app.store.redo(id).await;
    finish(&app, id, &before, committed).await
}

async fn finish(
    app: &App,
    id: Uuid,
    before: &OpenCell,
    committed: Result<Committed, StoreError>,
) -> Result<Json<CellDetail>, Problem> {
    let Committed { revision, label, document } = committed?;
    let cell = app.follow(id, before, revision, document).await?;
    app.live.tell(Event::Changed { cell: id, revision, label });
    detail(app, id, &cell).await.map(Json)
}

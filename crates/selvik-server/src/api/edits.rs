use axum::Json;
use axum::extract::{Path, State};
use selvik_formats::package::{CellDocument, Consequences, Edit, PackageFiles, consequences};
use selvik_formats::{FormatError, Workcell};
use selvik_store::{Committed, StoreError};
use serde::Deserialize;
use std::sync::Arc;
use utoipa::ToSchema;
use uuid::Uuid;

use super::cells::{CellDetail, detail};
use crate::App;
use crate::error::Problem;
use crate::live::Event;
use crate::open_cell::{Change, OpenCell, only_views_differ};

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
    app.commit(id, request.base_revision, &request.edit, Brought::default()).await.map(Json)
}

/// Items by their ids.
#[derive(Deserialize, ToSchema)]
pub struct SomeItems {
    items: Vec<String>,
}

/// What would go if items were deleted.
#[utoipa::path(post, path = "/api/cells/{id}/consequences", params(("id" = Uuid, Path)), request_body = SomeItems,
    responses((status = 200, body = Consequences), (status = 422, body = Problem)))]
pub async fn deletion(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<SomeItems>,
) -> Result<Json<Consequences>, Problem> {
    let cell = app.cell(id).await?;
    Ok(Json(consequences(&cell.workcell.document, &request.items)?))
}

/// Takes back the last edit.
#[utoipa::path(post, path = "/api/cells/{id}/undo", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 422, body = Problem)))]
pub async fn undo(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let before = app.cell(id).await?;
    let committed = app.store.undo(id).await;
    app.finish(id, &before, committed, Brought::default()).await.map(Json)
}

/// Does again what was undone last.
#[utoipa::path(post, path = "/api/cells/{id}/redo", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 422, body = Problem)))]
pub async fn redo(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let before = app.cell(id).await?;
    let committed = app.store.redo(id).await;
    app.finish(id, &before, committed, Brought::default()).await.map(Json)
}

/// What an edit brings along.
#[derive(Default)]
pub struct Brought {
    /// Files for the package.
    pub files: PackageFiles,
    /// A cell in which their geometry is read already.
    pub read: Option<Arc<Workcell>>,
}

impl App {
    /// Does an edit made looking at revision `base`: stores it, takes it into memory and tells open pages.
    pub(crate) async fn commit(
        &self,
        id: Uuid,
        base: i64,
        edit: &Edit,
        brought: Brought,
    ) -> Result<CellDetail, Problem> {
        let before = self.cell(id).await?;
        let mut files = (*before.files).clone();
        files.extend(&brought.files);
        let check = |document: &CellDocument| -> Result<(), FormatError> {
            if only_views_differ(&before.workcell.document, document) {
                return before.workcell.check_views(document);
            }
            let mut known = vec![&before.workcell];
            known.extend(brought.read.as_deref());
            Workcell::built_on(&known, document.clone(), &files).map(drop)
        };
        let committed = self.store.edit(id, base, edit, &brought.files, check).await;
        if let Err(StoreError::Conflict { .. }) = committed {
            // Whoever came before may have come by another way than this server.
            self.reopen(id).await?;
        }
        self.finish(id, &before, committed, brought).await
    }

    async fn finish(
        &self,
        id: Uuid,
        before: &Arc<OpenCell>,
        committed: Result<Committed, StoreError>,
        brought: Brought,
    ) -> Result<CellDetail, Problem> {
        let Committed { revision, label, document } = committed?;
        let change = Change { revision, document, added: brought.files, also: brought.read };
        let cell = self.follow(id, before, change).await?;
        self.live.tell(Event::Changed { cell: id, revision, label });
        detail(self, id, &cell).await
    }
}

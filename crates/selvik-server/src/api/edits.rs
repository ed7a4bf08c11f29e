use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::document::CellDocument;
use selvik_cell::edit::{Consequences, Edit, consequences};
use selvik_formats::PackageFiles;
use selvik_cell::Workcell;
use selvik_formats::FormatError;
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
    app.commit(id, request.base_revision, request.edit, Brought::default()).await.map(Json)
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

/// Which step is meant.
#[derive(Deserialize, ToSchema)]
pub struct StepRequest {
    /// The revision that the edit made which is to be taken back, or done again.
    step: i64,
}

/// Takes back the last edit, if it is the one that is meant.
#[utoipa::path(post, path = "/api/cells/{id}/undo", params(("id" = Uuid, Path)), request_body = StepRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn undo(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<StepRequest>,
) -> Result<Json<CellDetail>, Problem> {
    app.walk(id, Walk::Undo, request.step).await.map(Json)
}

/// Does again what was undone last, if it is what is meant.
#[utoipa::path(post, path = "/api/cells/{id}/redo", params(("id" = Uuid, Path)), request_body = StepRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn redo(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<StepRequest>,
) -> Result<Json<CellDetail>, Problem> {
    app.walk(id, Walk::Redo, request.step).await.map(Json)
}

enum Walk {
    Undo,
    Redo,
}

/// What an edit brings along.
#[derive(Default)]
pub struct Brought {
    /// Files for the package.
    pub files: PackageFiles,
    /// A cell in which their geometry is read already.
    pub read: Option<Arc<Workcell>>,
}

/// How often a change is checked anew because somebody on another server came before it.
const TRIES: usize = 20;

impl App {
    /// Does an edit made looking at revision `base`: stores it, takes it into memory and tells open pages, all of it even
    /// if whoever asked leaves meanwhile. Changes of one cell take turns.
    pub(crate) async fn commit(
        &self,
        id: Uuid,
        base: i64,
        edit: Edit,
        brought: Brought,
    ) -> Result<CellDetail, Problem> {
        self.commit_made(id, base, move |_| Ok(edit.clone()), brought).await
    }

    /// Does an edit that is worked out from the cell as it is when its turn comes.
    pub(crate) async fn commit_made(
        &self,
        id: Uuid,
        base: i64,
        make: impl Fn(&OpenCell) -> Result<Edit, Problem> + Send + Sync + 'static,
        brought: Brought,
    ) -> Result<CellDetail, Problem> {
        let app = self.clone();
        tokio::spawn(async move {
            let turn = app.turn(id);
            let _turn = turn.lock().await;
            app.commit_in_turn(id, base, &make, brought).await
        })
        .await?
    }

    async fn commit_in_turn(
        &self,
        id: Uuid,
        base: i64,
        make: &(impl Fn(&OpenCell) -> Result<Edit, Problem> + Send + Sync),
        brought: Brought,
    ) -> Result<CellDetail, Problem> {
        for _ in 0..TRIES {
            let before = self.cell(id).await?;
            let edit = make(&before)?;
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
            match self.store.edit(id, (base, before.revision), &edit, &brought.files, check).await {
                // Whoever came before came by another way than this server.
                Err(StoreError::Moved) => drop(self.reopen(id).await?),
                committed => return self.finish(id, &before, committed, brought).await,
            }
        }
        Err(StoreError::Moved.into())
    }

    async fn walk(&self, id: Uuid, which: Walk, step: i64) -> Result<CellDetail, Problem> {
        let app = self.clone();
        tokio::spawn(async move {
            let turn = app.turn(id);
            let _turn = turn.lock().await;
            let before = app.cell(id).await?;
            let committed = match which {
                Walk::Undo => app.store.undo(id, step).await,
                Walk::Redo => app.store.redo(id, step).await,
            };
            if committed.is_err() {
                // It may be another step, or none, because somebody came by another way than this server.
                app.reopen(id).await?;
            }
            app.finish(id, &before, committed, Brought::default()).await
        })
        .await?
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
        let cell = match self.follow(id, before, change).await {
            Ok(cell) => cell,
            // It is stored: what memory could not follow is read anew.
            Err(_) => self.reopen(id).await?,
        };
        self.stop_sweeps_but(id, &cell.fingerprint);
        if let Err(error) = self.store.note_fingerprint(id, revision, &cell.fingerprint).await {
            tracing::warn!("what the list of cells says of sweeps may be late: {error}");
        }
        self.live.tell(Event::Changed { cell: id, revision, label });
        detail(self, id, &cell).await
    }
}

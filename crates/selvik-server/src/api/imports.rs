//! Bringing files in.

use std::collections::HashSet;
use std::sync::Arc;

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use selvik_cell::Workcell;
use selvik_cell::bring::{Choice, items_of};
use selvik_cell::document::{checked_name, empty_cell, read_document};
use selvik_cell::edit::Edit;
use selvik_formats::{FormatError, MAX_TOTAL_BYTES};
use selvik_store::StoredCell;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::uploads::{Upload, received};
use crate::App;
use crate::cells::{Brought, OpenCell};
use crate::error::Problem;
use crate::imports::{ImportState, Staged};

/// The id of an import.
#[derive(Serialize, ToSchema)]
pub struct Begun {
    id: Uuid,
}

/// Begins an import: files are looked through, and nothing is stored yet.
#[utoipa::path(post, path = "/api/imports", request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 202, body = Begun)))]
pub async fn begin_import(
    State(app): State<App>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let files = received(&app, upload).await?;
    Ok((StatusCode::ACCEPTED, Json(Begun { id: app.stage(files) })))
}

fn staged(app: &App, id: Uuid) -> Result<Arc<Staged>, Problem> {
    app.imports.get(id).ok_or_else(|| Problem::missing("this import is over; bring the files again"))
}

/// How an import stands, and what was found.
#[utoipa::path(get, path = "/api/imports/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = ImportState)))]
pub async fn import_state(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<ImportState>, Problem> {
    Ok(Json(staged(&app, id)?.state()))
}

/// Adds files to an import; everything is looked through again, under a new id.
#[utoipa::path(post, path = "/api/imports/{id}/files", params(("id" = Uuid, Path)),
    request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 202, body = Begun)))]
pub async fn add_files(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let mut files = staged(&app, id)?.files.clone();
    files.extend(&received(&app, upload).await?);
    if files.total() > MAX_TOTAL_BYTES {
        return Err(Problem::refused("together that is more than 1 GiB; bring it in parts"));
    }
    app.imports.forget(id);
    Ok((StatusCode::ACCEPTED, Json(Begun { id: app.stage(files) })))
}

/// Stops and forgets an import. Nothing of it is stored.
#[utoipa::path(delete, path = "/api/imports/{id}", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn stop_import(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    if app.imports.forget(id) {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(Problem::missing("this import is over"))
    }
}

/// Where an import goes.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ImportInto {
    /// A new cell of that name; a package keeps its own.
    NewCell(String),
    /// A cell, looked at in that revision.
    Cell { id: Uuid, base_revision: i64 },
}

/// What is made of an import.
#[derive(Deserialize, ToSchema)]
pub struct StoreRequest {
    into: ImportInto,
    /// What becomes an item; of a package everything does.
    #[serde(default)]
    choices: Vec<Choice>,
}

/// What was stored.
#[derive(Serialize, ToSchema)]
pub struct StoredImport {
    /// The cell.
    cell: Uuid,
    /// Ids of the new items.
    items: Vec<String>,
}

/// Stores an import: all of it or nothing.
#[utoipa::path(post, path = "/api/imports/{id}/store", params(("id" = Uuid, Path)), request_body = StoreRequest,
    responses((status = 201, body = StoredImport), (status = 409, body = Problem)))]
pub async fn store_import(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<StoreRequest>,
) -> Result<(StatusCode, Json<StoredImport>), Problem> {
    let staged = staged(&app, id)?;
    let stored = if matches!(staged.state(), ImportState::Package { .. }) {
        let document = read_document(&staged.files)?;
        let items = document.items.iter().map(|i| i.id.clone()).collect();
        StoredImport { cell: app.store.create(&document, &staged.files).await?, items }
    } else {
        store_items(&app, &staged, id, request).await?
    };
    app.imports.forget(id);
    Ok((StatusCode::CREATED, Json(stored)))
}

async fn store_items(
    app: &App,
    staged: &Arc<Staged>,
    import: Uuid,
    request: StoreRequest,
) -> Result<StoredImport, Problem> {
    if request.choices.is_empty() {
        return Err(Problem::refused("nothing is ticked; tick what is to be brought in"));
    }
    let taken: HashSet<String> = match &request.into {
        ImportInto::NewCell(_) => HashSet::new(),
        ImportInto::Cell { id, .. } => {
            app.cells.get(*id).await?.workcell.document.items.iter().map(|i| i.id.clone()).collect()
        }
    };
    let read = Arc::clone(staged);
    let folder = import.simple().to_string();
    // Read by itself first: what is wrong is refused here, and the cell takes the geometry over.
    let work = tokio::task::spawn_blocking(move || -> Result<_, FormatError> {
        let (items, files) = items_of(&read.files, &request.choices, &taken, &folder)?;
        let mut alone = empty_cell("import");
        alone.items = items.clone();
        for item in &mut alone.items {
            item.parent = None;
            item.on_link = None;
        }
        Ok((items, files.clone(), Workcell::from_document(alone, &files)?))
    });
    let (items, files, workcell) = work.await??;
    let ids = items.iter().map(|i| i.id.clone()).collect();
    let cell = match request.into {
        ImportInto::NewCell(name) => {
            let mut document = empty_cell(&checked_name(&name)?);
            document.items = items;
            if document.items.iter().any(|i| i.parent.is_some()) {
                return Err(Problem::refused("in a new cell there is nothing to hang on yet"));
            }
            let id = app.store.create(&document, &files).await?;
            // It has just been read: whoever opens it need not wait for that again.
            let stored = StoredCell { revision: 1, document, files };
            let read = move || OpenCell::built_on(&[&workcell], stored);
            let cell = tokio::task::spawn_blocking(read).await??;
            app.cells.keep(id, Arc::new(cell)).await;
            id
        }
        ImportInto::Cell { id, base_revision } => {
            let brought = Brought { files, read: Some(Arc::new(workcell)) };
            app.commit(id, base_revision, Edit::AddItems { items }, brought).await?;
            id
        }
    };
    Ok(StoredImport { cell, items: ids })
}

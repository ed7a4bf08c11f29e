//! Bringing files in.

use std::sync::Arc;

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use selvik_cell::Workcell;
use selvik_cell::bring::{Choice, brought_in};
use selvik_cell::document::{begun_cell, checked_name, empty_cell, read_document};
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
    Ok((
        StatusCode::ACCEPTED,
        Json(Begun {
            id: app.stage(files),
        }),
    ))
}

fn staged(app: &App, id: Uuid) -> Result<Arc<Staged>, Problem> {
    app.imports
        .get(id)
        .ok_or_else(|| Problem::missing("this import is over; bring the files again"))
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
        return Err(Problem::refused(
            "together that is more than 1 GiB; bring it in parts",
        ));
    }
    app.imports.forget(id);
    Ok((
        StatusCode::ACCEPTED,
        Json(Begun {
            id: app.stage(files),
        }),
    ))
}

/// Stops and forgets an import. Nothing of it is stored.
#[utoipa::path(delete, path = "/api/imports/{id}", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn stop_import(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
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
        StoredImport {
            cell: app.store.create(&document, &staged.files).await?,
            items,
        }
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
        return Err(Problem::refused(
            "nothing is ticked; tick what is to be brought in",
        ));
    }
    let cell = match &request.into {
        ImportInto::NewCell(name) => begun_cell(&checked_name(name)?),
        ImportInto::Cell { id, .. } => app.cells.get(*id).await?.workcell.document.clone(),
    };
    let read = Arc::clone(staged);
    let folder = import.simple().to_string();
    // Read by itself first: what is wrong is refused here, and the cell takes the geometry over.
    let work = tokio::task::spawn_blocking(move || -> Result<_, FormatError> {
        let brought = brought_in(&read.files, &request.choices, &cell, &folder)?;
        let mut alone = empty_cell("import");
        alone.items = brought.items.clone();
        for item in &mut alone.items {
            item.parent = None;
            item.on_link = None;
        }
        let read = Workcell::from_document(alone, &brought.files)?;
        Ok((brought, cell, read))
    });
    let (brought, cell, workcell) = work.await??;
    let ids = brought.items.iter().map(|i| i.id.clone()).collect();
    let files = brought.files.clone();
    let cell = match request.into {
        ImportInto::NewCell(_) => {
            let mut document = cell;
            brought.edit().apply(&mut document)?;
            let known = |id: &String| document.items.iter().any(|i| i.id == *id);
            let mut carriers = document.items.iter().filter_map(|i| i.parent.as_ref());
            if !carriers.all(known) {
                return Err(Problem::refused(
                    "in a new cell there is nothing to hang on but what is brought along",
                ));
            }
            let stored = StoredCell {
                revision: 1,
                document,
                files,
            };
            // What can't be opened is not stored.
            let read = move || OpenCell::built_on(&[&workcell], stored);
            let cell = tokio::task::spawn_blocking(read).await??;
            let document = &cell.workcell.document;
            let id = app.store.create(document, &cell.files).await?;
            // It has just been read: whoever opens it need not wait for that again.
            app.cells.keep(id, Arc::new(cell)).await;
            id
        }
        ImportInto::Cell { id, base_revision } => {
            let with = Brought {
                files,
                read: Some(Arc::new(workcell)),
            };
            let edit = brought.edit();
            app.commit(id, base_revision, edit, with).await?;
            id
        }
    };
    Ok(StoredImport { cell, items: ids })
}

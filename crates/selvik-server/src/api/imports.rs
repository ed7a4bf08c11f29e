//! Bringing files in.

use std::collections::HashSet;
use std::sync::Arc;

use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::StatusCode;
use selvik_cell::Workcell;
use selvik_cell::bring::{Choice, items_of};
use selvik_cell::document::{CELL_FILE, CellDocument, FORMAT, read_document};
use selvik_cell::edit::Edit;
use selvik_formats::{MAX_TOTAL_BYTES, PackageFiles};
use selvik_store::StoredCell;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::edits::Brought;
use crate::App;
use crate::error::Problem;
use crate::imports::{ImportState, Staged};
use crate::open_cell::OpenCell;

/// The id of an import or of a new cell.
#[derive(Serialize, ToSchema)]
pub struct Begun {
    pub id: Uuid,
}

/// Dropped files under their paths; zips are unpacked.
#[derive(ToSchema)]
#[allow(dead_code)]
pub struct Upload {
    #[schema(value_type = Vec<String>, format = Binary)]
    file: Vec<u8>,
}

fn is_zip(name: &str) -> bool {
    name.to_ascii_lowercase().ends_with(".zip")
}

/// The files of an upload. Zips are unpacked; a folder round everything is taken off.
pub async fn received(mut upload: Multipart) -> Result<PackageFiles, Problem> {
    let mut parts: Vec<(String, Vec<u8>)> = Vec::new();
    while let Some(mut field) = upload.next_field().await.map_err(Problem::refused)? {
        let name = field.file_name().unwrap_or("package.zip").to_owned();
        let mut content = Vec::new();
        while let Some(chunk) = field.chunk().await.map_err(Problem::refused)? {
            content.extend_from_slice(&chunk);
        }
        content.shrink_to_fit();
        parts.push((name, content));
    }
    let unpacked = tokio::task::spawn_blocking(move || -> Result<_, Problem> {
        let mut files = PackageFiles::default();
        let loose = parts.iter().filter(|(name, _)| !is_zip(name)).map(|(_, content)| content.len() as u64);
        let mut left = MAX_TOTAL_BYTES.saturating_sub(loose.sum());
        for (name, content) in parts {
            if is_zip(&name) {
                // All zips of one upload share what may be unpacked.
                let unpacked = PackageFiles::from_zip_within(&content, left)?;
                left -= unpacked.iter().map(|(_, content)| content.len() as u64).sum::<u64>();
                files.extend(&unpacked);
            } else {
                files.insert(name.trim_start_matches('/'), content)?;
            }
        }
        Ok(files.without_outer_folder())
    });
    unpacked.await?
}

/// Begins an import: files are looked through, and nothing is stored yet.
#[utoipa::path(post, path = "/api/imports", request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 202, body = Begun), (status = 422, body = Problem)))]
pub async fn begin_import(
    State(app): State<App>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let files = received(upload).await?;
    Ok((StatusCode::ACCEPTED, Json(Begun { id: app.stage(files) })))
}

fn staged(app: &App, id: Uuid) -> Result<Arc<Staged>, Problem> {
    app.imports.get(id).ok_or_else(|| Problem::missing("this import is over; bring the files again"))
}

/// How an import stands, and what was found.
#[utoipa::path(get, path = "/api/imports/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = ImportState), (status = 404, body = Problem)))]
pub async fn import_state(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<ImportState>, Problem> {
    Ok(Json(staged(&app, id)?.state()))
}

/// Adds files to an import; everything is looked through again, under a new id.
#[utoipa::path(post, path = "/api/imports/{id}/files", params(("id" = Uuid, Path)),
    request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 202, body = Begun), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn add_files(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let mut files = staged(&app, id)?.files.clone();
    files.extend(&received(upload).await?);
    if files.iter().map(|(_, content)| content.len() as u64).sum::<u64>() > MAX_TOTAL_BYTES {
        return Err(Problem::refused("together that is more than 1 GiB; bring it in parts"));
    }
    app.imports.forget(id);
    Ok((StatusCode::ACCEPTED, Json(Begun { id: app.stage(files) })))
}

/// Stops and forgets an import. Nothing of it is stored.
#[utoipa::path(delete, path = "/api/imports/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
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
    responses((status = 201, body = StoredImport), (status = 404, body = Problem), (status = 409, body = Problem),
        (status = 422, body = Problem)))]
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
            app.cell(*id).await?.workcell.document.items.iter().map(|i| i.id.clone()).collect()
        }
    };
    let read = Arc::clone(staged);
    let folder = import.simple().to_string();
    // Read by itself first: what is wrong is refused here, and the cell takes the geometry over.
    let work = tokio::task::spawn_blocking(move || -> Result<_, Problem> {
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
            let mut document = empty_cell(&name);
            document.items = items;
            if document.name.is_empty() || document.items.iter().any(|i| i.parent.is_some()) {
                return Err(Problem::refused("a new cell needs a name, and nothing in it to hang on yet"));
            }
            let id = app.store.create(&document, &files).await?;
            // It has just been read: whoever opens it need not wait for that again.
            let stored = StoredCell { revision: 1, document, files };
            let read = move || OpenCell::built_on(&[&workcell], stored);
            let cell = tokio::task::spawn_blocking(read).await??;
            app.open.lock().expect("not poisoned").insert(id, Arc::new(cell));
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

/// A cell with nothing in it.
pub fn empty_cell(name: &str) -> CellDocument {
    let text = serde_json::json!({ "format": FORMAT, "name": name.trim(), "items": [] });
    serde_json::from_value(text).expect("a cell document")
}

/// Whether the files of an upload are a cell package, or why not.
pub fn package_or_refusal(files: &PackageFiles) -> Result<(), Problem> {
    let there = files.contains(CELL_FILE);
    there.then_some(()).ok_or_else(|| Problem::refused("there is no cell.json among the files"))
}

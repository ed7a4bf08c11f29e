//! The list of cells, and their life as a whole.

use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use selvik_cell::Workcell;
use selvik_cell::bring::without_unused;
use selvik_cell::document::{CELL_FILE, begun_cell, checked_name};
use selvik_formats::PackageFiles;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::cell_detail::{CellDetail, detail};
use super::uploads::{Upload, received};
use crate::App;
use crate::error::Problem;

/// The id of what was made.
#[derive(Serialize, ToSchema)]
pub struct Made {
    id: Uuid,
}

/// A line of the cell list.
#[derive(Serialize, ToSchema)]
pub struct CellLine {
    id: Uuid,
    name: String,
    revision: i64,
    changed_at: String,
    opened_at: Option<String>,
    /// When it was put into the bin, if it lies there.
    binned_at: Option<String>,
    /// Whether there is a picture of it.
    has_thumbnail: bool,
    /// Items in its roster.
    items: i64,
    /// What its files hold together.
    bytes: i64,
    /// How its rules stood at the last sweep.
    swept: Option<SweptLine>,
}

/// How the rules of a cell stood at its last sweep.
#[derive(Serialize, ToSchema)]
pub struct SweptLine {
    /// Pairs that were looked at.
    pairs: i32,
    /// Pairs that broke theirs.
    broken: i32,
    /// Pairs that were tight.
    tight: i32,
    /// Pairs that were neither certainly broken nor certainly kept.
    not_certified: i32,
    /// What it all came to: `broken`, `not_certified`, `tight` or `meets`.
    verdict: String,
    /// Whether the cell was changed afterwards.
    changed_since: bool,
}

/// All cells, also those in the bin, the last opened first.
#[utoipa::path(get, path = "/api/cells", responses((status = 200, body = [CellLine])))]
pub async fn list_cells(State(app): State<App>) -> Result<Json<Vec<CellLine>>, Problem> {
    let cells = app.store.list().await?;
    let line = |c: selvik_store::CellSummary| CellLine {
        id: c.id,
        name: c.name,
        revision: c.revision,
        changed_at: c.changed_at.to_rfc3339(),
        opened_at: c.opened_at.map(|t| t.to_rfc3339()),
        binned_at: c.binned_at.map(|t| t.to_rfc3339()),
        has_thumbnail: c.has_thumbnail,
        items: c.items,
        bytes: c.bytes,
        swept: c.swept.map(|s| SweptLine {
            pairs: s.verdicts.pairs,
            broken: s.verdicts.broken,
            tight: s.verdicts.tight,
            not_certified: s.verdicts.not_certified,
            verdict: s.verdicts.verdict,
            changed_since: s.changed_since,
        }),
    };
    Ok(Json(cells.into_iter().map(line).collect()))
}

/// Stores a cell package. Nothing is stored unless the whole package can be read.
#[utoipa::path(post, path = "/api/cells", request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 201, body = Made)))]
pub async fn import_cell(
    State(app): State<App>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Made>), Problem> {
    let files = received(&app, upload).await?;
    if !files.contains(CELL_FILE) {
        return Err(Problem::refused("there is no cell.json among the files"));
    }
    let (document, files) = tokio::task::spawn_blocking(move || -> Result<_, Problem> {
        Ok((Workcell::read(&files)?.document, files))
    })
    .await??;
    let id = app.store.create(&document, &files).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

/// A name.
#[derive(Deserialize, ToSchema)]
pub struct Named {
    name: String,
}

/// Makes a cell with nothing in it.
#[utoipa::path(post, path = "/api/cells/new", request_body = Named,
    responses((status = 201, body = Made)))]
pub async fn new_cell(
    State(app): State<App>,
    Json(named): Json<Named>,
) -> Result<(StatusCode, Json<Made>), Problem> {
    let document = begun_cell(&checked_name(&named.name)?);
    let id = app
        .store
        .create(&document, &PackageFiles::default())
        .await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

/// Makes a cell like this one, without its history.
#[utoipa::path(post, path = "/api/cells/{id}/duplicate", params(("id" = Uuid, Path)), request_body = Named,
    responses((status = 201, body = Made)))]
pub async fn duplicate_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(named): Json<Named>,
) -> Result<(StatusCode, Json<Made>), Problem> {
    let id = app.store.duplicate(id, &checked_name(&named.name)?).await?;
    Ok((StatusCode::CREATED, Json(Made { id })))
}

/// The picture of a cell.
#[utoipa::path(get, path = "/api/cells/{id}/thumbnail", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "image/png")))]
pub async fn thumbnail(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let png = app
        .store
        .thumbnail(id)
        .await?
        .ok_or_else(|| Problem::missing("there is no picture of it"))?;
    Ok((
        [
            (header::CONTENT_TYPE, "image/png"),
            (header::CACHE_CONTROL, "no-cache"),
        ],
        png,
    )
        .into_response())
}

/// Keeps a picture of a cell: PNG, at most 512 KiB.
#[utoipa::path(put, path = "/api/cells/{id}/thumbnail", params(("id" = Uuid, Path)),
    request_body(content = Vec<u8>, content_type = "image/png"),
    responses((status = 204)))]
pub async fn keep_thumbnail(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    png: Bytes,
) -> Result<StatusCode, Problem> {
    if !png.starts_with(b"\x89PNG\r\n\x1a\n") || png.len() > 512 << 10 {
        return Err(Problem::refused(
            "a picture must be a PNG of at most 512 KiB",
        ));
    }
    app.store.keep_thumbnail(id, &png).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A cell, opened.
#[utoipa::path(get, path = "/api/cells/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail)))]
pub async fn get_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<CellDetail>, Problem> {
    let revision = app.store.touch(id).await?;
    // Another server on the same database may have changed it.
    let cell = app.cells.at_least(id, revision).await?;
    detail(&app, id, &cell).await
}

/// Whether the bin is passed by.
#[derive(Deserialize, IntoParams)]
pub struct Deletion {
    /// Deletes a cell that lies in the bin for good.
    #[serde(default)]
    for_good: bool,
}

/// Puts a cell into the bin, or deletes one that lies there for good.
#[utoipa::path(delete, path = "/api/cells/{id}", params(("id" = Uuid, Path), Deletion),
    responses((status = 204)))]
pub async fn delete_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(how): Query<Deletion>,
) -> Result<StatusCode, Problem> {
    if how.for_good {
        app.store.delete(id).await?;
    } else {
        app.store.bin(id, true).await?;
    }
    app.cells.forget(id).await;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a cell out of the bin.
#[utoipa::path(post, path = "/api/cells/{id}/restore", params(("id" = Uuid, Path)),
    responses((status = 204)))]
pub async fn restore_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.store.bin(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The cell as a package.
#[utoipa::path(get, path = "/api/cells/{id}/package", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "application/zip")))]
pub async fn export_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let stored = app.store.load(id).await?;
    let pack = move || without_unused(&stored.package(), &stored.document).to_zip();
    let zip = tokio::task::spawn_blocking(pack).await??;
    let headers = [
        (header::CONTENT_TYPE, "application/zip"),
        (
            header::CONTENT_DISPOSITION,
            "attachment; filename=\"cell.zip\"",
        ),
    ];
    Ok((headers, zip).into_response())
}

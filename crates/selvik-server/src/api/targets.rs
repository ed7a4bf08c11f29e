//! Targets of programs, from files and to files.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use selvik_cell::bring::{brought_targets, targets_of};
use selvik_cell::trajectory::Layout;
use selvik_formats::targets_csv::write_targets;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::cell_detail::{CellDetail, detail};
use crate::App;
use crate::cells::{Brought, OpenCell};
use crate::error::Problem;

/// Targets that are added to a program.
#[derive(Deserialize, ToSchema)]
pub struct TargetsBrought {
    base_revision: i64,
    /// Id of the program.
    program: String,
    /// What the file is called.
    file: String,
    /// What it holds: CSV with a header, `x_mm`, `y_mm`, `z_mm` and a turn.
    text: String,
}

/// Adds targets of a CSV file to a program, with moves to them.
#[utoipa::path(post, path = "/api/cells/{id}/targets", params(("id" = Uuid, Path)), request_body = TargetsBrought,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn bring_targets(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<TargetsBrought>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| {
        let (file, text) = (&request.file, request.text.as_bytes());
        brought_targets(&cell.workcell.document, &request.program, file, text)
    };
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// Whose targets, and how they are written.
#[derive(Deserialize, IntoParams)]
pub struct TargetsQuery {
    /// Id of the program.
    program: String,
    /// `csv` or `json`.
    #[param(inline)]
    format: Layout,
}

/// The targets of a program as CSV, or as JSON with the same names.
#[utoipa::path(get, path = "/api/cells/{id}/targets", params(("id" = Uuid, Path), TargetsQuery),
    responses((status = 200, content_type = "text/csv"), (status = 200, content_type = "application/json")))]
pub async fn program_targets(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<TargetsQuery>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    let rows = targets_of(&cell.workcell.document, &cell.files, &query.program)?;
    let (kind, ending, bytes) = match query.format {
        Layout::Csv => ("text/csv; charset=utf-8", "csv", write_targets(&rows)),
        Layout::Json => {
            let bytes = serde_json::to_vec_pretty(&rows).expect("plain data");
            ("application/json", "json", bytes)
        }
    };
    let named = format!("attachment; filename=\"targets.{ending}\"");
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_DISPOSITION, named),
    ];
    Ok((headers, bytes).into_response())
}

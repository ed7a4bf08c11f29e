//! What joints do along the path, to be used elsewhere.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use selvik_cell::arranging::led_in;
use selvik_cell::trajectory::{Layout, trajectory};
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::cell_detail::{CellDetail, detail};
use crate::App;
use crate::cells::{Brought, OpenCell};
use crate::error::Problem;

/// Whose joints, and how they are written.
#[derive(Deserialize, IntoParams)]
pub struct TrajectoryQuery {
    /// Id of the mechanism.
    item: String,
    /// `csv` or `json`.
    #[param(inline)]
    format: Layout,
}

/// A recording that one is to go to first.
#[derive(Deserialize, ToSchema)]
pub struct LeadIn {
    base_revision: i64,
    /// Id of the program that plays it.
    program: String,
    /// Which of its moves, from 0.
    at: usize,
}

/// Puts a joint move before a recording, to where it begins.
#[utoipa::path(post, path = "/api/cells/{id}/lead-in", params(("id" = Uuid, Path)), request_body = LeadIn,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn lead_in(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<LeadIn>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| led_in(&cell.workcell, &request.program, request.at);
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// The joint values of a mechanism along the path: at every knot, and every 10 ms where they speed up or slow down between knots.
/// As CSV (`time_s`, then degrees or mm), or as a trajectory message in JSON (rad, m, s).
#[utoipa::path(get, path = "/api/cells/{id}/trajectory", params(("id" = Uuid, Path), TrajectoryQuery),
    responses((status = 200, content_type = "text/csv"), (status = 200, content_type = "application/json")))]
pub async fn joint_trajectory(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(query): Query<TrajectoryQuery>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    cell.path()?;
    let written = tokio::task::spawn_blocking(move || {
        trajectory(&cell.workcell, &cell.shown, &query.item, query.format)
            .map(|bytes| (bytes, query))
    });
    let (bytes, query) = written.await??;
    let (kind, ending) = match query.format {
        Layout::Csv => ("text/csv; charset=utf-8", "csv"),
        Layout::Json => ("application/json", "json"),
    };
    // Letters, digits and hyphens only, whatever the id holds.
    let plain: String = query
        .item
        .chars()
        .filter(|c| c.is_ascii_alphanumeric() || *c == '-')
        .collect();
    let named = format!("attachment; filename=\"{plain}-trajectory.{ending}\"");
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_DISPOSITION, named),
    ];
    Ok((headers, bytes).into_response())
}

//! What joints do along the path, to be used elsewhere.

use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use selvik_cell::trajectory::{Layout, trajectory};
use serde::Deserialize;
use utoipa::IntoParams;
use uuid::Uuid;

use crate::App;
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

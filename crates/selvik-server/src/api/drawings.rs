use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use indexmap::IndexMap;
use selvik_cell::questions::Asked;
use selvik_cell::section_drawing::{Drawn, SectionDrawing, section_drawing};
use selvik_formats::drawing::{write_dxf, write_svg};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// Which plane of which section is to be drawn, and when.
#[derive(Deserialize, ToSchema)]
pub struct DrawingRequest {
    #[serde(flatten)]
    drawn: Drawn,
    /// The path time.
    time_s: f64,
    /// Joints that a hand has elsewhere, by `item/joint`.
    #[serde(default)]
    joints_deg_or_mm: IndexMap<String, f64>,
}

fn drawing(cell: &OpenCell, request: &DrawingRequest) -> Result<SectionDrawing, Problem> {
    let asked = Asked::with(&cell.workcell, cell.moment_at(Some(request.time_s)));
    let asked = asked.moved(&request.joints_deg_or_mm)?;
    section_drawing(&asked, &request.drawn).map_err(Problem::refused)
}

/// A plane of a section as a flat drawing: outlines of each item with area, perimeter, centroid and box.
#[utoipa::path(post, path = "/api/cells/{id}/section-drawing", params(("id" = Uuid, Path)), request_body = DrawingRequest,
    responses((status = 200, body = SectionDrawing)))]
pub async fn draw(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<DrawingRequest>,
) -> Result<Json<SectionDrawing>, Problem> {
    let cell = app.cells.get(id).await?;
    let drawn = tokio::task::spawn_blocking(move || drawing(&cell, &request));
    Ok(Json(drawn.await??))
}

/// As what a drawing is taken away.
#[derive(Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum DrawingFormat {
    /// SVG 1.1, mm.
    Svg,
    /// DXF of release 12, mm, a layer for each item.
    Dxf,
    /// The numbers, a row for each item.
    Csv,
}

/// A drawing that is taken away.
#[derive(Deserialize, ToSchema)]
pub struct DrawingFileRequest {
    #[serde(flatten)]
    request: DrawingRequest,
    /// As what.
    format: DrawingFormat,
    /// What it shows.
    title: String,
}

/// The same as a file: SVG, DXF or CSV.
#[utoipa::path(post, path = "/api/cells/{id}/section-drawing/file", params(("id" = Uuid, Path)), request_body = DrawingFileRequest,
    responses((status = 200, body = String, content_type = "text/plain")))]
pub async fn draw_file(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<DrawingFileRequest>,
) -> Result<impl IntoResponse, Problem> {
    let cell = app.cells.get(id).await?;
    let written = tokio::task::spawn_blocking(move || {
        let drawn = drawing(&cell, &request.request)?;
        let flat = || drawn.to_drawing(&request.title);
        Ok::<_, Problem>(match request.format {
            DrawingFormat::Svg => ("image/svg+xml", write_svg(&flat()).into_bytes()),
            DrawingFormat::Dxf => ("image/vnd.dxf", write_dxf(&flat()).into_bytes()),
            DrawingFormat::Csv => ("text/csv; charset=utf-8", drawn.to_csv()?),
        })
    });
    let (kind, bytes) = written.await??;
    Ok(([(header::CONTENT_TYPE, kind)], bytes))
}

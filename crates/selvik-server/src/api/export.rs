//! Taking items out in open formats.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use selvik_core::mesh::TriangleMesh;
use selvik_core::robot::Placing;
use selvik_formats::mesh::{LengthUnit, PlacedMesh, write_glb, write_stl};
use selvik_formats::write_urdf;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// Which items, at which instant, as what.
#[derive(Deserialize, ToSchema)]
pub struct ExportRequest {
    items: Vec<String>,
    time_s: f64,
    format: ExportFormat,
}

/// A format that items can be taken out in.
#[derive(Deserialize, ToSchema, Clone, Copy)]
#[serde(rename_all = "snake_case")]
pub enum ExportFormat {
    /// One binary STL of everything, where it stands in the world.
    Stl(LengthUnit),
    /// glTF 2.0, binary: a node for each body, with its colour; always in metres.
    Glb,
    /// One robot as URDF with its meshes, in a zip; always in metres.
    Urdf,
}

/// Items as files.
#[utoipa::path(post, path = "/api/cells/{id}/export", params(("id" = Uuid, Path)), request_body = ExportRequest,
    responses((status = 200, content(
        (Vec<u8> = "model/stl"), (Vec<u8> = "model/gltf-binary"), (Vec<u8> = "application/zip")
    ))))]
pub async fn export_items(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ExportRequest>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    let (kind, bytes) = tokio::task::spawn_blocking(move || exported(&cell, &request)).await??;
    Ok(([(header::CONTENT_TYPE, kind)], bytes).into_response())
}

fn exported(cell: &OpenCell, request: &ExportRequest) -> Result<(&'static str, Vec<u8>), Problem> {
    let assembly = &cell.workcell.assembly;
    let placing = Placing::new(assembly, &cell.moment_at(Some(request.time_s)));
    let items = assembly.cell().items();
    let wanted = |item: usize| request.items.contains(&items[item].id.0);
    if let ExportFormat::Urdf = request.format {
        let robots: Vec<usize> = (0..items.len())
            .filter(|&i| wanted(i) && assembly.mechanism(i).is_some())
            .collect();
        let [robot] = robots[..] else {
            return Err(Problem::refused(
                "select one robot or other mechanism to write it as URDF",
            ));
        };
        let mechanism = assembly.mechanism(robot).expect("just asked");
        return Ok((
            "application/zip",
            write_urdf(&items[robot].id.0, mechanism).to_zip()?,
        ));
    }
    let bodies: Vec<_> = assembly
        .bodies()
        .iter()
        .filter(|b| wanted(b.item))
        .collect();
    if bodies.is_empty() {
        return Err(Problem::refused("nothing of this has a body to write"));
    }
    Ok(match request.format {
        ExportFormat::Stl(unit) => {
            let moved = bodies
                .iter()
                .map(|b| b.surface.mesh().moved(&placing.node(b.node)));
            ("model/stl", write_stl(&TriangleMesh::merged(moved), unit))
        }
        _ => {
            let colour = |item: usize| {
                let document = cell
                    .workcell
                    .document
                    .items
                    .iter()
                    .find(|i| i.id == items[item].id.0);
                document.and_then(|d| d.colour.as_deref())
            };
            let placed = bodies.iter().map(|body| PlacedMesh {
                name: &items[body.item].name,
                colour: colour(body.item),
                mesh: body.surface.mesh(),
                pose: placing.node(body.node),
            });
            ("model/gltf-binary", write_glb(&placed.collect::<Vec<_>>()))
        }
    })
}

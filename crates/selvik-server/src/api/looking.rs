use axum::Json;
use axum::extract::{Path, State};
use selvik_core::spatial::{Point, Vector};
use selvik_core::view::{Projection, StandardView, Viewpoint, evidence_viewpoint, frame, lens_mm_to_rad};
use selvik_formats::package::{ProjectionKind, SectionDocument, ViewpointDocument};
use selvik_formats::report::millimetres;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::error::Problem;
use crate::open_cell::OpenCell;

/// A direction with a name.
#[derive(Serialize, ToSchema)]
pub struct StandardViewInfo {
    id: String,
    name: String,
    bearing_deg: f64,
    elevation_deg: f64,
}

/// The standard views: six faces, four corners.
#[utoipa::path(get, path = "/api/standard-views", responses((status = 200, body = [StandardViewInfo])))]
pub async fn standard_views() -> Json<Vec<StandardViewInfo>> {
    let info = |view: StandardView| {
        let (bearing, elevation) = view.angles();
        let debug = format!("{view:?}");
        let mut name = String::new();
        for c in debug.chars() {
            if c.is_uppercase() && !name.is_empty() {
                name.push(' ');
            }
            name.push(if name.is_empty() { c } else { c.to_ascii_lowercase() });
        }
        StandardViewInfo {
            id: name.replace(' ', "-").to_lowercase(),
            name,
            bearing_deg: bearing.to_degrees(),
            elevation_deg: elevation.to_degrees(),
        }
    };
    Json(StandardView::ALL.map(info).into_iter().collect())
}

fn viewpoint(document: &ViewpointDocument) -> Viewpoint {
    Viewpoint {
        pivot: Point::from(document.pivot_mm.map(|x| x * 1e-3)),
        bearing: document.bearing_deg.to_radians(),
        elevation: document.elevation_deg.to_radians(),
        distance: document.distance_mm * 1e-3,
        projection: match document.projection {
            ProjectionKind::Perspective => {
                Projection::Perspective { horizontal_angle: lens_mm_to_rad(document.lens_mm) }
            }
            ProjectionKind::Parallel => Projection::Parallel { width: document.width_mm * 1e-3 },
        },
    }
}

fn document(view: &Viewpoint, from: &ViewpointDocument) -> ViewpointDocument {
    // The other projection shows the same size at the pivot, so that switching keeps the picture.
    let half = (lens_mm_to_rad(from.lens_mm) / 2.0).tan();
    let (distance, width) = match view.projection {
        Projection::Perspective { .. } => (view.distance, 2.0 * view.distance * half),
        Projection::Parallel { width } => (width / (2.0 * half), width),
    };
    ViewpointDocument {
        pivot_mm: millimetres(&view.pivot),
        bearing_deg: view.bearing.to_degrees(),
        elevation_deg: view.elevation.to_degrees(),
        distance_mm: distance * 1e3,
        width_mm: width * 1e3,
        ..*from
    }
}

/// What to show, and how one looks now.
#[derive(Deserialize, ToSchema)]
pub struct FrameRequest {
    /// Ids of items; empty frames everything.
    items: Vec<String>,
    viewpoint: ViewpointDocument,
    /// Width of the picture over its height.
    aspect: f64,
    time_s: f64,
}

/// Free share of the half picture round what is framed.
const MARGIN: f64 = 0.08;

/// The tightest viewpoint in the given direction that shows items.
#[utoipa::path(post, path = "/api/cells/{id}/frame", params(("id" = Uuid, Path)), request_body = FrameRequest,
    responses((status = 200, body = ViewpointDocument)))]
pub async fn frame_items(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FrameRequest>,
) -> Result<Json<ViewpointDocument>, Problem> {
    let cell = app.cell(id).await?;
    if !(request.aspect > 0.01 && request.aspect < 100.0) {
        return Err(Problem::refused("aspect must be between 0.01 and 100"));
    }
    let framed = tokio::task::spawn_blocking(move || {
        let points = points_of(&cell, &request.items, request.time_s);
        let framed = frame(&viewpoint(&request.viewpoint), &points, request.aspect, MARGIN);
        document(&framed, &request.viewpoint)
    })
    .await?;
    Ok(Json(framed))
}

fn points_of(cell: &OpenCell, items: &[String], time: f64) -> Vec<Point> {
    let assembly = &cell.workcell.assembly;
    let poses = assembly.poses(&cell.joints_at(Some(time)));
    let wanted = |item: usize| items.is_empty() || items.contains(&assembly.cell().items()[item].id.0);
    let bodies = assembly.bodies().iter().filter(|b| wanted(b.item));
    let mut points: Vec<Point> =
        bodies.flat_map(|b| b.surface.mesh().vertices().iter().map(|v| poses[b.node.0] * v)).collect();
    if points.is_empty() {
        // Frames have no body: show their origins with some room.
        let room = [-0.15, 0.15];
        let origins = (0..assembly.cell().items().len()).filter(|&i| wanted(i));
        points = origins
            .map(|i| poses[assembly.item_node(i).0].translation.vector)
            .flat_map(|o| room.map(|r| Point::from(o + Vector::repeat(r))))
            .collect();
    }
    points
}

/// A closest approach to be shown.
#[derive(Deserialize, ToSchema)]
pub struct EvidenceRequest {
    on_a_mm: [f64; 3],
    on_b_mm: [f64; 3],
    viewpoint: ViewpointDocument,
}

/// The view of a closest approach: the camera square to the line, a section through it.
#[derive(Serialize, ToSchema)]
pub struct EvidenceView {
    viewpoint: ViewpointDocument,
    section: SectionDocument,
}

/// The view in which a gap is seen in true length.
#[utoipa::path(post, path = "/api/evidence", request_body = EvidenceRequest,
    responses((status = 200, body = EvidenceView)))]
pub async fn evidence(Json(request): Json<EvidenceRequest>) -> Json<EvidenceView> {
    let from = viewpoint(&request.viewpoint);
    let [a, b] = [request.on_a_mm, request.on_b_mm].map(|p| Point::from(p.map(|x| x * 1e-3)));
    // The gap takes up a tenth of the picture, but at least 250 mm round it are shown.
    let width = ((b - a).norm() * 10.0).clamp(0.25, 3.0);
    let distance = width / (2.0 * (lens_mm_to_rad(request.viewpoint.lens_mm) / 2.0).tan());
    let projection = match from.projection {
        Projection::Parallel { .. } => Projection::Parallel { width },
        perspective => perspective,
    };
    let towards_me = from.backwards();
    let likes_my_side = |d: &Vector| 0.2 * d.dot(&towards_me);
    let (view, plane) = evidence_viewpoint((a, b), &Vector::x(), projection, distance, likes_my_side);
    Json(EvidenceView {
        viewpoint: document(&view, &request.viewpoint),
        section: SectionDocument {
            point_mm: millimetres(&view.pivot),
            normal: plane.normal.into_inner().into(),
        },
    })
}

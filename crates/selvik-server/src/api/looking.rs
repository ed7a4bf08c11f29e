use std::f64::consts::FRAC_PI_2;

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::document::{SectionDocument, TourStopDocument, ViewpointDocument};
use selvik_cell::report::millimetres;
use selvik_core::spatial::{Point, Vector};
use selvik_core::view::{
    Projection, StandardView, Tour, Viewpoint, evidence_viewpoint, frame, lens_mm_to_rad,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// A direction with a name.
#[derive(Serialize, ToSchema)]
pub struct StandardViewInfo {
    id: String,
    name: String,
    bearing_deg: f64,
    elevation_deg: f64,
}

/// The standard views: six faces, four corners above, four below.
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
            name.push(if name.is_empty() {
                c
            } else {
                c.to_ascii_lowercase()
            });
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
/// The same round a face, so that its surroundings are seen.
const FACE_MARGIN: f64 = 0.3;

/// The tightest viewpoint in the given direction that shows items.
#[utoipa::path(post, path = "/api/cells/{id}/frame", params(("id" = Uuid, Path)), request_body = FrameRequest,
    responses((status = 200, body = ViewpointDocument)))]
pub async fn frame_items(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FrameRequest>,
) -> Result<Json<ViewpointDocument>, Problem> {
    let cell = app.cells.get(id).await?;
    check(&request.viewpoint, request.aspect)?;
    let framed = tokio::task::spawn_blocking(move || {
        let points = points_of(&cell, &request.items, request.time_s);
        let framed = frame(
            &request.viewpoint.to_viewpoint(),
            &points,
            request.aspect,
            MARGIN,
        );
        ViewpointDocument::from_viewpoint(&framed, request.viewpoint.lens_mm)
    })
    .await?;
    Ok(Json(framed))
}

fn check(viewpoint: &ViewpointDocument, aspect: f64) -> Result<(), Problem> {
    if !viewpoint.is_sound() {
        return Err(Problem::refused(
            "the viewpoint needs finite numbers and positive sizes",
        ));
    }
    if !(aspect > 0.01 && aspect < 100.0) {
        return Err(Problem::refused("aspect must be between 0.01 and 100"));
    }
    Ok(())
}

/// Points to show, and how one looks now.
#[derive(Deserialize, ToSchema)]
pub struct FramePointsRequest {
    points_mm: Vec<[f64; 3]>,
    viewpoint: ViewpointDocument,
    /// Width of the picture over its height.
    aspect: f64,
}

/// The tightest viewpoint in the given direction that shows points, without a margin: what a
/// rectangle drawn on the picture asks for.
#[utoipa::path(post, path = "/api/frame-points", request_body = FramePointsRequest,
    responses((status = 200, body = ViewpointDocument)))]
pub async fn frame_points(
    Json(request): Json<FramePointsRequest>,
) -> Result<Json<ViewpointDocument>, Problem> {
    check(&request.viewpoint, request.aspect)?;
    let points: Vec<Point> = request
        .points_mm
        .iter()
        .map(|p| Point::from(p.map(|x| x * 1e-3)))
        .collect();
    let framed = frame(
        &request.viewpoint.to_viewpoint(),
        &points,
        request.aspect,
        0.0,
    );
    Ok(Json(ViewpointDocument::from_viewpoint(
        &framed,
        request.viewpoint.lens_mm,
    )))
}

/// A picked face.
#[derive(Deserialize, ToSchema)]
pub struct FaceOnRequest {
    /// Index of the body in the list of bodies.
    body: usize,
    /// The triangle of its mesh.
    triangle: usize,
    viewpoint: ViewpointDocument,
    /// Width of the picture over its height.
    aspect: f64,
    time_s: f64,
}

/// The viewpoint square to a triangle, framing the face that it is part of. Faces that
/// lie level are seen with the nearest quarter of the present bearing.
#[utoipa::path(post, path = "/api/cells/{id}/face-on", params(("id" = Uuid, Path)), request_body = FaceOnRequest,
    responses((status = 200, body = ViewpointDocument)))]
pub async fn face_on(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FaceOnRequest>,
) -> Result<Json<ViewpointDocument>, Problem> {
    let cell = app.cells.get(id).await?;
    check(&request.viewpoint, request.aspect)?;
    let square = tokio::task::spawn_blocking(move || square_to(&cell, &request));
    square.await?.map(Json)
}

fn square_to(cell: &OpenCell, request: &FaceOnRequest) -> Result<ViewpointDocument, Problem> {
    let assembly = &cell.workcell.assembly;
    let body = assembly
        .bodies()
        .get(request.body)
        .ok_or_else(|| Problem::refused("there is no such body"))?;
    let mesh = body.surface.mesh();
    if request.triangle >= mesh.triangles().len() {
        return Err(Problem::refused("there is no such triangle"));
    }
    let pose = cell.poses_at(Some(request.time_s))[body.node.0];
    let normal = pose.rotation * mesh.area_vector(request.triangle);
    let normal = normal
        .try_normalize(1e-30)
        .ok_or_else(|| Problem::refused("that triangle has no area"))?;
    let features = body.surface.features();
    let face = &features.faces()[features.face_of(request.triangle)];
    let points: Vec<Point> = face
        .triangles
        .iter()
        .flat_map(|&t| mesh.corners(t as usize))
        .map(|p| pose * p)
        .collect();
    let from = request.viewpoint.to_viewpoint();
    let (bearing, elevation) = Viewpoint::angles_of(&normal);
    let bearing = if normal.x.hypot(normal.y) > 1e-6 {
        bearing
    } else {
        (from.bearing / FRAC_PI_2).round() * FRAC_PI_2
    };
    let square = Viewpoint {
        bearing,
        elevation,
        roll: 0.0,
        ..from
    };
    let framed = frame(&square, &points, request.aspect, FACE_MARGIN);
    Ok(ViewpointDocument::from_viewpoint(
        &framed,
        request.viewpoint.lens_mm,
    ))
}

/// Stops of a tour.
#[derive(Deserialize, ToSchema)]
pub struct TourRequest {
    stops: Vec<TourStopDocument>,
}

/// The camera path of a tour.
#[derive(Serialize, ToSchema)]
pub struct TourTrack {
    duration_s: f64,
    /// When the camera arrives at each stop.
    arrivals_s: Vec<f64>,
    step_s: f64,
    /// One a step, the last at or after the end.
    viewpoints: Vec<ViewpointDocument>,
}

/// Viewpoints a second in a tour's track.
const TOUR_RATE_HZ: f64 = 30.0;
/// The longest tour, s.
const LONGEST_TOUR: f64 = 3600.0;

/// The camera path through stops, thirty viewpoints a second.
#[utoipa::path(post, path = "/api/tour-track", request_body = TourRequest,
    responses((status = 200, body = TourTrack)))]
pub async fn tour_track(Json(request): Json<TourRequest>) -> Result<Json<TourTrack>, Problem> {
    tokio::task::spawn_blocking(move || tour_along(&request))
        .await?
        .map(Json)
}

fn tour_along(request: &TourRequest) -> Result<TourTrack, Problem> {
    if !request.stops.iter().all(|s| s.viewpoint.is_sound()) {
        return Err(Problem::refused(
            "a stop's viewpoint needs finite numbers and positive sizes",
        ));
    }
    let tour = Tour::new(
        request
            .stops
            .iter()
            .map(TourStopDocument::to_stop)
            .collect(),
    )
    .map_err(Problem::refused)?;
    if tour.duration() > LONGEST_TOUR {
        return Err(Problem::refused(format!(
            "a tour lasts an hour at most, this one {:.0} s",
            tour.duration()
        )));
    }
    let steps = (tour.duration() * TOUR_RATE_HZ).ceil() as usize;
    let lens = request.stops[0].viewpoint.lens_mm;
    let at =
        |step: usize| ViewpointDocument::from_viewpoint(&tour.at(step as f64 / TOUR_RATE_HZ), lens);
    Ok(TourTrack {
        duration_s: tour.duration(),
        arrivals_s: tour.arrivals().to_vec(),
        step_s: TOUR_RATE_HZ.recip(),
        viewpoints: (0..=steps).map(at).collect(),
    })
}

fn points_of(cell: &OpenCell, items: &[String], time: f64) -> Vec<Point> {
    let assembly = &cell.workcell.assembly;
    let poses = cell.poses_at(Some(time));
    let wanted =
        |item: usize| items.is_empty() || items.contains(&assembly.cell().items()[item].id.0);
    let bodies = assembly.bodies().iter().filter(|b| wanted(b.item));
    let mut points: Vec<Point> = bodies
        .flat_map(|b| {
            b.surface
                .mesh()
                .vertices()
                .iter()
                .map(|v| poses[b.node.0] * v)
        })
        .collect();
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
    let from = request.viewpoint.to_viewpoint();
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
    let (view, plane) =
        evidence_viewpoint((a, b), &Vector::x(), projection, distance, likes_my_side);
    Json(EvidenceView {
        viewpoint: ViewpointDocument::from_viewpoint(&view, request.viewpoint.lens_mm),
        section: SectionDocument::plane(millimetres(&view.pivot), plane.normal.into_inner().into()),
    })
}

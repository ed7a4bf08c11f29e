use std::collections::BTreeSet;

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use indexmap::IndexMap;
use selvik_cell::questions::{OverlapAnswer, overlap_during};
use selvik_cell::report::{flat, millimetres};
use selvik_cell::sections::{Cuts, SectionFaces, section_faces};
use selvik_core::robot::{Body, NodeId};
use selvik_core::spatial::Point;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// Poses a second in a track, and how much of it is sent at a time, s.
const TRACK_RATE_HZ: f64 = 50.0;
const PART_S: f64 = 20.0;

/// Coordinate systems that some joint moves, and those of parts that are taken.
pub fn moving_nodes(cell: &OpenCell) -> Vec<usize> {
    let assembly = &cell.workcell.assembly;
    let stays = cell.shown.handling().stays();
    let taken: BTreeSet<usize> = stays.map(|stay| stay.item).collect();
    let is_taken = |node: NodeId| {
        let item = assembly.nodes()[node.0].item;
        let mut above = std::iter::successors(Some(item), |&at| assembly.cell().parent_of(at));
        above.any(|item| taken.contains(&item))
    };
    let moves = |&node: &usize| {
        let node = NodeId(node);
        !assembly.moving_above(node).is_empty() || is_taken(node)
    };
    (0..assembly.nodes().len()).filter(moves).collect()
}

/// A mesh as it is drawn: counts of vertices, triangles and edges (u32), then vertices (3 × f32, m),
/// triangles (3 × u32) and feature edges (2 × u32), little-endian. Named by content, so kept for ever.
#[utoipa::path(get, path = "/api/cells/{id}/meshes/{mesh}", params(("id" = Uuid, Path), ("mesh" = String, Path)),
    responses((status = 200, content_type = "application/octet-stream")))]
pub async fn mesh(
    State(app): State<App>,
    Path((id, mesh)): Path<(Uuid, String)>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    let bytes = tokio::task::spawn_blocking(move || cell.drawn(&mesh)).await?;
    let bytes = bytes.ok_or_else(|| Problem::missing("there is no such mesh in this cell"))?;
    let headers = [
        (header::CONTENT_TYPE, "application/octet-stream"),
        (
            header::CACHE_CONTROL,
            "private, max-age=31536000, immutable",
        ),
    ];
    Ok((headers, bytes).into_response())
}

/// Triangles up to which a mesh is small.
const SMALL: usize = 2000;

/// All meshes of at most 2000 triangles in one answer, for cells with thousands of them: of each its name
/// (64 letters), its length in bytes (u32, little-endian) and the mesh as it is served alone.
#[utoipa::path(get, path = "/api/cells/{id}/small-meshes", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "application/octet-stream")))]
pub async fn small_meshes(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    let bytes = tokio::task::spawn_blocking(move || cell.drawn_small(SMALL)).await?;
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

/// Which part of a track.
#[derive(Deserialize, IntoParams)]
pub struct TrackPart {
    /// Counted from 0; each is 20 s long.
    part: u32,
}

/// Poses of the moving coordinate systems during a part of the path, 50 a second, its first and last instant included: for
/// each instant and each of them x, y, z (m), quaternion x, y, z, w as f32, little-endian. Empty behind the end of the path.
#[utoipa::path(get, path = "/api/cells/{id}/track", params(("id" = Uuid, Path), TrackPart),
    responses((status = 200, content_type = "application/octet-stream")))]
pub async fn track(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(TrackPart { part }): Query<TrackPart>,
) -> Result<Response, Problem> {
    let cell = app.cells.get(id).await?;
    let bytes = tokio::task::spawn_blocking(move || {
        let path = &cell.shown;
        let nodes = moving_nodes(&cell);
        let last = (path.duration() * TRACK_RATE_HZ).ceil() as u64;
        let first = u64::from(part) * (PART_S * TRACK_RATE_HZ) as u64;
        let mut bytes = Vec::new();
        for step in first..=last.min(first + (PART_S * TRACK_RATE_HZ) as u64) {
            let poses = cell.poses_at(Some(step as f64 / TRACK_RATE_HZ));
            for &node in &nodes {
                bytes.extend(
                    flat(&poses[node])
                        .iter()
                        .flat_map(|&x| (x as f32).to_le_bytes()),
                );
            }
        }
        bytes
    })
    .await?;
    Ok(([(header::CONTENT_TYPE, "application/octet-stream")], bytes).into_response())
}

/// An instant of the path.
#[derive(Deserialize, IntoParams)]
pub struct AtTime {
    time_s: f64,
}

/// Exact poses of the moving coordinate systems at one instant: x, y, z (m), quaternion x, y, z, w.
#[utoipa::path(get, path = "/api/cells/{id}/poses", params(("id" = Uuid, Path), AtTime),
    responses((status = 200, body = [[f64; 7]])))]
pub async fn poses(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(at): Query<AtTime>,
) -> Result<Json<Vec<[f64; 7]>>, Problem> {
    let cell = app.cells.get(id).await?;
    let poses = cell.poses_at(Some(at.time_s));
    Ok(Json(
        moving_nodes(&cell)
            .iter()
            .map(|&n| flat(&poses[n]))
            .collect(),
    ))
}

/// Cuts through some bodies at an instant of the path.
#[derive(Deserialize, ToSchema)]
pub struct SectionRequest {
    #[serde(flatten)]
    cuts: Cuts,
    time_s: f64,
    /// Joints that are tried elsewhere, by `item/joint`.
    #[serde(default)]
    joints_deg_or_mm: IndexMap<String, f64>,
}

/// Cuts items by sections.
#[utoipa::path(post, path = "/api/cells/{id}/section", params(("id" = Uuid, Path)), request_body = SectionRequest,
    responses((status = 200, body = SectionFaces)))]
pub async fn section(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<SectionRequest>,
) -> Result<Json<SectionFaces>, Problem> {
    let cell = app.cells.get(id).await?;
    let faces = move || {
        let workcell = &cell.workcell;
        let mut moment = cell.moment_at(Some(request.time_s));
        moment.joints = workcell.joints_from(&moment.joints, &request.joints_deg_or_mm)?;
        section_faces(workcell, &moment.poses(&workcell.assembly), &request.cuts)
    };
    let faces = tokio::task::spawn_blocking(faces).await?;
    Ok(Json(faces.map_err(Problem::refused)?))
}

/// Which body, and when.
#[derive(Deserialize, ToSchema)]
pub struct BodyRequest {
    item: String,
    /// Of a mechanism.
    link: Option<String>,
    time_s: f64,
}

/// Where a body is open.
#[derive(Serialize, ToSchema)]
pub struct OpenEdges {
    /// How many edges belong to one triangle only.
    count: usize,
    /// Their ends in the world, the first of them where there are very many.
    ends_mm: Vec<[[f64; 3]; 2]>,
}

/// More edges than this can't be told apart in a picture.
const EDGES: usize = 20_000;

/// The edges at which a body is open.
#[utoipa::path(post, path = "/api/cells/{id}/open-edges", params(("id" = Uuid, Path)), request_body = BodyRequest,
    responses((status = 200, body = OpenEdges)))]
pub async fn open_edges(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<BodyRequest>,
) -> Result<Json<OpenEdges>, Problem> {
    let cell = app.cells.get(id).await?;
    let edges = tokio::task::spawn_blocking(move || {
        let poses = cell.poses_at(Some(request.time_s));
        let body = body_of(&cell, &request.item, request.link.as_ref())?;
        let pose = poses[body.node.0];
        let ends = body.surface.open_edge_ends();
        let in_world = |edge: &[Point; 2]| edge.map(|p| millimetres(&(pose * p)));
        Ok::<_, Problem>(OpenEdges {
            count: ends.len(),
            ends_mm: ends.iter().take(EDGES).map(in_world).collect(),
        })
    });
    edges.await?.map(Json)
}

/// The body of an item, or of a link of it.
fn body_of<'a>(cell: &'a OpenCell, item: &str, link: Option<&String>) -> Result<&'a Body, Problem> {
    let assembly = &cell.workcell.assembly;
    let is_asked = |body: &&Body| {
        let own = body
            .link
            .and_then(|l| Some(&assembly.mechanism(body.item)?.links()[l].name));
        assembly.cell().items()[body.item].id.0 == item && own == link
    };
    assembly
        .bodies()
        .iter()
        .find(is_asked)
        .ok_or_else(|| Problem::missing("there is no such body"))
}

/// One of two bodies.
#[derive(Deserialize, ToSchema)]
pub struct Side {
    item: String,
    /// Of a mechanism.
    link: Option<String>,
}

/// Two bodies, and when.
#[derive(Deserialize, ToSchema)]
pub struct OverlapRequest {
    a: Side,
    b: Side,
    /// From when until when.
    during_s: [f64; 2],
}

/// How deep two bodies overlap during a stretch of the path.
#[utoipa::path(post, path = "/api/cells/{id}/overlap", params(("id" = Uuid, Path)), request_body = OverlapRequest,
    responses((status = 200, body = OverlapAnswer)))]
pub async fn overlap(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<OverlapRequest>,
) -> Result<Json<OverlapAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let [from, to] = request.during_s;
    if from > to {
        return Err(Problem::refused("during_s: it ends before it begins"));
    }
    let found = tokio::task::spawn_blocking(move || {
        let a = body_of(&cell, &request.a.item, request.a.link.as_ref())?;
        let b = body_of(&cell, &request.b.item, request.b.link.as_ref())?;
        let poses = |time_s| cell.poses_at(Some(time_s));
        Ok::<_, Problem>(overlap_during(a, b, poses, from, to))
    });
    found.await?.map(Json)
}

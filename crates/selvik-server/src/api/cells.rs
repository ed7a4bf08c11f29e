use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use selvik_core::program::{Goal, Motion};
use selvik_core::spatial::Pose;
use selvik_cell::Workcell;
use selvik_cell::bring::without_unused;
use selvik_cell::document::{CellDocument, FrameKind, RoleDocument};
use selvik_formats::PackageFiles;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::imports::{Begun, Upload, empty_cell, package_or_refusal, received};
use crate::App;
use crate::error::Problem;
use crate::open_cell::OpenCell;

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

/// A rigid body of the picture.
#[derive(Serialize, ToSchema)]
pub struct BodyInfo {
    /// Id of the item.
    item: String,
    /// Name of the link, for mechanisms.
    link: Option<String>,
    /// What people call it.
    name: String,
    /// The coordinate system it moves with.
    node: usize,
    /// Name of its mesh.
    mesh: String,
    /// How many triangles it has.
    triangles: usize,
}

/// A move on the path strip.
#[derive(Serialize, ToSchema)]
pub struct MoveInfo {
    lane: usize,
    robot: String,
    program: String,
    label: String,
    start_s: f64,
    end_s: f64,
    speed_share: f64,
}

/// The path of the run plan.
#[derive(Serialize, ToSchema)]
pub struct PathInfo {
    duration_s: f64,
    moves: Vec<MoveInfo>,
    /// Why the run plan can't be run, if it can't.
    fault: Option<String>,
}

/// A frame of the picture (ISO 9787).
#[derive(Serialize, ToSchema)]
pub struct FrameInfo {
    kind: FrameKindInfo,
    name: String,
    /// Id of the item it goes with; the world's and those of targets in it go with none.
    item: Option<String>,
    /// The coordinate system it stands in; none is the world's.
    node: Option<usize>,
    /// Where it stands in that: x, y, z (m), quaternion x, y, z, w.
    pose: [f64; 7],
}

/// What a frame is.
#[derive(Serialize, ToSchema, Clone, Copy)]
#[serde(rename_all = "snake_case")]
pub enum FrameKindInfo {
    World,
    Base,
    Flange,
    Tcp,
    Target,
    /// Any other frame of the roster.
    Frame,
    /// The frame of an item that is not a frame itself.
    Item,
}

/// A cell, opened.
#[derive(Serialize, ToSchema)]
pub struct CellDetail {
    id: Uuid,
    revision: i64,
    /// Changes with everything a sweep depends on, and with nothing else.
    fingerprint: String,
    document: CellDocument,
    bodies: Vec<BodyInfo>,
    /// For each item of the document's roster, in its order, its coordinate system.
    item_nodes: Vec<usize>,
    /// Poses of all coordinate systems at time 0: x, y, z (m), quaternion x, y, z, w.
    poses: Vec<[f64; 7]>,
    /// Frames to be marked in the picture.
    frames: Vec<FrameInfo>,
    /// Coordinate systems that move on the path, in the order of tracks.
    moving_nodes: Vec<usize>,
    path: PathInfo,
    /// What undo would take back.
    undo: Option<StepInfo>,
    /// What redo would do again.
    redo: Option<StepInfo>,
}

/// A step of the edit log.
#[derive(Serialize, ToSchema)]
pub struct StepInfo {
    /// The revision it made.
    step: i64,
    /// What was done.
    label: String,
}

/// All cells, also those in the bin, the last opened first.
#[utoipa::path(get, path = "/api/cells", responses((status = 200, body = [CellLine]), (status = 503, body = Problem)))]
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
    responses((status = 201, body = Begun), (status = 422, body = Problem)))]
pub async fn import_cell(
    State(app): State<App>,
    upload: Multipart,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let files = received(upload).await?;
    package_or_refusal(&files)?;
    let (document, files) = tokio::task::spawn_blocking(move || -> Result<_, Problem> {
        Ok((Workcell::read(&files)?.document, files))
    })
    .await??;
    let id = app.store.create(&document, &files).await?;
    Ok((StatusCode::CREATED, Json(Begun { id })))
}

/// A name.
#[derive(Deserialize, ToSchema)]
pub struct Named {
    name: String,
}

/// Makes a cell with nothing in it.
#[utoipa::path(post, path = "/api/cells/new", request_body = Named,
    responses((status = 201, body = Begun), (status = 422, body = Problem)))]
pub async fn new_cell(
    State(app): State<App>,
    Json(named): Json<Named>,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let document = empty_cell(&sound(&named.name)?);
    let id = app.store.create(&document, &PackageFiles::default()).await?;
    Ok((StatusCode::CREATED, Json(Begun { id })))
}

/// Makes a cell like this one, without its history.
#[utoipa::path(post, path = "/api/cells/{id}/duplicate", params(("id" = Uuid, Path)), request_body = Named,
    responses((status = 201, body = Begun), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn duplicate_cell(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(named): Json<Named>,
) -> Result<(StatusCode, Json<Begun>), Problem> {
    let id = app.store.duplicate(id, &sound(&named.name)?).await?;
    Ok((StatusCode::CREATED, Json(Begun { id })))
}

fn sound(name: &str) -> Result<String, Problem> {
    match name.trim() {
        name if (1..=200).contains(&name.chars().count()) => Ok(name.to_owned()),
        _ => Err(Problem::refused("a name needs 1 to 200 characters")),
    }
}

/// The picture of a cell.
#[utoipa::path(get, path = "/api/cells/{id}/thumbnail", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "image/png"), (status = 404, body = Problem)))]
pub async fn thumbnail(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let png = app.store.thumbnail(id).await?.ok_or_else(|| Problem::missing("there is no picture of it"))?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "no-cache")], png).into_response())
}

/// Keeps a picture of a cell: PNG, at most 512 KiB.
#[utoipa::path(put, path = "/api/cells/{id}/thumbnail", params(("id" = Uuid, Path)),
    request_body(content = Vec<u8>, content_type = "image/png"),
    responses((status = 204), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn keep_thumbnail(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    png: Bytes,
) -> Result<StatusCode, Problem> {
    if !png.starts_with(b"\x89PNG\r\n\x1a\n") || png.len() > 512 << 10 {
        return Err(Problem::refused("a picture must be a PNG of at most 512 KiB"));
    }
    app.store.keep_thumbnail(id, &png).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A cell, opened.
#[utoipa::path(get, path = "/api/cells/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 404, body = Problem)))]
pub async fn get_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let revision = app.store.touch(id).await?;
    let mut cell = app.cell(id).await?;
    // Another server on the same database may have changed it.
    if cell.revision < revision {
        cell = app.reopen(id).await?;
    }
    detail(&app, id, &cell).await.map(Json)
}

pub async fn detail(app: &App, id: Uuid, cell: &OpenCell) -> Result<CellDetail, Problem> {
    let undo = app.store.undo_state(id).await?;
    let step = |s: selvik_store::Step| StepInfo { step: s.revision, label: s.label };
    let assembly = &cell.workcell.assembly;
    let bodies = assembly.bodies().iter().enumerate().map(|(index, body)| BodyInfo {
        item: assembly.cell().items()[body.item].id.0.clone(),
        link: body.link.zip(assembly.mechanism(body.item)).map(|(l, m)| m.links()[l].name.clone()),
        name: assembly.body_name(selvik_core::robot::BodyId(index)),
        node: body.node.0,
        mesh: cell.mesh_names[index].clone(),
        triangles: body.surface.mesh().triangles().len(),
    });
    let items = cell.workcell.document.items.iter();
    let position = |id: &str| assembly.cell().position(&id.into()).expect("every item is in the tree");
    let moves = match &cell.path {
        Ok(path) => path
            .spans()
            .iter()
            .map(|s| {
                let program = &cell.workcell.plan.lanes[s.lane].programs[s.program];
                MoveInfo {
                    lane: s.lane,
                    robot: assembly.cell().items()[program.robot].name.clone(),
                    program: program.name.clone(),
                    label: program.moves[s.index].label.clone(),
                    start_s: s.start,
                    end_s: s.end,
                    speed_share: s.speed_share,
                }
            })
            .collect(),
        Err(_) => Vec::new(),
    };
    Ok(CellDetail {
        id,
        revision: cell.revision,
        fingerprint: cell.fingerprint.clone(),
        document: cell.workcell.document.clone(),
        bodies: bodies.collect(),
        item_nodes: items.map(|i| assembly.item_node(position(&i.id)).0).collect(),
        poses: assembly.poses(&cell.joints_at(None)).iter().map(super::picture::flat).collect(),
        frames: frames(cell),
        moving_nodes: super::picture::moving_nodes(cell),
        path: PathInfo {
            duration_s: cell.path.as_ref().map_or(0.0, selvik_core::program::Path::duration),
            moves,
            fault: cell.path.as_ref().err().cloned(),
        },
        undo: undo.undo.map(step),
        redo: undo.redo.map(step),
    })
}

fn frames(cell: &OpenCell) -> Vec<FrameInfo> {
    let assembly = &cell.workcell.assembly;
    let still = super::picture::flat(&Pose::identity());
    let mut frames = vec![FrameInfo {
        kind: FrameKindInfo::World,
        name: "World".to_owned(),
        item: None,
        node: None,
        pose: still,
    }];
    for item in &cell.workcell.document.items {
        let position = assembly.cell().position(&item.id.as_str().into()).expect("every item is in the tree");
        let mut mark = |kind, name: String, node: usize| {
            frames.push(FrameInfo { kind, name, item: Some(item.id.clone()), node: Some(node), pose: still });
        };
        let node = assembly.item_node(position).0;
        let kind = match item.frame_kind {
            Some(FrameKind::Base) => FrameKindInfo::Base,
            Some(FrameKind::Flange) => FrameKindInfo::Flange,
            Some(FrameKind::Tcp) => FrameKindInfo::Tcp,
            _ if item.role == RoleDocument::Frame => FrameKindInfo::Frame,
            _ => FrameKindInfo::Item,
        };
        // A robot has a base and a flange whether the roster names them or not.
        let robot = assembly.mechanism(position).filter(|_| item.role == RoleDocument::Robot);
        if let Some(mechanism) = robot {
            mark(FrameKindInfo::Base, format!("{} base", item.name), node);
            for tip in mechanism.tips() {
                let link = &mechanism.links()[tip].name;
                if let Some(node) = assembly.link_node(position, link) {
                    mark(FrameKindInfo::Flange, format!("{} flange", item.name), node.0);
                }
            }
        } else {
            mark(kind, item.name.clone(), node);
        }
    }
    for program in cell.workcell.plan.lanes.iter().flat_map(|l| &l.programs) {
        for instruction in &program.moves {
            let (Motion::Joint { to, .. } | Motion::Linear { to, .. } | Motion::Circular { to, .. }) =
                &instruction.motion
            else {
                continue;
            };
            if let Goal::Pose { frame, pose, .. } = to {
                frames.push(FrameInfo {
                    kind: FrameKindInfo::Target,
                    name: format!("{}, {}", program.name, instruction.label),
                    item: None,
                    node: frame.map(|n| n.0),
                    pose: super::picture::flat(pose),
                });
            }
        }
    }
    frames
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
    responses((status = 204), (status = 404, body = Problem)))]
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
    app.open.lock().expect("not poisoned").remove(&id);
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a cell out of the bin.
#[utoipa::path(post, path = "/api/cells/{id}/restore", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn restore_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    app.store.bin(id, false).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The cell as a package.
#[utoipa::path(get, path = "/api/cells/{id}/package", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "application/zip"), (status = 404, body = Problem)))]
pub async fn export_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let stored = app.store.load(id).await?;
    let pack = move || without_unused(&stored.package(), &stored.document.items).to_zip();
    let zip = tokio::task::spawn_blocking(pack).await?;
    let headers = [
        (header::CONTENT_TYPE, "application/zip"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"cell.zip\""),
    ];
    Ok((headers, zip).into_response())
}

use axum::Json;
use axum::body::Bytes;
use axum::extract::{Multipart, Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use selvik_core::program::{Goal, Motion};
use selvik_core::spatial::Pose;
use selvik_formats::Workcell;
use selvik_formats::package::{CELL_FILE, CellDocument, FrameKind, PackageFiles, RoleDocument};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

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
    undo: Option<String>,
    /// What redo would do again.
    redo: Option<String>,
}

/// All cells, the last opened first.
#[utoipa::path(get, path = "/api/cells", responses((status = 200, body = [CellLine]), (status = 503, body = Problem)))]
pub async fn list_cells(State(app): State<App>) -> Result<Json<Vec<CellLine>>, Problem> {
    let cells = app.store.list().await?;
    let line = |c: selvik_store::CellSummary| CellLine {
        id: c.id,
        name: c.name,
        revision: c.revision,
        changed_at: c.changed_at.to_rfc3339(),
        opened_at: c.opened_at.map(|t| t.to_rfc3339()),
    };
    Ok(Json(cells.into_iter().map(line).collect()))
}

/// The id of a new cell.
#[derive(Serialize, ToSchema)]
pub struct Imported {
    id: Uuid,
}

/// A dropped package: one zip, or all files of a folder under their paths.
#[derive(ToSchema)]
#[allow(dead_code)]
pub struct Upload {
    #[schema(value_type = Vec<String>, format = Binary)]
    file: Vec<u8>,
}

/// Stores a cell package. Nothing is stored unless the whole package can be read.
#[utoipa::path(post, path = "/api/cells", request_body(content = Upload, content_type = "multipart/form-data"),
    responses((status = 201, body = Imported), (status = 422, body = Problem)))]
pub async fn import_cell(
    State(app): State<App>,
    mut upload: Multipart,
) -> Result<(StatusCode, Json<Imported>), Problem> {
    let mut parts: Vec<(String, Bytes)> = Vec::new();
    while let Some(field) = upload.next_field().await.map_err(Problem::refused)? {
        let name = field.file_name().unwrap_or("package.zip").to_owned();
        parts.push((name, field.bytes().await.map_err(Problem::refused)?));
    }
    let (document, files) = tokio::task::spawn_blocking(move || -> Result<_, Problem> {
        let files = package_of(parts)?;
        let workcell = Workcell::read(&files)?;
        Ok((workcell.document, files))
    })
    .await??;
    let id = app.store.create(&document, &files).await?;
    Ok((StatusCode::CREATED, Json(Imported { id })))
}

fn package_of(mut parts: Vec<(String, Bytes)>) -> Result<PackageFiles, Problem> {
    if parts.len() == 1 && !parts[0].0.ends_with(CELL_FILE) {
        return Ok(PackageFiles::from_zip(&parts.remove(0).1)?);
    }
    // A dropped folder comes with its own name in front.
    let outer = parts
        .iter()
        .find_map(|(name, _)| name.strip_suffix(CELL_FILE))
        .ok_or_else(|| Problem::refused("there is no cell.json among the files; drop a cell package"))?
        .to_owned();
    let mut files = PackageFiles::default();
    for (name, content) in &parts {
        files.insert(name.strip_prefix(&outer).unwrap_or(name), content.to_vec())?;
    }
    Ok(files)
}

/// A cell, opened.
#[utoipa::path(get, path = "/api/cells/{id}", params(("id" = Uuid, Path)),
    responses((status = 200, body = CellDetail), (status = 404, body = Problem)))]
pub async fn get_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Json<CellDetail>, Problem> {
    let cell = app.cell(id).await?;
    app.store.touch(id).await?;
    detail(&app, id, &cell).await.map(Json)
}

pub async fn detail(app: &App, id: Uuid, cell: &OpenCell) -> Result<CellDetail, Problem> {
    let undo = app.store.undo_state(id).await?;
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
        undo: undo.undo,
        redo: undo.redo,
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

/// Deletes a cell with all that belongs to it.
#[utoipa::path(delete, path = "/api/cells/{id}", params(("id" = Uuid, Path)),
    responses((status = 204), (status = 404, body = Problem)))]
pub async fn delete_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<StatusCode, Problem> {
    app.store.delete(id).await?;
    app.open.lock().expect("not poisoned").remove(&id);
    Ok(StatusCode::NO_CONTENT)
}

/// The cell as a package.
#[utoipa::path(get, path = "/api/cells/{id}/package", params(("id" = Uuid, Path)),
    responses((status = 200, content_type = "application/zip"), (status = 404, body = Problem)))]
pub async fn export_cell(State(app): State<App>, Path(id): Path<Uuid>) -> Result<Response, Problem> {
    let stored = app.store.load(id).await?;
    let zip = tokio::task::spawn_blocking(move || stored.package().to_zip()).await?;
    let headers = [
        (header::CONTENT_TYPE, "application/zip"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"cell.zip\""),
    ];
    Ok((headers, zip).into_response())
}

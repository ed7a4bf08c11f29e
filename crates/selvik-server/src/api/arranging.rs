//! Arranging items: what a hand or a number asks for, turned into edits by the core.

use axum::Json;
use axum::extract::{Path, State};
use nalgebra::{Quaternion, Translation3, UnitQuaternion};
use selvik_core::mesh::{Surface, round_face};
use selvik_core::robot::{Placing, axis_to_axis, face_to_face, frame_along, frame_through, motion_in};
use selvik_core::section::mass_together;
use selvik_core::spatial::{Point, Pose, Vector};
use selvik_formats::package::{
    Edit, FrameKind, Hanging, ItemDocument, Placement, PoseDocument, RoleDocument,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::cells::CellDetail;
use super::edits::Brought;
use super::picture::flat;
use crate::App;
use crate::error::Problem;
use crate::open_cell::OpenCell;

/// What is to be arranged, and how.
#[derive(Deserialize, ToSchema)]
pub struct ArrangeRequest {
    base_revision: i64,
    /// Ids of items. What one of the others carries goes with that.
    items: Vec<String>,
    /// The instant of the path at which it is done.
    time_s: f64,
    how: Arrange,
}

/// In which frame numbers are meant.
#[derive(Deserialize, ToSchema, Clone)]
#[serde(rename_all = "snake_case")]
pub enum FrameChoice {
    /// The world's.
    World,
    /// That of what carries the item.
    Parent,
    /// The item's own.
    Own,
    /// That of an item, by its id: a base, a TCP, a table.
    Item(String),
}

/// A way to arrange items.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Arrange {
    /// By so much along and about the axes of a frame; turned about the origin of the first item, or about
    /// a point.
    Shift {
        frame: FrameChoice,
        by: PoseDocument,
        #[serde(default)]
        about_mm: Option<[f64; 3]>,
    },
    /// To stand exactly there in a frame; one item.
    Put { frame: FrameChoice, at: PoseDocument },
    /// By a motion in the world: x, y, z (m), quaternion x, y, z, w.
    Motion { by: [f64; 7] },
    /// A point of the items onto another point.
    PointToPoint { from_mm: [f64; 3], to_mm: [f64; 3] },
    /// A face of the items against another face.
    FaceToFace { from_mm: [f64; 3], from_normal: [f64; 3], to_mm: [f64; 3], to_normal: [f64; 3] },
    /// The axis of a round face of the items onto that of another.
    AxisToAxis { from: PickedFace, to: PickedFace },
    /// Straight down or up, until the lowest point is on the floor.
    Drop,
    /// On something else, keeping the pose in the world or in the frame that carries it.
    Hang { parent: Option<String>, on_link: Option<String>, keep: KeptPose },
    /// Into a new group, where they are.
    Group { name: String },
}

/// A triangle of a body, as it was picked.
#[derive(Deserialize, ToSchema, Clone, Copy)]
pub struct PickedFace {
    /// Index of the body in the cell's list.
    body: usize,
    /// Index of the triangle in its mesh.
    triangle: usize,
}

/// Which pose stays when what carries an item changes.
#[derive(Deserialize, ToSchema, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "snake_case")]
pub enum KeptPose {
    /// The item stays where it is.
    World,
    /// Its numbers stay, and it jumps.
    Local,
}

/// Arranges items.
#[utoipa::path(post, path = "/api/cells/{id}/arrange", params(("id" = Uuid, Path)), request_body = ArrangeRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn arrange(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ArrangeRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let (base, make) = (request.base_revision, move |cell: &OpenCell| edit_of(cell, &request));
    app.commit_made(id, base, make, Brought::default()).await.map(Json)
}

fn position(cell: &OpenCell, id: &str) -> Result<usize, Problem> {
    let found = cell.workcell.assembly.cell().position(&id.into());
    found.ok_or_else(|| Problem::refused(format!("there is no item \"{id}\"")))
}

fn edit_of(cell: &OpenCell, request: &ArrangeRequest) -> Result<Edit, Problem> {
    let assembly = &cell.workcell.assembly;
    let placing = Placing::new(assembly, &cell.joints_at(Some(request.time_s)));
    let asked = request.items.iter().map(|i| position(cell, i)).collect::<Result<Vec<_>, _>>()?;
    let first = *asked.first().ok_or_else(|| Problem::refused("select what is to be arranged first"))?;
    let topmost = placing.topmost(&asked);
    let id = |item: usize| assembly.cell().items()[item].id.0.clone();
    let motion = match &request.how {
        Arrange::Hang { parent, on_link, keep } => {
            let carrier = carrier(cell, &placing, parent.as_deref(), on_link.as_deref())?;
            let place = |&item: &usize| {
                let pose = match keep {
                    KeptPose::World => carrier.inverse() * placing.world(item),
                    KeptPose::Local => assembly.cell().items()[item].pose,
                };
                let pose = PoseDocument::from_pose(&pose);
                Hanging { item: id(item), parent: parent.clone(), on_link: on_link.clone(), pose }
            };
            return Ok(Edit::HangItems { places: topmost.iter().map(place).collect() });
        }
        Arrange::Group { name } => {
            let item = &assembly.cell().items()[topmost[0]];
            let carrier = placing.carrier(topmost[0]);
            let place = |&item: &usize| {
                let pose = PoseDocument::from_pose(&(carrier.inverse() * placing.world(item)));
                Placement { item: id(item), pose }
            };
            return Ok(Edit::GroupItems {
                name: name.clone(),
                parent: item.parent.as_ref().map(|p| p.0.clone()),
                on_link: item.on_link.clone(),
                places: topmost.iter().map(place).collect(),
            });
        }
        Arrange::Put { at, .. } if topmost.len() > 1 => {
            let _ = at;
            return Err(Problem::refused("several items can't stand in one place; shift them instead"));
        }
        Arrange::Put { frame, at } => {
            let world = frame_pose(cell, &placing, frame, first)? * pose_of(at)?;
            world * placing.world(first).inverse()
        }
        Arrange::Shift { frame, by, about_mm } => {
            let (frame, by) = (frame_pose(cell, &placing, frame, first)?, pose_of(by)?);
            let about = match about_mm {
                Some(mm) => point(mm)?,
                None => Point::from(placing.world(first).translation.vector),
            };
            motion_in(&frame, &about, &by.translation.vector, &by.rotation)
        }
        Arrange::Motion { by: [x, y, z, i, j, k, w] } => {
            let turn = UnitQuaternion::try_new(Quaternion::new(*w, *i, *j, *k), 1e-9);
            let turn = turn.ok_or_else(|| Problem::refused("the quaternion has no direction"))?;
            finite(&[*x, *y, *z])?;
            Pose::from_parts(Translation3::new(*x, *y, *z), turn)
        }
        Arrange::PointToPoint { from_mm, to_mm } => {
            let by = point(to_mm)? - point(from_mm)?;
            Pose::from_parts(by.into(), UnitQuaternion::identity())
        }
        Arrange::FaceToFace { from_mm, from_normal, to_mm, to_normal } => {
            let (from, to) = (normal(from_normal)?, normal(to_normal)?);
            face_to_face((&point(from_mm)?, &from), (&point(to_mm)?, &to))
        }
        Arrange::AxisToAxis { from, to } => {
            let (from, to) = (axis(cell, &placing, from)?, axis(cell, &placing, to)?);
            axis_to_axis((&from.0, &from.1), (&to.0, &to.1))
        }
        Arrange::Drop => {
            let lowest = topmost.iter().filter_map(|&item| placing.lowest(item)).reduce(f64::min);
            let lowest = lowest.ok_or_else(|| Problem::refused("nothing of it has a body to stand on"))?;
            Pose::translation(0.0, 0.0, -lowest)
        }
    };
    let place = |&item: &usize| {
        let pose = PoseDocument::from_pose(&placing.moved(item, &motion));
        Placement { item: id(item), pose: tidy(&pose) }
    };
    Ok(Edit::PlaceItems { places: topmost.iter().map(place).collect() })
}

/// Numbers without the dust of floating point: to a millionth of a mm and of a degree.
fn tidy(pose: &PoseDocument) -> PoseDocument {
    let round = |x: f64| (x * 1e6).round() / 1e6 + 0.0;
    PoseDocument { xyz_mm: pose.xyz_mm.map(round), rpy_deg: pose.rpy_deg.map(round) }
}

fn finite(numbers: &[f64]) -> Result<(), Problem> {
    match numbers.iter().find(|n| !n.is_finite() || n.abs() > 1e8) {
        Some(n) => Err(Problem::refused(format!("{n} is not a usable number"))),
        None => Ok(()),
    }
}

fn point(mm: &[f64; 3]) -> Result<Point, Problem> {
    finite(mm)?;
    Ok(Point::from(mm.map(|x| x * 1e-3)))
}

fn normal(of: &[f64; 3]) -> Result<Vector, Problem> {
    finite(of)?;
    let found = Vector::from(*of).try_normalize(1e-9);
    found.ok_or_else(|| Problem::refused("a face's normal has no direction"))
}

/// A point and the direction of the axis of a round face, in the world.
fn axis(cell: &OpenCell, placing: &Placing, picked: &PickedFace) -> Result<(Point, Vector), Problem> {
    let body = cell.workcell.assembly.bodies().get(picked.body);
    let body = body.ok_or_else(|| Problem::refused("there is no such body"))?;
    let mesh = body.surface.mesh();
    if picked.triangle >= mesh.triangles().len() {
        return Err(Problem::refused("there is no such triangle"));
    }
    let round = round_face(mesh, picked.triangle);
    let round =
        round.ok_or_else(|| Problem::refused("that face is not round; pick a hole, a pin or a shaft"))?;
    let pose = placing.node(body.node);
    Ok((pose * round.centre, pose.rotation * *round.axis))
}

/// A new frame, and where it stands.
#[derive(Deserialize, ToSchema)]
pub struct NewFrame {
    base_revision: i64,
    time_s: f64,
    kind: FrameKind,
    /// Id of what carries it; the world frame if absent.
    parent: Option<String>,
    /// The link of that which it hangs on.
    on_link: Option<String>,
    at: FramePlace,
}

/// Where a new frame stands.
#[derive(Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FramePlace {
    /// Where what carries it stands.
    Carrier,
    /// Origin, a point of its X axis, and a point on the side of its Y axis; world coordinates.
    ThreePoints([[f64; 3]; 3]),
    /// At a point with Z along a normal; world coordinates.
    Face { at_mm: [f64; 3], normal: [f64; 3] },
    /// In the middle of a round face with Z along its axis.
    RoundFace(PickedFace),
}

/// Adds a frame or a TCP.
#[utoipa::path(post, path = "/api/cells/{id}/frames", params(("id" = Uuid, Path)), request_body = NewFrame,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn add_frame(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<NewFrame>,
) -> Result<Json<CellDetail>, Problem> {
    let (base, make) = (request.base_revision, move |cell: &OpenCell| new_frame(cell, &request));
    app.commit_made(id, base, make, Brought::default()).await.map(Json)
}

fn new_frame(cell: &OpenCell, request: &NewFrame) -> Result<Edit, Problem> {
    let placing = Placing::new(&cell.workcell.assembly, &cell.joints_at(Some(request.time_s)));
    let carrier = carrier(cell, &placing, request.parent.as_deref(), request.on_link.as_deref())?;
    let world = match &request.at {
        FramePlace::Carrier => carrier,
        FramePlace::ThreePoints([origin, on_x, beside]) => {
            let frame = frame_through(&point(origin)?, &point(on_x)?, &point(beside)?);
            frame.ok_or_else(|| Problem::refused("the three points lie in a line; pick others"))?
        }
        FramePlace::Face { at_mm, normal: along } => frame_along(&point(at_mm)?, &normal(along)?),
        FramePlace::RoundFace(picked) => {
            let (centre, along) = axis(cell, &placing, picked)?;
            frame_along(&centre, &along)
        }
    };
    let items = &cell.workcell.document.items;
    let (base, name) = if request.kind == FrameKind::Tcp { ("tcp", "TCP") } else { ("frame", "Frame") };
    let free = |n: &usize| !items.iter().any(|i| i.id == format!("{base}-{n}"));
    let n = (1..).find(free).expect("numbers never run out");
    let item = ItemDocument {
        parent: request.parent.clone(),
        on_link: request.on_link.clone(),
        pose: tidy(&PoseDocument::from_pose(&(carrier.inverse() * world))),
        frame_kind: Some(request.kind),
        ..ItemDocument::new(format!("{base}-{n}"), format!("{name} {n}"), RoleDocument::Frame)
    };
    Ok(Edit::AddItems { items: vec![item] })
}

fn pose_of(document: &PoseDocument) -> Result<Pose, Problem> {
    finite(&[document.xyz_mm, document.rpy_deg].concat())?;
    Ok(document.to_pose())
}

fn frame_pose(cell: &OpenCell, placing: &Placing, frame: &FrameChoice, of: usize) -> Result<Pose, Problem> {
    Ok(match frame {
        FrameChoice::World => Pose::identity(),
        FrameChoice::Parent => placing.carrier(of),
        FrameChoice::Own => placing.world(of),
        FrameChoice::Item(id) => placing.world(position(cell, id)?),
    })
}

fn carrier(
    cell: &OpenCell,
    placing: &Placing,
    parent: Option<&str>,
    on_link: Option<&str>,
) -> Result<Pose, Problem> {
    let Some(parent) = parent else { return Ok(Pose::identity()) };
    let item = position(cell, parent)?;
    let Some(link) = on_link else { return Ok(placing.world(item)) };
    let node = cell.workcell.assembly.link_node(item, link);
    let node = node.ok_or_else(|| Problem::refused(format!("\"{parent}\" has no link \"{link}\"")))?;
    Ok(placing.node(node))
}

/// Which items, in which frame and when.
#[derive(Deserialize, ToSchema)]
pub struct FactsRequest {
    items: Vec<String>,
    frame: FrameChoice,
    time_s: f64,
}

/// What is known of an item.
#[derive(Serialize, ToSchema)]
pub struct ItemFacts {
    item: String,
    /// Where it stands in the chosen frame.
    pose: PoseDocument,
    /// How it is turned there, as a unit quaternion x, y, z, w.
    quaternion_xyzw: [f64; 4],
    /// Where it stands in the world: x, y, z (m), quaternion x, y, z, w.
    world: [f64; 7],
    /// Where the chosen frame stands in the world.
    axes: [f64; 7],
    /// Along its own axes, with its links where they are; none without a body.
    size_mm: Option<[f64; 3]>,
    triangles: usize,
    /// Edges that belong to one triangle only: the mesh is open there.
    open_edges: usize,
    /// Connected pieces.
    shells: usize,
    /// Files of the package it comes from.
    files: Vec<String>,
    /// Links others can hang on.
    links: Vec<String>,
}

/// What is known of items.
#[utoipa::path(post, path = "/api/cells/{id}/facts", params(("id" = Uuid, Path)), request_body = FactsRequest,
    responses((status = 200, body = [ItemFacts]), (status = 422, body = Problem)))]
pub async fn facts(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FactsRequest>,
) -> Result<Json<Vec<ItemFacts>>, Problem> {
    let cell = app.cell(id).await?;
    let facts = tokio::task::spawn_blocking(move || {
        let placing = Placing::new(&cell.workcell.assembly, &cell.joints_at(Some(request.time_s)));
        let of = |id: &String| facts_of(&cell, &placing, position(&cell, id)?, &request.frame);
        request.items.iter().map(of).collect::<Result<Vec<_>, _>>()
    });
    facts.await?.map(Json)
}

fn facts_of(
    cell: &OpenCell,
    placing: &Placing,
    item: usize,
    frame: &FrameChoice,
) -> Result<ItemFacts, Problem> {
    let assembly = &cell.workcell.assembly;
    let id = &assembly.cell().items()[item].id.0;
    let world = placing.world(item);
    let bodies: Vec<_> = assembly.bodies().iter().filter(|b| b.item == item).collect();
    let boxes = bodies.iter().flat_map(|body| {
        let own = world.inverse() * placing.node(body.node);
        body.surface.mesh().vertices().iter().map(move |v| own * v)
    });
    let size = selvik_core::spatial::Aabb::around(boxes).map(|b| b.half_extents() * 2e3);
    let frame = frame_pose(cell, placing, frame, item)?;
    let there = frame.inverse() * world;
    let document = cell.workcell.document.items.iter().find(|i| &i.id == id).expect("every item is written");
    let links = assembly.mechanism(item).map_or(&[][..], |m| m.links());
    Ok(ItemFacts {
        item: id.clone(),
        pose: tidy(&PoseDocument::from_pose(&there)),
        quaternion_xyzw: there.rotation.coords.into(),
        world: flat(&world),
        axes: flat(&frame),
        size_mm: size.map(|s| [s.x, s.y, s.z]),
        triangles: bodies.iter().map(|b| b.surface.mesh().triangles().len()).sum(),
        open_edges: bodies.iter().map(|b| b.surface.open_edges()).sum(),
        shells: bodies.iter().map(|b| b.surface.shells().map_or(1, |s| s.all().len())).sum(),
        files: document.files(),
        links: links.iter().map(|l| l.name.clone()).collect(),
    })
}

/// Which items.
#[derive(Deserialize, ToSchema)]
pub struct MassesRequest {
    items: Vec<String>,
}

/// How much of an item there is, with all its joints at rest; what its bodies share counts once.
#[derive(Serialize, ToSchema)]
pub struct ItemMass {
    item: String,
    /// None where a body is open or there is none, or where working out what they share takes too long.
    volume_mm3: Option<f64>,
    /// Of what is outside; none as of the volume.
    area_mm2: Option<f64>,
}

/// Volumes and areas of items. That of a robot takes a moment: its links stand in each other.
#[utoipa::path(post, path = "/api/cells/{id}/masses", params(("id" = Uuid, Path)), request_body = MassesRequest,
    responses((status = 200, body = [ItemMass]), (status = 422, body = Problem)))]
pub async fn masses(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<MassesRequest>,
) -> Result<Json<Vec<ItemMass>>, Problem> {
    let cell = app.cell(id).await?;
    let masses = tokio::task::spawn_blocking(move || {
        let placing = Placing::new(&cell.workcell.assembly, &cell.workcell.rest);
        let of = |id: &String| Ok::<_, Problem>(mass_of(&cell, &placing, position(&cell, id)?));
        request.items.iter().map(of).collect::<Result<Vec<_>, _>>()
    });
    masses.await?.map(Json)
}

fn mass_of(cell: &OpenCell, placing: &Placing, item: usize) -> ItemMass {
    let assembly = &cell.workcell.assembly;
    let bodies: Vec<(&Surface, Pose)> = assembly
        .bodies()
        .iter()
        .filter(|b| b.item == item)
        .map(|b| (&*b.surface, placing.world(item).inverse() * placing.node(b.node)))
        .collect();
    let closed = !bodies.is_empty() && bodies.iter().all(|(surface, _)| surface.open_edges() == 0);
    let mass = closed.then(|| mass_together(&bodies)).flatten();
    ItemMass {
        item: assembly.cell().items()[item].id.0.clone(),
        volume_mm3: mass.map(|m| m.volume * 1e9),
        area_mm2: mass.map(|m| m.area * 1e6),
    }
}

//! A cell as a page opens it.

use std::collections::HashSet;
use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::document::{CellDocument, FrameKind, RoleDocument};
use selvik_cell::report::flat;
use selvik_core::program::{Goal, ProgramError, ProgramFault};
use selvik_core::spatial::Pose;
use serde::{Serialize, Serializer};
use utoipa::ToSchema;
use uuid::Uuid;

use super::picture::moving_nodes;
use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// A rigid body of the picture.
#[derive(Serialize, ToSchema)]
pub struct BodyInfo {
    /// Id of the item.
    pub item: String,
    /// Name of the link, for mechanisms.
    pub link: Option<String>,
    /// What people call it.
    pub name: String,
    /// The coordinate system it moves with.
    pub node: usize,
    /// Name of its mesh.
    pub mesh: String,
    /// How many triangles it has.
    pub triangles: usize,
}

/// A program on the path: when each of its moves runs, as far as they can be driven.
#[derive(Serialize, ToSchema)]
pub struct RunInfo {
    /// Which lane of the run plan.
    pub lane: usize,
    /// Which of the lane's programs.
    pub nth: usize,
    /// What people call what moves.
    pub robot: String,
    /// What people call the program.
    pub program: String,
    /// When each move begins.
    pub starts_s: Vec<f64>,
    /// When each ends.
    pub ends_s: Vec<f64>,
}

/// The path of the run plan, as far as it can be run.
#[derive(Serialize, ToSchema)]
pub struct PathInfo {
    pub duration_s: f64,
    pub runs: Vec<RunInfo>,
    /// Why the run plan can't be run whole, if it can't.
    pub fault: Option<String>,
    /// The moves at which a lane ends because they can't be driven.
    pub faults: Vec<FaultInfo>,
}

/// A move that can't be driven.
#[derive(Serialize, ToSchema)]
pub struct FaultInfo {
    /// Which lane of the run plan.
    pub lane: usize,
    /// Which of the lane's programs.
    pub nth: usize,
    /// Which of its moves, from 0.
    pub index: usize,
    /// Why.
    pub reason: String,
    /// When it would begin.
    pub at_s: f64,
    /// Where it was to go, in the world, if to a target: x, y, z (m), quaternion x, y, z, w.
    pub target: Option<[f64; 7]>,
    /// It is a recording that begins elsewhere: one may go there first.
    pub begins_elsewhere: bool,
}

/// A frame of the picture (ISO 9787).
#[derive(Serialize, ToSchema)]
pub struct FrameInfo {
    pub kind: FrameKindInfo,
    pub name: String,
    /// Id of the item it goes with; the world's and those of targets in it go with none.
    pub item: Option<String>,
    /// The coordinate system it stands in; none is the world's.
    pub node: Option<usize>,
    /// Where it stands in that: x, y, z (m), quaternion x, y, z, w.
    pub pose: [f64; 7],
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
    pub id: Uuid,
    pub revision: i64,
    /// Changes with everything a sweep depends on, and with nothing else.
    pub fingerprint: String,
    /// Changes with what people call the things that findings speak of.
    pub names: String,
    #[schema(value_type = CellDocument)]
    pub document: DocumentOf,
    pub bodies: Vec<BodyInfo>,
    /// For each item of the document's roster, in its order, its coordinate system.
    pub item_nodes: Vec<usize>,
    /// Poses of all coordinate systems at time 0: x, y, z (m), quaternion x, y, z, w.
    pub poses: Vec<[f64; 7]>,
    /// Frames to be marked in the picture, but for targets.
    pub frames: Vec<FrameInfo>,
    /// Coordinate systems that move on the path, in the order of tracks.
    pub moving_nodes: Vec<usize>,
    /// All joints that have a value of their own, mechanism by mechanism, from base to tip.
    pub joints: Vec<JointInfo>,
    pub path: PathInfo,
    /// What undo would take back.
    pub undo: Option<StepInfo>,
    /// What redo would do again.
    pub redo: Option<StepInfo>,
}

/// The document of a cell, told from where it is.
pub struct DocumentOf(Arc<OpenCell>);

impl Serialize for DocumentOf {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        self.0.workcell.document.serialize(to)
    }
}

/// A joint that can be moved.
#[derive(Serialize, ToSchema)]
pub struct JointInfo {
    /// `item/joint`.
    pub key: String,
    /// Id of the item.
    pub item: String,
    /// Its name in the mechanism.
    pub name: String,
    /// Whether its values are angles.
    pub turns: bool,
    /// Smallest value, degrees or mm; none if it goes on and on.
    pub low: Option<f64>,
    /// Largest value.
    pub high: Option<f64>,
    /// Largest speed, degrees/s or mm/s.
    pub velocity: f64,
    /// Largest acceleration, degrees/s² or mm/s².
    pub acceleration: f64,
    /// Whether the speed is assumed, because nobody says it.
    pub velocity_assumed: bool,
    /// Where the cell starts, degrees or mm.
    pub rest: f64,
}

fn joints(cell: &OpenCell) -> Vec<JointInfo> {
    let workcell = &cell.workcell;
    let all = workcell.assembly.joints().iter().enumerate();
    all.map(|(index, joint)| {
        let shown = |value: f64| workcell.joint_value(index, value);
        let bound = |value: f64| value.is_finite().then(|| shown(value));
        JointInfo {
            key: workcell.joint_key(index),
            item: workcell.assembly.cell().items()[joint.item].id.0.clone(),
            name: joint.name.clone(),
            turns: joint.kind.turns(),
            low: bound(joint.limits.position.low()),
            high: bound(joint.limits.position.high()),
            velocity: shown(joint.limits.velocity),
            acceleration: shown(joint.limits.acceleration),
            velocity_assumed: !joint.limits.stated.velocity,
            rest: shown(workcell.rest[index]),
        }
    })
    .collect()
}

/// A step of the edit log.
#[derive(Serialize, ToSchema)]
pub struct StepInfo {
    /// The revision it made.
    pub step: i64,
    /// What was done.
    pub label: String,
}

/// The cell `id`, as an answer.
pub async fn detail(
    app: &App,
    id: Uuid,
    cell: &Arc<OpenCell>,
) -> Result<Json<CellDetail>, Problem> {
    let undo = app.store.undo_state(id).await?;
    let step = |s: selvik_store::Step| StepInfo {
        step: s.revision,
        label: s.label,
    };
    let assembly = &cell.workcell.assembly;
    let bodies = assembly
        .bodies()
        .iter()
        .enumerate()
        .map(|(index, body)| BodyInfo {
            item: assembly.cell().items()[body.item].id.0.clone(),
            link: body
                .link
                .zip(assembly.mechanism(body.item))
                .map(|(l, m)| m.links()[l].name.clone()),
            name: assembly.body_name(selvik_core::robot::BodyId(index)),
            node: body.node.0,
            mesh: cell.mesh_names[index].clone(),
            triangles: body.surface.mesh().triangles().len(),
        });
    let items = cell.workcell.document.items.iter();
    let position = |id: &str| {
        assembly
            .cell()
            .position(&id.into())
            .expect("every item is in the tree")
    };
    let faults = cell.faults.iter().map(|fault| fault_info(cell, fault));
    Ok(Json(CellDetail {
        id,
        revision: cell.revision,
        fingerprint: cell.fingerprint.clone(),
        names: cell.names.clone(),
        document: DocumentOf(Arc::clone(cell)),
        bodies: bodies.collect(),
        item_nodes: items
            .map(|i| assembly.item_node(position(&i.id)).0)
            .collect(),
        poses: cell.poses_at(None).iter().map(flat).collect(),
        frames: frames(cell),
        moving_nodes: moving_nodes(cell),
        joints: joints(cell),
        path: PathInfo {
            duration_s: cell.shown.duration(),
            runs: runs(cell),
            fault: cell.faults.first().map(ToString::to_string),
            faults: faults.collect(),
        },
        undo: undo.undo.map(step),
        redo: undo.redo.map(step),
    }))
}

/// The programs on the path, in the order of lanes. Times to a microsecond: there may be thousands.
fn runs(cell: &OpenCell) -> Vec<RunInfo> {
    let mut runs: Vec<RunInfo> = Vec::new();
    let rounded = |s: f64| (s * 1e6).round() / 1e6;
    for span in cell.shown.spans() {
        let is_same = |run: &RunInfo| (run.lane, run.nth) == (span.lane, span.program);
        if !runs.last().is_some_and(is_same) {
            let program = &cell.workcell.plan.lanes[span.lane].programs[span.program];
            let items = cell.workcell.assembly.cell().items();
            runs.push(RunInfo {
                lane: span.lane,
                nth: span.program,
                robot: items[program.robot].name.clone(),
                program: program.name.clone(),
                starts_s: Vec::new(),
                ends_s: Vec::new(),
            });
        }
        let run = runs.last_mut().expect("just added");
        run.starts_s.push(rounded(span.start));
        run.ends_s.push(rounded(span.end));
    }
    runs
}

fn fault_info(cell: &OpenCell, fault: &ProgramError) -> FaultInfo {
    let lane = &cell.workcell.plan.lanes[fault.lane];
    let own = cell.shown.spans().iter().filter(|s| s.lane == fault.lane);
    let at_s = own.map(|s| s.end).fold(lane.start, f64::max);
    let step = &lane.programs[fault.nth].moves[fault.index];
    let mut moment = cell.moment_at(Some(at_s));
    for &(joint, value) in &step.also {
        moment.joints[joint] = value;
    }
    let target = step.motion.goals().last().and_then(|goal| match goal {
        Goal::Pose { frame, pose, .. } => {
            let assembly = &cell.workcell.assembly;
            let world = |node| assembly.pose_carrying(node, &moment.joints, &moment.carried);
            Some(flat(&(frame.map_or_else(Pose::identity, world) * pose)))
        }
        Goal::Joints(_) | Goal::Here => None,
    });
    FaultInfo {
        lane: fault.lane,
        nth: fault.nth,
        index: fault.index,
        reason: fault.fault.to_string(),
        at_s,
        target,
        begins_elsewhere: matches!(fault.fault, ProgramFault::BeginsElsewhere { .. }),
    }
}

fn frames(cell: &OpenCell) -> Vec<FrameInfo> {
    let assembly = &cell.workcell.assembly;
    let still = flat(&Pose::identity());
    let mut frames = vec![FrameInfo {
        kind: FrameKindInfo::World,
        name: "World".to_owned(),
        item: None,
        node: None,
        pose: still,
    }];
    for item in &cell.workcell.document.items {
        let position = assembly
            .cell()
            .position(&item.id.as_str().into())
            .expect("every item is in the tree");
        let mut mark = |kind, name: String, node: usize| {
            frames.push(FrameInfo {
                kind,
                name,
                item: Some(item.id.clone()),
                node: Some(node),
                pose: still,
            });
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
        let robot = assembly
            .mechanism(position)
            .filter(|_| item.role == RoleDocument::Robot);
        if let Some(mechanism) = robot {
            mark(FrameKindInfo::Base, format!("{} base", item.name), node);
            for tip in mechanism.tips() {
                let link = &mechanism.links()[tip].name;
                if let Some(node) = assembly.link_node(position, link) {
                    mark(
                        FrameKindInfo::Flange,
                        format!("{} flange", item.name),
                        node.0,
                    );
                }
            }
        } else {
            mark(kind, item.name.clone(), node);
        }
    }
    frames
}

/// Where the moves of programs go: frames to be marked in the picture, of which there may be thousands.
#[utoipa::path(get, path = "/api/cells/{id}/target-frames", params(("id" = Uuid, Path)),
    responses((status = 200, body = [FrameInfo])))]
pub async fn target_frames(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<FrameInfo>>, Problem> {
    Ok(Json(frames_of_targets(&*app.cells.get(id).await?)))
}

fn frames_of_targets(cell: &OpenCell) -> Vec<FrameInfo> {
    let mut frames = Vec::new();
    for program in cell.workcell.plan.lanes.iter().flat_map(|l| &l.programs) {
        // Many moves may go to one target.
        let mut marked = HashSet::new();
        for instruction in &program.moves {
            if let Some(Goal::Pose { frame, pose, .. }) = instruction.motion.goals().last()
                && marked.insert((*frame, flat(pose).map(f64::to_bits)))
            {
                frames.push(FrameInfo {
                    kind: FrameKindInfo::Target,
                    name: format!("{}, {}", program.name, instruction.label),
                    item: None,
                    node: frame.map(|n| n.0),
                    pose: flat(pose),
                });
            }
        }
    }
    frames
}

//! Single questions about a cell, with all joints somewhere, and their answers.

use indexmap::IndexMap;
use selvik_core::cell::{ItemId, Role};
use selvik_core::clearance::{Limit, Side, distance, overlap_depth};
use selvik_core::mesh::Surface;
use selvik_core::program::Path;
use selvik_core::robot::{Arm, Body, BodyId, Moment, NodeId};
use selvik_core::section::{Region, cut_together};
use selvik_core::spatial::{Plane, Point, Pose};
use selvik_formats::{FormatError, Result};
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::document::PoseDocument;
use crate::report::millimetres;

/// A pose in the world.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PoseAnswer {
    /// Origin.
    pub xyz_mm: [f64; 3],
    /// Fixed-axis roll, pitch, yaw as in URDF.
    pub rpy_deg: [f64; 3],
    /// The same turn as a unit quaternion.
    pub quaternion_xyzw: [f64; 4],
    /// Poses of the links, for mechanisms.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[schema(no_recursion)]
    pub links: Option<IndexMap<String, PoseAnswer>>,
}

/// Where everything is.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PosesAnswer {
    /// By id.
    pub items: IndexMap<String, PoseAnswer>,
    /// By `item/joint`.
    pub joints_deg_or_mm: IndexMap<String, f64>,
}

/// Joint values that take a frame to a pose, or why there are none.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct InverseAnswer {
    /// All there are; of arms without a closed form those that were found.
    pub solutions: Vec<InverseSolution>,
    /// Why there are none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
}

/// One solution of the inverse kinematics.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct InverseSolution {
    /// The posture in words, for arms whose postures have names.
    pub posture: Option<String>,
    /// By `item/joint`.
    pub joints_deg_or_mm: IndexMap<String, f64>,
}

/// The distance between two items.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct DistanceAnswer {
    /// 0 when they touch or overlap.
    pub distance_mm: f64,
    /// Closest point of the first, world coordinates.
    pub on_a_mm: [f64; 3],
    /// Closest point of the second.
    pub on_b_mm: [f64; 3],
    /// Whether they touch or overlap.
    pub overlap: bool,
    /// The body of the first that is nearest.
    pub a: String,
    /// The body of the second.
    pub b: String,
    /// Why the distance is not certain, in sentences.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_certain: Vec<String>,
}

/// How deep two bodies overlap during a stretch of time.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OverlapAnswer {
    /// The diameter of the largest ball that is known to lie in both at one of the instants looked at: they may overlap
    /// deeper between. 0 where none is known.
    pub at_least_mm: f64,
    /// When.
    pub time_s: f64,
}

/// The loops in which a plane cuts an item.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SectionAnswer {
    /// Of all regions.
    pub area_mm2: f64,
    /// Of all loops.
    pub perimeter_mm: f64,
    /// What is filled.
    pub regions: Vec<RegionAnswer>,
    /// Lines left open where a mesh is open.
    pub open_mm: Vec<Vec<[f64; 3]>>,
}

/// A filled region with its holes.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct RegionAnswer {
    /// Its outline.
    pub outer_mm: Vec<[f64; 3]>,
    /// Its holes.
    pub holes_mm: Vec<Vec<[f64; 3]>>,
    /// Without the holes.
    pub area_mm2: f64,
}

/// The path of a run plan.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PathAnswer {
    /// How long it lasts.
    pub duration_s: f64,
    /// Instants between which all joints move linearly.
    pub knots_s: Vec<f64>,
    /// Which move runs when.
    pub moves: Vec<MoveAnswer>,
}

/// A move on the path.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct MoveAnswer {
    /// The lane, from 0.
    pub lane: usize,
    /// Name of the program.
    pub program: String,
    /// The move in words.
    #[serde(rename = "move")]
    pub label: String,
    /// When it begins.
    pub start_s: f64,
    /// When it ends.
    pub end_s: f64,
    /// 1 at the programmed speed; smaller where joint limits forced a part of it slower.
    pub speed_share: f64,
}

/// A workcell at a moment, to be asked.
pub struct Asked<'a> {
    workcell: &'a Workcell,
    moment: Moment,
    poses: Vec<Pose>,
}

impl<'a> Asked<'a> {
    /// With all joints at rest.
    #[must_use]
    pub fn at_rest(workcell: &'a Workcell) -> Self {
        Self::with(workcell, Moment::of_roster(workcell.rest.clone()))
    }

    /// At the time `time_s` of its path.
    ///
    /// # Errors
    /// [`FormatError`] when the run plan can't be run, or does not last that long.
    pub fn at_time(workcell: &'a Workcell, time_s: f64) -> Result<Self> {
        Self::on_path(
            workcell,
            &workcell.path().map_err(FormatError::said)?,
            time_s,
        )
    }

    /// At the time `time_s` of a path, which may end where the run plan can't be run on.
    ///
    /// # Errors
    /// [`FormatError`] when it does not last that long.
    pub fn on_path(workcell: &'a Workcell, path: &Path, time_s: f64) -> Result<Self> {
        if !(0.0..=path.duration() + 1e-9).contains(&time_s) {
            let duration = path.duration();
            let message =
                format!("the path lasts from 0 to {duration:.3} s, so there is no {time_s} s");
            return Err(FormatError::said(message));
        }
        Ok(Self::with(
            workcell,
            path.moment(&workcell.assembly, time_s),
        ))
    }

    /// With some joints, by `item/joint`, at other values (degrees or mm).
    ///
    /// # Errors
    /// [`FormatError`] for a joint that is not there or would be beyond its limits.
    pub fn moved(self, joints_deg_or_mm: &IndexMap<String, f64>) -> Result<Self> {
        let joints = self
            .workcell
            .joints_from(&self.moment.joints, joints_deg_or_mm)?;
        let moment = Moment {
            joints,
            ..self.moment
        };
        Ok(Self::with(self.workcell, moment))
    }

    /// At `moment`.
    #[must_use]
    pub fn with(workcell: &'a Workcell, moment: Moment) -> Self {
        let poses = moment.poses(&workcell.assembly);
        Self {
            workcell,
            moment,
            poses,
        }
    }

    /// World poses of all items and links.
    #[must_use]
    pub fn poses(&self) -> PosesAnswer {
        let assembly = &self.workcell.assembly;
        let items = assembly
            .cell()
            .items()
            .iter()
            .enumerate()
            .map(|(at, item)| {
                let links = assembly.mechanism(at).map(|mechanism| {
                    let placed = mechanism.links().iter().filter_map(|link| {
                        let node = assembly.link_node(at, &link.name)?;
                        Some((link.name.clone(), pose_answer(&self.poses[node.0])))
                    });
                    placed.collect()
                });
                let own = pose_answer(&self.poses[assembly.item_node(at).0]);
                (item.id.0.clone(), PoseAnswer { links, ..own })
            });
        PosesAnswer {
            items: items.collect(),
            joints_deg_or_mm: self.named(self.moment.joints.iter().enumerate()),
        }
    }

    /// Joint values by their names, of pairs of joint and value (rad or m).
    fn named<'v>(&self, values: impl Iterator<Item = (usize, &'v f64)>) -> IndexMap<String, f64> {
        values
            .map(|(j, &v)| (self.workcell.joint_key(j), self.workcell.joint_value(j, v)))
            .collect()
    }

    /// Joint values of `robot` that take the frame `tcp` to `target` in the world.
    ///
    /// # Errors
    /// [`FormatError`] for an item that is not there, or a frame that the robot does not carry.
    pub fn inverse(&self, robot: &str, tcp: &str, target: &PoseDocument) -> Result<InverseAnswer> {
        let assembly = &self.workcell.assembly;
        let tip = assembly.item_node(self.position(tcp)?);
        let arm = Arm::new(assembly, self.position(robot)?, tip).map_err(FormatError::said)?;
        Ok(
            match arm.solve(assembly, &target.to_pose(), &self.moment.joints) {
                Ok(found) => {
                    let solutions = found.iter().map(|solution| InverseSolution {
                        posture: solution.configuration.map(|c| c.to_string()),
                        joints_deg_or_mm: self
                            .named(arm.joints().iter().copied().zip(&solution.values)),
                    });
                    InverseAnswer {
                        solutions: solutions.collect(),
                        reason: None,
                    }
                }
                Err(reason) => InverseAnswer {
                    solutions: Vec::new(),
                    reason: Some(reason.to_string()),
                },
            },
        )
    }

    /// The exact distance between two items with all their links, or between links `item/link`.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there or has no geometry.
    pub fn distance(&self, a: &str, b: &str) -> Result<DistanceAnswer> {
        let assembly = &self.workcell.assembly;
        let mut best: Option<DistanceAnswer> = None;
        let mut not_certain = Vec::new();
        let (of_a, of_b) = (self.bodies(a)?, self.bodies(b)?);
        for &x in &of_a {
            for &y in &of_b {
                let ((sx, px), (sy, py)) = (self.placed(x), self.placed(y));
                let enough = best
                    .as_ref()
                    .map_or(f64::INFINITY, |b| b.distance_mm * 1e-3);
                let answer = distance(
                    sx,
                    sy,
                    &px.inv_mul(&py),
                    Limit {
                        enough,
                        ..Limit::default()
                    },
                );
                if let Some(side) = answer.undecided {
                    let open = assembly.body_name(if side == Side::First { x } else { y });
                    not_certain.push(format!("{open} is open: the other body may lie inside it"));
                }
                if let Some(closest) = answer.closest {
                    best = Some(DistanceAnswer {
                        distance_mm: closest.distance * 1e3,
                        on_a_mm: millimetres(&(px * closest.on_a)),
                        on_b_mm: millimetres(&(px * closest.on_b)),
                        overlap: closest.overlap,
                        a: assembly.body_name(x),
                        b: assembly.body_name(y),
                        not_certain: Vec::new(),
                    });
                }
            }
        }
        let best = best.ok_or_else(|| FormatError::said("nothing to measure"))?;
        Ok(DistanceAnswer {
            not_certain,
            ..best
        })
    }

    /// The loops in which `plane` cuts an item, or a link `item/link`.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there or has no geometry.
    pub fn section(&self, item: &str, plane: &Plane) -> Result<SectionAnswer> {
        let bodies = self.bodies(item)?;
        let section = cut_together(bodies.iter().map(|&id| self.placed(id)), plane);
        let in_mm = |points: &[Point]| points.iter().map(millimetres).collect::<Vec<_>>();
        let region = |r: &Region| RegionAnswer {
            outer_mm: in_mm(r.outer.points()),
            holes_mm: r.holes.iter().map(|h| in_mm(h.points())).collect(),
            area_mm2: r.area() * 1e6,
        };
        Ok(SectionAnswer {
            area_mm2: section.area() * 1e6,
            perimeter_mm: section.perimeter() * 1e3,
            regions: section.regions.iter().map(region).collect(),
            open_mm: section.open.iter().map(|line| in_mm(line)).collect(),
        })
    }

    pub(crate) fn workcell(&self) -> &'a Workcell {
        self.workcell
    }

    pub(crate) fn node_poses(&self) -> &[Pose] {
        &self.poses
    }

    pub(crate) fn node_pose(&self, node: NodeId) -> Pose {
        self.poses[node.0]
    }

    /// Where the frame of the item at `position` stands.
    pub(crate) fn item_pose(&self, position: usize) -> Pose {
        self.node_pose(self.workcell.assembly.item_node(position))
    }

    /// The joint vector, rad or m.
    pub(crate) fn joints(&self) -> &[f64] {
        &self.moment.joints
    }

    /// The position of an item and its node, or the node of a link of it: `item` or `item/link`.
    pub(crate) fn frame(&self, name: &str) -> Result<(usize, NodeId)> {
        let assembly = &self.workcell.assembly;
        let Some((item, link)) = name.split_once('/') else {
            let position = self.position(name)?;
            return Ok((position, assembly.item_node(position)));
        };
        let position = self.position(item)?;
        let unknown = || FormatError::said(format!("item \"{item}\" has no link \"{link}\""));
        let node = assembly.link_node(position, link).ok_or_else(unknown)?;
        Ok((position, node))
    }

    pub(crate) fn position(&self, id: &str) -> Result<usize> {
        let position = self
            .workcell
            .assembly
            .cell()
            .position(&ItemId(id.to_owned()));
        position.ok_or_else(|| FormatError::said(format!("there is no item \"{id}\"")))
    }

    /// The bodies of the item at `position` and of all that hangs on it.
    pub(crate) fn bodies_within(&self, position: usize) -> Vec<BodyId> {
        let assembly = &self.workcell.assembly;
        let all = assembly.bodies().iter().enumerate();
        all.filter(|(_, b)| assembly.cell().is_within(b.item, position))
            .map(|(i, _)| BodyId(i))
            .collect()
    }

    /// The bodies of an item, of a group those of all that is in it; none where it has no geometry.
    pub(crate) fn bodies_of(&self, id: &str) -> Result<Vec<BodyId>> {
        let position = self.position(id)?;
        let assembly = &self.workcell.assembly;
        if assembly.cell().items()[position].role == Role::Group {
            return Ok(self.bodies_within(position));
        }
        let all = assembly.bodies().iter().enumerate();
        let own = all.filter(|(_, body)| body.item == position);
        Ok(own.map(|(at, _)| BodyId(at)).collect())
    }

    /// The bodies of `item` or `item/link`.
    pub(crate) fn bodies(&self, name: &str) -> Result<Vec<BodyId>> {
        let assembly = &self.workcell.assembly;
        let (item, link) = name
            .split_once('/')
            .map_or((name, None), |(i, l)| (i, Some(l)));
        let position = self.position(item)?;
        let wanted = match link {
            Some(link) => {
                let index = assembly.mechanism(position).and_then(|m| m.link(link));
                let unknown =
                    || FormatError::said(format!("item \"{item}\" has no link \"{link}\""));
                Some(index.ok_or_else(unknown)?)
            }
            None => None,
        };
        let all = assembly.bodies().iter().enumerate();
        let found: Vec<BodyId> = all
            .filter(|(_, b)| b.item == position && (wanted.is_none() || b.link == wanted))
            .map(|(i, _)| BodyId(i))
            .collect();
        if found.is_empty() {
            return Err(FormatError::said(format!("\"{name}\" has no geometry")));
        }
        Ok(found)
    }

    /// A body as `item` or `item/link`.
    pub(crate) fn name_of(&self, id: BodyId) -> String {
        let assembly = &self.workcell.assembly;
        let body = assembly.body(id);
        let item = &assembly.cell().items()[body.item].id.0;
        match body.link {
            Some(link) => {
                let mechanism = assembly.mechanism(body.item).expect("a link has one");
                format!("{item}/{}", mechanism.links()[link].name)
            }
            None => item.clone(),
        }
    }

    pub(crate) fn placed(&self, id: BodyId) -> (&'a Surface, Pose) {
        let body = self.workcell.assembly.body(id);
        (&body.surface, self.poses[body.node.0])
    }
}

fn pose_answer(pose: &Pose) -> PoseAnswer {
    let PoseDocument { xyz_mm, rpy_deg } = PoseDocument::from_pose(pose);
    PoseAnswer {
        xyz_mm,
        rpy_deg,
        quaternion_xyzw: pose.rotation.coords.into(),
        links: None,
    }
}

/// The path of the run plan of `workcell`, told.
#[must_use]
pub fn path_answer(workcell: &Workcell, path: &Path) -> PathAnswer {
    let moves = path.spans().iter().map(|span| {
        let program = &workcell.plan.lanes[span.lane].programs[span.program];
        MoveAnswer {
            lane: span.lane,
            program: program.name.clone(),
            label: program.moves[span.index].label.clone(),
            start_s: span.start,
            end_s: span.end,
            speed_share: span.speed_share,
        }
    });
    PathAnswer {
        duration_s: path.duration(),
        knots_s: path.knots().to_vec(),
        moves: moves.collect(),
    }
}

/// So many stretches the time is divided into, and so many cells of space each instant is looked into.
const STRETCHES: u32 = 60;
const CELLS: u64 = 30;
/// So many instants at which it may be deepest are looked into more closely.
const CLOSER: usize = 6;
const CELLS_CLOSER: u64 = 600;

/// How deep `a` and `b` overlap from one time to another (s), with all coordinate systems where `poses` says they are.
pub fn overlap_during(
    a: &Body,
    b: &Body,
    poses: impl Fn(f64) -> Vec<Pose>,
    from: f64,
    to: f64,
) -> OverlapAnswer {
    let depth_at = |time_s: f64, cells: u64| {
        let poses = poses(time_s);
        let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
        overlap_depth(&a.surface, &b.surface, &relative, cells)
    };
    let time_of = |i: u32| from + (to - from) * f64::from(i) / f64::from(STRETCHES);
    let mut deepest_first: Vec<_> = (0..=STRETCHES)
        .map(|i| (depth_at(time_of(i), CELLS), time_of(i)))
        .collect();
    // As deep certainly, or else perhaps.
    deepest_first.sort_by(|(one, _), (other, _)| {
        let certain = other.0.total_cmp(&one.0);
        certain.then(other.1.total_cmp(&one.1))
    });
    let closer = deepest_first[..CLOSER].iter();
    let (depth, time_s) = closer
        .map(|&(_, time_s)| (depth_at(time_s, CELLS_CLOSER).0, time_s))
        .max_by(|one, other| one.0.total_cmp(&other.0))
        .expect("there are some");
    OverlapAnswer {
        at_least_mm: depth * 1e3,
        time_s,
    }
}

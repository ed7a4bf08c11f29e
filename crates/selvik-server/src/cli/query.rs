use std::path::Path;

use clap::{Args, Subcommand};
use indexmap::IndexMap;
use selvik_core::cell::ItemId;
use selvik_core::clearance::{Limit, Side, distance};
use selvik_core::mesh::Surface;
use selvik_core::robot::{Arm, BodyId};
use selvik_core::section::{Region, cut_together};
use selvik_core::spatial::{Plane, Point, Pose, Vector};
use selvik_formats::Workcell;
use selvik_formats::package::PoseDocument;
use selvik_formats::report::millimetres;
use serde_json::{Value, json};

use super::open_workcell;

/// Where all joints are: at rest, at a path time, and some of them where it is said.
#[derive(Args)]
pub struct When {
    /// Path time; at rest if absent.
    #[arg(long)]
    at_s: Option<f64>,
    /// A joint value `item/joint=degrees-or-mm`; may be repeated.
    #[arg(long = "joint", value_parser = named_value, allow_hyphen_values = true)]
    joints: Vec<(String, f64)>,
}

impl When {
    /// The cell's joint vector, rad or m.
    fn joints(&self, workcell: &Workcell) -> Result<Vec<f64>, String> {
        let named: IndexMap<String, f64> = self.joints.iter().cloned().collect();
        workcell.joints_from(&joints_at(workcell, self.at_s)?, &named).map_err(|e| e.to_string())
    }
}

/// What can be asked.
#[derive(Subcommand)]
pub enum Query {
    /// World poses of all items and links.
    Poses {
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// Joint values that take a frame to a pose in the world.
    Inverse {
        /// Id of the robot.
        #[arg(long)]
        robot: String,
        /// Id of the frame, usually a TCP.
        #[arg(long)]
        tcp: String,
        /// `x,y,z` in mm.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        xyz_mm: [f64; 3],
        /// `roll,pitch,yaw` in degrees.
        #[arg(long, value_parser = three, allow_hyphen_values = true, default_value = "0,0,0")]
        rpy_deg: [f64; 3],
        /// From where the nearest values are sought, and where all other joints are.
        #[command(flatten)]
        when: When,
    },
    /// The exact distance between two items (with all their links).
    Distance {
        /// Id of one item; `item/link` for one link.
        a: String,
        /// Id of the other.
        b: String,
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// The loops in which a plane cuts an item.
    Section {
        /// Id of the item; `item/link` for one link.
        item: String,
        /// A point of the plane, `x,y,z` in mm.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        point_mm: [f64; 3],
        /// Its normal, `x,y,z`.
        #[arg(long, value_parser = three, allow_hyphen_values = true)]
        normal: [f64; 3],
        /// When.
        #[command(flatten)]
        when: When,
    },
    /// Length of the path, its knots and when which move runs.
    Path,
}

fn named_value(text: &str) -> Result<(String, f64), String> {
    let (name, value) = text.split_once('=').ok_or("write item/joint=value")?;
    let value: f64 = value.parse().map_err(|_| format!("\"{value}\" is not a number"))?;
    Ok((name.to_owned(), value))
}

fn three(text: &str) -> Result<[f64; 3], String> {
    let numbers: Result<Vec<f64>, _> = text.split(',').map(|t| t.trim().parse::<f64>()).collect();
    let three = numbers.ok().and_then(|n| <[f64; 3]>::try_from(n).ok());
    three.filter(|n| n.iter().all(|x| x.is_finite())).ok_or_else(|| "write three numbers: x,y,z".to_owned())
}

/// Answers `query` about the package at `path`.
///
/// # Errors
/// A sentence about bad input.
pub fn query(path: &Path, query: &Query) -> Result<Value, String> {
    let workcell = open_workcell(path)?;
    match query {
        Query::Poses { when } => Ok(poses(&workcell, &when.joints(&workcell)?)),
        Query::Inverse { robot, tcp, xyz_mm, rpy_deg, when } => {
            let item = |id: &str| item_position(&workcell, id);
            let tip = workcell.assembly.item_node(item(tcp)?);
            let arm = Arm::new(&workcell.assembly, item(robot)?, tip).map_err(|e| e.to_string())?;
            let target = PoseDocument { xyz_mm: *xyz_mm, rpy_deg: *rpy_deg }.to_pose();
            Ok(match arm.solve(&workcell.assembly, &target, &when.joints(&workcell)?) {
                Ok(solutions) => json!({
                    "solutions": solutions.iter().map(|s| json!({
                        "posture": s.configuration.map(|c| c.to_string()),
                        "joints_deg_or_mm": arm.joints().iter().zip(&s.values)
                            .map(|(&j, &v)| (workcell.joint_key(j), workcell.joint_value(j, v)))
                            .collect::<IndexMap<_, _>>(),
                    })).collect::<Vec<_>>(),
                }),
                Err(reason) => json!({ "solutions": [], "reason": reason.to_string() }),
            })
        }
        Query::Distance { a, b, when } => {
            let q = when.joints(&workcell)?;
            between(&workcell, &q, &bodies(&workcell, a)?, &bodies(&workcell, b)?)
        }
        Query::Section { item, point_mm, normal, when } => {
            let q = when.joints(&workcell)?;
            let point = Point::from(point_mm.map(|x| x * 1e-3));
            let plane = Plane::through(&point, &Vector::from(*normal));
            let plane = plane.ok_or("the normal has no direction")?;
            Ok(section(&workcell, &q, &bodies(&workcell, item)?, &plane))
        }
        Query::Path => {
            let path = workcell.path().map_err(|e| e.to_string())?;
            Ok(json!({
                "duration_s": path.duration(),
                "knots_s": path.knots(),
                "moves": path.spans().iter().map(|s| {
                    let program = &workcell.plan.lanes[s.lane].programs[s.program];
                    json!({
                        "lane": s.lane, "program": program.name, "move": program.moves[s.index].label,
                        "start_s": s.start, "end_s": s.end, "speed_share": s.speed_share,
                    })
                }).collect::<Vec<_>>(),
            }))
        }
    }
}

fn item_position(workcell: &Workcell, id: &str) -> Result<usize, String> {
    let position = workcell.assembly.cell().position(&ItemId(id.to_owned()));
    position.ok_or_else(|| format!("there is no item \"{id}\""))
}

fn joints_at(workcell: &Workcell, at: Option<f64>) -> Result<Vec<f64>, String> {
    let Some(time) = at else { return Ok(workcell.rest.clone()) };
    let path = workcell.path().map_err(|e| e.to_string())?;
    if !(0.0..=path.duration() + 1e-9).contains(&time) {
        return Err(format!("the path lasts from 0 to {:.3} s, so there is no {time} s", path.duration()));
    }
    Ok(path.at(time))
}

fn poses(workcell: &Workcell, q: &[f64]) -> Value {
    let poses = workcell.assembly.poses(q);
    let pose = |p: &Pose| {
        let r = p.rotation.coords;
        let document = PoseDocument::from_pose(p);
        json!({
            "xyz_mm": document.xyz_mm, "rpy_deg": document.rpy_deg,
            "quaternion_xyzw": [r.x, r.y, r.z, r.w],
        })
    };
    let cell = workcell.assembly.cell();
    let items: IndexMap<&str, Value> = cell
        .items()
        .iter()
        .enumerate()
        .map(|(at, item)| {
            let mut value = pose(&poses[workcell.assembly.item_node(at).0]);
            if let Some(mechanism) = workcell.assembly.mechanism(at) {
                let links: IndexMap<&str, Value> = mechanism
                    .links()
                    .iter()
                    .filter_map(|l| {
                        let node = workcell.assembly.link_node(at, &l.name)?;
                        Some((l.name.as_str(), pose(&poses[node.0])))
                    })
                    .collect();
                value["links"] = json!(links);
            }
            (item.id.0.as_str(), value)
        })
        .collect();
    let joints: IndexMap<String, f64> =
        q.iter().enumerate().map(|(i, &v)| (workcell.joint_key(i), workcell.joint_value(i, v))).collect();
    json!({ "items": items, "joints_deg_or_mm": joints })
}

/// The bodies of `item` or `item/link`.
fn bodies(workcell: &Workcell, name: &str) -> Result<Vec<BodyId>, String> {
    let (item, link) = name.split_once('/').map_or((name, None), |(i, l)| (i, Some(l)));
    let position = item_position(workcell, item)?;
    let wanted = match link {
        Some(link) => {
            let mechanism = workcell.assembly.mechanism(position);
            let index = mechanism.and_then(|m| m.link(link));
            Some(index.ok_or_else(|| format!("item \"{item}\" has no link \"{link}\""))?)
        }
        None => None,
    };
    let all = workcell.assembly.bodies().iter().enumerate();
    let found: Vec<BodyId> = all
        .filter(|(_, b)| b.item == position && (wanted.is_none() || b.link == wanted))
        .map(|(i, _)| BodyId(i))
        .collect();
    if found.is_empty() { Err(format!("\"{name}\" has no geometry")) } else { Ok(found) }
}

fn placed<'a>(workcell: &'a Workcell, poses: &[Pose], id: BodyId) -> (&'a Surface, Pose) {
    let body = workcell.assembly.body(id);
    (&body.surface, poses[body.node.0])
}

fn between(workcell: &Workcell, q: &[f64], a: &[BodyId], b: &[BodyId]) -> Result<Value, String> {
    let poses = workcell.assembly.poses(q);
    let mut best: Option<(f64, Value)> = None;
    let mut undecided = Vec::new();
    for &x in a {
        for &y in b {
            let ((sx, px), (sy, py)) = (placed(workcell, &poses, x), placed(workcell, &poses, y));
            let enough = best.as_ref().map_or(f64::INFINITY, |b| b.0);
            let limit = Limit { enough, ..Limit::default() };
            let answer = distance(sx, sy, &px.inv_mul(&py), limit);
            if let Some(side) = answer.undecided {
                let open = if side == Side::First { x } else { y };
                undecided.push(format!(
                    "{} is open: the other body may lie inside it",
                    workcell.assembly.body_name(open)
                ));
            }
            if let Some(closest) = answer.closest {
                best = Some((
                    closest.distance,
                    json!({
                        "distance_mm": closest.distance * 1e3,
                        "on_a_mm": millimetres(&(px * closest.on_a)),
                        "on_b_mm": millimetres(&(px * closest.on_b)),
                        "overlap": closest.overlap,
                        "a": workcell.assembly.body_name(x),
                        "b": workcell.assembly.body_name(y),
                    }),
                ));
            }
        }
    }
    if let (Some((_, answer)), false) = (&mut best, undecided.is_empty()) {
        answer["not_certain"] = undecided.into();
    }
    best.map(|b| b.1).ok_or_else(|| "nothing to measure".to_owned())
}

fn section(workcell: &Workcell, q: &[f64], bodies: &[BodyId], plane: &Plane) -> Value {
    let poses = workcell.assembly.poses(q);
    let meshes =
        bodies.iter().map(|&id| placed(workcell, &poses, id)).map(|(surface, pose)| (surface.mesh(), pose));
    let section = cut_together(meshes, plane);
    let in_mm = |points: &[Point]| points.iter().map(millimetres).collect::<Vec<_>>();
    let region = |r: &Region| {
        json!({
            "outer_mm": in_mm(r.outer.points()),
            "holes_mm": r.holes.iter().map(|h| in_mm(h.points())).collect::<Vec<_>>(),
            "area_mm2": r.area() * 1e6,
        })
    };
    json!({
        "area_mm2": section.area() * 1e6,
        "perimeter_mm": section.perimeter() * 1e3,
        "regions": section.regions.iter().map(region).collect::<Vec<_>>(),
        "open_mm": section.open.iter().map(|line| in_mm(line)).collect::<Vec<_>>(),
    })
}

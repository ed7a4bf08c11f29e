//! Joints moved by hand: where everything is then, what comes near, and how a TCP gets somewhere.

mod nearest;

use indexmap::IndexMap;
use selvik_core::clearance::Pair;
use selvik_core::reach::reserve;
use selvik_core::robot::{Arm, BeyondLimit, Moment, Unreachable};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::arranging::{FrameChoice, Posed, unflat};
use crate::document::{PoseDocument, PostureDocument};
use crate::report::flat;

pub use nearest::{NearPair, Ruled};
pub(crate) use nearest::{Nearest, is_moved};

/// What the hand asks for.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JogRequest {
    /// Told again with the answer.
    #[serde(default)]
    pub number: u64,
    /// Where all other joints are: the instant of the path; at rest where absent.
    #[serde(default)]
    pub time_s: Option<f64>,
    /// Joint values by `item/joint`, degrees or mm. Those beyond a limit stop there.
    #[serde(default)]
    pub joints_deg_or_mm: IndexMap<String, f64>,
    /// Where a TCP is to go from there.
    #[serde(default)]
    pub reach: Option<ReachFor>,
    /// The TCP that is told.
    #[serde(default)]
    pub tcp: Option<String>,
    /// In which frame it is told.
    #[serde(default)]
    pub frame: Option<FrameChoice>,
    /// How many of the nearest pairs are told.
    #[serde(default)]
    pub nearest: usize,
}

/// A pose a TCP is to take.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReachFor {
    /// Id of the robot.
    pub robot: String,
    /// Id of the frame.
    pub tcp: String,
    /// Where.
    pub place: ReachPlace,
}

/// Where a TCP is to be.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum ReachPlace {
    /// In a frame.
    Frame {
        /// Whose.
        frame: FrameChoice,
        /// Where in it.
        pose: PoseDocument,
    },
    /// In the world: x, y, z (m), quaternion x, y, z, w.
    World([f64; 7]),
}

/// What becomes of it.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct JogAnswer {
    /// As it was asked.
    pub number: u64,
    /// Values of the joints that were moved and of those of the robot, by `item/joint`, degrees or mm.
    pub joints_deg_or_mm: IndexMap<String, f64>,
    /// Coordinate systems that stand elsewhere than without the hand.
    pub nodes: Vec<usize>,
    /// Their poses: x, y, z (m), quaternion x, y, z, w.
    pub poses: Vec<[f64; 7]>,
    /// Where the TCP is.
    pub tcp: Option<TcpAnswer>,
    /// Why a joint or the TCP is not where it should be.
    pub stopped: Option<String>,
    /// The nearest pairs under a rule of what was moved, the nearest to its rule first.
    pub nearest: Vec<NearPair>,
}

/// Where a TCP is.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TcpAnswer {
    /// In the frame that was asked for.
    pub pose: PoseDocument,
    /// In the world: x, y, z (m), quaternion x, y, z, w.
    pub world: [f64; 7],
    /// Where the frame that was asked for stands in the world.
    pub axes: [f64; 7],
    /// All solutions there, the nearest first: the posture in words and joint values.
    pub postures: Vec<PostureAnswer>,
    /// Whether the arm is at a singularity, or so near that joints hurry where the TCP barely moves.
    pub singular: bool,
}

/// One way to reach a pose.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PostureAnswer {
    /// In plain words, for arms whose postures have names.
    pub name: Option<String>,
    /// As moves write it.
    pub posture: Option<PostureDocument>,
    /// By `item/joint`, degrees or mm.
    pub joints_deg_or_mm: IndexMap<String, f64>,
    /// Whether it is the one the arm stands in.
    pub now: bool,
}

/// Measures the same workcell again and again with joints a little elsewhere.
#[derive(Default)]
pub struct Jogging {
    nearest: Nearest,
}

/// No more pairs are told.
const MOST: usize = 20;
/// Solutions nearer than this are where the arm stands, rad or m.
const SAME: f64 = 1e-6;
/// Below this an arm counts as singular: about a degree of a wrist from straight.
const SINGULAR: f64 = 0.01;

impl Jogging {
    /// Moves joints from where they are without the hand, at `moment`.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there, or is no number.
    pub fn answer(&mut self, of: Ruled, moment: &Moment, asked: &JogRequest) -> Result<JogAnswer> {
        let workcell = of.workcell;
        let assembly = &workcell.assembly;
        let (mut q, mut stopped) = moved(workcell, &moment.joints, &asked.joints_deg_or_mm)?;
        let tried = |joints: &[f64]| Moment {
            joints: joints.to_vec(),
            carried: moment.carried.clone(),
        };
        let mut told: Vec<usize> = Vec::new();
        for key in asked.joints_deg_or_mm.keys() {
            told.push(workcell.joint_named(key)?);
        }
        if let Some(reach) = &asked.reach {
            let arm = arm(workcell, &reach.robot, &reach.tcp)?;
            let posed = Posed::new(workcell, &tried(&q));
            let target = match &reach.place {
                ReachPlace::Frame { frame, pose } => posed.pose_in(frame, &reach.tcp, pose)?,
                ReachPlace::World(at) => unflat(at)?,
            };
            match arm.solve(assembly, &target, &q) {
                Ok(solutions) => {
                    let nearest = arm.joints().iter().zip(&solutions[0].values);
                    nearest.for_each(|(&joint, value)| q[joint] = *value);
                }
                // Of a pose that few joints can't take at all, they take what they can.
                Err(reason) if arm.joints().len() < FREEDOMS => {
                    let (values, missed) = arm.nearest(assembly, &target, &q);
                    for (&joint, value) in arm.joints().iter().zip(values) {
                        q[joint] = value;
                    }
                    stopped = Some(match reason {
                        Unreachable::NotFound { .. } => short_of(arm.joints().len(), missed),
                        known => known.to_string(),
                    });
                }
                Err(reason) => stopped = Some(reason.to_string()),
            }
            told.extend(arm.joints());
        }
        let now = tried(&q);
        let (before, after) = (moment.poses(assembly), now.poses(assembly));
        let nodes: Vec<usize> = (0..after.len())
            .filter(|&n| before[n] != after[n])
            .collect();
        let poses = nodes.iter().map(|&n| flat(&after[n])).collect();
        let tcp = asked.tcp.as_ref();
        let tcp = tcp
            .map(|tcp| tcp_answer(workcell, tcp, asked, &now))
            .transpose()?;
        if let Some(tcp) = &asked.tcp {
            told.extend(carried_by(workcell, tcp));
        }
        told.sort_unstable();
        told.dedup();
        let value = |&joint: &usize| {
            (
                workcell.joint_key(joint),
                workcell.joint_value(joint, q[joint]),
            )
        };
        // What keeps its place against each other is no news.
        let goes = |&pair: &&Pair| asked.nearest > 0 && is_moved(workcell, pair, (&before, &after));
        let moved = Ruled {
            pairs: &of.pairs.iter().filter(goes).copied().collect::<Vec<_>>(),
            ..of
        };
        Ok(JogAnswer {
            number: asked.number,
            joints_deg_or_mm: told.iter().map(value).collect(),
            nearest: self.nearest.of(moved, &after, asked.nearest.min(MOST)),
            nodes,
            poses,
            tcp,
            stopped,
        })
    }
}

/// With so many joints an arm can take any pose within its reach.
const FREEDOMS: usize = 6;

/// What is left to a pose that so many joints come as near to as they can: m, rad.
fn short_of(joints: usize, (off, angle): (f64, f64)) -> String {
    let (mm, degrees) = (off * 1e3, angle.to_degrees());
    let joints = match joints {
        1 => "one joint brings".to_owned(),
        n => format!("{n} joints bring"),
    };
    match (mm >= 0.01, degrees >= 0.01) {
        (true, true) => format!("{joints} it no nearer: {mm:.2} mm and {degrees:.2}° are left"),
        (true, false) => format!("{joints} it no nearer: {mm:.2} mm are left"),
        _ => format!("{joints} it there, turned {degrees:.2}° from what was asked"),
    }
}

/// Where a TCP is, and in which ways it may be there.
fn tcp_answer(
    workcell: &Workcell,
    tcp: &str,
    asked: &JogRequest,
    now: &Moment,
) -> Result<TcpAnswer> {
    let assembly = &workcell.assembly;
    let q = now.joints.as_slice();
    let posed = Posed::new(workcell, now);
    let frame = asked.frame.clone().unwrap_or(FrameChoice::World);
    let (item, world) = posed.standing(tcp)?;
    let frame = posed.frame(&frame, item)?;
    let mut answer = TcpAnswer {
        pose: PoseDocument::from_pose(&(frame.inverse() * world)),
        world: flat(&world),
        axes: flat(&frame),
        postures: Vec::new(),
        singular: false,
    };
    let Some(arm) = carrier_of(workcell, tcp) else {
        return Ok(answer);
    };
    let named = |values: &[f64]| -> IndexMap<String, f64> {
        let own = arm.joints().iter().zip(values);
        own.map(|(&j, &v)| (workcell.joint_key(j), workcell.joint_value(j, v)))
            .collect()
    };
    let stands = |values: &[f64]| {
        let own = arm.joints().iter().zip(values);
        own.into_iter().all(|(&j, v)| (q[j] - v).abs() < SAME)
    };
    let solutions = arm.solve(assembly, &world, q).unwrap_or_default();
    answer.postures = solutions
        .iter()
        .map(|solution| PostureAnswer {
            name: solution.configuration.map(|c| c.to_string()),
            posture: solution.configuration.map(PostureDocument::from),
            joints_deg_or_mm: named(&solution.values),
            now: stands(&solution.values),
        })
        .collect();
    answer.singular = reserve(assembly, &arm, q).manipulability < SINGULAR;
    Ok(answer)
}

/// The joint vector with some joints elsewhere, stopped at their limits; and the first that was.
fn moved(
    workcell: &Workcell,
    joints: &[f64],
    named: &IndexMap<String, f64>,
) -> Result<(Vec<f64>, Option<String>)> {
    let (mut q, mut stopped) = (joints.to_vec(), None);
    for (key, &value) in named {
        let index = workcell.joint_named(key)?;
        if !value.is_finite() {
            return Err(FormatError::said(format!(
                "{value} is no value for joint \"{key}\""
            )));
        }
        let joint = &workcell.assembly.joints()[index];
        let value = match joint.kind.turns() {
            true => value.to_radians(),
            false => value * 1e-3,
        };
        if let Some(beyond) = BeyondLimit::of(joint, value) {
            stopped = stopped.or(Some(beyond.to_string()));
        }
        q[index] = joint.limits.position.clamp(value);
    }
    Ok((q, stopped))
}

fn arm(workcell: &Workcell, robot: &str, tcp: &str) -> Result<Arm> {
    let position = |id: &str| {
        let found = workcell.assembly.cell().position(&id.into());
        found.ok_or_else(|| FormatError::said(format!("there is no item \"{id}\"")))
    };
    let tip = workcell.assembly.item_node(position(tcp)?);
    Arm::new(&workcell.assembly, position(robot)?, tip).map_err(FormatError::said)
}

/// The arm of the nearest mechanism that carries an item on a moving link.
fn carrier_of(workcell: &Workcell, item: &str) -> Option<Arm> {
    let assembly = &workcell.assembly;
    let at = assembly.cell().position(&item.into())?;
    let tip = assembly.item_node(at);
    let nearest = assembly.moving_above(tip).last()?;
    Arm::new(assembly, assembly.nodes()[nearest.0].item, tip).ok()
}

fn carried_by(workcell: &Workcell, item: &str) -> Vec<usize> {
    carrier_of(workcell, item).map_or_else(Vec::new, |arm| arm.joints().to_vec())
}

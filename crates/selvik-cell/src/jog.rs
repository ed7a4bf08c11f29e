//! Joints moved by hand: where everything is then, what comes near, and how a TCP gets somewhere.

use std::collections::HashMap;

use indexmap::IndexMap;
use selvik_core::clearance::{Allowance, Limit, Memory, Pair, Proximity, distance, distance_again};
use selvik_core::reach::reserve;
use selvik_core::robot::{Arm, BeyondLimit, BodyId, Moment, Unreachable};
use selvik_core::spatial::Pose;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::arranging::{FrameChoice, Posed, unflat};
use crate::document::{PoseDocument, PostureDocument};
use crate::report::{Verdict, flat, millimetres};

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

/// Two bodies near each other.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct NearPair {
    /// What people call one.
    pub a: String,
    /// The other.
    pub b: String,
    /// How far they are apart, 0 when they touch or overlap.
    pub distance_mm: f64,
    /// What their rule requires.
    pub required_mm: f64,
    /// What it comes to at this pose.
    pub verdict: Verdict,
    /// Why they may touch within limits, if they may.
    pub may_touch: Option<String>,
    /// The closest points.
    pub on_a_mm: [f64; 3],
    /// On the other.
    pub on_b_mm: [f64; 3],
}

/// Measures the same workcell again and again with joints a little elsewhere.
#[derive(Default)]
pub struct Jogging {
    known: HashMap<Ids, Known>,
}

/// Two bodies.
type Ids = (BodyId, BodyId);

/// What was found out of a pair before.
struct Known {
    /// How far they were apart at least, m.
    lower: f64,
    /// Where they stood then.
    poses: [Pose; 2],
    /// What looking for it left behind.
    memory: Memory,
}

/// A workcell, and the pairs of it that are under a rule.
#[derive(Clone, Copy)]
pub struct Ruled<'a> {
    /// The workcell.
    pub workcell: &'a Workcell,
    /// What its rules come to.
    pub pairs: &'a [Pair],
}

/// No more pairs are told.
const MOST: usize = 20;
/// By how much more than is wanted a distance is looked for: a share, and m.
const MORE: f64 = 1.2;
const AHEAD: f64 = 0.05;
/// What moves less against each other has not moved, m or rad.
const STILL: f64 = 1e-9;
/// Solutions nearer than this are where the arm stands, rad or m.
const SAME: f64 = 1e-6;
/// Below this an arm counts as singular: about a degree of a wrist from straight.
const SINGULAR: f64 = 0.01;

/// Whether two bodies moved against each other between two states of the cell.
pub(crate) fn is_moved(
    workcell: &Workcell,
    pair: &Pair,
    (before, after): (&[Pose], &[Pose]),
) -> bool {
    let relative = |poses: &[Pose]| {
        let [a, b] = [pair.a, pair.b].map(|id| poses[workcell.assembly.body(id).node.0]);
        a.inv_mul(&b)
    };
    let (was, is) = (relative(before), relative(after));
    (was.translation.vector - is.translation.vector).norm() > STILL
        || was.rotation.angle_to(&is.rotation) > STILL
}

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
            nearest: self.nearest(moved, &after, asked.nearest.min(MOST)),
            nodes,
            poses,
            tcp,
            stopped,
        })
    }

    /// The nearest of some pairs, measured against what their rule requires.
    pub(crate) fn nearest(&mut self, of: Ruled, poses: &[Pose], count: usize) -> Vec<NearPair> {
        if count == 0 {
            return Vec::new();
        }
        let workcell = of.workcell;
        let assembly = &workcell.assembly;
        let required = |pair: &Pair| workcell.rules.rules[pair.rule].requirement.required();
        // By what is certain of them, less what is required: none that comes later can be nearer than that.
        let at_least = |pair: &Pair| {
            let balls = apart(workcell, pair, poses);
            let known = self.known.get(&(pair.a, pair.b));
            known.map_or(balls, |known| balls.max(known.still(workcell, pair, poses)))
        };
        let mut far: Vec<(f64, &Pair)> = of
            .pairs
            .iter()
            .map(|pair| (at_least(pair) - required(pair), pair))
            .collect();
        far.sort_unstable_by(|one, other| one.0.total_cmp(&other.0));
        let at_first = if self.known.is_empty() {
            let likely = far.iter().take(count + ROUGHLY).map(|(_, pair)| *pair);
            roughly(workcell, likely, poses, count)
        } else {
            f64::INFINITY
        };
        let mut found: Vec<(f64, Ids, NearPair)> = Vec::new();
        for (at_least, pair) in far {
            let worst = found
                .get(count - 1)
                .map_or(at_first, |(margin, ..)| *margin);
            if at_least >= worst {
                break;
            }
            let (a, b) = (assembly.body(pair.a), assembly.body(pair.b));
            let (pa, pb) = (poses[a.node.0], poses[b.node.0]);
            let before = self.known.remove(&(pair.a, pair.b));
            let mut memory = before.map_or_else(Memory::default, |known| known.memory);
            let limit = Limit {
                // A little more than is wanted now is not asked again for a while.
                enough: (worst + required(pair)) * MORE + AHEAD,
                ..Limit::default()
            };
            let relative = pa.inv_mul(&pb);
            let answer = distance_again(&a.surface, &b.surface, &relative, limit, &mut memory);
            let now = Known {
                lower: answer.lower,
                poses: [pa, pb],
                memory,
            };
            self.known.insert((pair.a, pair.b), now);
            let Some(closest) = answer.closest else {
                continue;
            };
            let margin = closest.distance - required(pair);
            if margin >= worst {
                continue;
            }
            let may_touch = workcell.rules.limited(assembly, pair);
            let near = NearPair {
                a: assembly.body_name(pair.a),
                b: assembly.body_name(pair.b),
                distance_mm: closest.distance * 1e3,
                required_mm: required(pair) * 1e3,
                verdict: verdict(workcell, pair, &answer, &may_touch),
                may_touch: may_touch.first().map(|a| a.reason.clone()),
                on_a_mm: millimetres(&(pa * closest.on_a)),
                on_b_mm: millimetres(&(pa * closest.on_b)),
            };
            let at = found.partition_point(|(known, ..)| *known <= margin);
            found.insert(at, (margin, (pair.a, pair.b), near));
            found.truncate(count);
        }
        // Of those that are told the proof is kept for the next step, of the others only where they were near.
        let told = |ids: &Ids| found.iter().any(|(_, known, _)| known == ids);
        let others = self.known.iter_mut().filter(|(ids, _)| !told(ids));
        others.for_each(|(_, known)| known.memory.shrink());
        found.into_iter().map(|(.., near)| near).collect()
    }
}

/// Above what so many of some pairs have left beyond what is required, m, none of the nearest lies; of each no more is asked than
/// roughly how far apart it is.
fn roughly<'a>(
    workcell: &Workcell,
    pairs: impl Iterator<Item = &'a Pair>,
    poses: &[Pose],
    count: usize,
) -> f64 {
    let margin = |pair: &Pair| {
        let [a, b] = [pair.a, pair.b].map(|id| workcell.assembly.body(id));
        let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
        let limit = Limit {
            rough_above: 0.0,
            ..Limit::default()
        };
        let closest = distance(&a.surface, &b.surface, &relative, limit).closest?;
        Some(closest.distance - workcell.rules.rules[pair.rule].requirement.required())
    };
    let mut margins: Vec<f64> = pairs.filter_map(margin).collect();
    margins.sort_unstable_by(f64::total_cmp);
    let last = margins.get(count - 1);
    // A pair that is as near as it was found to be roughly is told.
    last.map_or(f64::INFINITY, |margin| margin + 1e-9)
}

/// What a pair comes to where it stands. Whether limits within which it may touch are kept only a sweep tells.
fn verdict(workcell: &Workcell, pair: &Pair, answer: &Proximity, limits: &[&Allowance]) -> Verdict {
    let requirement = workcell.rules.rules[pair.rule].requirement;
    let attained = answer.closest.map_or(f64::INFINITY, |c| c.distance);
    let below = attained < requirement.required();
    match answer.undecided {
        _ if below && limits.is_empty() => Verdict::Broken,
        Some(_) => Verdict::NotCertified,
        None if answer.lower < requirement.required() => Verdict::NotCertified,
        None if answer.lower < requirement.tight_below() => Verdict::Tight,
        None => Verdict::Meets,
    }
}

/// How many pairs beyond those that are told are looked at roughly before any is looked at closely.
const ROUGHLY: usize = 20;

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

impl Known {
    /// How far they are apart at least now, after what they have moved since, m.
    fn still(&self, workcell: &Workcell, pair: &Pair, poses: &[Pose]) -> f64 {
        let moved = |body: BodyId, was: &Pose| {
            let body = workcell.assembly.body(body);
            let is = &poses[body.node.0];
            let (centre, radius) = body.surface.ball();
            let turned = (radius + body.surface.deviation()) * was.rotation.angle_to(&is.rotation);
            (is * centre - was * centre).norm() + turned
        };
        self.lower - moved(pair.a, &self.poses[0]) - moved(pair.b, &self.poses[1])
    }
}

/// How far the balls round both bodies are apart, m; negative where they share something.
fn apart(workcell: &Workcell, pair: &Pair, poses: &[Pose]) -> f64 {
    let ball = |body: BodyId| {
        let body = workcell.assembly.body(body);
        let (centre, radius) = body.surface.ball();
        (poses[body.node.0] * centre, radius)
    };
    let ((a, ra), (b, rb)) = (ball(pair.a), ball(pair.b));
    (b - a).norm() - ra - rb
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

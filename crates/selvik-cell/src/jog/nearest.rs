//! What comes nearest to its rule where everything stands.

use std::collections::HashMap;

use selvik_core::clearance::{Allowance, Limit, Memory, Pair, Proximity, distance, distance_again};
use selvik_core::robot::BodyId;
use selvik_core::spatial::Pose;
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::report::{Verdict, millimetres};

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

/// Measures the same pairs again and again, a little elsewhere.
#[derive(Default)]
pub(crate) struct Nearest {
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

/// By how much more than is wanted a distance is looked for: a share, and m.
const MORE: f64 = 1.2;
const AHEAD: f64 = 0.05;
/// What moves less against each other has not moved, m or rad.
const STILL: f64 = 1e-9;
/// How many pairs beyond those that are told are looked at roughly before any is looked at closely.
const ROUGHLY: usize = 20;

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

impl Nearest {
    /// The nearest of some pairs, measured against what their rule requires.
    pub(crate) fn of(&mut self, of: Ruled, poses: &[Pose], count: usize) -> Vec<NearPair> {
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

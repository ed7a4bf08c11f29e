use std::collections::HashMap;
use std::sync::OnceLock;

use selvik_core::measure::{Ball, Curve, Looking, Rider, distance_along, farthest, travel_along};
use selvik_core::program::Path;
use selvik_core::robot::{Moment, NodeId};
use selvik_core::spatial::{Point, Pose};
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use super::between::closest;
use super::thing::Thing;
use crate::Workcell;
use crate::document::PickDocument;
use crate::questions::Asked;
use crate::series::{Series, SeriesAnswer, SeriesKind, SeriesUnit};

/// What is to be followed along the path.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct AlongWanted {
    /// One: how far it travels, how fast. Two: what lies between them.
    pub picks: Vec<PickDocument>,
    /// Id of the item from which travel is seen; the world where absent.
    #[serde(default)]
    pub frame: Option<String>,
}

/// So many instants are told, and looked at.
const SAMPLES: usize = 240;
/// How closely the smallest and largest distance are looked for, and at how many instants more at most.
const LOOKING: Looking = Looking {
    samples: SAMPLES,
    tolerance: 1e-4,
    closer: 500,
};
/// Points are asked for quickly.
const OF_POINTS: Looking = Looking {
    closer: 20_000,
    ..LOOKING
};

/// What was picked, along `path`: how a distance between two things changes, or how far and how fast one travels.
///
/// # Errors
/// [`FormatError`] for more than two picks or none, for what is not there, and where nothing moves.
pub fn measured_along(
    workcell: &Workcell,
    path: &Path,
    wanted: &AlongWanted,
) -> Result<SeriesAnswer> {
    if path.duration() <= 0.0 {
        return Err(FormatError::said("nothing moves in this cell"));
    }
    let asked = Asked::with(workcell, path.moment(&workcell.assembly, 0.0));
    let picks = wanted.picks.iter();
    let things: Vec<Thing> = picks
        .map(|pick| Thing::of(&asked, pick))
        .collect::<Result<_>>()?;
    match things.as_slice() {
        [one] => {
            let frame = wanted.frame.as_deref().map(|id| asked.position(id));
            let frame = frame.transpose()?.map(|at| workcell.assembly.item_node(at));
            let followed = one.followed(&asked);
            let told = travel_along(&workcell.assembly, path, followed, frame, SAMPLES);
            let in_mm = (SeriesUnit::Mm, 1e3);
            Ok(SeriesAnswer {
                series: vec![
                    Series::of(SeriesKind::Speed, &told.speed, (SeriesUnit::MmPerS, 1e3)),
                    Series::of(SeriesKind::Travelled, &told.travelled, in_mm),
                ],
                not_certain: Vec::new(),
            })
        }
        [a, b] => Ok(between_along(&asked, path, a, b)),
        _ => Err(FormatError::said("one or two things are followed")),
    }
}

fn between_along(asked: &Asked, path: &Path, a: &Thing, b: &Thing) -> SeriesAnswer {
    let assembly = &asked.workcell().assembly;
    let nodes = a.parts.iter().chain(&b.parts).map(|part| part.node);
    let nodes: Vec<NodeId> = nodes.collect();
    let poses = |moment: &Moment| -> HashMap<NodeId, Pose> {
        let pose = |&n: &NodeId| {
            (
                n,
                assembly.pose_carrying(n, &moment.joints, &moment.carried),
            )
        };
        nodes.iter().map(pose).collect()
    };
    let unsure: OnceLock<String> = OnceLock::new();
    let smallest = |moment: &Moment| {
        let poses = poses(moment);
        let mut best = f64::INFINITY;
        for x in &a.parts {
            for y in &b.parts {
                let relative = poses[&x.node].inv_mul(&poses[&y.node]);
                let (found, why) = closest(x, y, &relative, best);
                best = found.map_or(best, |c| best.min(c.distance));
                why.into_iter().for_each(|why| {
                    let _ = unsure.set(why);
                });
            }
        }
        best
    };
    let hulls = |thing: &Thing| -> Vec<(NodeId, Vec<Ball>)> {
        let parts = thing.parts.iter();
        parts.map(|part| (part.node, part.balls())).collect()
    };
    let (of_a, of_b) = (hulls(a), hulls(b));
    let largest = |moment: &Moment| {
        let poses = poses(moment);
        let mut most = 0.0f64;
        for (on_a, x) in &of_a {
            for (on_b, y) in &of_b {
                let relative = poses[on_a].inv_mul(&poses[on_b]);
                most = farthest(x, y, &relative).map_or(most, |f| most.max(f.distance));
            }
        }
        most
    };
    let riders = |thing: &Thing| -> Vec<Rider> {
        let rider = |part: &super::thing::Part| {
            let (centre, radius) = part.ball();
            Rider {
                node: part.node,
                centre,
                radius,
            }
        };
        thing.parts.iter().map(rider).collect()
    };
    let pairs = all_pairs(&riders(a), &riders(b));
    // Round bodies are measured by their facets where they are near.
    let facets = |thing: &Thing| {
        let surfaces = thing.parts.iter().filter_map(|part| part.surface());
        surfaces.map(|s| s.deviation()).fold(0.0, f64::max)
    };
    let off = facets(a) + facets(b);
    let mut nearest = distance_along(assembly, path, &pairs, smallest, &LOOKING)
        .off_by(off)
        .not_negative();
    if unsure.get().is_some() {
        // One may lie in the other where it is not seen.
        nearest.smallest.bound = None;
    }
    let mut series = vec![(SeriesKind::Nearest, nearest)];
    let own = |thing: &Thing, world: Point| (thing.parts[0].node, thing.pose().inverse() * world);
    if let Some((p, q)) = a.middle().zip(b.middle()) {
        let (p, q) = (own(a, p), own(b, q));
        let middles = |moment: &Moment| {
            let at = |(node, p): (NodeId, Point)| {
                assembly.pose_carrying(node, &moment.joints, &moment.carried) * p
            };
            (at(p) - at(q)).norm()
        };
        let rider = |(node, centre): (NodeId, Point)| Rider {
            node,
            centre,
            radius: 0.0,
        };
        let pairs = [(rider(p), rider(q))];
        let curve = distance_along(assembly, path, &pairs, middles, &OF_POINTS).not_negative();
        series.push((SeriesKind::BetweenMiddles, curve));
    }
    let far = distance_along(assembly, path, &pairs, largest, &LOOKING);
    let far = far.off_by(off).not_negative();
    series.push((SeriesKind::Farthest, far));
    let told =
        |(what, curve): &(SeriesKind, Curve)| Series::of(*what, curve, (SeriesUnit::Mm, 1e3));
    SeriesAnswer {
        series: series.iter().map(told).collect(),
        not_certain: unsure.into_inner().into_iter().collect(),
    }
}

fn all_pairs(a: &[Rider], b: &[Rider]) -> Vec<(Rider, Rider)> {
    let with = |x: &Rider| b.iter().map(|y| (*x, *y)).collect::<Vec<_>>();
    a.iter().flat_map(with).collect()
}

use std::collections::HashMap;
use std::sync::OnceLock;

use selvik_core::measure::{Ball, Curve, Looking, Rider, distance_along, farthest, travel_along};
use selvik_core::program::Path;
use selvik_core::robot::{Assembly, BodyId, Carried, Moment, NodeId};
use selvik_core::spatial::{Point, Pose};
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use super::between::closest;
use super::nearest::others;
use super::thing::{Part, Thing};
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
    /// Of one: how far it is from whatever is nearest, instead of its travel.
    #[serde(default)]
    pub nearest: bool,
}

/// So many instants are told, and looked at.
const SAMPLES: usize = 240;
/// How closely the smallest and largest distance are looked for, and at how many instants more at most.
const LOOKING: Looking = Looking {
    samples: SAMPLES,
    tolerance: 1e-4,
    closer: 500,
};
/// What moves fast far away loosens the bound of what is near.
const OF_ANYTHING: Looking = Looking {
    closer: 3000,
    ..LOOKING
};
/// Points are asked for quickly.
const OF_POINTS: Looking = Looking {
    closer: 20_000,
    ..LOOKING
};

/// What was picked, along `path`: how a distance between two things changes, how far and how fast one travels, or how far it
/// is from whatever is nearest.
///
/// # Errors
/// [`FormatError`] for more than two picks or none, for what is not there, where nothing moves, and where there is nothing
/// else.
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
        [one] if wanted.nearest => nearest_along(&asked, path, one),
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
    let sides = Sides::of(asked, &a.parts, &b.parts);
    let pairs = sides.pairs(|_| true);
    let nearest = sides.nearest_along(path, &pairs, &LOOKING);
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
    series.push((SeriesKind::Farthest, sides.farthest_along(path, &pairs)));
    let told =
        |(what, curve): &(SeriesKind, Curve)| Series::of(*what, curve, (SeriesUnit::Mm, 1e3));
    SeriesAnswer {
        series: series.iter().map(told).collect(),
        not_certain: sides.unsure.into_inner().into_iter().collect(),
    }
}

/// From one thing to whatever is nearest, with the names of what that is at the extremes.
fn nearest_along(asked: &Asked, path: &Path, thing: &Thing) -> Result<SeriesAnswer> {
    let assembly = &asked.workcell().assembly;
    let changes = path.handling().changes();
    let instants = std::iter::once(&0.0).chain(&changes);
    let hung: Vec<Carried> = instants.map(|&t| path.carried_at(assembly, t)).collect();
    let moves = |part: &Part, id: BodyId| moves_against(assembly, &hung, (thing, part), id);
    let (ids, parts): (Vec<BodyId>, Vec<Part>) = others(asked, thing)
        .filter(|&id| thing.parts.iter().any(|part| moves(part, id)))
        .map(|id| (id, Part::of_body(asked, id)))
        .unzip();
    if ids.is_empty() {
        return Err(FormatError::said(
            "nothing else in the cell moves against it",
        ));
    }
    let mut sides = Sides::of(asked, &thing.parts, &parts);
    // A robot's base does not move against what it stands on, its arm does.
    let of_part = |part| ids.iter().map(move |&id| !moves(part, id));
    sides.left_out = thing.parts.iter().flat_map(of_part).collect();
    // What stands still all moves alike against it.
    let mut is_first = true;
    let pairs = sides.pairs(|node| {
        let stands = changes.is_empty() && assembly.moving_above(node).is_empty();
        !stands || std::mem::take(&mut is_first)
    });
    let curve = sides.nearest_along(path, &pairs, &OF_ANYTHING);
    let mut series = Series::of(SeriesKind::ToNearest, &curve, (SeriesUnit::Mm, 1e3));
    for end in [&mut series.smallest, &mut series.largest] {
        let (_, at) = sides.nearest(&path.moment(assembly, end.time_s));
        end.with = at.map(|at| assembly.body_name(ids[at]));
    }
    Ok(SeriesAnswer {
        series: vec![series],
        not_certain: sides.unsure.into_inner().into_iter().collect(),
    })
}

/// Whether a body moves against a part of a thing, other than about the joint that joins them, however things hang.
fn moves_against(
    assembly: &Assembly,
    hung: &[Carried],
    (thing, part): (&Thing, &Part),
    id: BodyId,
) -> bool {
    let body = assembly.body(id);
    let joined = usize::from(assembly.cell().is_within(thing.item, body.item));
    hung.iter()
        .any(|carried| assembly.joints_between([part.node, body.node], carried) > joined)
}

/// Two sides that are measured against each other.
struct Sides<'a> {
    asked: &'a Asked<'a>,
    a: &'a [Part<'a>],
    b: &'a [Part<'a>],
    nodes: Vec<NodeId>,
    balls: [Vec<(Point, f64)>; 2],
    /// Whether each part of the first side with each of the second does not count; empty where all do.
    left_out: Vec<bool>,
    /// Why a distance was not certain.
    unsure: OnceLock<String>,
}

impl<'a> Sides<'a> {
    fn of(asked: &'a Asked<'a>, a: &'a [Part<'a>], b: &'a [Part<'a>]) -> Self {
        let mut nodes: Vec<NodeId> = a.iter().chain(b).map(|part| part.node).collect();
        nodes.sort_unstable();
        nodes.dedup();
        Self {
            asked,
            nodes,
            balls: [a, b].map(|parts| parts.iter().map(Part::ball).collect()),
            a,
            b,
            left_out: Vec::new(),
            unsure: OnceLock::new(),
        }
    }

    fn poses(&self, moment: &Moment) -> HashMap<NodeId, Pose> {
        let assembly = &self.asked.workcell().assembly;
        let pose = |&n: &NodeId| {
            (
                n,
                assembly.pose_carrying(n, &moment.joints, &moment.carried),
            )
        };
        self.nodes.iter().map(pose).collect()
    }

    /// The smallest distance at a moment, m, and which of the other side has it.
    fn nearest(&self, moment: &Moment) -> (f64, Option<usize>) {
        let poses = self.poses(moment);
        let [of_a, of_b] = &self.balls;
        let mut pairs = Vec::with_capacity(self.a.len() * self.b.len());
        for (i, x) in self.a.iter().enumerate() {
            for (j, y) in self.b.iter().enumerate() {
                if self.left_out.get(i * self.b.len() + j) == Some(&true) {
                    continue;
                }
                let between = poses[&x.node] * of_a[i].0 - poses[&y.node] * of_b[j].0;
                pairs.push((between.norm() - of_a[i].1 - of_b[j].1, i, j));
            }
        }
        // By what they keep at least: once that is more than what was found, the rest is farther.
        pairs.sort_unstable_by(|p, q| p.0.total_cmp(&q.0));
        let mut best = (f64::INFINITY, None);
        for (at_least, i, j) in pairs {
            if at_least > best.0 {
                break;
            }
            let (x, y) = (&self.a[i], &self.b[j]);
            let relative = poses[&x.node].inv_mul(&poses[&y.node]);
            let (found, why) = closest(x, y, &relative, best.0);
            if let Some(found) = found.filter(|c| c.distance < best.0) {
                best = (found.distance, Some(j));
            }
            if let Some(why) = why {
                let _ = self.unsure.set(why);
            }
        }
        best
    }

    fn nearest_along(&self, path: &Path, pairs: &[(Rider, Rider)], looking: &Looking) -> Curve {
        let smallest = |moment: &Moment| self.nearest(moment).0;
        let mut nearest = self.along(path, pairs, smallest, looking);
        if self.unsure.get().is_some() {
            // One may lie in the other where it is not seen.
            nearest.smallest.bound = None;
        }
        nearest
    }

    fn farthest_along(&self, path: &Path, pairs: &[(Rider, Rider)]) -> Curve {
        let hulls = |parts: &[Part]| -> Vec<(NodeId, Vec<Ball>)> {
            parts.iter().map(|part| (part.node, part.balls())).collect()
        };
        let (of_a, of_b) = (hulls(self.a), hulls(self.b));
        let largest = |moment: &Moment| {
            let poses = self.poses(moment);
            let mut most = 0.0f64;
            for (on_a, x) in &of_a {
                for (on_b, y) in &of_b {
                    let relative = poses[on_a].inv_mul(&poses[on_b]);
                    most = farthest(x, y, &relative).map_or(most, |f| most.max(f.distance));
                }
            }
            most
        };
        self.along(path, pairs, largest, &LOOKING)
    }

    /// Round bodies are measured by their facets where they are near.
    fn along(
        &self,
        path: &Path,
        pairs: &[(Rider, Rider)],
        value: impl Fn(&Moment) -> f64 + Sync,
        looking: &Looking,
    ) -> Curve {
        let facets = |parts: &[Part]| {
            let surfaces = parts.iter().filter_map(Part::surface);
            surfaces.map(|s| s.deviation()).fold(0.0, f64::max)
        };
        let assembly = &self.asked.workcell().assembly;
        distance_along(assembly, path, pairs, value, looking)
            .off_by(facets(self.a) + facets(self.b))
            .not_negative()
    }

    /// Every part of one side with every part of the other that counts, by what that hangs on.
    fn pairs(&self, mut counts: impl FnMut(NodeId) -> bool) -> Vec<(Rider, Rider)> {
        let rider = |(part, &(centre, radius)): (&Part, &(Point, f64))| Rider {
            node: part.node,
            centre,
            radius,
        };
        let [of_a, of_b] = &self.balls;
        let a: Vec<Rider> = self.a.iter().zip(of_a).map(rider).collect();
        let b = self
            .b
            .iter()
            .zip(of_b)
            .filter(|(part, _)| counts(part.node));
        let with = |y: Rider| a.iter().map(move |x| (*x, y));
        b.map(rider).flat_map(with).collect()
    }
}

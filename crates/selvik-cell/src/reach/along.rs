use selvik_core::measure::{Curve, Extreme, Looking, Rider, distance_along};
use selvik_core::program::Path;
use selvik_core::reach::{LongestReach, ReachLine, reserve};
use selvik_core::robot::{Arm, Moment};
use selvik_core::spatial::Point;
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use super::here::arm_above;
use crate::Workcell;
use crate::questions::Asked;
use crate::series::{Series, SeriesAnswer, SeriesKind, SeriesUnit};

/// Whose reach is to be followed.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct ReachWanted {
    /// Id of the frame that the robot takes to targets.
    pub tcp: String,
    /// Id of the item from which distances are told; the robot's base where absent.
    #[serde(default)]
    pub from: Option<String>,
}

/// So many instants are told beside the knots of the path.
const SAMPLES: usize = 240;
/// Of more knots not all are looked at.
const KNOTS: usize = 2000;
const LOOKING: Looking = Looking {
    samples: SAMPLES,
    tolerance: 1e-4,
    closer: 20_000,
};

/// How much of an arm's reach is used along `path`, how near its joints come to their limits and it to a singularity, and how
/// far its TCP is from where it stands.
///
/// # Errors
/// [`FormatError`] for a frame that is not there or that no robot moves, and where nothing moves.
pub fn reach_along(workcell: &Workcell, path: &Path, wanted: &ReachWanted) -> Result<SeriesAnswer> {
    if path.duration() <= 0.0 {
        return Err(FormatError::said("nothing moves in this cell"));
    }
    let asked = Asked::at_rest(workcell);
    let assembly = &workcell.assembly;
    let tip = assembly.item_node(asked.position(&wanted.tcp)?);
    let (_, arm) = arm_above(workcell, tip)
        .ok_or_else(|| FormatError::said(format!("no robot moves \"{}\"", wanted.tcp)))?;
    let from = match &wanted.from {
        Some(id) => assembly.item_node(asked.position(id)?),
        None => arm.base(),
    };
    let instants = Instants::of(path);
    let longest = LongestReach::of(assembly, &arm);
    let mut series = vec![used(workcell, path, &longest, &instants)];
    series.extend(
        arm.joints()
            .iter()
            .filter_map(|&j| to_limit(workcell, j, &instants)),
    );
    series.push(to_singularity(workcell, &arm, &instants));
    series.extend(distances(workcell, path, ReachLine { from, to: tip }));
    let not_certain = longest.bracket().map(|(reached, bound)| {
        format!(
            "the reach of this arm is known only to lie between {:.0} and {:.0} mm from its first joint",
            reached * 1e3,
            bound * 1e3
        )
    });
    Ok(SeriesAnswer {
        series,
        not_certain: not_certain.into_iter().collect(),
    })
}

/// The instants that are looked at, with the joint vectors there.
struct Instants {
    all: Vec<(f64, Vec<f64>)>,
    /// Whether each is told.
    told: Vec<bool>,
}

impl Instants {
    fn of(path: &Path) -> Self {
        let even = |i: usize| path.duration() * i as f64 / SAMPLES as f64;
        let mut times: Vec<(f64, bool)> = (0..=SAMPLES).map(|i| (even(i), true)).collect();
        let stride = path.knots().len().div_ceil(KNOTS).max(1);
        times.extend(path.knots().iter().step_by(stride).map(|&t| (t, false)));
        times.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
        times.dedup_by_key(|t| t.0);
        Self {
            told: times.iter().map(|t| t.1).collect(),
            all: times.iter().map(|&(t, _)| (t, path.at(t))).collect(),
        }
    }

    /// A value over them; what is told is thinner, with its extremes.
    fn curve(&self, value: impl Fn(&[f64]) -> f64) -> Curve {
        let all = self.all.iter().map(|(t, q)| (*t, value(q)));
        let curve = Curve::of_samples(all.collect()).expect("the beginning at least");
        let extremes = [curve.smallest.time, curve.largest.time];
        let shown = curve.points.iter().zip(&self.told);
        let shown = shown.filter(|(p, told)| **told || extremes.contains(&p.0));
        Curve {
            points: shown.map(|(p, _)| *p).collect(),
            ..curve
        }
    }
}

fn used(workcell: &Workcell, path: &Path, longest: &LongestReach, instants: &Instants) -> Series {
    let assembly = &workcell.assembly;
    let curve = instants.curve(|q| longest.used(assembly, q, q).most);
    let (most, time) = longest.used_during(assembly, path, (0.0, path.duration()));
    let q = path.at(time);
    let there = longest.used(assembly, &q, &q).most;
    let largest = if there >= curve.largest.value {
        Extreme {
            time,
            value: there,
            bound: Some(most.most),
        }
    } else {
        Extreme {
            bound: Some(most.most),
            ..curve.largest
        }
    };
    let curve = Curve { largest, ..curve };
    Series::of(SeriesKind::ReachUsed, &curve, (SeriesUnit::Percent, 100.0))
}

/// How far a joint is from its nearer limit; none where it has none.
fn to_limit(workcell: &Workcell, joint: usize, instants: &Instants) -> Option<Series> {
    let own = &workcell.assembly.joints()[joint];
    let span = &own.limits.position;
    let room = |q: &[f64]| (q[joint] - span.low()).min(span.high() - q[joint]);
    if !(span.low().is_finite() || span.high().is_finite()) {
        return None;
    }
    let told = if own.kind.turns() {
        (SeriesUnit::Deg, 1f64.to_degrees())
    } else {
        (SeriesUnit::Mm, 1e3)
    };
    Some(Series {
        joint: Some(workcell.joint_key(joint)),
        ..Series::of(SeriesKind::ToLimit, &instants.curve(room), told)
    })
}

fn to_singularity(workcell: &Workcell, arm: &Arm, instants: &Instants) -> Series {
    let free = |q: &[f64]| reserve(&workcell.assembly, arm, q).manipulability;
    let plain = (SeriesUnit::Plain, 1.0);
    Series::of(SeriesKind::ToSingularity, &instants.curve(free), plain)
}

/// Straight, along the floor, upwards; bracketed where axes of the world don't turn against what it is told from.
fn distances(workcell: &Workcell, path: &Path, line: ReachLine) -> Vec<Series> {
    let assembly = &workcell.assembly;
    let rider = |node| Rider {
        node,
        centre: Point::origin(),
        radius: 0.0,
    };
    let pairs = [(rider(line.from), rider(line.to))];
    let level = assembly.moving_above(line.from).iter().all(|n| {
        assembly.nodes()[n.0]
            .joint
            .as_ref()
            .is_none_or(|j| !j.kind.turns())
    });
    let at = |moment: &Moment| line.at(assembly, moment);
    let follow = |value: &(dyn Fn(&Moment) -> f64 + Sync)| {
        distance_along(assembly, path, &pairs, value, &LOOKING)
    };
    let in_mm = (SeriesUnit::Mm, 1e3);
    let parts: [(SeriesKind, Curve); 3] = [
        (
            SeriesKind::Straight,
            follow(&|m| at(m).straight).not_negative(),
        ),
        (
            SeriesKind::Horizontal,
            follow(&|m| at(m).horizontal).not_negative(),
        ),
        (SeriesKind::Vertical, follow(&|m| at(m).vertical)),
    ];
    let told = |(what, mut curve): (SeriesKind, Curve)| {
        if !level && what != SeriesKind::Straight {
            curve.smallest.bound = None;
            curve.largest.bound = None;
        }
        Series::of(what, &curve, in_mm)
    };
    parts.into_iter().map(told).collect()
}

use std::collections::BinaryHeap;
use std::sync::Arc;

use rayon::prelude::*;

use crate::program::Path;
use crate::robot::{Assembly, Carried, Chain, Moment, MotionBound, NodeId};
use crate::spatial::Point;

/// Something that hangs on a node of a cell: a ball round it, in the node's frame.
#[derive(Debug, Clone, Copy)]
pub struct Rider {
    /// What it hangs on.
    pub node: NodeId,
    /// In the node's frame, m.
    pub centre: Point,
    /// m
    pub radius: f64,
}

/// How far two riders may move against each other along a path.
struct RelativeMotion {
    chains: [Chain; 2],
    bounds: [MotionBound; 2],
    deviation: f64,
}

impl RelativeMotion {
    fn new(assembly: &Assembly, path: &Path, carried: &Carried, pair: &(Rider, Rider)) -> Self {
        let riders = [pair.0, pair.1];
        let chains = Chain::of_nodes(assembly, carried, riders.map(|r| r.node));
        let driven = |c: &Chain| path.deviation(c.joints.iter().map(|j| j.index));
        Self {
            deviation: chains.iter().map(driven).sum(),
            chains,
            bounds: riders.map(|r| MotionBound::of_ball(r.centre, r.radius)),
        }
    }

    /// m, while joints travel by `travel` on a stretch that begins at `q` (rad, m).
    fn over(&self, q: &[f64], travel: &[f64]) -> f64 {
        let side = |i: usize| {
            let chain = &self.chains[i];
            self.bounds[i].over(chain, &chain.posture(q), travel)
        };
        side(0) + side(1)
    }
}

/// A number over the time of a path.
#[derive(Debug, Clone, PartialEq)]
pub struct Curve {
    /// Instant (s) and value there, in order of time.
    pub points: Vec<(f64, f64)>,
    /// Where it is smallest.
    pub smallest: Extreme,
    /// Where it is largest.
    pub largest: Extreme,
}

/// Where a number is smallest or largest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extreme {
    /// s
    pub time: f64,
    /// What it is there.
    pub value: f64,
    /// What it certainly never passes, of the programmed motion; none where that is not known.
    pub bound: Option<f64>,
}

impl Curve {
    /// Of values at instants that were looked at, with nothing certain about what lies between them; `None` of none.
    #[must_use]
    pub fn of_samples(points: Vec<(f64, f64)>) -> Option<Self> {
        let extreme = |&(time, value): &(f64, f64)| Extreme {
            time,
            value,
            bound: None,
        };
        let smallest = points.iter().min_by(|a, b| a.1.total_cmp(&b.1))?;
        let largest = points.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
        Some(Self {
            smallest: extreme(smallest),
            largest: extreme(largest),
            points,
        })
    }

    /// The same of a number that is never negative.
    #[must_use]
    pub fn not_negative(mut self) -> Self {
        self.smallest.bound = self.smallest.bound.map(|b| b.max(0.0));
        self
    }

    /// The same where every value may be off by so much.
    #[must_use]
    pub fn off_by(mut self, off: f64) -> Self {
        self.smallest.bound = self.smallest.bound.map(|b| b - off);
        self.largest.bound = self.largest.bound.map(|b| b + off);
        self
    }
}

/// How closely extremes are looked for, and how often the value is asked for at most.
#[derive(Debug, Clone, Copy)]
pub struct Looking {
    /// So many instants, evenly spread.
    pub samples: usize,
    /// m
    pub tolerance: f64,
    /// So many instants beside them.
    pub closer: usize,
}

/// A length over a path, with its smallest and its largest value bracketed.
///
/// `value` is asked for the length (m) of the cell at a moment. It must be one that changes by no more than the riders of
/// some pair of `pairs` move against each other: the smallest or the largest distance between two things each of which lies
/// in the balls of its riders, or such a distance along an axis that turns with neither. For every t between a and b then, with M how far any pair moves between them,
///
/// (d(a) + d(b) − M) / 2 ≤ d(t) ≤ (d(a) + d(b) + M) / 2
///
/// The stretch with the smallest (largest) bound is halved until it agrees with the smallest (largest) value found, or
/// the work is done. How far the programmed motion is off the path between its knots is added.
///
/// # Panics
/// Where there are no pairs.
pub fn distance_along(
    assembly: &Assembly,
    path: &Path,
    pairs: &[(Rider, Rider)],
    value: impl Fn(&Moment) -> f64 + Sync,
    looking: &Looking,
) -> Curve {
    assert!(!pairs.is_empty(), "something moves against something");
    let mut changes = path.handling().changes();
    let duration = path.duration();
    changes.retain(|&t| 0.0 < t && t < duration);
    let ends = changes.iter().copied().chain([duration]);
    let begins = std::iter::once(0.0).chain(changes.iter().copied());
    let hung: Vec<Hung> = begins
        .zip(ends)
        .map(|span| Hung::during(assembly, path, pairs, span))
        .collect();
    let search = Search {
        path,
        hung: &hung,
        value: &value,
    };
    let looks: Vec<Vec<Arc<Look>>> = (0..hung.len())
        .map(|at| search.samples(at, looking.samples, duration))
        .collect();
    let smallest = search.extreme(&looks, 1.0, looking);
    let largest = search.extreme(&looks, -1.0, looking);
    let mut points: Vec<(f64, f64)> = looks.iter().flatten().map(|l| (l.time, l.value)).collect();
    points.extend([smallest, largest].map(|e| (e.time, e.value)));
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    points.dedup();
    Curve {
        points,
        smallest,
        largest,
    }
}

/// How everything hangs from one hand-over to the next, and how the riders move meanwhile.
struct Hung {
    carried: Carried,
    motions: Vec<RelativeMotion>,
    /// s
    span: (f64, f64),
}

impl Hung {
    fn during(
        assembly: &Assembly,
        path: &Path,
        pairs: &[(Rider, Rider)],
        span: (f64, f64),
    ) -> Self {
        let carried = path.carried_at(assembly, span.0);
        let motion = |pair| RelativeMotion::new(assembly, path, &carried, pair);
        Self {
            motions: pairs.iter().map(motion).collect(),
            carried,
            span,
        }
    }

    /// How far any pair moves between two looks, m.
    fn motion(&self, a: &Look, b: &Look) -> f64 {
        let travel = b.travelled.iter().zip(&a.travelled);
        let travel: Vec<f64> = travel.map(|(to, from)| to - from).collect();
        let moved = self.motions.iter().map(|m| m.over(&a.joints, &travel));
        moved.fold(0.0, f64::max)
    }
}

/// An instant that was looked at.
struct Look {
    time: f64,
    value: f64,
    joints: Vec<f64>,
    travelled: Vec<f64>,
}

struct Search<'a, F> {
    path: &'a Path,
    hung: &'a [Hung],
    value: &'a F,
}

impl<F: Fn(&Moment) -> f64 + Sync> Search<'_, F> {
    /// Looks at `time` (s) with everything hanging as in `hung`.
    fn look(&self, hung: &Hung, time: f64) -> Arc<Look> {
        let moment = Moment {
            joints: self.path.at(time),
            carried: hung.carried.clone(),
        };
        let value = (self.value)(&moment);
        let mut travelled = vec![0.0; moment.joints.len()];
        self.path.travelled_until(time, &mut travelled);
        Arc::new(Look {
            time,
            value,
            joints: moment.joints,
            travelled,
        })
    }

    /// Looks at both ends of a stretch, and at its share of `samples` instants between.
    fn samples(&self, at: usize, samples: usize, duration: f64) -> Vec<Arc<Look>> {
        let hung = &self.hung[at];
        let (from, to) = hung.span;
        if from >= to {
            return vec![self.look(hung, from)];
        }
        let share = (to - from) / duration * samples as f64;
        let count = share.ceil().max(1.0) as usize;
        let time = |i: usize| from + (to - from) * i as f64 / count as f64;
        (0..=count)
            .into_par_iter()
            .map(|i| self.look(hung, time(i)))
            .collect()
    }

    /// The smallest value times `sign`.
    fn extreme(&self, looks: &[Vec<Arc<Look>>], sign: f64, looking: &Looking) -> Extreme {
        let all = looks.iter().flatten();
        let mut best = all
            .min_by(|a, b| (sign * a.value).total_cmp(&(sign * b.value)))
            .expect("an instant at least")
            .clone();
        let mut open = BinaryHeap::new();
        for (at, looks) in looks.iter().enumerate() {
            for pair in looks.windows(2) {
                open.push(self.stretch(at, [&pair[0], &pair[1]], sign));
            }
        }
        let mut bound = sign * best.value;
        let mut left = looking.closer;
        while let Some(stretch) = open.pop() {
            bound = stretch.bound.min(sign * best.value);
            let middle = f64::midpoint(stretch.a.time, stretch.b.time);
            let divides = stretch.a.time < middle && middle < stretch.b.time;
            if sign * best.value - bound <= looking.tolerance || left == 0 || !divides {
                break;
            }
            left -= 1;
            let look = self.look(&self.hung[stretch.hung], middle);
            if sign * look.value < sign * best.value {
                best = look.clone();
            }
            open.push(self.stretch(stretch.hung, [&stretch.a, &look], sign));
            open.push(self.stretch(stretch.hung, [&look, &stretch.b], sign));
        }
        let deviations = self.hung.iter().flat_map(|h| &h.motions);
        let deviation = deviations.map(|m| m.deviation).fold(0.0, f64::max);
        Extreme {
            time: best.time,
            value: best.value,
            bound: Some(sign * (bound - deviation)),
        }
    }

    fn stretch(&self, hung: usize, [a, b]: [&Arc<Look>; 2], sign: f64) -> Stretch {
        let motion = self.hung[hung].motion(a, b);
        Stretch {
            bound: (sign * (a.value + b.value) - motion) / 2.0,
            hung,
            a: a.clone(),
            b: b.clone(),
        }
    }
}

/// A stretch of time; the one with the smallest bound comes first.
struct Stretch {
    bound: f64,
    hung: usize,
    a: Arc<Look>,
    b: Arc<Look>,
}

impl PartialEq for Stretch {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Stretch {}

impl PartialOrd for Stretch {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Stretch {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        other.bound.total_cmp(&self.bound)
    }
}

/// How far a point has travelled, and how fast it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Travel {
    /// Since the beginning, m.
    pub travelled: Curve,
    /// m/s
    pub speed: Curve,
}

/// Knots beyond so many are not looked at one by one for the largest speed.
const KNOTS: usize = 20_000;
/// Time about an instant (s) over which its speed is told: all joints go with even acceleration meanwhile, unless a knot lies
/// in it.
const ABOUT: f64 = 1e-5;

/// The travel of `point` (in the frame of `node`, m), as it is seen from `frame` (the world without one), told at `samples`
/// instants. How far the programmed motion is off the path between its knots does not count.
#[must_use]
pub fn travel_along(
    assembly: &Assembly,
    path: &Path,
    (node, point): (NodeId, Point),
    frame: Option<NodeId>,
    samples: usize,
) -> Travel {
    let duration = path.duration();
    let place = |time: f64| {
        let moment = path.moment(assembly, time);
        let pose = |n| assembly.pose_carrying(n, &moment.joints, &moment.carried);
        let at = pose(node) * point;
        frame.map_or(at, |frame| pose(frame).inverse() * at)
    };
    let speed = |time: f64| {
        let (from, to) = ((time - ABOUT).max(0.0), (time + ABOUT).min(duration));
        let span = to - from;
        if span > 0.0 {
            (place(to) - place(from)).norm() / span
        } else {
            0.0
        }
    };
    let samples = samples.max(1);
    let even = (0..=samples).map(|i| duration * i as f64 / samples as f64);
    let told: Vec<f64> = even.collect();
    let mut times = told.clone();
    times.extend(path.knots().iter().take(KNOTS));
    times.sort_by(f64::total_cmp);
    times.dedup();
    let steps: Vec<(f64, f64)> = times
        .par_windows(2)
        .map(|w| {
            let ends = [w[0], w[1]].map(|t| (t, place(t)));
            (w[1], way(&place, ends, halvings(path, w[0], w[1])))
        })
        .collect();
    let mut sum = 0.0;
    let mut travelled = vec![(0.0, 0.0)];
    for (time, step) in steps {
        sum += step;
        if told.binary_search_by(|t| t.total_cmp(&time)).is_ok() {
            travelled.push((time, sum));
        }
    }
    let speeds: Vec<(f64, f64)> = times.par_iter().map(|&t| (t, speed(t))).collect();
    let all = Curve::of_samples(speeds).expect("an instant at least");
    let shown = |&(t, _): &(f64, f64)| {
        let own = t == all.largest.time || t == all.smallest.time;
        own || told.binary_search_by(|x| x.total_cmp(&t)).is_ok()
    };
    Travel {
        travelled: Curve::of_samples(travelled).expect("the beginning"),
        speed: Curve {
            points: all.points.iter().filter(|p| shown(p)).copied().collect(),
            ..all
        },
    }
}

/// How often a stretch of time is halved at least, so that no joint turns by more than a radian in a part: a chord of a
/// whole turn says nothing.
fn halvings(path: &Path, from: f64, to: f64) -> u32 {
    let joints = path.farthest().len();
    let (mut before, mut after) = (vec![0.0; joints], vec![0.0; joints]);
    path.travelled_until(from, &mut before);
    path.travelled_until(to, &mut after);
    let travel = before.iter().zip(&after).map(|(a, b)| b - a);
    travel.fold(1.0, f64::max).log2().ceil().min(16.0) as u32
}

/// The length of the way between two instants, m: chords, halved so often at least and until that adds hardly anything, and
/// what is left by Richardson's rule.
fn way(place: &impl Fn(f64) -> Point, [a, b]: [(f64, Point); 2], halvings: u32) -> f64 {
    let time = f64::midpoint(a.0, b.0);
    let middle = (time, place(time));
    let whole = (b.1 - a.1).norm();
    let halves = (middle.1 - a.1).norm() + (b.1 - middle.1).norm();
    let settled = halvings == 0 && halves - whole <= 1e-7;
    if settled || time <= a.0 || time >= b.0 {
        return (4.0 * halves - whole) / 3.0;
    }
    let left = halvings.saturating_sub(1);
    way(place, [a, middle], left) + way(place, [middle, b], left)
}

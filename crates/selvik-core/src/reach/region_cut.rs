use std::f64::consts::{PI, TAU};

use super::wrist_region::WristRegion;
use crate::spatial::Vector;

/// A line of an outline may be off the surface by so much between two of its points, m.
const CHORD: f64 = 5e-5;
/// So many parts a curve is divided into to begin with: what it does within one is seen where it is halved, as often at most.
const PARTS: usize = 240;
const HALVINGS: u32 = 16;
/// On which side of a surface one can reach is looked at so far from it, m.
const BESIDE: f64 = 5e-8;

/// A surface that may bound the region, in the paper's base frame.
pub(super) enum Surface {
    /// An arc in the plane of the arm, from an angle to another from the upright (rad), turned about the first axis.
    Turned {
        centre: [f64; 2],
        radius: f64,
        from: f64,
        to: f64,
    },
    /// The plane of the arm where the first joint stands at a limit, rad.
    Halted {
        theta: f64,
        far: f64,
        heights: (f64, f64),
    },
    /// The cylinder about the first axis that the wrist's lateral offset keeps it out of.
    Inner { heights: (f64, f64) },
}

/// A curve: its point for a parameter, where there is one.
type Way<'a> = Box<dyn Fn(f64) -> Option<Vector> + 'a>;

/// A plane that cuts the surfaces: the points p with n · p = d.
pub(super) struct Cut<'a> {
    pub region: &'a WristRegion,
    pub n: Vector,
    pub d: f64,
}

impl Cut<'_> {
    /// Where the plane meets `surface`, as far as only one side of it can be reached.
    pub fn trace(&self, surface: &Surface, lines: &mut Vec<Vec<Vector>>) {
        let (n, d) = (self.n, self.d);
        let b = self.region.arm().b;
        // Whether the plane is square to the first axis.
        let across = n.x.hypot(n.y);
        let mut ways: Vec<(Way, (f64, f64))> = Vec::new();
        let mut known: Vec<f64> = Vec::new();
        match *surface {
            Surface::Turned {
                centre,
                radius,
                from,
                to,
            } if across < 1e-9 => {
                // At one height: the arc crosses it twice at most, and each crossing goes round.
                let up = ((d / n.z - centre[1]) / radius).clamp(-2.0, 2.0);
                if up.abs() > 1.0 {
                    return;
                }
                for side in [up.acos(), -up.acos()] {
                    let turned = from + (side - from).rem_euclid(TAU);
                    if turned <= to {
                        let x = centre[0] + radius * turned.sin();
                        let z = d / n.z;
                        let round = move |t: f64| Some(turned_by(t, x, b, z));
                        ways.push((Box::new(round), self.turns()));
                    }
                }
            }
            Surface::Turned {
                centre,
                radius,
                from,
                to,
            } => {
                // How far the arc goes through the plane when it is turned; below 0 it does not come to it.
                let through = |u: f64| {
                    let x = centre[0] + radius * u.sin();
                    let z = centre[1] + radius * u.cos();
                    across * x.hypot(b) - (d - n.z * z).abs()
                };
                known.extend(tops(&through, (from, to)));
                for side in [1.0, -1.0] {
                    let way = move |u: f64| {
                        let x = centre[0] + radius * u.sin();
                        let z = centre[1] + radius * u.cos();
                        let theta = meets(&n, d, [x, b, z], side)?;
                        Some(turned_by(theta, x, b, z))
                    };
                    let spans = apart_at_the_axis(centre[0] / radius, (from, to));
                    ways.extend(spans.windows(2).map(|w| {
                        let way: Way = Box::new(way);
                        (way, (w[0], w[1]))
                    }));
                }
            }
            Surface::Halted {
                theta,
                far,
                heights,
            } => {
                let (sin, cos) = theta.sin_cos();
                // n · p = d for p = Rz θ (x, b, z): a line in x and z.
                let (by_x, by_z) = (n.x * cos + n.y * sin, n.z);
                let rest = d - b * (n.y * cos - n.x * sin);
                if by_x.abs().max(by_z.abs()) < 1e-9 {
                    return;
                }
                if by_z.abs() >= by_x.abs() {
                    let way = move |x: f64| Some(turned_by(theta, x, b, (rest - by_x * x) / by_z));
                    ways.push((Box::new(way), (-far, far)));
                } else {
                    let way = move |z: f64| Some(turned_by(theta, (rest - by_z * z) / by_x, b, z));
                    ways.push((Box::new(way), heights));
                }
            }
            Surface::Inner { heights } => {
                if n.z.abs() > 1e-9 {
                    let way = move |t: f64| {
                        let level = turned_by(t, 0.0, b, 0.0);
                        Some(Vector::new(level.x, level.y, (d - n.dot(&level)) / n.z))
                    };
                    ways.push((Box::new(way), (-PI, PI)));
                } else {
                    for side in [1.0, -1.0] {
                        let way = move |z: f64| {
                            let theta = meets(&n, d, [0.0, b, z], side)?;
                            Some(turned_by(theta, 0.0, b, z))
                        };
                        ways.push((Box::new(way), heights));
                    }
                }
            }
        }
        for (way, span) in ways {
            for stretch in stretches(&way, span, &known) {
                self.pieces(&way, stretch, lines);
            }
        }
    }

    /// Between which angles the first joint goes, once round at most.
    fn turns(&self) -> (f64, f64) {
        let (low, high) = self.region.first();
        if high - low < TAU {
            (low, high)
        } else {
            (-PI, PI)
        }
    }

    /// The two places beside a curve at `t`, and the one on it, where it has one.
    fn sides(&self, way: &Way, t: f64, step: f64) -> Option<(Vector, [Vector; 2])> {
        let at = way(t)?;
        // Which way it goes there; towards the side where it still is.
        let tangent = [step, -step]
            .into_iter()
            .find_map(|by| Some((way(t + by)? - at) / by))?;
        let aside = self.n.cross(&tangent);
        let length = aside.norm();
        if length < 1e-12 {
            return None;
        }
        let aside = aside * (BESIDE / length);
        Some((at, [at + aside, at - aside]))
    }

    /// Whether at `t` the curve has a point, and one side of it can be reached and the other not.
    fn bounds(&self, way: &Way, t: f64, step: f64) -> Option<Vector> {
        let (at, sides) = self.sides(way, t, step)?;
        let [one, other] = sides.map(|p| self.region.reaches(&p));
        (one != other).then_some(at)
    }

    /// Parameters, rising, between each of which and the next nothing begins or ends; of places closer than `HALVINGS` halvings
    /// of a part that is not said.
    fn instants(&self, way: &Way, (from, to): (f64, f64), step: f64) -> Vec<f64> {
        // Closer together towards both ends: there two sides of a curve may meet, and it goes fast.
        let share = |i: usize| (1.0 - (PI * i as f64 / PARTS as f64).cos()) / 2.0;
        let stand = |t: f64| {
            let sides = self.sides(way, t, step);
            sides.map(|(_, sides)| sides.map(|p| self.region.stand(&p)))
        };
        let mut all = Vec::new();
        let mut before = (from, stand(from));
        for i in 1..=PARTS {
            let t = from + (to - from) * share(i);
            let now = (t, stand(t));
            all.push(before.0);
            let mut open = vec![(before, now, HALVINGS)];
            while let Some((a, b, halvings)) = open.pop() {
                if halvings == 0 || a.1 == b.1 {
                    continue;
                }
                let t = f64::midpoint(a.0, b.0);
                let middle = (t, stand(t));
                all.push(t);
                open.push((a, middle, halvings - 1));
                open.push((middle, b, halvings - 1));
            }
            before = now;
        }
        all.push(to);
        all.sort_by(f64::total_cmp);
        all
    }

    /// The pieces of a curve that bound the region.
    fn pieces(&self, way: &Way, (from, to): (f64, f64), lines: &mut Vec<Vec<Vector>>) {
        let step = (to - from) * 1e-9;
        let here = |t: f64| self.bounds(way, t, step);
        let times = self.instants(way, (from, to), step);
        let mut lines_here: Vec<Vec<Vector>> = vec![Vec::new()];
        let mut before = (times[0], here(times[0]));
        lines_here[0].extend(before.1);
        for &t in &times[1..] {
            let now = (t, here(t));
            between(&here, before, now, HALVINGS, &mut lines_here);
            before = now;
        }
        lines_here.retain(|line| line.len() > 1);
        lines.append(&mut lines_here);
    }
}

/// An instant of a curve and its point, if it has one there.
type At = (f64, Option<Vector>);

/// Appends what lies between two places on a curve, and the second: to the last line as long as there are points, to a new
/// one where they begin again.
fn between(
    here: &impl Fn(f64) -> Option<Vector>,
    a: At,
    b: At,
    halvings: u32,
    lines: &mut Vec<Vec<Vector>>,
) {
    let last = |lines: &mut Vec<Vec<Vector>>, p: Vector| {
        lines.last_mut().expect("never empty").push(p);
    };
    match (a.1, b.1) {
        (None, None) => {}
        (Some(p), Some(q)) => {
            let t = f64::midpoint(a.0, b.0);
            let middle = (t, here(t));
            let off = middle.1.map(|m| (m - (p + q) / 2.0).norm());
            if halvings > 0 && off.is_none_or(|off| off > CHORD) {
                between(here, a, middle, halvings - 1, lines);
                between(here, middle, b, halvings - 1, lines);
            } else {
                last(lines, q);
            }
        }
        (Some(p), None) => {
            let (t, q) = end(here, (a.0, p), b.0);
            between(here, a, (t, Some(q)), halvings, lines);
            lines.push(Vec::new());
        }
        (None, Some(q)) => {
            let (t, p) = end(here, (b.0, q), a.0);
            last(lines, p);
            between(here, (t, Some(p)), b, halvings, lines);
        }
    }
}

/// Where in a span a number is larger than on either side.
fn tops(value: &dyn Fn(f64) -> f64, (from, to): (f64, f64)) -> Vec<f64> {
    let at = |i: usize| from + (to - from) * i as f64 / PARTS as f64;
    let values: Vec<f64> = (0..=PARTS).map(|i| value(at(i))).collect();
    let higher = |i: &usize| values[*i] >= values[i - 1] && values[*i] >= values[i + 1];
    let top = |i: usize| {
        let (mut low, mut high) = (at(i - 1), at(i + 1));
        for _ in 0..60 {
            let third = (high - low) / 3.0;
            if value(low + third) < value(high - third) {
                low += third;
            } else {
                high -= third;
            }
        }
        f64::midpoint(low, high)
    };
    (1..PARTS).filter(higher).map(top).collect()
}

/// Where a curve has points, of the span it may have some in; `known` are parameters at which it does, if they lie in it.
fn stretches(way: &Way, (from, to): (f64, f64), known: &[f64]) -> Vec<(f64, f64)> {
    let even = (1..PARTS).map(|i| from + (to - from) * i as f64 / PARTS as f64);
    let ends = [from, to].into_iter();
    let mut all: Vec<f64> = ends.chain(even).chain(known.iter().copied()).collect();
    all.retain(|t| (from..=to).contains(t));
    all.sort_by(f64::total_cmp);
    let edge = |t: f64, gone: f64| match way(t) {
        Some(point) => end(way, (t, point), gone).0,
        None => t,
    };
    let mut found = Vec::new();
    let mut begun: Option<f64> = None;
    for (i, &t) in all.iter().enumerate() {
        let is = way(t).is_some();
        match begun {
            None if is => begun = Some(if i > 0 { edge(t, all[i - 1]) } else { t }),
            Some(start) if !is => {
                found.push((start, edge(all[i - 1], t)));
                begun = None;
            }
            _ => {}
        }
    }
    found.extend(begun.map(|start| (start, to)));
    found
}

/// The same lines without what runs along one before: an arm that is even about its first axis reaches leaning back what it
/// reaches leaning ahead.
pub(super) fn once(lines: Vec<Vec<Vector>>) -> Vec<Vec<Vector>> {
    let mut kept: Vec<Vec<Vector>> = Vec::new();
    for line in lines {
        let known = |p: &Vector| {
            let mut pieces = kept.iter().flat_map(|line| line.windows(2));
            pieces.any(|w| off(p, &w[0], &w[1]) < 2.0 * CHORD)
        };
        let known: Vec<bool> = line.iter().map(known).collect();
        let mut fresh: Vec<Vec<Vector>> = Vec::new();
        let mut run: Vec<Vector> = Vec::new();
        for (i, w) in line.windows(2).enumerate() {
            if known[i] && known[i + 1] {
                fresh.extend((run.len() > 1).then(|| std::mem::take(&mut run)));
                run.clear();
                continue;
            }
            if run.is_empty() {
                run.push(w[0]);
            }
            run.push(w[1]);
        }
        fresh.extend((run.len() > 1).then_some(run));
        kept.extend(fresh);
    }
    kept
}

/// How far `p` is from the line between `a` and `b`, m.
fn off(p: &Vector, a: &Vector, b: &Vector) -> f64 {
    let along = b - a;
    let share = (p - a).dot(&along) / along.norm_squared().max(1e-300);
    (p - (a + along * share.clamp(0.0, 1.0))).norm()
}

/// The last parameter from `at` towards `gone` at which there still is a point, and that.
fn end(
    here: &dyn Fn(f64) -> Option<Vector>,
    (mut at, mut point): (f64, Vector),
    mut gone: f64,
) -> (f64, Vector) {
    for _ in 0..50 {
        let t = f64::midpoint(at, gone);
        match here(t) {
            Some(p) => {
                at = t;
                point = p;
            }
            None => gone = t,
        }
    }
    (at, point)
}

/// From where to where an arc runs on one side of the first axis, rad, for a centre so many radii from it: what it reaches on
/// the other side may be the same once more.
fn apart_at_the_axis(out: f64, (from, to): (f64, f64)) -> Vec<f64> {
    let mut ends = vec![from, to];
    if out.abs() <= 1.0 {
        let crossing = (-out).asin();
        for side in [crossing, PI - crossing] {
            let first = from + (side - from).rem_euclid(TAU);
            ends.extend([first, first + TAU].into_iter().filter(|&u| u < to));
        }
    }
    ends.sort_by(f64::total_cmp);
    ends.dedup();
    ends
}

/// The point (x, b, z) of the arm's plane, turned about the first axis, rad.
pub(super) fn turned_by(theta: f64, x: f64, b: f64, z: f64) -> Vector {
    let (sin, cos) = theta.sin_cos();
    Vector::new(x * cos - b * sin, x * sin + b * cos, z)
}

/// The turn about the first axis (rad) that takes a point into the plane n · p = d, on one side or the other.
fn meets(n: &Vector, d: f64, [x, b, z]: [f64; 3], side: f64) -> Option<f64> {
    // (n.x x + n.y b) cos θ + (n.y x − n.x b) sin θ = d − n.z z
    let (by_cos, by_sin) = (n.x * x + n.y * b, n.y * x - n.x * b);
    let share = (d - n.z * z) / by_cos.hypot(by_sin);
    (share.abs() <= 1.0).then(|| by_sin.atan2(by_cos) + side * share.acos())
}

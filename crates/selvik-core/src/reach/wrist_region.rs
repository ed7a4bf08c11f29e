use std::f64::consts::{PI, TAU};

use crate::robot::{Arm, Assembly, OrthoParallelArm};
use crate::spatial::{Plane, Point, Pose, Vector};

/// Where an arm with an ortho-parallel base can take the centre of its wrist, within the limits of its first three joints.
///
/// What bounds it are surfaces on which a joint stands at a limit, the arm is stretched or folded, or the wrist comes
/// as near to the first axis as its lateral offset lets it (the places where the Jacobian of the first three joints loses a rank).
/// An outline is where a plane meets those surfaces, as far as there is a side of them that can't be reached. Every
/// point of it is worked out in closed form.
#[derive(Debug, Clone)]
pub struct WristRegion {
    arm: OrthoParallelArm,
    /// The paper's base frame in the world.
    frame: Pose,
    /// Between which angles the first three joints go, rad.
    angles: [(f64, f64); 3],
}

/// A line of an outline may be off the surface by so much between two of its points, m.
const CHORD: f64 = 5e-5;
/// So many parts a curve is divided into to begin with: what it does within one is seen where it is halved, as often at most.
const PARTS: usize = 240;
const HALVINGS: u32 = 16;
/// On which side of a surface one can reach is looked at so far from it, m.
const BESIDE: f64 = 5e-8;

impl WristRegion {
    /// Of `arm`, whose base stands at `base` in the world; `None` for arms of another build.
    #[must_use]
    pub fn of(assembly: &Assembly, arm: &Arm, base: &Pose) -> Option<Self> {
        let closed = arm.ortho_parallel()?;
        let angles = std::array::from_fn(|i| {
            let limits = &assembly.joints()[arm.joints()[i]].limits;
            closed.angles_within(i, &limits.position)
        });
        Some(Self {
            frame: base * closed.paper_frame(),
            arm: closed.clone(),
            angles,
        })
    }

    /// Whether the wrist's centre can be taken to `point` in the world.
    #[must_use]
    pub fn contains(&self, point: &Point) -> bool {
        self.reaches(&(self.frame.inverse() * point).coords)
    }

    /// The plane of the arm while its wrist is at `wrist`: through the first axis and it. Where it lies on the axis, any.
    #[must_use]
    pub fn plane_through(&self, wrist: &Point) -> Plane {
        let axis = self.frame.rotation * Vector::z();
        let origin = Point::from(self.frame.translation.vector);
        let across = axis.cross(&(wrist - origin));
        let any = self.frame.rotation * Vector::y();
        Plane::through(wrist, &across)
            .filter(|_| across.norm() > 1e-6)
            .or_else(|| Plane::through(&origin, &any))
            .expect("a direction")
    }

    /// The outline of the region in `plane`, as lines in the world.
    #[must_use]
    pub fn outline(&self, plane: &Plane) -> Vec<Vec<Point>> {
        let plane = plane.seen_from(&self.frame);
        let cut = Cut {
            region: self,
            n: plane.normal.into_inner(),
            d: plane.offset,
        };
        let mut lines = Vec::new();
        for surface in self.surfaces() {
            cut.trace(&surface, &mut lines);
        }
        if self.arm.a1.abs().max(self.arm.b.abs()) < 1e-9 {
            lines = once(lines);
        }
        let world = |line: Vec<Vector>| line.iter().map(|p| self.frame * Point::from(*p)).collect();
        lines.into_iter().map(world).collect()
    }

    fn reaches(&self, c: &Vector) -> bool {
        let Ok(found) = self.arm.arm_angles(c) else {
            return false;
        };
        let within = |(angle, (low, high)): (f64, (f64, f64))| {
            // The first that is not below the range, whole turns counted.
            low + (angle - low).rem_euclid(TAU) <= high
        };
        let all = |(angles, ..): ([f64; 3], _, _)| angles.into_iter().zip(self.angles).all(within);
        found.into_iter().flatten().any(all)
    }

    /// How the angles of each posture that takes the wrist to `c` stand to their limits, whole turns counted: what changes
    /// where anything of it begins or ends to be reached.
    fn stand(&self, c: &Vector) -> [[(i16, i16); 3]; 4] {
        const NONE: [(i16, i16); 3] = [(i16::MIN, 0); 3];
        let Ok(found) = self.arm.arm_angles(c) else {
            return [NONE; 4];
        };
        let turns = |angle: f64, limit: f64| ((angle - limit) / TAU).floor() as i16;
        let stands = |(angles, ..): ([f64; 3], _, _)| {
            std::array::from_fn(|i| {
                let (low, high) = self.angles[i];
                (turns(angles[i], low), turns(angles[i], high))
            })
        };
        found.map(|posture| posture.map_or(NONE, stands))
    }

    fn surfaces(&self) -> Vec<Surface> {
        let arm = &self.arm;
        let k = arm.a2.hypot(arm.c3);
        // Where the forearm from elbow to wrist points along the upper arm, and back along it.
        let bend = arm.a2.atan2(arm.c3);
        let [first, second, third] = self.angles;
        let limited = |(low, high): (f64, f64)| high - low < TAU;
        let turned = |(low, high): (f64, f64)| {
            if limited((low, high)) {
                (low, high)
            } else {
                (-PI, PI)
            }
        };
        let shoulder = [arm.a1, arm.c1];
        let mut all = Vec::new();
        let mut elbows = vec![-bend, PI - bend];
        if limited(third) {
            elbows.extend([third.0, third.1]);
        }
        for theta3 in elbows {
            // The wrist in the upper arm's frame, which turns about the shoulder.
            let (x, z) = (
                arm.a2 * theta3.cos() + arm.c3 * theta3.sin(),
                arm.c2 - arm.a2 * theta3.sin() + arm.c3 * theta3.cos(),
            );
            let turn = turned(second);
            all.push(Surface::Turned {
                centre: shoulder,
                radius: x.hypot(z),
                from: turn.0 + x.atan2(z),
                to: turn.1 + x.atan2(z),
            });
        }
        if limited(second) {
            for theta2 in [second.0, second.1] {
                let (sin, cos) = theta2.sin_cos();
                let turn = turned(third);
                all.push(Surface::Turned {
                    centre: [shoulder[0] + arm.c2 * sin, shoulder[1] + arm.c2 * cos],
                    radius: k,
                    from: theta2 + turn.0 + bend,
                    to: theta2 + turn.1 + bend,
                });
            }
        }
        let far = arm.a1.abs() + arm.c2 + k;
        let heights = (arm.c1 - arm.c2 - k, arm.c1 + arm.c2 + k);
        if limited(first) {
            all.extend([first.0, first.1].map(|theta| Surface::Halted {
                theta,
                far,
                heights,
            }));
        }
        if arm.b.abs() > 1e-9 {
            all.push(Surface::Inner { heights });
        }
        all
    }
}

/// A surface that may bound the region, in the paper's base frame.
enum Surface {
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
struct Cut<'a> {
    region: &'a WristRegion,
    n: Vector,
    d: f64,
}

impl Cut<'_> {
    /// Where the plane meets `surface`, as far as only one side of it can be reached.
    fn trace(&self, surface: &Surface, lines: &mut Vec<Vec<Vector>>) {
        let (n, d) = (self.n, self.d);
        let b = self.region.arm.b;
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
        let (low, high) = self.region.angles[0];
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
fn once(lines: Vec<Vec<Vector>>) -> Vec<Vec<Vector>> {
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
fn turned_by(theta: f64, x: f64, b: f64, z: f64) -> Vector {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;

    /// An arm standing up at zero, of the paper's `[a1, a2, b, c1, c2, c3]` (m), with limits in degrees.
    fn region([a1, a2, b, c1, c2, c3]: [f64; 6], limits: [(f64, f64); 3]) -> WristRegion {
        let (y, z) = (Vector::y(), Vector::z());
        let wrist = Point::new(a1 + a2, b, c1 + c2 + c3);
        let axes = [
            (Point::origin(), z),
            (Point::new(a1, 0.0, c1), y),
            (Point::new(a1, 0.0, c1 + c2), y),
            (wrist, z),
            (wrist, y),
            (wrist, z),
        ];
        let arm = OrthoParallelArm::fit(&axes, &Pose::translation(wrist.x, wrist.y, wrist.z));
        WristRegion {
            arm: arm.expect("ortho-parallel"),
            frame: pose_from_rpy([0.4, -0.2, 0.1], [0.0, 0.0, 0.3]),
            angles: limits.map(|(low, high)| (low.to_radians(), high.to_radians())),
        }
    }

    const WHOLE: (f64, f64) = (-180.0, 180.0);

    fn length(lines: &[Vec<Point>]) -> f64 {
        let pieces = lines.iter().flat_map(|line| line.windows(2));
        pieces.map(|w| (w[1] - w[0]).norm()).sum()
    }

    /// Without offsets and limits what can be reached is a shell about the shoulder: any plane through it cuts two circles.
    #[test]
    fn of_an_arm_without_offsets_it_is_a_shell() {
        let region = region([0.0, 0.0, 0.0, 0.5, 0.6, 0.4], [WHOLE; 3]);
        let shoulder = region.frame * Point::new(0.0, 0.0, 0.5);
        for normal in [
            Vector::x(),
            Vector::new(1.0, 2.0, 0.5),
            Vector::new(0.3, 0.1, 5.0),
        ] {
            let plane = Plane::through(&shoulder, &normal).expect("a direction");
            let outline = region.outline(&plane);
            let off = |p: &Point| {
                let from = (p - shoulder).norm();
                (from - 1.0).abs().min((from - 0.2).abs())
            };
            assert!(outline.iter().flatten().all(|p| off(p) < 1e-9));
            let whole = TAU * 1.2;
            assert!(
                (length(&outline) / whole - 1.0).abs() < 1e-3,
                "{} {whole}",
                length(&outline)
            );
        }
        // A metre and a half up, beyond the shell by half a metre, there is nothing.
        let above = shoulder + Vector::z() * 1.5;
        let plane = Plane::through(&above, &Vector::z()).expect("a direction");
        assert!(region.outline(&plane).is_empty());
    }

    /// Half a metre over the shoulder of an arm of a metre: a circle by Pythagoras, as far as the first joint turns.
    #[test]
    fn at_a_height_it_is_a_circle_as_far_as_the_first_joint_turns() {
        let limits = [(-90.0, 90.0), WHOLE, WHOLE];
        let region = region([0.0, 0.0, 0.0, 0.5, 0.5, 0.5], limits);
        let plane = Plane::through(&(region.frame * Point::new(0.0, 0.0, 1.0)), &Vector::z());
        let outline = region.outline(&plane.expect("a direction"));
        // The shoulder leans back over itself: the other half is reached, too.
        let round = TAU * (1.0f64 - 0.25).sqrt();
        assert!(
            (length(&outline) / round - 1.0).abs() < 1e-3,
            "{}",
            length(&outline)
        );
        let leaning = [(-90.0, 90.0), (0.0, 180.0), (0.0, 1e-7)];
        let ahead = WristRegion {
            angles: leaning.map(|(a, b): (f64, f64)| (a.to_radians(), b.to_radians())),
            ..region
        };
        let point = |x: f64| ahead.frame * Point::new(x, 0.0, 0.5);
        assert!(ahead.contains(&point(1.0)) && !ahead.contains(&point(-1.0)));
    }

    /// How often a ray in the plane from `point` crosses the outline; `None` where it passes an end of a line: lines that touch
    /// each other there run within what is looked beside them.
    fn crossings(lines: &[Vec<Point>], plane: &Plane, point: &Point) -> Option<usize> {
        let (u, v) = plane.axes();
        let flat = |p: &Point| ((p - point).dot(&u), (p - point).dot(&v));
        // A direction that no line of the outline follows.
        let (sin, cos) = 0.7317f64.sin_cos();
        let turned = |(x, y): (f64, f64)| (x * cos + y * sin, y * cos - x * sin);
        let mut ends = lines
            .iter()
            .flat_map(|line| [line[0], line[line.len() - 1]]);
        if ends.any(|p| turned(flat(&p)).1.abs() < 2e-3) {
            return None;
        }
        let pieces = lines.iter().flat_map(|line| line.windows(2));
        let crossed = pieces.filter(|w| {
            let (a, b) = (turned(flat(&w[0])), turned(flat(&w[1])));
            let across = (a.1 > 0.0) != (b.1 > 0.0);
            across && a.0 + (b.0 - a.0) * a.1 / (a.1 - b.1) > 0.0
        });
        Some(crossed.count())
    }

    fn limits() -> impl Strategy<Value = (f64, f64)> {
        (-200.0f64..100.0, 20.0f64..380.0).prop_map(|(low, by)| (low, low + by))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]

        /// Wherever joints within their limits take it, the wrist is in the region.
        #[test]
        fn whatever_joints_reach_is_in_the_region(
            sizes in (0.02f64..0.3, -0.1f64..0.2, -0.1f64..0.1, 0.2f64..0.6, 0.3f64..0.9, 0.3f64..0.9),
            limits in prop::array::uniform3(limits()),
            share in prop::array::uniform3(0.001f64..0.999),
        ) {
            let (a1, a2, b, c1, c2, c3) = sizes;
            let region = region([a1, a2, b, c1, c2, c3], limits);
            let q: Vec<f64> = (0..3).map(|i| {
                let (low, high) = limits[i];
                (low + (high - low) * share[i]).to_radians()
            }).collect();
            let x = a1 + c2 * q[1].sin() + a2 * (q[1] + q[2]).cos() + c3 * (q[1] + q[2]).sin();
            let z = c1 + c2 * q[1].cos() - a2 * (q[1] + q[2]).sin() + c3 * (q[1] + q[2]).cos();
            let p = region.frame * Point::from(turned_by(q[0], x, b, z));
            prop_assert!(region.contains(&p));
        }

        /// The outline is closed and parts what can be reached from what can't: a ray crosses it an odd number of times from
        /// just where one can.
        #[test]
        fn the_outline_parts_what_can_be_reached_from_what_cannot(
            sizes in (0.02f64..0.3, -0.1f64..0.2, -0.1f64..0.1, 0.2f64..0.6, 0.3f64..0.9, 0.3f64..0.9),
            limits in prop::array::uniform3(limits()),
            normal in prop::array::uniform3(-1.0f64..1.0),
            level in 0u8..4,
            through in prop::array::uniform3(-0.6f64..0.8),
            points in prop::collection::vec((-1.8f64..1.8, -1.8f64..1.8), 40),
        ) {
            let (a1, a2, b, c1, c2, c3) = sizes;
            // Where a limit is the stretched arm two surfaces are one, and both are drawn.
            let stretched = |limit: f64| (limit.to_radians() + a2.atan2(c3)).sin().abs() < 1e-2;
            prop_assume!(!stretched(limits[2].0) && !stretched(limits[2].1));
            let region = region([a1, a2, b, c1, c2, c3], limits);
            let normal = match level {
                0 => Vector::z(),
                1 => Vector::new(normal[0], normal[1], 0.0),
                _ => Vector::from(normal),
            };
            prop_assume!(normal.norm() > 0.05);
            let middle = region.frame * Point::from(Vector::from(through));
            let plane = Plane::through(&middle, &normal).expect("a direction");
            let outline = region.outline(&plane);
            let (u, v) = plane.axes();
            for (x, y) in points {
                let p = middle + u * x + v * y;
                let near = outline.iter().flatten().any(|q| (q - p).norm() < 0.03);
                if near {
                    continue;
                }
                let Some(crossed) = crossings(&outline, &plane, &p) else {
                    continue;
                };
                prop_assert_eq!(crossed % 2 == 1, region.contains(&p), "{:?} {:?}", p, limits);
            }
        }
    }
}

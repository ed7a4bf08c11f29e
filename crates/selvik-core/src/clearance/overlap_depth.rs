//! How deep two bodies overlap.
//!
//! The depth of an overlap is its thickness: the diameter of the largest ball that lies in both bodies. It is found by
//! dividing the box that both share: how deep a point lies inside a body changes no faster than the point moves, so
//! what is known of the middle of a cell bounds all of it, and what is known of one instant bounds its neighbours.

use std::collections::BinaryHeap;

use super::distance::{distance_to_point, nearest_to_point};
use super::pair_motion::PairMotion;
use crate::mesh::{Containment, Surface};
use crate::spatial::{Aabb, Point, Pose, Vector};

/// The largest depth over some time, bracketed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DepthBracket {
    /// As deep certainly at `time`, m.
    pub lower: f64,
    /// Never deeper than this, m.
    pub upper: f64,
    /// When the lower value was found, s.
    pub time: f64,
}

/// Stretches of time are divided no further than this, s.
const SHORTEST: f64 = 1e-4;
/// What a cell costs, in boxes.
const CELL: u64 = 200;

impl PairMotion<'_> {
    /// The largest depth during `times` (s), until it is certain to be at most `limit` (m) or not, or `work` is spent.
    pub(super) fn depth_over(
        &mut self,
        times: &[(f64, f64)],
        limit: f64,
        tolerance: f64,
        work: u64,
        keep_on: &dyn Fn() -> bool,
    ) -> DepthBracket {
        let until = self.work.saturating_add(work);
        let mut bracket = DepthBracket {
            lower: 0.0,
            upper: 0.0,
            time: times.first().map_or(0.0, |t| t.0),
        };
        let mut open: Vec<(f64, f64)> = times.to_vec();
        while let Some((from, to)) = open.pop() {
            let middle = f64::midpoint(from, to);
            let looks = [from, middle, to].map(|t| self.glance(t));
            let motion = self
                .motion(&looks[0], &looks[1])
                .max(self.motion(&looks[1], &looks[2]));
            let unsure = 2.0 * (motion + self.unsure());
            let relative = looks[1].postures[0].end.inv_mul(&looks[1].postures[1].end);
            if unsure >= limit && to - from > SHORTEST && keep_on() {
                // They move farther in it than they may overlap: no instant speaks for all of it.
                open.extend([(middle, to), (from, middle)]);
                continue;
            }
            let [a, b] = [&self.surfaces[0], &self.surfaces[1]];
            let settled = (limit - unsure).max(0.0);
            let asked = Asked {
                settled,
                limit: Some(limit),
                tolerance: tolerance * 0.1,
            };
            let mut left = until.saturating_sub(self.work) / CELL;
            let here = depth_at(a, b, &relative, &asked, &mut left, keep_on);
            self.work = until.saturating_sub(left * CELL);
            if here.0 > bracket.lower {
                bracket = DepthBracket {
                    lower: here.0,
                    time: middle,
                    ..bracket
                };
            }
            let upper = here.1 + unsure;
            let settled = upper <= limit;
            let spent = left == 0 || !keep_on() || to - from <= SHORTEST || bracket.lower > limit;
            if settled || spent {
                bracket.upper = bracket.upper.max(upper);
                if bracket.lower > limit {
                    break;
                }
            } else {
                open.extend([(middle, to), (from, middle)]);
            }
        }
        bracket.upper = bracket.upper.max(bracket.lower);
        bracket
    }
}

/// How deep `a` and `b` overlap, `b` at `pose` in the frame of `a`: certainly the first, at most the second value (m). It is
/// looked into `cells` cells of space, and no closer than 0.01 mm. Where a body is open in such a way that inside can't be
/// told, the first value does not count it. Both 0 where they are apart.
pub fn overlap_depth(a: &Surface, b: &Surface, pose: &Pose, mut cells: u64) -> (f64, f64) {
    let asked = Asked {
        limit: None,
        settled: 0.0,
        tolerance: MEASURED_TO,
    };
    depth_at(a, b, pose, &asked, &mut cells, &|| true)
}

/// m
const MEASURED_TO: f64 = 1e-5;
/// A point is moved so many times to where it lies deeper.
const CLIMBS: usize = 6;

/// A cell of space, the one that may hold the deepest point first.
struct Cell {
    upper: f64,
    centre: Point,
    half: Vector,
}

impl PartialEq for Cell {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Cell {}

impl PartialOrd for Cell {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Cell {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.upper.total_cmp(&other.upper)
    }
}

/// What is wanted to be known of a depth, m.
struct Asked {
    /// Whether it is at most this, m.
    settled: f64,
    /// Or certainly more than this, m; without, how deep it is.
    limit: Option<f64>,
    /// No closer than this, m.
    tolerance: f64,
}

impl Asked {
    /// Whether depths from twice `best` to twice `known` (m) answer it, after so many cells.
    fn answered(&self, best: f64, known: f64, looked: u64) -> bool {
        let Some(limit) = self.limit else {
            return false;
        };
        let between = 2.0 * best > self.settled && (2.0 * known <= limit || looked > BETWEEN);
        2.0 * known <= self.settled || 2.0 * best > limit || between
    }
}

/// What lies between both is looked into no further than this.
const BETWEEN: u64 = 4_000;

/// The depth (m) at which `a` and `b` overlap, `b` at `pose` in the frame of `a`: at least the first, at most the second
/// value; only as closely as it takes to answer what is asked.
fn depth_at(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    asked: &Asked,
    cells: &mut u64,
    keep_on: &dyn Fn() -> bool,
) -> (f64, f64) {
    let Some(shared) = shared(a.bounds(), &b.bounds().moved(pose)) else {
        return (0.0, 0.0);
    };
    let back = pose.inverse();
    // How deep a point lies inside both; negative outside.
    let depth = |p: &Point| inside(a, p).min(inside(b, &(back * p)));
    let certain = |p: &Point| certainly_inside(a, p).min(certainly_inside(b, &(back * p)));
    let measured = asked.limit.is_none();
    let (mut best, mut looked) = (0.0f64, 0);
    let mut open = BinaryHeap::new();
    let push = |open: &mut BinaryHeap<Cell>, centre: Point, half: Vector, best: &mut f64| {
        let here = depth(&centre);
        let upper = here + half.norm();
        if measured && upper > *best {
            // What is told to people is certain; what is held against a limit errs on the deep side.
            let deeper = climbed(a, b, &back, &centre, here);
            *best = best.max(certain(&deeper));
        } else {
            *best = best.max(here);
        }
        if upper > *best {
            open.push(Cell {
                upper,
                centre,
                half,
            });
        }
    };
    push(&mut open, shared.centre(), shared.half_extents(), &mut best);
    while let Some(cell) = open.pop() {
        let known = cell.upper.max(best);
        if asked.answered(best, known, looked)
            || known - best <= asked.tolerance
            || *cells == 0
            || !keep_on()
        {
            return (2.0 * best, 2.0 * known);
        }
        looked += 1;
        *cells -= 1;
        let longest = cell.half.imax();
        let mut half = cell.half;
        half[longest] *= 0.5;
        for sign in [-1.0, 1.0] {
            let mut centre = cell.centre;
            centre[longest] += sign * half[longest];
            push(&mut open, centre, half, &mut best);
        }
    }
    (2.0 * best, 2.0 * best)
}

/// A point near `from` that lies deeper in both bodies: an overlap that is flat is found this way long before cells are as
/// small as it is thick. `here` is how deep `from` lies; `back` leads from the frame of `a` to that of `b`.
fn climbed(a: &Surface, b: &Surface, back: &Pose, from: &Point, here: f64) -> Point {
    let pose = back.inverse();
    let (mut best, mut deepest) = (*from, here);
    let mut at = *from;
    for _ in 0..CLIMBS {
        let (in_a, in_b) = (inside(a, &at), inside(b, &(back * at)));
        if in_a.min(in_b) > deepest {
            (best, deepest) = (at, in_a.min(in_b));
        }
        let up_a = inwards(&at, &nearest_to_point(a, &at), in_a);
        let up_b = inwards(&at, &(pose * nearest_to_point(b, &(back * at))), in_b);
        // Into the body in which it lies less deep, until it lies as deep in both.
        let along = if in_a < in_b { up_a } else { up_b };
        let closing = (1.0 - up_a.dot(&up_b)).max(0.1);
        at += along * ((in_a - in_b).abs() / closing);
        // Then along what leads deeper into both.
        let both = up_a + up_b;
        if both.norm() > 0.2 {
            at += both.normalize() * deepest.abs().max(MEASURED_TO);
        }
    }
    best
}

/// The direction in which a point that lies `depth` deep in a body, or outside it by as much, gets deeper. `nearest` is the
/// point of the surface that is nearest.
fn inwards(point: &Point, nearest: &Point, depth: f64) -> Vector {
    let away = (point - nearest).try_normalize(1e-12);
    away.unwrap_or_else(Vector::zeros) * depth.signum()
}

fn shared(a: &Aabb, b: &Aabb) -> Option<Aabb> {
    let (min, max) = (a.min.sup(&b.min), a.max.inf(&b.max));
    (0..3)
        .all(|i| min[i] <= max[i])
        .then_some(Aabb { min, max })
}

/// How deep `point` lies inside `body`, m; negative outside. Where it can't be told, it counts as inside.
fn inside(body: &Surface, point: &Point) -> f64 {
    depth_in(body, point, |c| c != Containment::Outside)
}

/// How deep `point` lies inside `body`, m; negative outside, and where it can't be told.
fn certainly_inside(body: &Surface, point: &Point) -> f64 {
    depth_in(body, point, |c| c == Containment::Inside)
}

fn depth_in(body: &Surface, point: &Point, holds: impl Fn(Containment) -> bool) -> f64 {
    let round = body.depth_in_round(point);
    if body.is_sheet() {
        return round
            .unwrap_or(f64::NEG_INFINITY)
            .max(-distance_to_point(body, point));
    }
    let off = distance_to_point(body, point);
    let own = if holds(body.contains(point)) {
        off
    } else {
        -off
    };
    round.map_or(own, |r| r.max(own))
}

/// How far `a` and `b` may move against each other and certainly still overlap, m, and whether that is all that could be
/// found: the sum of the radii of two balls round one point, the one in `a`, the other in `b`, which share a point until
/// their middles are that far apart. The search ends with more than `wanted`, or after some places; `hint`, in the frame of
/// `b`, is where it was found, and is tried first. What it costs is added to `work`.
pub(super) fn lasting(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    wanted: f64,
    hint: &mut Option<Point>,
    work: &mut u64,
) -> (f64, bool) {
    let Some(shared) = shared(a.bounds(), &b.bounds().moved(pose)) else {
        return (0.0, true);
    };
    let back = pose.inverse();
    let (centre, half) = (shared.centre(), shared.half_extents() / 2.0);
    let longest = Vector::ith(half.imax(), half.max());
    let places = [centre, centre + longest, centre - longest];
    let mut best = 0.0f64;
    for place in hint.map(|known| pose * known).into_iter().chain(places) {
        if best > wanted {
            break;
        }
        *work += CELL;
        let in_b = back * place;
        let in_a = certainly_inside(a, &place);
        let both = if in_a > 0.0 {
            certainly_inside(b, &in_b)
        } else {
            0.0
        };
        if both > 0.0 && in_a + both - super::ROUNDING > best {
            best = in_a + both - super::ROUNDING;
            *hint = Some(in_b);
        }
    }
    (best, best <= wanted)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Shape, TriangleMesh};
    use crate::spatial::pose_from_rpy;

    fn body(shape: Shape) -> Surface {
        Surface::of_shapes(&[(shape, Pose::identity())]).unwrap()
    }

    /// Two boxes that share a slab are as deep as it is thick; balls as deep as they share of the line between their
    /// middles; a pin through a plate as thick as the thinner of both.
    #[rstest::rstest]
    #[case::a_slab(Shape::Box([0.1; 3]), Shape::Box([0.1; 3]), [0.097, 0.0, 0.0], 0.003)]
    #[case::apart(Shape::Box([0.1; 3]), Shape::Box([0.1; 3]), [0.12, 0.0, 0.0], 0.0)]
    #[case::balls(Shape::Sphere { radius: 0.05 }, Shape::Sphere { radius: 0.03 }, [0.07, 0.0, 0.0], 0.01)]
    #[case::a_ball_in_a_box(Shape::Box([0.1; 3]), Shape::Sphere { radius: 0.02 }, [0.0; 3], 0.04)]
    #[case::a_pin_through_a_plate(Shape::Box([0.2, 0.2, 0.004]), Shape::Box([0.01, 0.01, 0.1]), [0.0; 3], 0.004)]
    fn an_overlap_is_as_deep_as_it_is_thick(
        #[case] a: Shape,
        #[case] b: Shape,
        #[case] at: [f64; 3],
        #[case] expected: f64,
    ) {
        let (a, b) = (body(a), body(b));
        let mut cells = 20_000;
        let asked = Asked {
            settled: expected,
            limit: Some(expected + 1e-9),
            tolerance: 2e-5,
        };
        let (lower, upper) = depth_at(
            &a,
            &b,
            &pose_from_rpy(at, [0.0; 3]),
            &asked,
            &mut cells,
            &|| true,
        );
        assert!(
            lower <= expected + 1e-9 && expected <= upper + 1e-9,
            "{lower} {expected} {upper}"
        );
        // Flat faces against each other are the hardest: every cell of the slab is as deep.
        assert!(upper - lower <= 5e-3, "{lower} {upper}");
        // Measured instead of asked for: nearly all of it is found, and no more than there is.
        let (lower, upper) = overlap_depth(&a, &b, &pose_from_rpy(at, [0.0; 3]), 10_000);
        assert!(
            lower <= expected + 1e-9 && expected <= upper + 1e-9,
            "{lower} {expected} {upper}"
        );
        assert!(lower > 0.9 * expected - 1e-9, "{lower} {expected}");
    }

    /// Plates that share a layer far thinner than any cell: points climb into it.
    #[test]
    fn what_barely_overlaps_is_found_in_a_few_cells() {
        let (a, b) = (
            body(Shape::Box([0.2, 0.2, 0.05])),
            body(Shape::Box([0.3, 0.1, 0.08])),
        );
        let pose = pose_from_rpy([0.013, 0.021, 0.0648], [0.0, 0.0, 0.4]);
        let (lower, upper) = overlap_depth(&a, &b, &pose, 20);
        assert!((1.9e-4..=2e-4 + 1e-9).contains(&lower), "{lower}");
        assert!(upper >= 2e-4, "{upper}");
    }

    /// A tray without a lid: whether what lies in its mouth is inside can't be told, so no depth is certain there. It may be
    /// as deep as the box that both share.
    #[test]
    fn what_is_open_has_no_certain_depth() {
        let tray: Vec<[f64; 3]> = (0..8)
            .map(|i| [i & 1, i >> 1 & 1, i >> 2].map(|c| c as f64 * 0.1 - 0.05))
            .collect();
        // A cube without its top.
        let faces = [
            [0, 2, 3, 1],
            [0, 1, 5, 4],
            [1, 3, 7, 5],
            [3, 2, 6, 7],
            [2, 0, 4, 6],
        ];
        let triangles = faces
            .iter()
            .flat_map(|f| [[f[0], f[1], f[2]], [f[0], f[2], f[3]]]);
        let points: Vec<Point> = tray.iter().map(|p| Point::new(p[0], p[1], p[2])).collect();
        let triangles: Vec<[u32; 3]> = triangles.map(|t| t.map(|i: usize| i as u32)).collect();
        let open = Surface::new(
            TriangleMesh::from_indexed(&points, &triangles)
                .unwrap()
                .mesh,
        );
        let ball = body(Shape::Sphere { radius: 0.01 });
        let mut undecided = false;
        for z in [0.03, 0.04, 0.045, 0.05, 0.055] {
            let pose = pose_from_rpy([0.0, 0.0, z], [0.0; 3]);
            let (lower, upper) = overlap_depth(&open, &ball, &pose, 4_000);
            let middle = Point::new(0.0, 0.0, z);
            if open.contains(&middle) == Containment::Undecided {
                undecided = true;
                assert!(lower < 0.015 && upper >= lower, "{z} {lower} {upper}");
            }
        }
        assert!(undecided, "no place in the mouth is undecided");
    }

    /// Bars that cross hold none of each other's corners: the upper one may rise by all of both before they part.
    #[test]
    fn crossing_bars_overlap_until_they_have_moved_out_of_each_other() {
        let (a, b) = (
            body(Shape::Box([0.4, 0.04, 0.04])),
            body(Shape::Box([0.04, 0.4, 0.04])),
        );
        let at = |z: f64| pose_from_rpy([0.01, -0.02, z], [0.0; 3]);
        let (mut hint, mut work) = (None, 0);
        let (lasts, all) = lasting(&a, &b, &at(0.0), 1.0, &mut hint, &mut work);
        assert!(all && (0.03..=0.04).contains(&lasts), "{lasts}");
        let (again, all) = lasting(&a, &b, &at(0.001), 0.02, &mut hint, &mut work);
        assert!(!all && again > 0.02);
        assert_eq!(lasting(&a, &b, &at(0.05), 0.0, &mut hint, &mut work).0, 0.0);
        let sheet = a.as_sheet();
        assert_eq!(
            lasting(&sheet, &b, &at(0.0), 0.0, &mut None, &mut work).0,
            0.0
        );
    }
}

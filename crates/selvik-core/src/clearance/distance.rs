//! The exact distance of two surfaces: branch and bound over both hierarchies at once.
//!
//! Source: two bounding-volume hierarchies gone down together, the nearer pair of boxes first, and a hint from the query
//! before, as in Larsen, Gottschalk, Lin and Manocha, *Fast Proximity Queries with Swept Sphere Volumes*, 1999 (from
//! memory); the two triangles at the bottom in closed form, see `triangle_triangle`. What lies inside is told by winding
//! numbers (Jacobson, Kavan, Sorkine-Hornung 2013, from memory), see `mesh::inside`.

use std::sync::atomic::{AtomicBool, Ordering};

use super::drift::Drift;
use super::triangle_triangle::triangle_distance;
use crate::mesh::{Containment, Hierarchy, Node, SPREAD, Surface};
use crate::spatial::{Point, Pose, Vector};

/// Every distance is known no better than this, m: what rounding may add up to in closest points that lie on long
/// thin triangles or far from the origin. Taken off every lower bound.
pub const ROUNDING: f64 = 1e-7;

/// The closest points of two surfaces, in the frame of the first.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Closest {
    /// m; 0 when the surfaces cross or touch, or one lies inside the other.
    pub distance: f64,
    /// On the first surface.
    pub on_a: Point,
    /// On the second surface.
    pub on_b: Point,
    /// The triangles the points lie on: a hint for the next query nearby.
    pub triangles: (u32, u32),
    /// Whether the surfaces cross or touch, or one closed surface holds a part of the other.
    pub overlap: bool,
}

/// What a query found out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Proximity {
    /// A distance the surfaces certainly keep, m.
    pub lower: f64,
    /// The closest points found: within the slack asked for of the closest there are. `None` when
    /// the surfaces are at least as far apart as was enough.
    pub closest: Option<Closest>,
    /// Whether one of the bodies is open in such a way that the other may lie inside it or not; the
    /// rest is then true of the surfaces.
    pub undecided: Option<Side>,
    /// How many pairs of boxes were looked at for it.
    pub work: u64,
}

/// One of two bodies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The first.
    First,
    /// The second.
    Second,
}

/// How much of the answer is wanted.
#[derive(Debug, Clone, Copy)]
pub struct Limit<'a> {
    /// It is enough to know that the surfaces are at least this far apart, m.
    pub enough: f64,
    /// The closest points found may be this much farther apart than the closest there are, m.
    pub slack: f64,
    /// A pair of triangles that were closest in a query nearby.
    pub hint: Option<(u32, u32)>,
    /// When this becomes true the query ends with what it knows: a lower bound of 0.
    pub stop: Option<&'a AtomicBool>,
}

impl Default for Limit<'_> {
    fn default() -> Self {
        Self {
            enough: f64::INFINITY,
            slack: 0.0,
            hint: None,
            stop: None,
        }
    }
}

/// The smallest distance of `a` and `b`, where `b` stands at `pose` in the frame of `a`.
///
/// The lower bound takes off what rounding may add ([`ROUNDING`]) and by how much the bodies stand out of what is
/// measured of them ([`Surface::deviation`]).
#[must_use]
pub fn distance(a: &Surface, b: &Surface, pose: &Pose, limit: Limit) -> Proximity {
    distance_round(a, b, pose, limit, None)
}

/// The same with a lower bound of all distances while the bodies drift round that pose. As soon as that bound can't rise above
/// `drift.1` (m) the query ends, with a lower bound of 0. The closest points are then some of the closest there are.
pub(super) fn distance_round(
    a: &Surface,
    b: &Surface,
    pose: &Pose,
    limit: Limit,
    drift: Option<(&Drift, f64)>,
) -> Proximity {
    let unsure = ROUNDING + a.deviation() + b.deviation();
    let lower = |found: f64| (found - unsure).max(0.0);
    if limit.enough.is_finite() {
        let ((ca, ra), (cb, rb)) = (a.ball(), b.ball());
        let most = drift.map_or(0.0, |(drift, _)| drift.most);
        if (pose * cb - ca).norm() - ra - rb - most >= limit.enough {
            return Proximity {
                lower: lower(limit.enough),
                closest: None,
                undecided: None,
                work: 1,
            };
        }
    }
    let mut search = Search::new(a.hierarchy(), b.hierarchy(), pose, limit);
    if let Some((drift, floor)) = drift {
        search.drift = Some(drift);
        search.floor = floor + unsure;
    }
    if let Some((ta, tb)) = limit.hint {
        search.try_triangles(a.hierarchy().place_of(ta), b.hierarchy().place_of(tb));
    }
    search.run(limit.stop);
    let (found, work) = (search.best, search.looks);
    let mut undecided = None;
    // Where nothing is certain anyway it matters little; the stretch is looked at again in halves.
    let hopeless = search.bound < limit.enough && search.bound <= search.floor && drift.is_some();
    if !hopeless && found.is_none_or(|c| !c.overlap) {
        match one_inside_the_other(a, b, pose) {
            Holds::Yes => {
                let at = found.map_or(pose * b.points()[0], |c| c.on_b);
                let triangles = found.map_or((0, 0), |c| c.triangles);
                let inside = Closest {
                    distance: 0.0,
                    on_a: at,
                    on_b: at,
                    triangles,
                    overlap: true,
                };
                return Proximity {
                    lower: 0.0,
                    closest: Some(inside),
                    undecided: None,
                    work,
                };
            }
            Holds::Unknown(side) => undecided = Some(side),
            Holds::No => {}
        }
    }
    let known = if search.cut_short || hopeless {
        0.0
    } else {
        search.of_interest()
    };
    Proximity {
        lower: lower(known),
        closest: found,
        undecided,
        work,
    }
}

/// The distance of a point, in the frame of `a`, from what is measured of `a`, m.
#[must_use]
pub fn distance_to_point(a: &Surface, point: &Point) -> f64 {
    (point - nearest_to_point(a, point)).norm()
}

/// The point of what is measured of `a` that is nearest to a point, both in the frame of `a`.
#[must_use]
pub fn nearest_to_point(a: &Surface, point: &Point) -> Point {
    let alone = Hierarchy::over(&[[*point; 3]], &[]);
    surfaces_apart(a.hierarchy(), &alone, &Pose::identity()).map_or(*point, |c| c.on_a)
}

/// The triangle of what is drawn of `a` that is nearest to a point in its frame, and how far away that is, m.
#[must_use]
pub fn nearest_triangle(a: &Surface, point: &Point) -> (usize, f64) {
    let alone = Hierarchy::over(&[[*point; 3]], &[]);
    let drawn;
    let hierarchy = if a.is_as_drawn() {
        a.hierarchy()
    } else {
        drawn = Hierarchy::build(a.mesh());
        &drawn
    };
    let closest = surfaces_apart(hierarchy, &alone, &Pose::identity());
    closest.map_or((0, f64::INFINITY), |c| (c.triangles.0 as usize, c.distance))
}

/// The closest points of what two hierarchies hold, be it triangles, lines or points; the second stands at `pose` in the
/// frame of the first. Nothing is inside of anything.
#[must_use]
pub fn surfaces_apart(a: &Hierarchy, b: &Hierarchy, pose: &Pose) -> Option<Closest> {
    let mut search = Search::new(a, b, pose, Limit::default());
    search.run(None);
    search.best
}

enum Holds {
    Yes,
    No,
    /// The body that is open.
    Unknown(Side),
}

/// Whether a connected piece of one body lies inside the other; asked only when no triangles cross. Open bodies are
/// asked for points all round the other, since one near an opening says little.
fn one_inside_the_other(a: &Surface, b: &Surface, pose: &Pose) -> Holds {
    let mut unknown = None;
    let back = pose.inverse();
    for (outer, inner, pose, side) in [(a, b, pose, Side::First), (b, a, &back, Side::Second)] {
        if outer.is_sheet() {
            continue;
        }
        let points = inner.points();
        let pieces = points.len().saturating_sub(SPREAD.len()).max(1);
        let asked = if outer.open_edges() == 0 {
            &points[..pieces]
        } else {
            points
        };
        for point in asked {
            match outer.contains(&(pose * point)) {
                Containment::Inside => return Holds::Yes,
                Containment::Undecided => unknown = Some(side),
                Containment::Outside => {}
            }
        }
    }
    unknown.map_or(Holds::No, Holds::Unknown)
}

/// Plain arrays keep the inner loops tight; everything friendly is outside.
type V = [f64; 3];

#[inline(always)]
fn dot(a: &V, b: &V) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

#[inline(always)]
fn minus(a: &V, b: &V) -> V {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

/// Half the extent of a box with the given axes and half edges along `n`.
#[inline(always)]
fn extent(axes: &[V; 3], half: &V, n: &V) -> f64 {
    dot(&axes[0], n).abs() * half[0]
        + dot(&axes[1], n).abs() * half[1]
        + dot(&axes[2], n).abs() * half[2]
}

/// The placement of the second surface in the frame of the first: rotation by rows.
struct Placement {
    rows: [V; 3],
    shift: V,
}

impl Placement {
    fn of(pose: &Pose) -> Self {
        let m = pose.rotation.to_rotation_matrix();
        let rows = [0, 1, 2].map(|i: usize| [m[(i, 0)], m[(i, 1)], m[(i, 2)]]);
        Self {
            rows,
            shift: pose.translation.vector.into(),
        }
    }

    #[inline(always)]
    fn turned(&self, v: &V) -> V {
        [
            dot(&self.rows[0], v),
            dot(&self.rows[1], v),
            dot(&self.rows[2], v),
        ]
    }

    #[inline(always)]
    fn moved(&self, p: &V) -> V {
        let t = self.turned(p);
        [
            t[0] + self.shift[0],
            t[1] + self.shift[1],
            t[2] + self.shift[2],
        ]
    }

    #[inline(always)]
    fn turned_back(&self, v: &V) -> V {
        let [a, b, c] = &self.rows;
        [
            a[0] * v[0] + b[0] * v[1] + c[0] * v[2],
            a[1] * v[0] + b[1] * v[1] + c[1] * v[2],
            a[2] * v[0] + b[2] * v[1] + c[2] * v[2],
        ]
    }
}

struct Search<'a> {
    a: &'a Hierarchy,
    b: &'a Hierarchy,
    placement: Placement,
    /// Only what is nearer than this (m) is of interest; what may drift nearer, where bodies do.
    bound: f64,
    /// And never what is farther apart than this (m) from the outset.
    enough: f64,
    /// A bound no larger than this (m) is worth nothing.
    floor: f64,
    drift: Option<&'a Drift>,
    /// Boxes this much nearer (m) need not be opened.
    slack: f64,
    best: Option<Closest>,
    /// Boxes and triangles looked at.
    looks: u64,
    /// Whether it was told to stop.
    cut_short: bool,
    /// A direction from `a` to `b` along which the gap is likely wide, in the frames of both.
    across_a: V,
    across_b: V,
}

impl<'a> Search<'a> {
    fn new(a: &'a Hierarchy, b: &'a Hierarchy, pose: &Pose, limit: Limit) -> Self {
        let placement = Placement::of(pose);
        let between = minus(&placement.moved(&b.nodes()[0].centre), &a.nodes()[0].centre);
        let mut search = Self {
            a,
            b,
            placement,
            bound: limit.enough,
            enough: limit.enough,
            floor: 0.0,
            drift: None,
            slack: limit.slack,
            best: None,
            looks: 0,
            cut_short: false,
            across_a: [0.0; 3],
            across_b: [0.0; 3],
        };
        search.look_along(&between);
        search
    }

    fn look_along(&mut self, between: &V) {
        let length = dot(between, between).sqrt();
        if length > 1e-12 {
            self.across_a = [
                between[0] / length,
                between[1] / length,
                between[2] / length,
            ];
            self.across_b = self.placement.turned_back(&self.across_a);
        }
    }

    /// Boxes at least this far apart are left closed. Before anything is found nothing is given
    /// away: then "enough" is meant as it stands.
    #[inline(always)]
    fn of_interest(&self) -> f64 {
        if self.bound < self.enough {
            self.bound - self.slack
        } else {
            self.bound
        }
    }

    fn run(&mut self, stop: Option<&AtomicBool>) {
        let mut stack: Vec<(u32, u32, f64)> = Vec::with_capacity(64);
        stack.push((0, 0, 0.0));
        while let Some((ia, ib, lower)) = stack.pop() {
            self.looks += 1;
            if self.looks & 0xfff == 0 && stop.is_some_and(|s| s.load(Ordering::Relaxed)) {
                self.cut_short = true;
                return;
            }
            if lower >= self.of_interest() {
                continue;
            }
            let (na, nb) = (&self.a.nodes()[ia as usize], &self.b.nodes()[ib as usize]);
            if na.is_leaf() && nb.is_leaf() {
                self.leaves(na, nb);
                if self.bound <= self.floor {
                    return;
                }
                continue;
            }
            let open_a = !na.is_leaf() && (nb.is_leaf() || na.size >= nb.size);
            let pairs = if open_a {
                [(na.first, ib), (na.first + 1, ib)]
            } else {
                [(ia, nb.first), (ia, nb.first + 1)]
            };
            let bounds = [
                self.lower_bound(pairs[0].0, pairs[0].1),
                self.lower_bound(pairs[1].0, pairs[1].1),
            ];
            let (near, far) = if bounds[0].1 <= bounds[1].1 {
                (0, 1)
            } else {
                (1, 0)
            };
            for i in [far, near] {
                if bounds[i].0 < self.of_interest() {
                    stack.push((pairs[i].0, pairs[i].1, bounds[i].0));
                }
            }
        }
    }

    /// A distance that no triangles of the two boxes go below, and a guess of how near they come,
    /// by which to choose what to look at first.
    ///
    /// The gap between two boxes along any one direction is such a distance: the direction of the
    /// closest pair so far settles most boxes. So is the distance of one box from the box round the
    /// other that is parallel to it.
    #[inline]
    fn lower_bound(&self, ia: u32, ib: u32) -> (f64, f64) {
        let (a, b) = (&self.a.nodes()[ia as usize], &self.b.nodes()[ib as usize]);
        let between = minus(&self.placement.moved(&b.centre), &a.centre);
        let quick = dot(&self.across_a, &between)
            - extent(&a.axes, &a.half, &self.across_a)
            - extent(&b.axes, &b.half, &self.across_b);
        let quick = self.kept(quick, (&self.across_a, &self.across_b), a, b);
        if quick >= self.of_interest() {
            return (quick, quick);
        }
        let turned = |i: usize| self.placement.turned(&b.axes[i]);
        let in_a = [turned(0), turned(1), turned(2)];
        let mut local_a = [0.0; 3];
        let mut local_b = [0.0; 3];
        // Entry (i, j) is how far edge i of a points along edge j of b.
        let mut along = [[0.0; 3]; 3];
        for i in 0..3 {
            local_a[i] = dot(&a.axes[i], &between);
            local_b[i] = dot(&in_a[i], &between);
            for j in 0..3 {
                along[i][j] = dot(&a.axes[i], &in_a[j]).abs();
            }
        }
        let (mut gaps_a, mut gaps_b) = ([0.0; 3], [0.0; 3]);
        for i in 0..3 {
            let reach = along[i][0] * b.half[0] + along[i][1] * b.half[1] + along[i][2] * b.half[2];
            gaps_a[i] = (local_a[i].abs() - a.half[i] - reach).max(0.0);
            let reach = along[0][i] * a.half[0] + along[1][i] * a.half[1] + along[2][i] * a.half[2];
            gaps_b[i] = (local_b[i].abs() - b.half[i] - reach).max(0.0);
        }
        let (from_a, from_b) = (dot(&gaps_a, &gaps_a), dot(&gaps_b, &gaps_b));
        let gap = f64::max(from_a, from_b).sqrt();
        let lower = if self.drift.is_none() {
            quick.max(gap)
        } else {
            let (gaps, local, axes) = if from_a >= from_b {
                (&gaps_a, &local_a, &a.axes)
            } else {
                (&gaps_b, &local_b, &in_a)
            };
            quick.max(self.kept_along_gaps(gap, (gaps, local, axes), a, b))
        };
        (lower, lower + 1e-3 * dot(&between, &between))
    }

    /// How much of a `gap` (m) along n between two boxes is certainly kept; n in the frames of both.
    #[inline(always)]
    fn kept(&self, gap: f64, n: (&V, &V), a: &Node, b: &Node) -> f64 {
        match self.drift {
            // Never more than there is now: that is not of interest then.
            Some(drift) if gap >= self.of_interest() => {
                let least = gap - drift.most;
                if least >= self.of_interest() {
                    return least;
                }
                let shift = dot(n.0, &self.placement.shift);
                least.max(drift.between_boxes((n.0, n.1, shift), a, b))
            }
            Some(drift) => gap - drift.most,
            None => gap,
        }
    }

    /// The same along the direction of `gap`: `gaps` along `axes`, towards where `local` points.
    fn kept_along_gaps(
        &self,
        gap: f64,
        (gaps, local, axes): (&V, &V, &[V; 3]),
        a: &Node,
        b: &Node,
    ) -> f64 {
        let most = self.drift.map_or(0.0, |drift| drift.most);
        if gap < self.of_interest() {
            return gap - most;
        }
        let share = [0, 1, 2].map(|i: usize| gaps[i].copysign(local[i]) / gap);
        let n_a = [0, 1, 2]
            .map(|k: usize| share[0] * axes[0][k] + share[1] * axes[1][k] + share[2] * axes[2][k]);
        self.kept(gap, (&n_a, &self.placement.turned_back(&n_a)), a, b)
    }

    #[inline]
    fn leaves(&mut self, a: &Node, b: &Node) {
        for ib in b.first as usize..(b.first + b.count) as usize {
            let corners_b = self.moved_corners(ib);
            for ia in a.first as usize..(a.first + a.count) as usize {
                let corners_a = &self.a.corners()[ia];
                let n = &self.across_a;
                let near_b = dot(&corners_b[0], n)
                    .min(dot(&corners_b[1], n))
                    .min(dot(&corners_b[2], n));
                let far_a = dot(&corners_a[0], n)
                    .max(dot(&corners_a[1], n))
                    .max(dot(&corners_a[2], n));
                let thick = self.a.radius_at(ia) + self.b.radius_at(ib);
                let gap = near_b - far_a - thick;
                if self.kept_by((n, &self.across_b), gap, ia, ib) < self.bound {
                    self.try_corners(ia, ib, corners_a, &corners_b);
                }
            }
        }
    }

    /// How much of a `gap` (m) along n between two triangles is certainly kept.
    #[inline(always)]
    fn kept_by(&self, n: (&V, &V), gap: f64, ia: usize, ib: usize) -> f64 {
        match self.drift {
            Some(drift) if gap >= self.bound => {
                let (a, b) = (self.a.radius_at(ia), self.b.radius_at(ib));
                let (of_a, of_b) = (&self.a.corners()[ia], &self.b.corners()[ib]);
                let shift = dot(n.0, &self.placement.shift);
                let kept = drift.between_triangles((n.0, n.1, shift), (of_a, a), (of_b, b));
                kept.max(gap - drift.most)
            }
            Some(drift) => gap - drift.most,
            None => gap,
        }
    }

    #[inline(always)]
    fn moved_corners(&self, ib: usize) -> [V; 3] {
        let [p, q, r] = &self.b.corners()[ib];
        [
            self.placement.moved(p),
            self.placement.moved(q),
            self.placement.moved(r),
        ]
    }

    fn try_triangles(&mut self, ia: usize, ib: usize) {
        let corners_b = self.moved_corners(ib);
        self.try_corners(ia, ib, &self.a.corners()[ia], &corners_b);
    }

    fn try_corners(&mut self, ia: usize, ib: usize, a: &[V; 3], b: &[V; 3]) {
        let pair = triangle_distance(
            &[a[0].into(), a[1].into(), a[2].into()],
            &[b[0].into(), b[1].into(), b[2].into()],
        );
        let (ra, rb) = (self.a.radius_at(ia), self.b.radius_at(ib));
        let most = self.drift.map_or(0.0, |drift| drift.most);
        let reach = self.bound + most + ra + rb;
        if pair.squared >= reach * reach {
            return;
        }
        let apart = pair.squared.sqrt();
        let distance = (apart - ra - rb).max(0.0);
        let between = pair.on_b - pair.on_a;
        let along = if apart > 0.0 {
            between / apart
        } else {
            Vector::zeros()
        };
        let n_a: V = along.into();
        let least = match self.drift {
            Some(drift) if distance > 0.0 => {
                let n = (
                    &n_a,
                    &self.placement.turned_back(&n_a),
                    dot(&n_a, &self.placement.shift),
                );
                let (of_a, of_b) = (&self.a.corners()[ia], &self.b.corners()[ib]);
                let kept = drift.between_triangles(n, (of_a, ra), (of_b, rb));
                kept.max(distance - most)
            }
            _ => distance - most,
        };
        if least < self.bound {
            self.bound = least;
            self.look_along(&between.into());
        }
        if self.best.is_none_or(|best| distance < best.distance) && distance < self.enough + most {
            // Where round shapes overlap both points lie in the middle of what they share.
            let (on_a, on_b) = (pair.on_a + along * ra, pair.on_b - along * rb);
            let shared = nalgebra::center(&on_a, &on_b);
            let overlap = distance == 0.0;
            self.best = Some(Closest {
                distance,
                on_a: if overlap { shared } else { on_a },
                on_b: if overlap { shared } else { on_b },
                triangles: (self.a.triangle_at(ia), self.b.triangle_at(ib)),
                overlap,
            });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Shape, TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;

    fn exact(a: &Surface, b: &Surface, pose: &Pose) -> Closest {
        distance(a, b, pose, Limit::default()).closest.unwrap()
    }

    fn ball() -> Surface {
        Surface::new(sphere_mesh(0.5, 24))
    }

    /// Upright boxes: the distance is the norm of the gaps along the axes.
    #[rstest::rstest]
    #[case::face_to_face([3.0, 0.0, 0.0], 2.0)]
    #[case::edge_to_edge([3.0, 4.0, 0.0], (4.0f64 + 9.0).sqrt())]
    #[case::corner_to_corner([3.0, 4.0, 5.0], (4.0f64 + 9.0 + 16.0).sqrt())]
    #[case::touching([1.0, 0.2, 0.1], 0.0)]
    #[case::crossing([0.9, 0.2, 0.1], 0.0)]
    fn boxes_are_as_far_apart_as_their_gaps(#[case] at: [f64; 3], #[case] expected: f64) {
        let cube = Surface::new(box_mesh([1.0; 3]));
        let found = exact(&cube, &cube, &pose_from_rpy(at, [0.0; 3]));
        assert!((found.distance - expected).abs() < 1e-12, "{found:?}");
        assert_eq!(found.overlap, expected == 0.0);
        assert!(((found.on_a - found.on_b).norm() - expected).abs() < 1e-12);
    }

    #[test]
    fn a_ball_inside_a_box_overlaps_and_inside_an_open_box_does_not() {
        let closed = box_mesh([4.0; 3]);
        let open = TriangleMesh::from_indexed(closed.vertices(), &closed.triangles()[6..]).unwrap();
        let within = exact(&Surface::new(closed), &ball(), &Pose::identity());
        assert!(within.overlap && within.distance == 0.0);
        let open = Surface::new(open.mesh);
        let told = distance(&ball(), &open, &Pose::identity(), Limit::default());
        assert_eq!(told.undecided, Some(Side::Second));
        assert!((told.closest.unwrap().distance - 1.5).abs() < 1e-2);
        let told = distance(
            &ball(),
            &open.as_sheet(),
            &Pose::identity(),
            Limit::default(),
        );
        assert_eq!(told.undecided, None);
    }

    fn body(shape: Shape) -> Surface {
        Surface::of_shapes(&[(shape, Pose::identity())]).unwrap()
    }

    /// Round shapes at `x` (m) along X, the second turned by 90° about Y so that its axis lies along X.
    #[rstest::rstest]
    #[case::two_balls(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.3 }, 0.8999, 0.0999, 0.0)]
    #[case::balls_that_share_something(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.3 }, 0.7, 0.0, 0.0)]
    #[case::a_ball_in_a_ball(Shape::Sphere { radius: 0.5 }, Shape::Sphere { radius: 0.1 }, 0.1, 0.0, 0.0)]
    #[case::a_ball_before_a_wall(Shape::Box([1.0; 3]), Shape::Sphere { radius: 0.3 }, 0.9, 0.1, 0.0)]
    #[case::a_ball_in_a_box(Shape::Box([1.0; 3]), Shape::Sphere { radius: 0.1 }, 0.1, 0.0, 0.0)]
    #[case::a_capsule_pointing_at_a_ball(Shape::Sphere { radius: 0.5 }, Shape::Capsule { radius: 0.1, length: 0.4 }, 1.0, 0.2, 0.0)]
    #[case::a_cylinder_before_a_ball(Shape::Cylinder { radius: 0.4, length: 1.0 }, Shape::Sphere { radius: 0.2 }, 0.7, 0.1, 2e-6)]
    #[case::two_cylinders(Shape::Cylinder { radius: 0.4, length: 1.0 }, Shape::Cylinder { radius: 0.2, length: 0.6 }, 1.0, 0.3, 2e-6)]
    fn round_shapes_are_measured_as_what_they_are(
        #[case] a: Shape,
        #[case] b: Shape,
        #[case] x: f64,
        #[case] expected: f64,
        #[case] faceting: f64,
    ) {
        let pose = pose_from_rpy([x, 0.0, 0.0], [0.0, std::f64::consts::FRAC_PI_2, 0.0]);
        let found = distance(&body(a), &body(b), &pose, Limit::default());
        let attained = found.closest.unwrap();
        assert!(
            found.lower <= expected && expected - found.lower <= 2.0 * faceting + 2e-7,
            "{found:?}"
        );
        assert!(
            (attained.distance - expected).abs() <= faceting + 1e-12,
            "{found:?}"
        );
        assert_eq!(attained.overlap, expected == 0.0);
    }

    #[test]
    fn a_query_told_to_stop_claims_nothing() {
        let (a, b) = (
            Surface::new(sphere_mesh(0.5, 160)),
            Surface::new(sphere_mesh(0.9, 160)),
        );
        let stop = AtomicBool::new(true);
        let found = distance(
            &a,
            &b.as_sheet(),
            &Pose::identity(),
            Limit {
                stop: Some(&stop),
                ..Limit::default()
            },
        );
        assert_eq!(found.lower, 0.0);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(60))]

        #[test]
        fn the_tree_finds_what_trying_all_pairs_finds(
            xyz in prop::array::uniform3(-1.5f64..1.5),
            rpy in prop::array::uniform3(-3.0f64..3.0),
        ) {
            let (a, b) = (ball(), Surface::new(box_mesh([0.3, 0.5, 0.9])));
            let pose = pose_from_rpy(xyz, rpy);
            let mut all = f64::INFINITY;
            for i in 0..a.mesh().triangles().len() {
                for j in 0..b.mesh().triangles().len() {
                    let moved = b.mesh().corners(j).map(|p| pose * p);
                    all = all.min(triangle_distance(&a.mesh().corners(i), &moved).squared.sqrt());
                }
            }
            let found = exact(&a, &b, &pose);
            if found.overlap {
                prop_assert!(all < 1e-12 || a.contains(&(pose * b.mesh().vertices()[0])) == Containment::Inside
                    || b.contains(&(pose.inverse() * a.mesh().vertices()[0])) == Containment::Inside);
            } else {
                prop_assert!((found.distance - all).abs() < 1e-12);
            }
            let hinted = Limit { hint: Some((5, 3)), ..Limit::default() };
            prop_assert!((distance(&a, &b, &pose, hinted).lower - (found.distance - ROUNDING).max(0.0)).abs() < 1e-12);
            let back = exact(&b, &a, &pose.inverse());
            prop_assert!((back.distance - found.distance).abs() < 1e-9);
        }

        #[test]
        fn being_asked_for_less_never_claims_more_than_is_true(
            x in 1.0f64..3.0, enough in 0.0f64..2.0, slack in 0.0f64..0.3,
        ) {
            let (a, b) = (ball(), ball());
            let pose = pose_from_rpy([x, 0.3, 0.0], [0.1, 0.2, 0.3]);
            let exact = exact(&a, &b, &pose).distance;
            let found = distance(&a, &b, &pose, Limit { enough, slack, ..Limit::default() });
            prop_assert!(found.lower <= exact + 1e-12);
            match found.closest {
                Some(c) => prop_assert!(c.distance >= exact - 1e-12 && c.distance <= exact + slack + 1e-12),
                None => prop_assert!(exact >= enough && found.lower == (enough - ROUNDING).max(0.0)),
            }
        }
    }
}

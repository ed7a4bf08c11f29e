//! The search for the nearest triangles: branch and bound over two hierarchies at once.
//!
//! Source: two bounding-volume hierarchies gone down together, the nearer pair of boxes first, and a hint from the query
//! before, as in Larsen, Gottschalk, Lin and Manocha, *Fast Proximity Queries with Swept Sphere Volumes*, 1999 (from
//! memory); the two triangles at the bottom in closed form, see `triangle_triangle`.

use std::sync::atomic::{AtomicBool, Ordering};

use super::distance::{Closest, Limit};
use super::drift::Drift;
use super::triangle_triangle::triangle_distance;
use crate::mesh::{Hierarchy, Node};
use crate::spatial::{Pose, Vector};

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

pub(super) struct Search<'a> {
    a: &'a Hierarchy,
    b: &'a Hierarchy,
    placement: Placement,
    /// Only what is nearer than this (m) is of interest; what may drift nearer, where bodies do.
    pub bound: f64,
    /// And never what is farther apart than this (m) from the outset.
    enough: f64,
    /// A bound no larger than this (m) is worth nothing.
    pub floor: f64,
    pub drift: Option<&'a Drift>,
    /// Boxes this much nearer (m) need not be opened.
    slack: f64,
    pub best: Option<Closest>,
    /// Boxes and triangles looked at.
    pub looks: u64,
    /// Whether it was told to stop.
    pub cut_short: bool,
    /// A direction from `a` to `b` along which the gap is likely wide, in the frames of both.
    across_a: V,
    across_b: V,
}

impl<'a> Search<'a> {
    pub fn new(a: &'a Hierarchy, b: &'a Hierarchy, pose: &Pose, limit: Limit) -> Self {
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
    pub fn of_interest(&self) -> f64 {
        if self.bound < self.enough {
            self.bound - self.slack
        } else {
            self.bound
        }
    }

    /// Whether something was found that leaves no bound worth anything.
    pub fn is_hopeless(&self) -> bool {
        self.bound < self.enough && self.bound <= self.floor
    }

    pub fn run(&mut self, stop: Option<&AtomicBool>) {
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
                if self.is_hopeless() {
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
        // Boxes that meet are apart in no direction.
        if gap <= 0.0 || gap < self.of_interest() {
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

    pub fn try_triangles(&mut self, ia: usize, ib: usize) {
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

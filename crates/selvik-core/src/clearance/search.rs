//! The search for the nearest triangles: branch and bound over two hierarchies at once.
//!
//! Source: two bounding-volume hierarchies gone down together, the nearer pair of boxes first, and a hint from the query
//! before, as in Larsen, Gottschalk, Lin and Manocha, *Fast Proximity Queries with Swept Sphere Volumes*, 1999 (from
//! memory); the two triangles at the bottom in closed form, see `triangle_triangle`.

use std::sync::atomic::{AtomicBool, Ordering};

use super::boxes::{Lone, Passage, Placement, V, bounds, dot, narrow, wide_of};
use super::distance::{Closest, Limit};
use super::drift::Drift;
use super::memory::{Front, Memory};
use super::triangle_triangle::triangle_distance;
use crate::mesh::Hierarchy;
use crate::spatial::{Pose, Vector};

/// Two boxes that are to be looked at.
struct Open {
    at_a: u32,
    at_b: u32,
    /// Nothing in them is nearer, m.
    lower: f32,
    /// How near what is in them may be, m.
    guess: f32,
}

/// After so many boxes a plane is likely the shorter way.
const PATIENCE: u64 = 64;

pub(super) struct Search<'a> {
    pub a: &'a Hierarchy,
    pub b: &'a Hierarchy,
    pub placement: Placement,
    /// From the frame of the second to that of the first, and back.
    there: Passage,
    back: Passage,
    /// Only what is nearer than this (m) is of interest; what may drift nearer, where bodies do.
    pub bound: f64,
    /// And never what is farther apart than this (m) from the outset.
    enough: f64,
    /// A bound no larger than this (m) is worth nothing.
    floor: f64,
    pub drift: Option<&'a Drift>,
    /// What everything drifts at most, m.
    most: f32,
    /// What is of interest, in single precision.
    interest: f32,
    /// Boxes this much nearer (m) need not be opened.
    slack: f64,
    pub best: Option<Closest>,
    /// Boxes and triangles looked at.
    pub looks: u64,
    /// After so many of them a plane is tried.
    patience: u64,
    /// Whether it was told to stop.
    pub cut_short: bool,
    /// How far apart a plane has proved everything to stay, m.
    pub parted: Option<f64>,
    /// A direction from `a` to `b` along which the gap is likely wide, in the frames of both.
    pub across_a: V,
    pub across_b: V,
}

impl<'a> Search<'a> {
    pub fn new(a: &'a Hierarchy, b: &'a Hierarchy, pose: &Pose, limit: Limit) -> Self {
        let placement = Placement::of(pose);
        let [there, back] = Passage::between(a, b, &placement);
        let between = there.shift;
        let mut search = Self {
            a,
            b,
            placement,
            there,
            back,
            most: 0.0,
            interest: 0.0,
            bound: limit.enough,
            enough: limit.enough,
            floor: 0.0,
            drift: None,
            slack: limit.slack,
            best: None,
            looks: 0,
            patience: u64::MAX,
            cut_short: false,
            parted: None,
            across_a: [0.0; 3],
            across_b: [0.0; 3],
        };
        search.interest = wide_of(search.of_interest());
        search.look_along(&between);
        search
    }

    /// The bodies drift; a bound no larger than `floor` (m) is worth nothing.
    pub fn drifting(&mut self, drift: &'a Drift, floor: f64) {
        self.drift = Some(drift);
        self.most = wide_of(drift.most);
        self.floor = floor;
    }

    pub fn look_along(&mut self, between: &V) {
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

    /// A distance that is certainly kept, m, after a search that was not cut short.
    pub fn known(&self) -> f64 {
        let nothing_nearer = self.of_interest();
        self.parted
            .map_or(nothing_nearer, |gap| gap.min(nothing_nearer))
    }

    /// Whether a plane lies between the bodies where they are.
    pub fn is_parted(&self) -> bool {
        self.parted.is_some_and(|gap| gap > 0.0)
    }

    /// Looks at everything.
    pub fn run(&mut self, stop: Option<&AtomicBool>) {
        self.go_through((0, 0), &mut None, stop);
    }

    /// The same; tries a plane when it takes long.
    pub fn run_or_part(&mut self, stop: Option<&AtomicBool>) {
        self.patience = PATIENCE;
        self.run(stop);
    }

    /// Looks at what is no longer certain since the query before, or at everything; and keeps what it finds.
    pub fn run_on(&mut self, memory: &mut Memory, stop: Option<&AtomicBool>) {
        let before = memory.front.take();
        let new = before.is_none();
        if memory.parted || new {
            memory.parted = self.part();
            if memory.parted {
                return;
            }
        }
        let mut front = before.unwrap_or_else(Front::whole);
        let held = std::mem::take(&mut front.held);
        let mut front = Some(front);
        for boxes in held {
            let kept = front.as_mut().expect("it is there");
            if kept.still(&boxes) >= self.of_interest() {
                kept.held.push(boxes);
                continue;
            }
            let lower = self.apart_across(boxes.at_a, boxes.at_b);
            if lower >= self.of_interest() {
                kept.hold(boxes.at_a, boxes.at_b, lower);
                continue;
            }
            self.go_through((boxes.at_a, boxes.at_b), &mut front, stop);
            if self.cut_short || self.is_hopeless() {
                return;
            }
        }
        memory.front = front.and_then(Front::done);
    }

    /// How far apart two boxes are along the direction looked along, m.
    fn apart_across(&self, at_a: u32, at_b: u32) -> f64 {
        let a = self.a.node(at_a).along(&self.across_a);
        let b = self.b.node(at_b).along(&self.across_b);
        dot(&self.across_a, &self.placement.shift) + b.0 - a.0 - a.1 - b.1
    }

    /// Looks at two boxes and all below them; what is left closed is kept in `front`, where there is one.
    fn go_through(
        &mut self,
        from: (u32, u32),
        front: &mut Option<Front>,
        stop: Option<&AtomicBool>,
    ) {
        let mut stack: Vec<Open> = Vec::with_capacity(128);
        stack.push(Open {
            at_a: from.0,
            at_b: from.1,
            lower: f32::NEG_INFINITY,
            guess: 0.0,
        });
        while let Some(Open {
            at_a, at_b, lower, ..
        }) = stack.pop()
        {
            self.looks += 1;
            if self.looks > self.patience {
                self.patience = u64::MAX;
                if self.part() {
                    return;
                }
            }
            if self.looks & 0xfff == 0 && stop.is_some_and(|s| s.load(Ordering::Relaxed)) {
                self.cut_short = true;
                return;
            }
            if lower >= self.interest {
                if let Some(front) = front {
                    front.hold(at_a, at_b, f64::from(lower));
                }
                continue;
            }
            let (four_a, lane_a) = (&self.a.fours()[at_a as usize / 4], at_a as usize % 4);
            let (four_b, lane_b) = (&self.b.fours()[at_b as usize / 4], at_b as usize % 4);
            let (count_a, count_b) = (four_a.count[lane_a], four_b.count[lane_b]);
            if count_a > 0 && count_b > 0 {
                let (first_a, first_b) = (four_a.first[lane_a], four_b.first[lane_b]);
                let lower = self.leaves((first_a, count_a), (first_b, count_b));
                if self.is_hopeless() {
                    return;
                }
                if let Some(front) = front {
                    front.hold(at_a, at_b, lower);
                }
                continue;
            }
            let open_a =
                count_a == 0 && (count_b > 0 || four_a.size[lane_a] >= four_b.size[lane_b]);
            let (opened, boxes, bounds) = if open_a {
                let first = four_a.first[lane_a];
                (first, self.a, self.bounds_below_a(first, at_b))
            } else {
                let first = four_b.first[lane_b];
                (first, self.b, self.bounds_below_b(first, at_a))
            };
            // The nearest is looked at first: it is the last to be put there.
            let from = stack.len();
            for lane in 0..4 {
                let (lower, guess) = (bounds.0[lane], bounds.1[lane]);
                let place = 4 * opened + lane as u32;
                let (at_a, at_b) = if open_a { (place, at_b) } else { (at_a, place) };
                if !boxes.fours()[opened as usize].holds(lane) {
                    continue;
                }
                // What is too large for single precision is not left closed.
                if lower.is_nan() || lower < self.interest {
                    let mut at = stack.len();
                    stack.push(Open {
                        at_a,
                        at_b,
                        lower,
                        guess,
                    });
                    while at > from && stack[at - 1].guess < guess {
                        stack.swap(at - 1, at);
                        at -= 1;
                    }
                } else if let Some(front) = front {
                    front.hold(at_a, at_b, f64::from(lower));
                }
            }
        }
    }

    /// For each of four boxes of the first body a distance that no triangles of it and of a box of the second go below, and a
    /// guess of how near they come, by which to choose what to look at first; infinite where there is no box.
    #[inline]
    fn bounds_below_a(&self, four: u32, at_b: u32) -> ([f32; 4], [f32; 4]) {
        let boxes = &self.a.fours()[four as usize];
        let one = Lone::of(self.b, at_b, &self.there, &narrow(&self.across_b));
        let n = narrow(&self.across_a);
        bounds(boxes, &one, &n, self.interest, |lane, gap, along| {
            let at_a = 4 * four + lane as u32;
            match along {
                None => self.kept(gap, (&self.across_a, &self.across_b), at_a, at_b),
                Some(n) => self.kept(gap, (&n, &self.placement.turned_back(&n)), at_a, at_b),
            }
        })
    }

    /// The same for four boxes of the second.
    #[inline]
    fn bounds_below_b(&self, four: u32, at_a: u32) -> ([f32; 4], [f32; 4]) {
        let boxes = &self.b.fours()[four as usize];
        let back = self.across_a.map(|x| -x);
        let one = Lone::of(self.a, at_a, &self.back, &narrow(&back));
        let n = narrow(&self.across_b.map(|x| -x));
        bounds(boxes, &one, &n, self.interest, |lane, gap, along| {
            let at_b = 4 * four + lane as u32;
            match along.map(|n| n.map(|x| -x)) {
                None => self.kept(gap, (&self.across_a, &self.across_b), at_a, at_b),
                Some(n) => self.kept(gap, (&self.placement.turned(&n), &n), at_a, at_b),
            }
        })
    }

    /// How much of a `gap` (m) along n between two boxes is certainly kept; n in the frames of both.
    #[inline(always)]
    fn kept(&self, gap: f32, n: (&V, &V), at_a: u32, at_b: u32) -> f32 {
        let least = gap - self.most;
        // Never more than there is now: that is not of interest then.
        match self.drift {
            Some(drift) if least < self.interest && gap >= self.interest => {
                least.max(self.kept_along(drift, n, at_a, at_b))
            }
            _ => least,
        }
    }

    fn kept_along(&self, drift: &Drift, n: (&V, &V), at_a: u32, at_b: u32) -> f32 {
        let shift = dot(n.0, &self.placement.shift);
        let (a, b) = (self.a.node(at_a), self.b.node(at_b));
        let kept = drift.between_boxes((n.0, n.1, shift), &a, &b);
        (kept as f32).next_down()
    }

    /// How far apart the triangles of two leaves certainly are, m; nearer ones than before are kept.
    #[inline]
    fn leaves(&mut self, (first_a, count_a): (u32, u32), (first_b, count_b): (u32, u32)) -> f64 {
        let mut least = f64::INFINITY;
        // One direction for all, whatever is found on the way.
        let (n, m) = (self.across_a, self.across_b);
        let shift = dot(&n, &self.placement.shift);
        for ib in first_b as usize..(first_b + count_b) as usize {
            let [p, q, r] = &self.b.corners()[ib];
            let near = dot(p, &m).min(dot(q, &m)).min(dot(r, &m)) + shift - self.b.radius_at(ib);
            for ia in first_a as usize..(first_a + count_a) as usize {
                let [p, q, r] = &self.a.corners()[ia];
                let far = dot(p, &n).max(dot(q, &n)).max(dot(r, &n)) + self.a.radius_at(ia);
                let gap = near - far;
                let kept = self.kept_by((&n, &m), gap, ia, ib);
                least = least.min(if kept < self.bound {
                    self.try_triangles(ia, ib)
                } else {
                    kept
                });
            }
        }
        least
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

    /// How far apart two triangles certainly are, m: they are kept if none were nearer.
    pub fn try_triangles(&mut self, ia: usize, ib: usize) -> f64 {
        let (a, b) = (&self.a.corners()[ia], &self.moved_corners(ib));
        let pair = triangle_distance(
            &[a[0].into(), a[1].into(), a[2].into()],
            &[b[0].into(), b[1].into(), b[2].into()],
        );
        let (ra, rb) = (self.a.radius_at(ia), self.b.radius_at(ib));
        let most = self.drift.map_or(0.0, |drift| drift.most);
        let reach = self.bound + most + ra + rb;
        let apart = pair.squared.sqrt();
        if apart >= reach {
            return apart - most - ra - rb;
        }
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
            self.interest = wide_of(self.of_interest());
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
        least
    }
}

//! The search for the nearest triangles: branch and bound over two hierarchies at once.
//!
//! Source: two bounding-volume hierarchies gone down together, the nearer pair of boxes first, and a hint from the query
//! before, as in Larsen, Gottschalk, Lin and Manocha, *Fast Proximity Queries with Swept Sphere Volumes*, 1999 (from
//! memory); the two triangles at the bottom in closed form, see `triangle_triangle`.

use std::sync::atomic::{AtomicBool, Ordering};

use super::boxes::{Bounds, Lone, Passage, Placement, V, bounds, dot, minus, narrow, wide_of};
use super::distance::{Closest, Limit};
use super::drift::Drift;
use super::memory::{Closed, Front, Memory};
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

/// A plane for which so many boxes have to be looked at is the longer way where what is held from query to query is another.
const READILY: u64 = 1024;

/// Where bodies drift farther than they have to stay apart, and farther than this (m), no more boxes are looked at.
const MOST_LOOKS: u64 = 2048;
const FAR: f64 = 0.05;

/// Where a distance is only roughly wanted, nothing is nearer than this share of what is found.
const ROUGHLY: f64 = 0.8;

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
    /// Nor those that are nearer than what was found by a fifth of that, if they are no nearer than this, m.
    rough_above: f64,
    pub best: Option<Closest>,
    /// Boxes and triangles looked at.
    pub looks: u64,
    /// After so many of them a plane is tried.
    patience: u64,
    /// After so many it is given up.
    most_looks: u64,
    /// Whether it was told to stop.
    pub cut_short: bool,
    /// How far apart a plane has proved everything to stay, m.
    pub parted: Option<f64>,
    /// What is still to be looked at; what was put there last comes first.
    open: Vec<Open>,
    /// What is left closed is kept there.
    front: Option<Front>,
    /// The point of the second body, in its frame, that it is looked about.
    about: V,
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
            rough_above: limit.rough_above,
            best: None,
            looks: 0,
            patience: u64::MAX,
            most_looks: u64::MAX,
            cut_short: false,
            parted: None,
            open: Vec::with_capacity(128),
            front: None,
            about: *b.origin(),
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
        // Half the stretch, or half of that, is likely the shorter way.
        if drift.most > self.enough.max(FAR) {
            self.most_looks = MOST_LOOKS;
        }
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
            let nearly = self.bound - self.slack;
            let roughly = (self.bound * ROUGHLY).max(self.rough_above);
            nearly.min(roughly)
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
        self.go_through((0, 0), stop);
    }

    /// The same; tries a plane when it takes long.
    pub fn run_or_part(&mut self, stop: Option<&AtomicBool>) {
        self.patience = PATIENCE;
        self.run(stop);
    }

    /// Looks at what is no longer certain since the query before, or at everything; and keeps what it finds.
    pub fn run_on(&mut self, memory: &mut Memory, stop: Option<&AtomicBool>) {
        let before = memory.front.take();
        if memory.parted.unwrap_or(before.is_none()) {
            let proved = self.part();
            // The first time the way to the plane is counted, too.
            let readily = memory.parted.is_none() || self.looks < READILY;
            memory.parted = Some(proved && readily);
            if proved {
                return;
            }
        }
        let mut front = before.unwrap_or_else(Front::whole);
        if let Some(best) = &self.best {
            self.about = self.placement.moved_back(&best.on_b.into());
        }
        let open = front.look(&self.placement.pose, self.about.into(), self.of_interest());
        self.front = Some(front);
        for (at_a, at_b) in open {
            // Boxes that were left closed seldom have to be opened for a small step.
            if self.stays_closed(at_a, at_b) {
                continue;
            }
            self.go_through((at_a, at_b), stop);
            if self.cut_short || self.is_hopeless() {
                return;
            }
        }
        memory.front = self.front.take().and_then(Front::done);
    }

    /// Whether two boxes are still too far apart to be of interest; then they are held.
    fn stays_closed(&mut self, at_a: u32, at_b: u32) -> bool {
        let is_leaf =
            |tree: &Hierarchy, at: u32| tree.fours()[at as usize / 4].count[at as usize % 4] > 0;
        if is_leaf(self.a, at_a) && is_leaf(self.b, at_b) {
            return false;
        }
        self.looks += 1;
        let bounds = self.bounds_below_a(at_a / 4, at_b);
        let lane = at_a as usize % 4;
        let lower = bounds.lower[lane];
        if lower >= self.interest {
            let n = bounds.along[lane].unwrap_or(self.across_a);
            self.hold((at_a, at_b), f64::from(lower), n);
            return true;
        }
        false
    }

    /// Two boxes are left closed: they are so far apart (m) along `n`, of any length, in the frame of the first.
    fn hold(&mut self, (at_a, at_b): (u32, u32), gap: f64, n: V) {
        let Some(front) = &mut self.front else { return };
        let (middle_a, radius_a) = self.a.ball_round(at_a);
        let (middle_b, radius_b) = self.b.ball_round(at_b);
        let length = |v: V| dot(&v, &v).sqrt();
        let between = minus(&self.placement.moved(&middle_b), &middle_a);
        front.hold(&Closed {
            at_a,
            at_b,
            gap,
            n,
            across: length(between) + radius_a + radius_b,
            arm: length(minus(&middle_b, &self.about)) + radius_b,
        });
    }

    /// Looks at two boxes and all below them; what is left closed is held, where a front is kept.
    fn go_through(&mut self, from: (u32, u32), stop: Option<&AtomicBool>) {
        let (a, b) = (self.a, self.b);
        self.open.clear();
        self.open.push(Open {
            at_a: from.0,
            at_b: from.1,
            lower: f32::NEG_INFINITY,
            guess: 0.0,
        });
        while let Some(Open {
            at_a, at_b, lower, ..
        }) = self.open.pop()
        {
            self.looks += 1;
            if self.looks > self.patience {
                self.patience = u64::MAX;
                if self.part() {
                    return;
                }
            }
            if self.looks > self.most_looks {
                self.cut_short = true;
                return;
            }
            if self.looks & 0xfff == 0 && stop.is_some_and(|s| s.load(Ordering::Relaxed)) {
                self.cut_short = true;
                return;
            }
            // What was found meanwhile may be nearer.
            if lower >= self.interest && (self.front.is_none() || self.stays_closed(at_a, at_b)) {
                continue;
            }
            let (four_a, lane_a) = (&a.fours()[at_a as usize / 4], at_a as usize % 4);
            let (four_b, lane_b) = (&b.fours()[at_b as usize / 4], at_b as usize % 4);
            let (is_leaf_a, is_leaf_b) = (four_a.count[lane_a] > 0, four_b.count[lane_b] > 0);
            let (first_a, first_b) = (four_a.first[lane_a], four_b.first[lane_b]);
            if is_leaf_a && is_leaf_b {
                let (gap, n) = self.leaves(first_a as usize, first_b as usize);
                if self.is_hopeless() {
                    return;
                }
                self.hold((at_a, at_b), gap, n);
                continue;
            }
            let open_a = !is_leaf_a && (is_leaf_b || four_a.size[lane_a] >= four_b.size[lane_b]);
            let (first, boxes, bounds) = if open_a {
                (
                    first_a,
                    &a.fours()[first_a as usize],
                    self.bounds_below_a(first_a, at_b),
                )
            } else {
                (
                    first_b,
                    &b.fours()[first_b as usize],
                    self.bounds_below_b(first_b, at_a),
                )
            };
            // The nearest is looked at first: it is the last to be put there.
            let from = self.open.len();
            for lane in (0..4).filter(|&lane| boxes.holds(lane)) {
                let (lower, guess) = (bounds.lower[lane], bounds.guess[lane]);
                let place = 4 * first + lane as u32;
                let (at_a, at_b) = if open_a { (place, at_b) } else { (at_a, place) };
                // What is too large for single precision is not left closed.
                if lower.is_nan() || lower < self.interest {
                    let mut at = self.open.len();
                    self.open.push(Open {
                        at_a,
                        at_b,
                        lower,
                        guess,
                    });
                    while at > from && self.open[at - 1].guess < guess {
                        self.open.swap(at - 1, at);
                        at -= 1;
                    }
                } else if self.front.is_some() {
                    let n = bounds.along[lane].map_or(self.across_a, |n| {
                        if open_a {
                            n
                        } else {
                            self.placement.turned(&n.map(|x| -x))
                        }
                    });
                    self.hold((at_a, at_b), f64::from(lower), n);
                }
            }
        }
    }

    /// For each of four boxes of the first body how far it is from a box of the second.
    #[inline]
    fn bounds_below_a(&self, four: u32, at_b: u32) -> Bounds {
        let boxes = &self.a.fours()[four as usize];
        let one = Lone::of(self.b, at_b, &self.there, &narrow(&self.across_b));
        let n = narrow(&self.across_a);
        let wanted = (self.interest, self.is_directed());
        bounds(boxes, &one, &n, wanted, |lane, gap, along| {
            let at_a = 4 * four + lane as u32;
            match along {
                None => self.kept(gap, (&self.across_a, &self.across_b), at_a, at_b),
                Some(n) => self.kept(gap, (n, &self.placement.turned_back(n)), at_a, at_b),
            }
        })
    }

    /// The same for four boxes of the second.
    #[inline]
    fn bounds_below_b(&self, four: u32, at_a: u32) -> Bounds {
        let boxes = &self.b.fours()[four as usize];
        let back = self.across_a.map(|x| -x);
        let one = Lone::of(self.a, at_a, &self.back, &narrow(&back));
        let n = narrow(&self.across_b.map(|x| -x));
        let wanted = (self.interest, self.is_directed());
        bounds(boxes, &one, &n, wanted, |lane, gap, along| {
            let at_b = 4 * four + lane as u32;
            match along.map(|n| n.map(|x| -x)) {
                None => self.kept(gap, (&self.across_a, &self.across_b), at_a, at_b),
                Some(n) => self.kept(gap, (&self.placement.turned(&n), &n), at_a, at_b),
            }
        })
    }

    /// Whether it matters along what boxes are apart.
    fn is_directed(&self) -> bool {
        self.drift.is_some() || self.front.is_some()
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
        let wanted = f64::from(self.interest);
        let kept = drift.between_boxes((n.0, n.1, shift), (&a, &b), wanted);
        (kept as f32).next_down()
    }

    /// How far apart two triangles certainly are, m, and along what (of any length); nearer ones than before are kept.
    #[inline]
    fn leaves(&mut self, ia: usize, ib: usize) -> (f64, V) {
        let (n, m) = (self.across_a, self.across_b);
        let [p, q, r] = &self.b.corners()[ib];
        let near = dot(p, &m).min(dot(q, &m)).min(dot(r, &m)) - self.b.radius_at(ib);
        let [p, q, r] = &self.a.corners()[ia];
        let far = dot(p, &n).max(dot(q, &n)).max(dot(r, &n)) + self.a.radius_at(ia);
        let gap = near + dot(&n, &self.placement.shift) - far;
        let kept = self.kept_by((&n, &m), gap, ia, ib);
        if kept < self.bound {
            self.try_triangles(ia, ib)
        } else {
            (kept, n)
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

    /// How far apart two triangles certainly are, m, and along what (of any length): they are kept if none were nearer.
    pub fn try_triangles(&mut self, ia: usize, ib: usize) -> (f64, V) {
        let (a, b) = (&self.a.corners()[ia], &self.moved_corners(ib));
        let pair = triangle_distance(
            &[a[0].into(), a[1].into(), a[2].into()],
            &[b[0].into(), b[1].into(), b[2].into()],
        );
        let (ra, rb) = (self.a.radius_at(ia), self.b.radius_at(ib));
        let most = self.drift.map_or(0.0, |drift| drift.most);
        let reach = self.bound + most + ra + rb;
        let apart = pair.squared.sqrt();
        let between = pair.on_b - pair.on_a;
        if apart >= reach {
            return (apart - most - ra - rb, between.into());
        }
        let distance = (apart - ra - rb).max(0.0);
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
        (least, between.into())
    }
}

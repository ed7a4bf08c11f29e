//! The certified minimum of one pair over a path.

use std::collections::BinaryHeap;

use super::ROUNDING;
use super::bracket::{Aim, Approach, Bracket};
use super::pair_motion::PairMotion;
use super::pairwise::Beginning;

/// How often the stretch round a closest approach is halved for a nearer one.
const POLISHED: usize = 10;

impl PairMotion<'_> {
    /// What no look can resolve, m: rounding, facets of cylinders, and how far the programmed motion may be off
    /// the path between its knots.
    pub(super) fn unsure(&self) -> f64 {
        ROUNDING + self.surfaces.iter().map(|s| s.deviation()).sum::<f64>() + self.deviation()
    }

    /// The smallest distance over the stretches `from`..`to` (s): bracketed as closely as `aim` wants, or until it
    /// is certain to be at least `aim.settled`, with the closest approach found.
    ///
    /// `keep_on` is asked before every query; when it says no, or the work is spent, the bracket is as wide as it then
    /// is.
    ///
    /// # Panics
    /// If there is no stretch.
    pub fn minimum(
        &mut self,
        stretches: &[(f64, f64)],
        aim: &Aim,
        keep_on: &(dyn Fn() -> bool + Sync),
    ) -> (Bracket, Approach) {
        let Minimum {
            bracket, approach, ..
        } = self.minimum_from(Beginning::anew(stretches), aim, keep_on);
        (bracket, approach)
    }

    /// The same, where something may be certain already.
    pub(super) fn minimum_from(
        &mut self,
        Beginning {
            first,
            stretches,
            nearest,
        }: Beginning,
        aim: &Aim,
        keep_on: &(dyn Fn() -> bool + Sync),
    ) -> Minimum {
        let first = first.unwrap_or_else(|| stretches.first().expect("a stretch of time").from);
        let unsure = self.unsure();
        // Roughly is enough to begin with: what matters is looked at again.
        let (start, found) = self.look_roughly(first, aim.tolerance, aim.settled);
        let mut best = self.approach(&start, &found);
        // The stretch in whose middle the closest approach was found.
        let mut near = (first, first);
        if let Some(known) = nearest.filter(|known| known.distance < best.distance) {
            (best, near) = (known, (known.time, known.time));
        }
        let told = |lower: f64, approach: Approach, left: Vec<Stretch>| Minimum {
            bracket: Bracket::new(lower, approach.distance),
            approach,
            left,
        };
        if self.is_still() {
            if start.lower >= aim.settled || aim.is_lost(best.distance, unsure) {
                return told(start.lower, best, Vec::new());
            }
            let (look, found) = self.look(first, f64::INFINITY, 0.0);
            best = self.approach(&look, &found.expect("no limit was set"));
            return told(look.lower, best, Vec::new());
        }
        let mut so_far = SoFar {
            best,
            near,
            open: stretches.into(),
            left: Vec::new(),
            closed: f64::INFINITY,
            lower: 0.0,
        };
        self.narrow(&mut so_far, aim, keep_on);
        let SoFar {
            mut best,
            near,
            open,
            mut left,
            lower,
            ..
        } = so_far;
        let matters = best.distance < aim.settled && !aim.is_lost(best.distance, unsure);
        if matters && keep_on() {
            // The closest points at that instant, now exactly.
            let (look, found) = self.look(best.time, f64::INFINITY, 0.0);
            if let Some(found) = found.filter(|f| f.distance <= best.distance) {
                best = self.approach(&look, &found);
            }
            // The bracket is narrow enough; what is tight is shown where it is nearest.
            if best.distance < aim.critical && best.distance > 0.0 {
                self.polish(&mut best, near);
            }
        }
        left.extend(open);
        told(lower, best, left)
    }

    /// Looks at what is open until the bracket is as narrow as `aim` wants, or as it gets. What takes long may be gone through in
    /// two halves at once: in the same way, however many cores there are.
    fn narrow(&mut self, so_far: &mut SoFar, aim: &Aim, keep_on: &(dyn Fn() -> bool + Sync)) {
        while !self.narrow_a_while(so_far, aim, keep_on) {
            let Some((mut first, mut second)) = so_far.halves() else {
                continue;
            };
            let share = aim.work.saturating_sub(self.work) / 2;
            let until = |work: u64| Aim { work, ..*aim };
            let (own, its) = (until(self.work + share), until(share));
            let mut other = self.another();
            rayon::join(
                || self.narrow(&mut first, &own, keep_on),
                || other.narrow(&mut second, &its, keep_on),
            );
            self.count(&other, second.best.distance < first.best.distance);
            so_far.put_together([first, second]);
        }
    }

    /// Looks at some of what is open, the smallest bound first; whether nothing more is to be done.
    fn narrow_a_while(
        &mut self,
        so_far: &mut SoFar,
        aim: &Aim,
        keep_on: &dyn Fn() -> bool,
    ) -> bool {
        let unsure = self.unsure();
        let SoFar {
            best,
            near,
            open,
            left,
            closed,
            lower,
        } = so_far;
        let (mut patience, mut noted) = (aim.alone.max(1), best.distance);
        while patience > 0 {
            patience -= 1;
            // While it still comes nearer, what both halves would look at each for itself is looked at once.
            if best.distance < noted - aim.width_at(noted) {
                (patience, noted) = (aim.alone, best.distance);
            }
            let Some(stretch) = open.pop() else {
                *lower = if closed.is_finite() { *closed } else { *lower };
                return true;
            };
            *lower = stretch.lower.min(*closed).min(best.distance);
            if aim.is_met(*lower, best.distance, unsure)
                || *closed <= stretch.lower
                || !keep_on()
                || self.work > aim.work
            {
                open.push(stretch);
                return true;
            }
            let middle = f64::midpoint(stretch.from, stretch.to);
            if middle <= stretch.from || middle >= stretch.to {
                // Only the look itself can still be sharpened.
                let (look, found) = self.look(middle, f64::INFINITY, 0.0);
                if let Some(found) = found.filter(|f| f.distance < best.distance) {
                    *best = self.approach(&look, &found);
                    *near = (middle, middle);
                }
                let motion = self.motion_during(stretch.from, stretch.to);
                let bound = (look.lower - motion).max(stretch.lower);
                *closed = closed.min(bound);
                left.push(Stretch {
                    lower: bound,
                    ..stretch
                });
                continue;
            }
            for (from, to) in [(stretch.from, middle), (middle, stretch.to)] {
                // A bound beyond this rules the stretch out, rounded or not; more need not be known.
                let enough = aim.enough(best.distance, unsure);
                let width = aim.width_at(best.distance);
                let slack = (best.distance - enough).min(width) * 0.1;
                // What moves farther than it is apart is not ruled out by a look.
                let far = best.distance * 2.0 + width;
                let found = self.over((from, to), (stretch.lower, enough), (slack, far));
                if let Some(closest) = found.closest.filter(|c| c.distance < best.distance) {
                    *best = self.approach(&found.look, &closest);
                    *near = (from, to);
                }
                open.push(Stretch {
                    lower: found.lower.max(stretch.lower),
                    from,
                    to,
                });
            }
        }
        false
    }

    /// Goes on to a closest approach nearby, within the stretch that the one found lies in.
    fn polish(&mut self, best: &mut Approach, (mut from, mut to): (f64, f64)) {
        for _ in 0..POLISHED {
            if from >= to {
                return;
            }
            let now = best.time;
            for time in [f64::midpoint(from, now), f64::midpoint(now, to)] {
                let (look, found) = self.look(time, best.distance, 0.0);
                if let Some(found) = found.filter(|f| f.distance < best.distance) {
                    *best = self.approach(&look, &found);
                }
            }
            // As far again on either side of where it is now.
            let quarter = (to - from) / 4.0;
            (from, to) = (from.max(best.time - quarter), to.min(best.time + quarter));
        }
    }
}

/// What a search has come to.
struct SoFar {
    best: Approach,
    /// The stretch in whose middle that was found, s.
    near: (f64, f64),
    open: BinaryHeap<Stretch>,
    /// What is too short to be divided, and the smallest bound of that, m.
    left: Vec<Stretch>,
    closed: f64,
    /// Nothing is nearer than this, m.
    lower: f64,
}

impl SoFar {
    /// What is open, parted in time; `None` where there is too little of it.
    fn halves(&mut self) -> Option<(Self, Self)> {
        if self.open.len() < 2 {
            return None;
        }
        let mut open = std::mem::take(&mut self.open).into_vec();
        open.sort_by(|x, y| x.from.total_cmp(&y.from));
        let late = open.split_off(open.len() / 2);
        let half = |open: Vec<Stretch>| Self {
            open: open.into(),
            left: Vec::new(),
            closed: f64::INFINITY,
            ..*self
        };
        Some((half(open), half(late)))
    }

    /// Takes back what its halves have come to.
    fn put_together(&mut self, halves: [Self; 2]) {
        for half in halves {
            if half.best.distance < self.best.distance {
                (self.best, self.near) = (half.best, half.near);
            }
            // Whether that is enough is asked again, of both together.
            self.open.extend(half.open);
            self.left.extend(half.left);
            self.closed = self.closed.min(half.closed);
        }
    }
}

/// The smallest distance over some stretches.
pub(super) struct Minimum {
    pub bracket: Bracket,
    pub approach: Approach,
    /// What is certain of each part of them, in no order; nothing where nothing moves.
    pub left: Vec<Stretch>,
}

/// A stretch of time with what is certain about it; the one with the smallest bound comes first.
#[derive(Debug, Clone, Copy)]
pub(super) struct Stretch {
    /// Nothing in it is nearer, m.
    pub lower: f64,
    /// s
    pub from: f64,
    /// s
    pub to: f64,
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
        other.lower.total_cmp(&self.lower)
    }
}

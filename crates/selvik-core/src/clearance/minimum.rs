//! The certified minimum of one pair over a path.

use std::collections::BinaryHeap;

use super::ROUNDING;
use super::bracket::{Aim, Approach, Bracket};
use super::pair_motion::{Look, PairMotion, lower_between};

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
        keep_on: &dyn Fn() -> bool,
    ) -> (Bracket, Approach) {
        let first = stretches.first().expect("a stretch of time").0;
        let unsure = self.unsure();
        // Roughly is enough to begin with: what matters is looked at again.
        let rough = (self.glance(first).lower * 0.2).max(aim.tolerance);
        let (start, found) = self.look(first, f64::INFINITY, rough);
        let mut best = self.approach(&start, &found.expect("no limit was set"));
        if self.is_still() {
            if aim.is_met(start.lower, best.distance, unsure) {
                return (Bracket::new(start.lower, best.distance), best);
            }
            let (look, found) = self.look(first, f64::INFINITY, 0.0);
            best = self.approach(&look, &found.expect("no limit was set"));
            return (Bracket::new(look.lower, best.distance), best);
        }
        let mut open = BinaryHeap::new();
        for &(from, to) in stretches {
            let start = if from == first {
                start.clone()
            } else {
                self.glance(from)
            };
            let end = self.glance(to);
            self.push(&mut open, start, end);
        }
        // The smallest bound of stretches that are too short to be divided.
        let mut closed = f64::INFINITY;
        let mut lower = 0.0;
        while let Some(stretch) = open.pop() {
            lower = stretch.lower.min(closed).min(best.distance);
            if aim.is_met(lower, best.distance, unsure)
                || closed <= stretch.lower
                || !keep_on()
                || self.work > aim.work
            {
                closed = lower;
                break;
            }
            let Stretch {
                a, mut b, motion, ..
            } = stretch;
            let tolerance = aim.width_at(best.distance);
            // A distance beyond this rules the whole stretch out; more need not be known. Nor need
            // it be known more closely than the bodies move in the stretch.
            // Which side of a decisive value it lies on is asked when the bracket is otherwise narrow enough.
            let narrow = best.distance - lower <= tolerance.max(unsure);
            let decides = narrow
                && aim
                    .decisive
                    .iter()
                    .any(|&d| lower < d && d <= best.distance);
            let margin = if decides {
                tolerance.min(aim.undecidable(unsure))
            } else {
                tolerance
            };
            let enough = (best.distance - margin).min(aim.settled) + motion + unsure;
            let slack = if decides {
                motion * 0.2
            } else {
                (motion * 0.2).max(tolerance * 0.1)
            };
            let slack = if slack < unsure { 0.0 } else { slack };
            let mut look_at = |this: &mut Self, time: f64| {
                let (look, found) = this.look(time, enough, slack);
                if let Some(found) = found.filter(|f| f.distance < best.distance) {
                    best = this.approach(&look, &found);
                }
                look
            };
            if b.attained.is_none() && !b.is_beyond(enough, unsure) {
                b = look_at(self, b.time);
                self.push(&mut open, a, b);
                continue;
            }
            let middle = f64::midpoint(a.time, b.time);
            if middle <= a.time || middle >= b.time {
                // Only the looks themselves can still be sharpened.
                let sharp = [a, b].map(|end| {
                    if end.slack > 0.0 {
                        look_at(self, end.time)
                    } else {
                        end
                    }
                });
                let motion = self.motion(&sharp[0], &sharp[1]);
                closed = closed.min(lower_between(&sharp[0], &sharp[1], motion));
                continue;
            }
            let glance = self.glance(middle);
            let look = if glance.is_beyond(enough, unsure) {
                glance
            } else {
                look_at(self, middle)
            };
            self.push(&mut open, a, look.clone());
            self.push(&mut open, look, b);
        }
        lower = if closed.is_finite() { closed } else { lower };
        if lower < aim.settled && keep_on() {
            // The closest points at that instant, now exactly.
            let (look, found) = self.look(best.time, f64::INFINITY, 0.0);
            if let Some(found) = found.filter(|f| f.distance <= best.distance) {
                best = self.approach(&look, &found);
            }
        }
        (Bracket::new(lower, best.distance), best)
    }

    fn push(&mut self, open: &mut BinaryHeap<Stretch>, a: Look, b: Look) {
        let motion = self.motion(&a, &b);
        let lower = lower_between(&a, &b, motion);
        open.push(Stretch {
            lower,
            motion,
            a,
            b,
        });
    }
}

/// A stretch of time with what is certain about it; the one with the smallest bound comes first.
struct Stretch {
    lower: f64,
    motion: f64,
    a: Look,
    b: Look,
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

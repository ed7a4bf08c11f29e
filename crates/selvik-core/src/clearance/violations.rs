//! When two bodies are nearer than a threshold, with both ends of every such time bracketed.

use super::bracket::RESOLUTION;
use super::distance::{ROUNDING, distance_to_point};
use super::pair_motion::{Look, PairMotion, lower_between, upper_between};
use crate::mesh::{Containment, Surface};
use crate::spatial::{Point, Pose};

/// A time during which a distance stays below a threshold, or rises above it by less than the tolerance. It certainly
/// begins between `start.0` and `start.1` and ends between `end.0` and `end.1`, s.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Interval {
    /// Earliest and latest beginning.
    pub start: (f64, f64),
    /// Earliest and latest end.
    pub end: (f64, f64),
}

impl Interval {
    /// How long it lasts at most, s.
    #[must_use]
    pub fn duration(&self) -> f64 {
        self.end.1 - self.start.0
    }
}

/// All times at which a distance is below a threshold.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct TimesBelow {
    /// In order.
    pub intervals: Vec<Interval>,
    /// `false` when it was stopped or the work was spent: then a bracket holds all that was not looked at.
    pub complete: bool,
}

/// A threshold this small asks whether the bodies touch, m.
pub(super) const TOUCH: f64 = 1e-6;

/// Touches between which bodies part by less than so many tolerances are one.
const BRIDGED: f64 = 5.0;

/// The ends are bracketed this closely, s.
const TIME_RESOLUTION: f64 = 1e-4;

/// What is known of a stretch.
#[derive(Debug, Clone, Copy, PartialEq)]
enum State {
    Above,
    /// Above, but by less than the tolerance.
    JustAbove,
    Below,
    /// Somewhere between: shorter than the resolution, or grazing the threshold.
    Open,
}

/// Every time within `stretches` (s) at which the pair is nearer than `threshold` (m).
///
/// Stretches whose bounds settle nothing are divided until they are shorter than 0.1 ms or the
/// bodies move less than a tenth of `tolerance` (m) in them; what stays open then counts as below, and its ends
/// are the bracket. Times between which the distance rises above the threshold by less than `tolerance` are one, of touches by less
/// than five times that.
pub fn intervals_below(
    pair: &mut PairMotion,
    stretches: &[(f64, f64)],
    threshold: f64,
    tolerance: f64,
    work: u64,
    keep_on: &dyn Fn() -> bool,
) -> TimesBelow {
    let until = pair.work.saturating_add(work);
    let unsure = pair.unsure();
    let mut search = Search { pair, threshold, tolerance, unsure, settled: Vec::new(), complete: true };
    for &(from, to) in stretches {
        search.settle(from, to, until, keep_on);
    }
    let complete = search.complete;
    TimesBelow { intervals: join(&search.settled, threshold > TOUCH), complete }
}

/// An instant that was looked at, with how deep the bodies certainly overlap then where that was asked for.
#[derive(Clone)]
struct End {
    look: Look,
    depth: Option<f64>,
}

struct Search<'p, 'a> {
    pair: &'p mut PairMotion<'a>,
    threshold: f64,
    tolerance: f64,
    unsure: f64,
    settled: Vec<(f64, f64, State)>,
    complete: bool,
}

impl Search<'_, '_> {
    fn settle(&mut self, from: f64, to: f64, until: u64, keep_on: &dyn Fn() -> bool) {
        let glance = |this: &mut Self, time| End { look: this.pair.glance(time), depth: None };
        let mut open = vec![(glance(self, from), glance(self, to))];
        while let Some((mut a, mut b)) = open.pop() {
            let motion = self.pair.motion(&a.look, &b.look);
            let mut state = self.state(&mut a, &mut b, motion);
            let (start, end) = (a.look.time, b.look.time);
            let give_up = self.pair.work > until || !keep_on();
            if state == State::Open && !give_up {
                // What was looked at roughly is looked at again before more is asked for.
                if self.sharpen(&mut a, motion) | self.sharpen(&mut b, motion) {
                    open.push((a, b));
                    continue;
                }
                let middle = f64::midpoint(start, end);
                if !self.is_fine(&a, &b, motion) && start < middle && middle < end {
                    let (enough, slack) = self.wanted(motion);
                    let middle = End { look: self.pair.look(middle, enough, slack).0, depth: None };
                    open.push((middle.clone(), b));
                    open.push((a, middle));
                    continue;
                }
            }
            if state == State::Open && give_up {
                self.complete = false;
            }
            if state == State::Above && self.upper(&a, &b, motion) < self.threshold + self.tolerance {
                state = State::JustAbove;
            }
            self.settled.push((start, end, state));
        }
    }

    fn upper(&self, a: &End, b: &End, motion: f64) -> f64 {
        upper_between(&a.look, &b.look, motion) + self.unsure
    }

    fn state(&mut self, a: &mut End, b: &mut End, motion: f64) -> State {
        if lower_between(&a.look, &b.look, motion) >= self.threshold {
            return State::Above;
        }
        let upper = self.upper(a, b, motion);
        let below = |end: &End| end.look.attained.is_some_and(|d| d + self.unsure < self.threshold);
        let overlap = |end: &End| end.look.attained == Some(0.0);
        if upper < self.threshold || (below(a) && below(b) && upper < self.threshold + self.tolerance) {
            return State::Below;
        }
        // Nothing bounds a distance of 0 closely enough from above to say that it lasts, but the depth of an overlap does.
        if self.threshold <= TOUCH && overlap(a) && overlap(b) {
            // No overlap is deeper than the smaller body.
            let smaller =
                self.pair.surfaces.iter().map(|s| s.bounds().half_extents().min()).fold(f64::MAX, f64::min);
            let deep = |this: &mut Self, end: &mut End| motion < smaller && this.depth(end) > motion;
            let lasts = motion < 2.0 * BRIDGED * self.tolerance || deep(self, a) || deep(self, b);
            return if lasts { State::Below } else { State::Open };
        }
        State::Open
    }

    /// From where on a distance is of no interest in a stretch, and how roughly it may be taken, m.
    fn wanted(&self, motion: f64) -> (f64, f64) {
        let slack = motion * 0.2;
        let enough = self.threshold + motion + self.tolerance + self.unsure;
        (enough, if slack < self.unsure { 0.0 } else { slack })
    }

    fn sharpen(&mut self, end: &mut End, motion: f64) -> bool {
        let (enough, slack) = self.wanted(motion);
        let far = end.look.attained.is_none() && end.look.is_beyond(enough, self.unsure);
        if far || end.look.slack <= slack * 1.5 {
            return false;
        }
        end.look = self.pair.look(end.look.time, enough, slack).0;
        true
    }

    /// Whether a stretch that is open is left so.
    fn is_fine(&self, a: &End, b: &End, motion: f64) -> bool {
        let grazes = |end: &End| {
            end.look
                .attained
                .is_some_and(|d| (d - self.threshold).abs() <= RESOLUTION.max(10.0 * self.unsure))
        };
        b.look.time - a.look.time <= TIME_RESOLUTION
            || motion <= self.tolerance * 0.1
            || (grazes(a) && grazes(b) && motion <= 2.0 * self.tolerance)
    }

    /// How deep the bodies certainly overlap, m: as far as points of one lie inside the other. The overlap lasts while
    /// they move less than that.
    fn depth(&mut self, end: &mut End) -> f64 {
        let (pair, look) = (&mut *self.pair, &end.look);
        *end.depth.get_or_insert_with(|| {
            let [a, b] = [&pair.surfaces[0], &pair.surfaces[1]];
            let relative = look.postures[0].body.inv_mul(&look.postures[1].body);
            pair.work += DEPTH_WORK;
            (depth_inside(a, b, &relative).max(depth_inside(b, a, &relative.inverse())) - ROUNDING).max(0.0)
        })
    }
}

/// What asking for a depth costs, in boxes.
const DEPTH_WORK: u64 = 2_000;

/// The largest depth at which any of the points by which `inner` is known lies inside `outer`, m.
fn depth_inside(outer: &Surface, inner: &Surface, pose: &Pose) -> f64 {
    const SOME: usize = 24;
    let points = inner.points();
    let step = points.len().div_ceil(SOME);
    let inside = |p: &Point| outer.contains(p) == Containment::Inside;
    let placed = points.iter().rev().step_by(step).map(|p| pose * p).filter(inside);
    placed.map(|p| distance_to_point(outer, &p)).fold(0.0, f64::max)
}

/// Joins neighbouring stretches that are not certainly above into intervals, also over what is only just above; those
/// of which nothing is certainly below count only if `count_open`.
fn join(settled: &[(f64, f64, State)], count_open: bool) -> Vec<Interval> {
    let mut intervals: Vec<Interval> = Vec::new();
    let mut run: Option<Interval> = None;
    // Where the run would go on if what lies between is only just above.
    let mut bridge: Option<f64> = None;
    let mut last_end = f64::NEG_INFINITY;
    for &(start, end, state) in settled {
        if start > last_end && last_end.is_finite() {
            intervals.extend(run.take());
        }
        last_end = end;
        if matches!(state, State::Below | State::Open)
            && bridge.take().is_some()
            && let Some(current) = &mut run
        {
            // Over the bridge: what was taken for the end lies in the middle.
            current.end.0 = current.end.1;
        }
        match (state, &mut run) {
            (State::Above, _) => {
                intervals.extend(run.take());
                bridge = None;
            }
            (State::JustAbove, Some(_)) => bridge = Some(end),
            (State::JustAbove, None) => {}
            (State::Below, None) => run = Some(Interval { start: (start, start), end: (end, end) }),
            (State::Open, None) => run = Some(Interval { start: (start, end), end: (start, end) }),
            (State::Below, Some(current)) => {
                // What was open so far led into it: the beginning lies in there.
                if current.end.0 <= current.start.0 {
                    current.start.1 = start;
                }
                current.end = (end, end);
            }
            (State::Open, Some(current)) => current.end.1 = end,
        }
    }
    intervals.extend(run);
    intervals.retain(|i| count_open || i.start.1 < i.end.0);
    intervals
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn open_stretches_become_the_brackets_of_the_ends() {
        use State::{Above, Below, Open};
        let settled = [
            (0.0, 1.0, Above),
            (1.0, 1.1, Open),
            (1.1, 2.0, Below),
            (2.0, 2.1, Open),
            (2.1, 3.0, Above),
            (3.0, 3.1, Open),
            (3.1, 4.0, Above),
        ];
        let found = join(&settled, true);
        assert_eq!(found[0], Interval { start: (1.0, 1.1), end: (2.0, 2.1) });
        assert_eq!(found[1], Interval { start: (3.0, 3.1), end: (3.0, 3.1) });
        assert_eq!(join(&settled, false).len(), 1);
    }

    #[test]
    fn what_rises_only_just_above_is_bridged() {
        use State::{Above, Below, JustAbove, Open};
        let settled = [
            (0.0, 0.9, JustAbove),
            (0.9, 1.0, Below),
            (1.0, 1.1, Open),
            (1.1, 1.2, JustAbove),
            (1.2, 1.3, Open),
            (1.3, 1.4, Below),
            (1.4, 1.5, JustAbove),
            (1.5, 2.0, Above),
            (2.0, 2.1, Below),
        ];
        let found = join(&settled, true);
        assert_eq!(found.len(), 2);
        assert_eq!(found[0], Interval { start: (0.9, 0.9), end: (1.4, 1.4) });
    }

    #[test]
    fn stretches_that_do_not_follow_each_other_are_apart() {
        let found = join(&[(0.0, 1.0, State::Below), (2.0, 3.0, State::Below)], true);
        assert_eq!(found.len(), 2);
    }
}

//! When two bodies are nearer than a threshold, with both ends of every such time bracketed.

use super::bracket::RESOLUTION;
use super::overlap_depth::lasting;
use super::pair_motion::{Look, Over, PairMotion, lower_between, upper_between};
use crate::mesh::Surface;
use crate::spatial::Point;

/// A time during which a distance stays below a threshold, or rises above it by less than the tolerance. It certainly
/// begins between `start.0` and `start.1` and ends between `end.0` and `end.1`, s.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Interval {
    /// Earliest and latest beginning, s.
    pub start: (f64, f64),
    /// Earliest and latest end, s.
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

/// And so are touches between which they part for no longer than this, s.
const PAUSE: f64 = 5e-3;

/// How often overlaps are asked for how long they last, of a pair of which nothing came of it.
const IN_VAIN: u32 = 16;

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
/// than five times that, or for no longer than 5 ms.
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
    let mut search = Search {
        pair,
        threshold,
        tolerance,
        unsure,
        deepest: None,
        in_vain: 0,
        settled: Vec::new(),
        complete: true,
    };
    for &(from, to) in stretches {
        search.settle(from, to, until, keep_on);
    }
    let complete = search.complete;
    TimesBelow {
        intervals: join(&search.settled, (threshold <= TOUCH).then_some(PAUSE)),
        complete,
    }
}

/// An instant that was looked at, with how far the bodies may move and still overlap where that was asked for, and
/// whether that is all.
#[derive(Clone)]
struct End {
    look: Look,
    lasting: Option<(f64, bool)>,
}

struct Search<'p, 'a> {
    pair: &'p mut PairMotion<'a>,
    threshold: f64,
    tolerance: f64,
    unsure: f64,
    /// A point deep in both, in the frame of the second.
    deepest: Option<Point>,
    /// How often in a row no such point was found.
    in_vain: u32,
    settled: Vec<(f64, f64, State)>,
    complete: bool,
}

impl Search<'_, '_> {
    fn settle(&mut self, from: f64, to: f64, until: u64, keep_on: &dyn Fn() -> bool) {
        let glance = |this: &mut Self, time| End {
            look: this.pair.glance(time),
            lasting: None,
        };
        let mut open = vec![(glance(self, from), glance(self, to))];
        while let Some((mut a, mut b)) = open.pop() {
            let motion = self.pair.motion(&a.look, &b.look);
            let mut state = self.state(&mut a, &mut b, motion);
            let (start, end) = (a.look.time, b.look.time);
            let give_up = self.pair.work > until || !keep_on();
            if state == State::Open && !give_up {
                // What is only rough at its ends is looked at again before it is left open.
                let fine = self.is_fine(&a, &b, motion);
                let rough = fine && self.rough(&a, &b, motion);
                if self.sharpen(&mut a, motion, rough) | self.sharpen(&mut b, motion, rough) {
                    open.push((a, b));
                    continue;
                }
                let middle = f64::midpoint(start, end);
                if !fine && start < middle && middle < end {
                    let over = self.over(start, end, motion);
                    let settled = if over.lower >= self.threshold {
                        let just = over.upper < self.threshold + self.tolerance;
                        Some(if just { State::JustAbove } else { State::Above })
                    } else {
                        (over.upper < self.threshold).then_some(State::Below)
                    };
                    if let Some(state) = settled {
                        self.settled.push((start, end, state));
                        continue;
                    }
                    let middle = End {
                        look: over.look,
                        lasting: None,
                    };
                    open.push((middle.clone(), b));
                    open.push((a, middle));
                    continue;
                }
            }
            if state == State::Open && give_up {
                self.complete = false;
            }
            if state == State::Above && self.upper(&a, &b, motion) < self.threshold + self.tolerance
            {
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
        let below = |end: &End| {
            end.look
                .attained
                .is_some_and(|d| d + self.unsure < self.threshold)
        };
        let overlap = |end: &End| end.look.attained == Some(0.0);
        if upper < self.threshold
            || (below(a) && below(b) && upper < self.threshold + self.tolerance)
        {
            return State::Below;
        }
        // Nothing bounds a distance of 0 closely enough from above to say that it lasts, but the depth of an overlap does.
        if self.threshold <= TOUCH && overlap(a) && overlap(b) {
            let short =
                motion < 2.0 * BRIDGED * self.tolerance || b.look.time - a.look.time <= PAUSE;
            let lasts = short || self.lasts(a, b, motion);
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

    /// Looks at the middle of a stretch, for what is certain about all of it.
    fn over(&mut self, start: f64, end: f64, motion: f64) -> Over {
        let mut touching = None;
        if self.threshold <= TOUCH {
            let (enough, slack) = self.wanted(motion);
            let look = self.pair.look(f64::midpoint(start, end), enough, slack).0;
            if look.attained == Some(0.0) {
                return Over {
                    lower: 0.0,
                    upper: f64::INFINITY,
                    look,
                    closest: None,
                };
            }
            touching = Some(look);
        }
        // What comes below the threshold is not certainly above it: by how much does not matter.
        let (floor, enough) = (self.threshold, self.threshold + self.tolerance);
        let slack = self.tolerance * 0.1;
        let over = self
            .pair
            .over((start, end), (floor, enough), (slack, f64::INFINITY));
        // What is certain of all of it is certain of its middle.
        let lower = over.look.lower.max(over.lower);
        let look = touching.unwrap_or(Look {
            lower,
            slack: over.look.attained.map_or(0.0, |d| d - lower),
            ..over.look
        });
        Over { look, ..over }
    }

    /// Whether a stretch is open only because its ends were looked at roughly.
    fn rough(&self, a: &End, b: &End, motion: f64) -> bool {
        let slack = [a, b]
            .map(|end| end.look.slack)
            .into_iter()
            .filter(|s| s.is_finite())
            .fold(0.0, f64::max);
        lower_between(&a.look, &b.look, motion) + slack >= self.threshold
            || self.upper(a, b, motion) - slack < self.threshold
    }

    /// Looks again at an end that was only glanced at, or that was `rough`; `false` if there is no need.
    fn sharpen(&mut self, end: &mut End, motion: f64, rough: bool) -> bool {
        let (enough, slack) = self.wanted(motion);
        let far = end.look.attained.is_none() && end.look.is_beyond(enough, self.unsure);
        let glanced = end.look.slack.is_infinite();
        if far || !(glanced || rough) || end.look.slack <= slack * 1.5 {
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

    /// Whether bodies that overlap at both ends do so in between, where they move against each other by `motion` (m): until
    /// any instant they move by less than the overlap at the one end lasts, or from then on by less than that at the other.
    fn lasts(&mut self, a: &mut End, b: &mut End, motion: f64) -> bool {
        // No ball in a body is larger than this.
        let largest = |s: &Surface| s.bounds().half_extents().min();
        let most: f64 = self.pair.surfaces.iter().map(|s| largest(s)).sum();
        if motion >= 2.0 * most || self.in_vain > IN_VAIN {
            return false;
        }
        let first = self.lasting(a, motion);
        first > motion || first + self.lasting(b, motion - first) > motion
    }

    /// How far the bodies may move from here on and certainly still overlap, m; no more than `wanted` is looked for.
    fn lasting(&mut self, end: &mut End, wanted: f64) -> f64 {
        if let Some((known, all)) = end.lasting
            && (all || known > wanted)
        {
            return known;
        }
        let (pair, look) = (&mut *self.pair, &end.look);
        let [a, b] = [&pair.surfaces[0], &pair.surfaces[1]];
        let relative = look.postures[0].end.inv_mul(&look.postures[1].end);
        let found = lasting(a, b, &relative, wanted, &mut self.deepest, &mut pair.work);
        end.lasting = Some(found);
        self.in_vain = if found.0 > 0.0 { 0 } else { self.in_vain + 1 };
        found.0
    }
}

/// Joins neighbouring stretches that are not certainly above into intervals, also over what is only just above. Of touches
/// (with a `pause`, s) those between which there is no more than the pause are one, and those of which nothing certain is
/// left don't count.
fn join(settled: &[(f64, f64, State)], pause: Option<f64>) -> Vec<Interval> {
    let mut intervals = Vec::new();
    for group in settled.chunk_by(|a, b| b.0 <= a.1) {
        let mut own = join_neighbours(group);
        if let Some(pause) = pause {
            own.retain(|i| i.start.1 < i.end.0);
            own.dedup_by(|next, before| {
                let one = next.start.1 - before.end.0 <= pause;
                before.end = if one { next.end } else { before.end };
                one
            });
        }
        intervals.extend(own);
    }
    intervals
}

fn join_neighbours(settled: &[(f64, f64, State)]) -> Vec<Interval> {
    let mut intervals: Vec<Interval> = Vec::new();
    let mut run: Option<Interval> = None;
    for &(start, end, state) in settled {
        match (state, &mut run) {
            (State::Above, _) => intervals.extend(run.take()),
            // The run goes on if more follows that is not above.
            (State::JustAbove, _) => {}
            (State::Below, None) => {
                run = Some(Interval {
                    start: (start, start),
                    end: (end, end),
                })
            }
            (State::Open, None) => {
                run = Some(Interval {
                    start: (start, end),
                    end: (start, end),
                })
            }
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
        let found = join(&settled, None);
        assert_eq!(
            found[0],
            Interval {
                start: (1.0, 1.1),
                end: (2.0, 2.1)
            }
        );
        assert_eq!(
            found[1],
            Interval {
                start: (3.0, 3.1),
                end: (3.0, 3.1)
            }
        );
        assert_eq!(join(&settled, Some(0.005)).len(), 1);
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
        let found = join(&settled, None);
        assert_eq!(found.len(), 2);
        assert_eq!(
            found[0],
            Interval {
                start: (0.9, 0.9),
                end: (1.4, 1.4)
            }
        );
        // What only may be below again behind the bridge makes nothing certain.
        let found = join(
            &[
                (0.0, 1.0, Below),
                (1.0, 1.1, JustAbove),
                (1.1, 1.2, Open),
                (1.2, 2.0, Above),
            ],
            None,
        );
        assert_eq!(
            found,
            [Interval {
                start: (0.0, 0.0),
                end: (1.0, 1.2)
            }]
        );
    }

    #[test]
    fn stretches_that_do_not_follow_each_other_are_apart() {
        let found = join(&[(0.0, 1.0, State::Below), (2.0, 3.0, State::Below)], None);
        assert_eq!(found.len(), 2);
    }

    #[test]
    fn touches_with_hardly_a_pause_are_one() {
        use State::{Above, Below, Open};
        let gap = |pause: f64| {
            [
                (0.0, 1.0, Below),
                (1.0, 1.0 + pause, Above),
                (1.0 + pause, 2.0, Below),
                (2.0, 2.1, Open),
            ]
        };
        assert_eq!(
            join(&gap(0.004), Some(0.005)),
            [Interval {
                start: (0.0, 0.0),
                end: (2.0, 2.1)
            }]
        );
        assert_eq!(join(&gap(0.006), Some(0.005)).len(), 2);
        assert_eq!(join(&gap(0.004), None).len(), 2);
    }
}

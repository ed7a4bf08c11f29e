//! When two bodies are nearer than a threshold, with both ends of every such time bracketed.

use super::minimum::{Look, PairMotion, lower_between};

/// A time during which a distance stays below a threshold. It certainly begins between
/// `start.0` and `start.1` and ends between `end.0` and `end.1`, s.
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

/// A threshold this small asks whether the bodies touch, m.
pub(super) const TOUCH: f64 = 1e-6;

/// The ends are bracketed this closely, s.
const TIME_RESOLUTION: f64 = 1e-4;

/// What is known of a stretch.
#[derive(Clone, Copy, PartialEq)]
enum State {
    Above,
    Below,
    /// Somewhere between: shorter than the resolution, or grazing the threshold.
    Open,
}

/// Every time within `from`..`to` (s) at which the pair is nearer than `threshold` (m).
///
/// Stretches whose bounds settle nothing are divided until they are shorter than 0.1 ms or the
/// bodies move less than `tolerance` (m) in them; what stays open then counts as below, and its ends
/// are the bracket.
pub fn intervals_below(
    pair: &mut PairMotion,
    (from, to): (f64, f64),
    threshold: f64,
    tolerance: f64,
    keep_on: &dyn Fn() -> bool,
) -> Vec<Interval> {
    let mut settled: Vec<(f64, f64, State)> = Vec::new();
    let overlap_only = threshold <= TOUCH;
    let far = |motion: f64| threshold + motion + tolerance;
    let first = pair.look(from, f64::INFINITY, 0.0).0;
    let last = pair.look(to, f64::INFINITY, 0.0).0;
    let mut open: Vec<(Look, Look)> = vec![(first, last)];
    while let Some((a, b)) = open.pop() {
        let motion = pair.motion(&a, &b);
        let state = if lower_between(&a, &b, motion) >= threshold {
            State::Above
        } else if upper_between(&a, &b, motion) < threshold || overlap_throughout(&a, &b) {
            State::Below
        } else {
            State::Open
        };
        let (start, end) = (a.time, b.time);
        let finished =
            state != State::Open || end - start <= TIME_RESOLUTION || motion <= tolerance * 0.1 || !keep_on();
        if finished {
            settled.push((start, end, state));
            continue;
        }
        let middle = pair.look(f64::midpoint(start, end), far(motion), motion * 0.2).0;
        open.push((middle.clone(), b));
        open.push((a, middle));
    }
    join(&settled, !overlap_only)
}

/// Stretches this short with an overlap at both ends are taken to overlap in between, s: how deep
/// bodies overlap is not measured, so no bound could say so.
const OVERLAP_STEP: f64 = 5e-3;

fn overlap_throughout(a: &Look, b: &Look) -> bool {
    b.time - a.time <= OVERLAP_STEP && a.attained == Some(0.0) && b.attained == Some(0.0)
}

/// Nothing in the stretch is farther apart than this, m.
fn upper_between(a: &Look, b: &Look, motion: f64) -> f64 {
    match (a.attained, b.attained) {
        (Some(x), Some(y)) => f64::midpoint(x + y, motion),
        _ => f64::INFINITY,
    }
}

/// Joins neighbouring stretches that are not certainly above into intervals; those of which nothing
/// is certainly below count only if `count_open`.
fn join(settled: &[(f64, f64, State)], count_open: bool) -> Vec<Interval> {
    let mut intervals: Vec<Interval> = Vec::new();
    let mut run: Option<Interval> = None;
    for &(start, end, state) in settled {
        match (state, &mut run) {
            (State::Above, _) => intervals.extend(run.take()),
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
}

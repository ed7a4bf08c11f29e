use super::handling::Handling;
use std::sync::Arc;

use super::track::{Knots, Piece, Track};
use crate::robot::{Assembly, Carried, Moment};

/// A stretch of time in which one move of one lane runs.
#[derive(Debug, Clone, PartialEq)]
pub struct MoveSpan {
    /// Which lane of the run plan.
    pub lane: usize,
    /// Which of the lane's programs.
    pub program: usize,
    /// Which move of the program.
    pub index: usize,
    /// s
    pub start: f64,
    /// s
    pub end: f64,
    /// A share: 1 at the programmed speed; smaller when joint limits forced it slower.
    pub speed_share: f64,
}

/// What moves a joint.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Drive {
    /// A track, and which of its joints it is.
    Track(usize, usize),
    /// Nothing: it stays there, rad or m.
    Rest(f64),
}

/// What all joints of the cell do over time: straight from knot to knot, each piece with even acceleration.
#[derive(Debug, Clone, PartialEq)]
pub struct Path {
    /// Where joints are that nothing drives, rad or m.
    rest: Vec<f64>,
    pub(super) tracks: Vec<Track>,
    /// For each joint the track that drives it.
    pub(super) drivers: Vec<Option<usize>>,
    /// The knots of all tracks, s.
    knots: Vec<f64>,
    /// For each joint, the largest magnitude of its values, rad or m.
    farthest: Vec<f64>,
    spans: Vec<MoveSpan>,
    handling: Handling,
}

/// s
const SAME_TURN: f64 = 1e-9;

impl Path {
    /// From knot times (s, rising from 0) and the joint vectors there, one after the other; even speed between them.
    ///
    /// # Panics
    /// If there is no knot, times do not rise, or the values don't fill every knot.
    #[must_use]
    pub fn new(joints: usize, times: Vec<f64>, values: Vec<f64>, spans: Vec<MoveSpan>) -> Self {
        assert!(
            !times.is_empty() && times.windows(2).all(|w| w[0] < w[1]),
            "rising knot times"
        );
        assert_eq!(
            values.len(),
            times.len() * joints,
            "a value a joint and knot"
        );
        let start = times[0];
        let mut knots = Knots::new(values[..joints].iter().copied());
        for (i, &time) in times.iter().enumerate().skip(1) {
            let row = &values[i * joints..(i + 1) * joints];
            knots.push(time - start, row.iter().copied(), 0.0);
        }
        let knots = Arc::new(knots);
        let piece = Piece { start, knots };
        let track = Track::new((0..joints).collect(), vec![piece], 0.0);
        Self::of_tracks(vec![0.0; joints], vec![track], spans)
    }

    /// All tracks on one clock; joints that none drives stay at `rest`.
    pub(super) fn of_tracks(rest: Vec<f64>, tracks: Vec<Track>, spans: Vec<MoveSpan>) -> Self {
        let mut drivers = vec![None; rest.len()];
        let mut farthest: Vec<f64> = rest.iter().map(|v| v.abs()).collect();
        let mut knots = vec![0.0];
        for (at, track) in tracks.iter().enumerate() {
            track.joints().iter().for_each(|&j| drivers[j] = Some(at));
            track.farthest(&mut farthest);
            knots.extend(track.times());
        }
        knots.sort_by(f64::total_cmp);
        knots.dedup();
        Self {
            rest,
            tracks,
            drivers,
            knots,
            farthest,
            spans,
            handling: Handling::default(),
        }
    }

    /// The same, along which parts are handled.
    pub(super) fn with_handling(self, handling: Handling) -> Self {
        Self { handling, ..self }
    }

    /// What is taken and released along it.
    #[must_use]
    pub fn handling(&self) -> &Handling {
        &self.handling
    }

    /// The cell at time `t`, s.
    #[must_use]
    pub fn moment(&self, assembly: &Assembly, t: f64) -> Moment {
        Moment {
            joints: self.at(t),
            carried: self.carried_at(assembly, t),
        }
    }

    /// What hangs elsewhere than in the roster at time `t`, s.
    #[must_use]
    pub fn carried_at(&self, assembly: &Assembly, t: f64) -> Carried {
        self.handling.carried_at(assembly, t)
    }

    /// How far a body that `joints` move may be off the programmed motion at any instant, m.
    #[must_use]
    pub fn deviation(&self, joints: impl Iterator<Item = usize>) -> f64 {
        let mut drivers: Vec<usize> = joints.filter_map(|j| self.drivers[j]).collect();
        drivers.sort_unstable();
        drivers.dedup();
        drivers
            .into_iter()
            .map(|track| self.tracks[track].deviation)
            .sum()
    }

    /// What a joint does: which track drives it in which place, or where it stays.
    pub(crate) fn drive(&self, joint: usize) -> Drive {
        let Some(track) = self.drivers[joint] else {
            return Drive::Rest(self.rest[joint]);
        };
        let mut driven = self.tracks[track].joints().iter();
        let place = driven.position(|&j| j == joint);
        Drive::Track(track, place.expect("it drives it"))
    }

    /// How many tracks there are.
    pub(crate) fn track_count(&self) -> usize {
        self.tracks.len()
    }

    /// All that a track does, in numbers: another that does anything else has others.
    pub(crate) fn track_numbers(&self, track: usize) -> impl Iterator<Item = f64> + '_ {
        self.tracks[track].numbers()
    }

    /// The last time at which one of `tracks` moves anything, s.
    pub(crate) fn end_of(&self, tracks: impl Iterator<Item = usize>) -> f64 {
        let ends = tracks.flat_map(|track| self.tracks[track].ends());
        ends.fold(0.0, f64::max)
    }

    /// The times between which each of `tracks` does one thing: moves as in one move, or stands, s. Of an end and a beginning at
    /// the same instant the beginning stays.
    pub(crate) fn turns(&self, tracks: &[usize]) -> Vec<f64> {
        let mut turns = vec![0.0];
        for &track in tracks {
            turns.extend(self.tracks[track].starts());
        }
        turns.sort_by(f64::total_cmp);
        turns.dedup();
        let ends = tracks.iter().flat_map(|&track| self.tracks[track].ends());
        let begins = |t: f64| {
            let next = turns.partition_point(|&start| start < t - SAME_TURN);
            turns.get(next).is_some_and(|start| *start <= t + SAME_TURN)
        };
        let alone: Vec<f64> = ends.filter(|&t| !begins(t)).collect();
        turns.extend(alone);
        turns.push(self.duration().max(*turns.last().expect("never empty")));
        turns.sort_by(f64::total_cmp);
        turns.dedup();
        turns
    }

    /// What a track does between two of its turns, in numbers: the same whenever it does the same.
    pub(crate) fn numbers_between(&self, track: usize, times: (f64, f64)) -> Vec<f64> {
        self.tracks[track].numbers_between(times)
    }

    /// For each joint the largest magnitude of its values, rad or m.
    #[must_use]
    pub fn farthest(&self) -> &[f64] {
        &self.farthest
    }

    /// A path that stands still at `q` (rad or m) for no time at all.
    #[must_use]
    pub fn standing(q: &[f64]) -> Self {
        Self::new(q.len(), vec![0.0], q.to_vec(), Vec::new())
    }

    /// How long it takes, s.
    #[must_use]
    pub fn duration(&self) -> f64 {
        *self.knots.last().expect("at least one knot")
    }

    /// The instants between which every joint goes straight, one way, s.
    #[must_use]
    pub fn knots(&self) -> &[f64] {
        &self.knots
    }

    /// When which move runs.
    #[must_use]
    pub fn spans(&self) -> &[MoveSpan] {
        &self.spans
    }

    /// The joint vector (rad, m) at time `t` (s), held at both ends.
    #[must_use]
    pub fn at(&self, t: f64) -> Vec<f64> {
        let mut q = self.rest.clone();
        self.tracks
            .iter()
            .for_each(|track| track.values_at(t, &mut q));
        q
    }

    /// Where the joints of `tracks` stand at time `t` (s), into their places of `q`.
    pub(crate) fn values_of(&self, tracks: &[usize], t: f64, q: &mut [f64]) {
        for &track in tracks {
            self.tracks[track].values_at(t, q);
        }
    }

    /// How far the joints of `tracks` have travelled until time `t` (s), into their places of `out`.
    pub(crate) fn travel_of(&self, tracks: &[usize], t: f64, out: &mut [f64]) {
        for &track in tracks {
            self.tracks[track].travelled_until(t, out);
        }
    }

    /// How far each joint has travelled between the start and time `t`: rad or m, into `out`.
    pub fn travelled_until(&self, t: f64, out: &mut [f64]) {
        out.fill(0.0);
        self.tracks
            .iter()
            .for_each(|track| track.travelled_until(t, out));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn joints_move_linearly_between_knots_and_travel_adds_up_both_ways() {
        let path = Path::new(1, vec![0.0, 1.0, 3.0], vec![0.0, 2.0, 1.0], Vec::new());
        assert_eq!(path.at(0.5), [1.0]);
        assert_eq!(path.at(2.0), [1.5]);
        assert_eq!(path.at(9.0), [1.0]);
        let mut travelled = [0.0];
        path.travelled_until(2.0, &mut travelled);
        assert_eq!(travelled, [2.5]);
    }
}

use std::sync::Arc;

/// A joint vector at a time.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Knot {
    /// s
    pub time: f64,
    /// rad, m
    pub q: Vec<f64>,
    /// How unevenly the piece that ends here is gone through, −1 (from rest) over 0 (evenly) to 1 (to rest): half the
    /// speed lost over the mean speed.
    pub bow: f64,
}

/// What some joints do during a stretch of time, from its start: straight from knot to knot, each piece with even acceleration.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Knots {
    /// How many joints.
    width: usize,
    /// After the start, s; the first is 0.
    times: Vec<f64>,
    /// A row a time: rad, m.
    values: Vec<f64>,
    /// A row a time: how far each joint has travelled since the start, rad or m.
    travelled: Vec<f64>,
    /// See [`Knot::bow`].
    bows: Vec<f64>,
    /// For each joint, the largest magnitude of its values, rad or m.
    farthest: Vec<f64>,
}

/// Knots nearer together than this are one, s.
const SAME_INSTANT: f64 = 1e-9;

impl Knots {
    /// Where joints stand at the start: rad, m.
    pub fn new(start: impl IntoIterator<Item = f64>) -> Self {
        let values: Vec<f64> = start.into_iter().collect();
        Self {
            width: values.len(),
            times: vec![0.0],
            travelled: vec![0.0; values.len()],
            bows: vec![0.0],
            farthest: values.iter().map(|v| v.abs()).collect(),
            values,
        }
    }

    /// Adds the values at `time` (s) of the piece that ends there.
    pub fn push(&mut self, time: f64, values: impl IntoIterator<Item = f64>, bow: f64) {
        let row = self.values.len() - self.width;
        // Nearer than that to the last one, it takes its place.
        let (last, same) = (self.times.len() - 1, time - self.duration() <= SAME_INSTANT);
        let anew = !(same && last > 0);
        for (i, value) in values.into_iter().enumerate() {
            self.farthest[i] = self.farthest[i].max(value.abs());
            let gone = self.travelled[row + i] + (value - self.values[row + i]).abs();
            if anew {
                self.values.push(value);
                self.travelled.push(gone);
            } else {
                self.values[row + i] = value;
                self.travelled[row + i] = gone;
            }
        }
        if anew {
            self.times.push(time);
            self.bows.push(bow);
        }
        let rows = self.times.len() * self.width;
        assert_eq!(self.values.len(), rows, "a value a joint");
    }

    /// The last time, s.
    pub fn duration(&self) -> f64 {
        *self.times.last().expect("never empty")
    }

    /// Whether nothing comes after the start.
    pub fn is_empty(&self) -> bool {
        self.times.len() == 1
    }

    fn row(&self, table: Table, at: usize) -> &[f64] {
        let table = match table {
            Table::Values => &self.values,
            Table::Travelled => &self.travelled,
        };
        &table[at * self.width..(at + 1) * self.width]
    }
}

/// What is kept of each knot, a number a joint.
#[derive(Clone, Copy, PartialEq)]
enum Table {
    Values,
    Travelled,
}

/// What some joints do over time, one move after the other. Moves are shared with the plans before and after.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Track {
    /// Indices into the cell's joint vector.
    joints: Vec<usize>,
    /// By their starts; one at least. Joints stand where it begins until then.
    pieces: Vec<Piece>,
    /// For each piece and joint, how far the joint has travelled before it, rad or m.
    travelled: Vec<f64>,
    /// How far anything the joints move may be off the programmed motion between knots, m.
    pub deviation: f64,
}

/// What happens from a time on, until it is over.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Piece {
    /// s
    pub start: f64,
    /// After the start.
    pub knots: Arc<Knots>,
}

impl Piece {
    /// When its knots are, s.
    fn times(&self) -> impl Iterator<Item = f64> + '_ {
        self.knots.times.iter().map(|after| self.start + after)
    }

    fn numbers(&self) -> impl Iterator<Item = f64> + '_ {
        let Self { start, knots } = self;
        let counts = [*start, knots.width as f64, knots.times.len() as f64];
        let rows = knots.times.iter().chain(&knots.values).chain(&knots.bows);
        counts.into_iter().chain(rows.copied())
    }
}

impl Track {
    /// Through all `pieces`, of which there is one at least and which follow each other; the deviation in m.
    pub fn new(joints: Vec<usize>, pieces: Vec<Piece>, deviation: f64) -> Self {
        assert!(!pieces.is_empty(), "a track begins somewhere");
        let n = joints.len();
        let mut travelled = Vec::with_capacity(pieces.len() * n);
        let mut gone = vec![0.0; n];
        for Piece { knots, .. } in &pieces {
            assert_eq!(knots.width, n, "a value a joint");
            travelled.extend(&gone);
            let last = knots.row(Table::Travelled, knots.times.len() - 1);
            gone.iter_mut().zip(last).for_each(|(all, own)| *all += own);
        }
        Self {
            joints,
            pieces,
            travelled,
            deviation,
        }
    }

    pub fn joints(&self) -> &[usize] {
        &self.joints
    }

    /// All that it does, in numbers.
    pub fn numbers(&self) -> impl Iterator<Item = f64> + '_ {
        std::iter::once(self.deviation).chain(self.pieces.iter().flat_map(Piece::numbers))
    }

    /// When something begins, s.
    pub fn starts(&self) -> impl Iterator<Item = f64> + '_ {
        self.pieces.iter().map(|piece| piece.start)
    }

    /// When something ends, s.
    pub fn ends(&self) -> impl Iterator<Item = f64> + '_ {
        let end = |piece: &Piece| piece.start + piece.knots.duration();
        self.pieces.iter().map(end)
    }

    /// What it does from `from` until `to` (s), between two of its turns, in numbers: the same whenever it does the same.
    pub fn numbers_between(&self, (from, to): (f64, f64)) -> Vec<f64> {
        let middle = f64::midpoint(from, to);
        let at = self.pieces.partition_point(|piece| piece.start <= middle);
        let Some(Piece { start, knots }) = self.pieces[..at].last() else {
            return self.row_at(middle);
        };
        if start + knots.duration() <= middle {
            return self.row_at(middle);
        }
        // One that another track's window cuts short is told by how much of it that holds.
        let ends = start + knots.duration();
        let whole = *start == from && (ends - to).abs() <= SAME_INSTANT;
        let part = if whole {
            [f64::NAN, f64::NAN]
        } else {
            [from - start, to - from]
        };
        let rows = knots.times.iter().chain(&knots.values).chain(&knots.bows);
        part.into_iter().chain(rows.copied()).collect()
    }

    /// When the knots are, s.
    pub fn times(&self) -> impl Iterator<Item = f64> + '_ {
        self.pieces.iter().flat_map(Piece::times)
    }

    /// The largest magnitude (rad or m) that each joint takes, into the joints' places of `out` where it is larger.
    pub fn farthest(&self, out: &mut [f64]) {
        for piece in &self.pieces {
            for (&joint, value) in self.joints.iter().zip(&piece.knots.farthest) {
                out[joint] = out[joint].max(*value);
            }
        }
    }

    /// The values (rad or m) at time `t` (s), into the joints' places of `q`; held at both ends.
    pub fn values_at(&self, t: f64, q: &mut [f64]) {
        self.interpolate(Table::Values, t, |i, value| q[self.joints[i]] = value);
    }

    /// The corners of what the joints do during `from`..`to` (s), a row each: both ends and the knots between them. In
    /// between they go straight from one to the next.
    pub fn corners(&self, (from, to): (f64, f64), mut see: impl FnMut(&[f64])) {
        see(&self.row_at(from));
        let first = self.pieces.partition_point(|piece| piece.start <= from);
        for Piece { start, knots } in &self.pieces[first.saturating_sub(1)..] {
            if *start >= to {
                break;
            }
            let after = |t: f64| knots.times.partition_point(|knot| start + knot <= t);
            for at in after(from)..after(to) {
                see(knots.row(Table::Values, at));
            }
        }
        see(&self.row_at(to));
    }

    /// The values at time `t` (s), rad or m.
    pub fn row_at(&self, t: f64) -> Vec<f64> {
        let mut row = vec![0.0; self.joints.len()];
        self.interpolate(Table::Values, t, |i, value| row[i] = value);
        row
    }

    /// How far each joint has travelled (rad or m) until `t` (s), into the joints' places of `out`.
    pub fn travelled_until(&self, t: f64, out: &mut [f64]) {
        self.interpolate(Table::Travelled, t, |i, value| out[self.joints[i]] = value);
    }

    fn interpolate(&self, table: Table, t: f64, mut put: impl FnMut(usize, f64)) {
        let n = self.joints.len();
        let at = self.pieces.partition_point(|piece| piece.start <= t);
        let at = at.saturating_sub(1);
        let Piece { start, knots } = &self.pieces[at];
        let before = &self.travelled[at * n..(at + 1) * n];
        let before = |i: usize| {
            if table == Table::Travelled {
                before[i]
            } else {
                0.0
            }
        };
        let next = knots.times.partition_point(|after| start + after <= t);
        if next == 0 || next == knots.times.len() {
            let held = knots.row(table, next.saturating_sub(1));
            (0..n).for_each(|i| put(i, before(i) + held[i]));
            return;
        }
        let (t0, t1) = (start + knots.times[next - 1], start + knots.times[next]);
        let share = (t - t0) / (t1 - t0);
        let share = share * (1.0 + knots.bows[next] * (1.0 - share));
        let (a, b) = (knots.row(table, next - 1), knots.row(table, next));
        (0..n).for_each(|i| put(i, before(i) + (a[i] + (b[i] - a[i]) * share)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::program::Trapezoid;

    fn at(track: &Track, t: f64) -> f64 {
        let mut q = [f64::NAN];
        track.values_at(t, &mut q);
        q[0]
    }

    fn track(knots: Knots) -> Track {
        let piece = Piece {
            start: 0.0,
            knots: Arc::new(knots),
        };
        Track::new(vec![0], vec![piece], 0.0)
    }

    /// Three pieces are the whole of a trapezoid, at every instant.
    #[test]
    fn a_bow_is_even_acceleration() {
        let travel = Trapezoid::new(2.0, 0.8, 1.5);
        let (ramp, end) = (travel.ramp(), travel.duration());
        let mut knots = Knots::new([1.0]);
        for (time, bow) in [(ramp, -1.0), (end - ramp, 0.0), (end, 1.0)] {
            knots.push(time, [1.0 - travel.at(time)], bow);
        }
        let track = track(knots);
        for i in 0..=1000 {
            let t = end * f64::from(i) / 1000.0;
            assert!(
                (at(&track, t) - (1.0 - travel.at(t))).abs() < 1e-12,
                "at {t}"
            );
            let mut gone = [0.0];
            track.travelled_until(t, &mut gone);
            assert!((gone[0] - travel.at(t)).abs() < 1e-12);
        }
    }

    #[test]
    fn knots_within_a_nanosecond_are_one_and_nothing_is_lost_of_the_travel() {
        let mut knots = Knots::new([0.0]);
        for (time, q) in [(1.0, 1.0), (1.0 + 1e-10, 0.5), (2.0, 0.5)] {
            knots.push(time, [q], 0.0);
        }
        let track = track(knots);
        assert_eq!(
            (track.times().count(), at(&track, 1.0), at(&track, 5.0)),
            (3, 0.5, 0.5)
        );
        let mut gone = [0.0];
        track.travelled_until(9.0, &mut gone);
        assert!((gone[0] - 1.5).abs() < 1e-12);
    }

    /// Moves lie side by side: before, between and after them joints stand, and travel adds up over all of them.
    #[test]
    fn between_its_pieces_a_track_stands_still() {
        let line = |from: f64, to: f64, seconds: f64| {
            let mut knots = Knots::new([from]);
            knots.push(seconds, [to], 0.0);
            Arc::new(knots)
        };
        let piece = |start: f64, knots| Piece { start, knots };
        let pieces = vec![
            piece(1.0, line(5.0, 7.0, 2.0)),
            piece(3.0, Arc::new(Knots::new([7.0]))),
            piece(4.0, line(7.0, 6.0, 1.0)),
        ];
        let track = Track::new(vec![0], pieces, 0.0);
        let gone = |t: f64| {
            let mut out = [f64::NAN];
            track.travelled_until(t, &mut out);
            out[0]
        };
        for (t, value, travelled) in [
            (0.0, 5.0, 0.0),
            (1.0, 5.0, 0.0),
            (2.0, 6.0, 1.0),
            (3.5, 7.0, 2.0),
            (4.5, 6.5, 2.5),
            (9.0, 6.0, 3.0),
        ] {
            assert_eq!((at(&track, t), gone(t)), (value, travelled), "at {t} s");
        }
        let mut farthest = [1.0];
        track.farthest(&mut farthest);
        assert_eq!(farthest, [7.0]);
    }

    #[test]
    fn what_a_track_does_is_told_whenever_it_does_it() {
        let begun = |start: f64| {
            let mut knots = Knots::new([0.0]);
            knots.push(10.0, [2.0], 0.0);
            let knots = Arc::new(knots);
            Track::new(vec![0], vec![Piece { start, knots }], 0.0)
        };
        let bits = |track: &Track, times| -> Vec<u64> {
            let numbers = track.numbers_between(times).into_iter();
            numbers.map(f64::to_bits).collect()
        };
        let (now, later) = (begun(1.0), begun(3.0));
        assert_eq!(bits(&now, (1.0, 11.0)), bits(&later, (3.0, 13.0)));
        // Before it begins and after it is over it stands, for however long.
        assert_eq!(bits(&now, (11.0, 12.0)), bits(&later, (13.0, 20.0)));
        assert_ne!(bits(&now, (0.0, 1.0)), bits(&now, (11.0, 12.0)));
        // A part of it is another part elsewhere in it.
        assert_eq!(bits(&now, (2.0, 4.0)), bits(&later, (4.0, 6.0)));
        assert_ne!(bits(&now, (2.0, 4.0)), bits(&now, (3.0, 5.0)));
        assert_ne!(bits(&now, (2.0, 4.0)), bits(&now, (2.0, 5.0)));
    }
}

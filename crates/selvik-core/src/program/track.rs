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

/// Joint vectors at times, one after the other.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Knots {
    /// How many joints.
    width: usize,
    /// s
    times: Vec<f64>,
    /// A row a time: rad, m.
    values: Vec<f64>,
    /// See [`Knot::bow`].
    bows: Vec<f64>,
}

impl Knots {
    pub fn new(width: usize) -> Self {
        Self {
            width,
            times: Vec::new(),
            values: Vec::new(),
            bows: Vec::new(),
        }
    }

    /// Adds the values at `time` (s) of the piece that ends there.
    pub fn push(&mut self, time: f64, values: impl IntoIterator<Item = f64>, bow: f64) {
        self.times.push(time);
        self.values.extend(values);
        self.bows.push(bow);
        debug_assert_eq!(
            self.values.len(),
            self.times.len() * self.width,
            "a value a joint"
        );
    }

    /// The last time, s; 0 if there is none.
    pub fn duration(&self) -> f64 {
        self.times.last().copied().unwrap_or(0.0)
    }
}

/// What some joints do over time: straight from knot to knot, each piece with even acceleration.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Track {
    /// Indices into the cell's joint vector.
    joints: Vec<usize>,
    times: Vec<f64>,
    /// For each knot the values of the joints, rad or m.
    values: Vec<f64>,
    /// For each knot and joint, how far the joint has travelled since the start, rad or m.
    travelled: Vec<f64>,
    /// For each knot, see [`Knot::bow`]: without unit.
    bows: Vec<f64>,
    /// How far anything the joints move may be off the programmed motion between knots, m.
    pub deviation: f64,
}

/// Knots nearer together than this are one, s.
const SAME_INSTANT: f64 = 1e-9;

impl Track {
    /// Through `knots`, whose times don't fall; the deviation in m.
    pub fn new(joints: Vec<usize>, knots: &Knots, deviation: f64) -> Self {
        Self::of_pieces(joints, &[(0.0, knots)], deviation)
    }

    /// Through all pieces one after the other, each so much later than its own times say, s.
    pub fn of_pieces(joints: Vec<usize>, pieces: &[(f64, &Knots)], deviation: f64) -> Self {
        let n = joints.len();
        let rows: usize = pieces.iter().map(|(_, knots)| knots.times.len()).sum();
        let mut this = Self {
            joints,
            times: Vec::with_capacity(rows),
            values: Vec::with_capacity(rows * n),
            travelled: Vec::with_capacity(rows * n),
            bows: Vec::with_capacity(rows),
            deviation,
        };
        for (later, knots) in pieces {
            assert_eq!(knots.width, n, "a value a joint");
            for (at, (time, bow)) in knots.times.iter().zip(&knots.bows).enumerate() {
                this.push(later + time, &knots.values[at * n..(at + 1) * n], *bow);
            }
        }
        this
    }

    fn push(&mut self, time: f64, q: &[f64], bow: f64) {
        let n = self.joints.len();
        let Some(&last) = self.times.last() else {
            self.times.push(time);
            self.bows.push(bow);
            self.values.extend(q);
            self.travelled.resize(n, 0.0);
            return;
        };
        let row = self.values.len() - n;
        if time - last <= SAME_INSTANT {
            for (i, value) in q.iter().enumerate() {
                self.travelled[row + i] += (value - self.values[row + i]).abs();
                self.values[row + i] = *value;
            }
            return;
        }
        self.times.push(time);
        self.bows.push(bow);
        for (i, value) in q.iter().enumerate() {
            let gone = self.travelled[row + i] + (value - self.values[row + i]).abs();
            self.travelled.push(gone);
        }
        self.values.extend(q);
    }

    pub fn joints(&self) -> &[usize] {
        &self.joints
    }

    /// When the knots are, s.
    pub fn times(&self) -> &[f64] {
        &self.times
    }

    /// The rows of the values at knots, rad or m.
    pub fn rows(&self) -> impl Iterator<Item = &[f64]> {
        self.values.chunks_exact(self.joints.len().max(1))
    }

    /// The values (rad or m) at time `t` (s), into the joints' places of `q`; held at both ends.
    pub fn values_at(&self, t: f64, q: &mut [f64]) {
        self.interpolate(&self.values, t, q);
    }

    /// How far each joint has travelled (rad or m) until `t` (s), into the joints' places of `out`.
    pub fn travelled_until(&self, t: f64, out: &mut [f64]) {
        self.interpolate(&self.travelled, t, out);
    }

    fn interpolate(&self, table: &[f64], t: f64, out: &mut [f64]) {
        let n = self.joints.len();
        let row = |i: usize| &table[i * n..(i + 1) * n];
        let next = self.times.partition_point(|&knot| knot <= t);
        if next == 0 || next == self.times.len() {
            let Some(held) = (!self.times.is_empty()).then(|| row(next.saturating_sub(1))) else {
                return;
            };
            self.joints.iter().zip(held).for_each(|(&j, v)| out[j] = *v);
            return;
        }
        let (t0, t1) = (self.times[next - 1], self.times[next]);
        let share = (t - t0) / (t1 - t0);
        let share = share * (1.0 + self.bows[next] * (1.0 - share));
        for ((&j, a), b) in self.joints.iter().zip(row(next - 1)).zip(row(next)) {
            out[j] = a + (b - a) * share;
        }
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

    /// Three pieces are the whole of a trapezoid, at every instant.
    #[test]
    fn a_bow_is_even_acceleration() {
        let travel = Trapezoid::new(2.0, 0.8, 1.5);
        let (ramp, end) = (travel.ramp(), travel.duration());
        let mut knots = Knots::new(1);
        for (time, bow) in [(0.0, 0.0), (ramp, -1.0), (end - ramp, 0.0), (end, 1.0)] {
            knots.push(time, [1.0 - travel.at(time)], bow);
        }
        let track = Track::new(vec![0], &knots, 0.0);
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
        let mut knots = Knots::new(1);
        for (time, q) in [(0.0, 0.0), (1.0, 1.0), (1.0 + 1e-10, 0.5), (2.0, 0.5)] {
            knots.push(time, [q], 0.0);
        }
        let track = Track::new(vec![0], &knots, 0.0);
        assert_eq!(
            (track.times().len(), at(&track, 1.0), at(&track, 5.0)),
            (3, 0.5, 0.5)
        );
        let mut gone = [0.0];
        track.travelled_until(9.0, &mut gone);
        assert!((gone[0] - 1.5).abs() < 1e-12);
    }
}

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
    pub fn new(joints: Vec<usize>, knots: impl IntoIterator<Item = Knot>, deviation: f64) -> Self {
        let mut this = Self {
            joints,
            times: vec![],
            values: vec![],
            travelled: vec![],
            bows: vec![],
            deviation,
        };
        for knot in knots {
            this.push(&knot);
        }
        this
    }

    fn push(&mut self, knot: &Knot) {
        let n = self.joints.len();
        assert_eq!(knot.q.len(), n, "a value a joint");
        let Some(&last) = self.times.last() else {
            self.times.push(knot.time);
            self.bows.push(0.0);
            self.values.extend(&knot.q);
            self.travelled.resize(n, 0.0);
            return;
        };
        let gone = |this: &Self, i: usize| {
            let row = this.values.len() - n;
            this.travelled[row + i] + (knot.q[i] - this.values[row + i]).abs()
        };
        let travelled: Vec<f64> = (0..n).map(|i| gone(self, i)).collect();
        if knot.time - last <= SAME_INSTANT {
            let row = self.values.len() - n;
            self.values.truncate(row);
            self.travelled.truncate(row);
        } else {
            self.times.push(knot.time);
            self.bows.push(knot.bow);
        }
        self.values.extend(&knot.q);
        self.travelled.extend(travelled);
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
        let knot = |time: f64, bow| Knot {
            time,
            q: vec![1.0 - travel.at(time)],
            bow,
        };
        let knots = [
            knot(0.0, 0.0),
            knot(ramp, -1.0),
            knot(end - ramp, 0.0),
            knot(end, 1.0),
        ];
        let track = Track::new(vec![0], knots, 0.0);
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
        let knot = |time, q| Knot {
            time,
            q: vec![q],
            bow: 0.0,
        };
        let track = Track::new(
            vec![0],
            [
                knot(0.0, 0.0),
                knot(1.0, 1.0),
                knot(1.0 + 1e-10, 0.5),
                knot(2.0, 0.5),
            ],
            0.0,
        );
        assert_eq!(
            (track.times().len(), at(&track, 1.0), at(&track, 5.0)),
            (3, 0.5, 0.5)
        );
        let mut gone = [0.0];
        track.travelled_until(9.0, &mut gone);
        assert!((gone[0] - 1.5).abs() < 1e-12);
    }
}

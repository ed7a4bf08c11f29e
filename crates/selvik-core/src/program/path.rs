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
    /// 1 at the programmed speed; smaller when joint limits forced it slower.
    pub speed_share: f64,
}

/// What all joints of the cell do over time: linear between knots.
#[derive(Debug, Clone, PartialEq)]
pub struct Path {
    joints: usize,
    times: Vec<f64>,
    values: Vec<f64>,
    /// For each knot and joint, how far the joint has travelled since the start.
    travelled: Vec<f64>,
    /// For each joint the lane that drives it.
    drivers: Vec<Option<usize>>,
    /// For each lane, how far anything it moves may be off the programmed motion between knots, m.
    deviations: Vec<f64>,
    /// For each joint, the largest magnitude of its values.
    farthest: Vec<f64>,
    spans: Vec<MoveSpan>,
}

impl Path {
    /// From knot times (s, rising from 0) and the joint vectors there, one after the other.
    ///
    /// # Panics
    /// If there is no knot, times do not rise, or the values don't fill every knot.
    #[must_use]
    pub fn new(joints: usize, times: Vec<f64>, values: Vec<f64>, spans: Vec<MoveSpan>) -> Self {
        assert!(!times.is_empty() && times.windows(2).all(|w| w[0] < w[1]), "rising knot times");
        assert_eq!(values.len(), times.len() * joints, "a value a joint and knot");
        let mut travelled = vec![0.0; values.len()];
        for i in joints..values.len() {
            travelled[i] = travelled[i - joints] + (values[i] - values[i - joints]).abs();
        }
        let mut farthest = vec![0.0f64; joints];
        for row in values.chunks_exact(joints.max(1)) {
            farthest.iter_mut().zip(row).for_each(|(most, v)| *most = most.max(v.abs()));
        }
        Self {
            joints,
            times,
            values,
            travelled,
            drivers: vec![None; joints],
            deviations: Vec::new(),
            farthest,
            spans,
        }
    }

    /// The same path, of which is said which lane drives each joint, and how far anything a lane moves may be off the
    /// programmed motion between knots, m.
    ///
    /// # Panics
    /// If there is not one driver a joint.
    #[must_use]
    pub fn deviating(self, drivers: Vec<Option<usize>>, deviations: Vec<f64>) -> Self {
        assert_eq!(drivers.len(), self.joints, "a driver a joint");
        Self { drivers, deviations, ..self }
    }

    /// How far a body that `joints` move may be off the programmed motion at any instant, m.
    #[must_use]
    pub fn deviation(&self, joints: impl Iterator<Item = usize>) -> f64 {
        let mut lanes: Vec<usize> = joints.filter_map(|j| self.drivers[j]).collect();
        lanes.sort_unstable();
        lanes.dedup();
        lanes.into_iter().map(|lane| self.deviations[lane]).sum()
    }

    /// For each joint the largest magnitude of its values, rad or m.
    #[must_use]
    pub fn farthest(&self) -> &[f64] {
        &self.farthest
    }

    /// A path that stands still at `q` for no time at all.
    #[must_use]
    pub fn standing(q: &[f64]) -> Self {
        Self::new(q.len(), vec![0.0], q.to_vec(), Vec::new())
    }

    /// How long it takes, s.
    #[must_use]
    pub fn duration(&self) -> f64 {
        *self.times.last().expect("at least one knot")
    }

    /// The instants between which all joints move linearly, s.
    #[must_use]
    pub fn knots(&self) -> &[f64] {
        &self.times
    }

    /// When which move runs.
    #[must_use]
    pub fn spans(&self) -> &[MoveSpan] {
        &self.spans
    }

    /// The joint vector (rad, m) at time `t` (s), held at both ends.
    #[must_use]
    pub fn at(&self, t: f64) -> Vec<f64> {
        let mut q = vec![0.0; self.joints];
        self.interpolate(&self.values, t, &mut q);
        q
    }

    /// How far each joint has travelled between the start and time `t`: rad or m, into `out`.
    pub fn travelled_until(&self, t: f64, out: &mut [f64]) {
        self.interpolate(&self.travelled, t, out);
    }

    fn interpolate(&self, table: &[f64], t: f64, out: &mut [f64]) {
        let row = |i: usize| &table[i * self.joints..(i + 1) * self.joints];
        let next = self.times.partition_point(|&knot| knot <= t);
        if next == 0 {
            return out.copy_from_slice(row(0));
        }
        if next == self.times.len() {
            return out.copy_from_slice(row(next - 1));
        }
        let (t0, t1) = (self.times[next - 1], self.times[next]);
        let share = (t - t0) / (t1 - t0);
        for ((o, a), b) in out.iter_mut().zip(row(next - 1)).zip(row(next)) {
            *o = a + (b - a) * share;
        }
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

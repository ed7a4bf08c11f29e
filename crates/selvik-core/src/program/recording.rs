//! What joints did, row by row.

use std::sync::Arc;

/// Joint values over time as they were recorded: straight from row to row.
#[derive(Debug, Clone, PartialEq)]
pub struct Recording {
    joints: Vec<usize>,
    times: Arc<[f64]>,
    values: Arc<[f64]>,
}

/// Why rows make no recording.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
pub enum RecordingError {
    /// Nothing to play.
    #[error("there are no rows")]
    Empty,
    /// Two columns are one joint.
    #[error("two columns are mapped to one joint")]
    SharedJoint,
    /// Not a number, or out of all proportion.
    #[error("row {} holds a value that is no usable number", .row + 1)]
    NotANumber {
        /// From 0.
        row: usize,
    },
    /// Time does not go on.
    #[error("row {} is not later than the row before by at least a microsecond ({time} s)", .row + 1)]
    NotLater {
        /// From 0.
        row: usize,
        /// Of that row, s.
        time: f64,
    },
}

/// Rows follow each other by no less, s; what rounding takes of a microsecond is left out.
const LEAST_STEP: f64 = 0.99e-6;
/// Larger values are out of all proportion, rad or m or s.
const LARGEST: f64 = 1e6;

impl Recording {
    /// From a time (s) a row, rising, and the values (rad or m) of `joints` (indices into the cell's joint vector) row after
    /// row. Time counts from the first row.
    ///
    /// # Errors
    /// [`RecordingError`] says which row can't be played.
    ///
    /// # Panics
    /// If the values don't fill every row.
    pub fn new(
        joints: Vec<usize>,
        mut times: Vec<f64>,
        values: Vec<f64>,
    ) -> Result<Self, RecordingError> {
        let width = joints.len();
        assert_eq!(values.len(), times.len() * width, "a value a joint and row");
        let Some(&first) = times.first() else {
            return Err(RecordingError::Empty);
        };
        no_two_alike(&joints)?;
        let usable = |v: &f64| v.abs() <= LARGEST;
        let lost = |t: &f64| t.is_nan() || t.abs() > 1e12;
        if let Some(row) = times.iter().position(lost) {
            return Err(RecordingError::NotANumber { row });
        }
        if let Some(at) = values.iter().position(|v| !usable(v)) {
            return Err(RecordingError::NotANumber { row: at / width });
        }
        // Knots within a nanosecond are one: a row between others would be lost.
        if let Some(row) = times.windows(2).position(|w| w[1] - w[0] < LEAST_STEP) {
            return Err(RecordingError::NotLater {
                row: row + 1,
                time: times[row + 1],
            });
        }
        times.iter_mut().for_each(|t| *t -= first);
        Ok(Self {
            joints,
            times: times.into(),
            values: values.into(),
        })
    }

    /// The same rows, of other joints.
    ///
    /// # Errors
    /// [`RecordingError::SharedJoint`].
    ///
    /// # Panics
    /// If there are more or fewer of them.
    pub fn of_joints(&self, joints: Vec<usize>) -> Result<Self, RecordingError> {
        assert_eq!(joints.len(), self.joints.len(), "a joint a column");
        no_two_alike(&joints)?;
        Ok(Self {
            joints,
            ..self.clone()
        })
    }

    /// Indices into the cell's joint vector.
    #[must_use]
    pub fn joints(&self) -> &[usize] {
        &self.joints
    }

    /// When the rows are, s from the first.
    #[must_use]
    pub fn times(&self) -> &[f64] {
        &self.times
    }

    /// The largest speed of each joint between two rows, rad/s or m/s.
    #[must_use]
    pub fn fastest(&self) -> Vec<f64> {
        let mut fastest = vec![0.0f64; self.joints.len()];
        let rows = self.rows().zip(self.rows().skip(1));
        for ((before, now), times) in rows.zip(self.times.windows(2)) {
            for (most, (a, b)) in fastest.iter_mut().zip(before.iter().zip(now)) {
                *most = most.max((b - a).abs() / (times[1] - times[0]));
            }
        }
        fastest
    }

    /// The rows, rad or m.
    pub fn rows(&self) -> impl Iterator<Item = &[f64]> {
        // Without joints there are no values, and no rows either.
        self.values.chunks_exact(self.joints.len().max(1))
    }
}

fn no_two_alike(joints: &[usize]) -> Result<(), RecordingError> {
    let mut sorted = joints.to_vec();
    sorted.sort_unstable();
    match sorted.windows(2).any(|w| w[0] == w[1]) {
        true => Err(RecordingError::SharedJoint),
        false => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[rstest::rstest]
    #[case::nothing(vec![], vec![], RecordingError::Empty)]
    #[case::back_in_time(vec![0.0, 1.0, 0.5], vec![0.0; 3], RecordingError::NotLater { row: 2, time: 0.5 })]
    #[case::twice_at_once(vec![0.0, 0.0], vec![0.0; 2], RecordingError::NotLater { row: 1, time: 0.0 })]
    #[case::too_soon(vec![0.0, 1.0, 1.0 + 1e-10, 2.0], vec![0.0; 4], RecordingError::NotLater { row: 2, time: 1.0 + 1e-10 })]
    #[case::no_time(vec![0.0, f64::NAN], vec![0.0; 2], RecordingError::NotANumber { row: 1 })]
    #[case::no_value(vec![0.0, 1.0], vec![0.0, f64::INFINITY], RecordingError::NotANumber { row: 1 })]
    fn rows_that_can_t_be_played_are_named(
        #[case] times: Vec<f64>,
        #[case] values: Vec<f64>,
        #[case] expected: RecordingError,
    ) {
        let refused = Recording::new(vec![3], times, values).unwrap_err();
        assert_eq!(refused.to_string(), expected.to_string());
    }

    #[test]
    fn time_counts_from_the_first_row() {
        let recording = Recording::new(vec![1], vec![100.5, 101.0], vec![1.0, 2.0]).unwrap();
        assert_eq!(recording.times(), [0.0, 0.5]);
        assert_eq!(recording.fastest(), [2.0]);
        assert_eq!(recording.rows().collect::<Vec<_>>(), [[1.0], [2.0]]);
        assert_eq!(
            Recording::new(vec![1, 1], vec![0.0], vec![0.0; 2]),
            Err(RecordingError::SharedJoint)
        );
    }
}

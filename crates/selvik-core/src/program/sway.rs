use super::Path;
use crate::robot::{JointSway, Sway};

impl Path {
    /// The tracks that drive any of `joints`, each once.
    pub(crate) fn drivers_of(&self, joints: impl Iterator<Item = usize>) -> Vec<usize> {
        let mut drivers: Vec<usize> = joints.filter_map(|j| self.drivers[j]).collect();
        drivers.sort_unstable();
        drivers.dedup();
        drivers
    }

    /// The joints that a track drives.
    pub(crate) fn driven_by(&self, track: usize) -> &[usize] {
        self.tracks[track].joints()
    }

    /// How the joints of `tracks` sway during `from`..`to` round the instant `at` (s); `q` is the joint vector there.
    pub(crate) fn sway(
        &self,
        tracks: &[usize],
        (from, at, to): (f64, f64, f64),
        q: &[f64],
    ) -> Sway {
        debug_assert!((from..=to).contains(&at));
        let mut sway = Sway {
            joints: vec![JointSway::default(); q.len()],
            ways: Vec::with_capacity(tracks.len()),
        };
        let (mut corners, mut shares) = (Vec::new(), Vec::new());
        for &track in tracks {
            let track = &self.tracks[track];
            let joints = track.joints();
            corners.clear();
            track.corners((from, to), |row| {
                let off = row.iter().zip(joints).map(|(x, &joint)| x - q[joint]);
                corners.extend(off);
            });
            let rows = || corners.chunks_exact(joints.len());
            let (Some(first), Some(last)) = (rows().next(), rows().next_back()) else {
                sway.ways.push((0.0, 0.0));
                continue;
            };
            let chord = |i: usize| last[i] - first[i];
            let squared: f64 = (0..joints.len()).map(|i| chord(i).powi(2)).sum();
            let share = |row: &[f64]| {
                if squared > 0.0 {
                    let along = row.iter().enumerate().map(|(i, x)| x * chord(i));
                    along.sum::<f64>() / squared
                } else {
                    0.0
                }
            };
            shares.clear();
            shares.extend(rows().map(share));
            let (start, end) = (shares[0], shares[shares.len() - 1]);
            let squares = start * start + end * end;
            for (i, &joint) in joints.iter().enumerate() {
                let chord = chord(i);
                let beside = |s: f64, row: &[f64]| row[i] - s * chord;
                let bow = if squares > 0.0 {
                    (beside(start, first) + beside(end, last)) / squares
                } else {
                    0.0
                };
                let mut own = JointSway {
                    along: chord,
                    bow,
                    ..JointSway::default()
                };
                let mut before: Option<(f64, f64)> = None;
                for (&s, row) in shares.iter().zip(rows()) {
                    let aside = beside(s, row);
                    let off = (aside - s * s * bow).abs();
                    // Between corners the joints go straight, and the parabola does not.
                    let (bulge, off_before) = before.map_or((0.0, 0.0), |(at, off)| {
                        (bow.abs() * (s - at).powi(2) / 4.0, off)
                    });
                    own.beside = own.beside.max(aside.abs());
                    own.reach = own.reach.max(row[i].abs());
                    own.off_bow = own.off_bow.max(off.max(off_before) + bulge);
                    before = Some((s, off));
                }
                sway.joints[joint] = own;
            }
            let way = shares
                .iter()
                .fold((0.0f64, 0.0f64), |w, &s| (w.0.min(s), w.1.max(s)));
            sway.ways.push(way);
        }
        sway
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Every instant of any stretch of any path keeps to what is said of it.
        #[test]
        fn every_instant_lies_on_the_line_or_no_farther_beside_it_than_is_said(
            rows in prop::collection::vec(prop::array::uniform3(-2.0f64..2.0), 2..9),
            ends in prop::array::uniform3(0.0f64..1.0),
        ) {
            let times: Vec<f64> = (0..rows.len()).map(|i| i as f64 * 0.5).collect();
            let path = Path::new(3, times, rows.concat(), Vec::new());
            let mut ends = ends.map(|share| share * path.duration());
            ends.sort_by(f64::total_cmp);
            let [from, at, to] = ends;
            let q = path.at(at);
            let sway = path.sway(&[0], (from, at, to), &q);
            let (back, forth) = sway.ways[0];
            for step in 0..=50 {
                let now = path.at(from + (to - from) * f64::from(step) / 50.0);
                let off: Vec<f64> = now.iter().zip(&q).map(|(x, y)| x - y).collect();
                // The places along the line that leave no joint too far beside it.
                let (mut low, mut high) = (back, forth);
                for (j, off) in off.iter().enumerate() {
                    let own = &sway.joints[j];
                    prop_assert!(off.abs() <= own.reach + 1e-9);
                    let (along, beside) = (own.along, own.beside + 1e-9);
                    if along.abs() > 1e-12 {
                        let ends = [(off - beside) / along, (off + beside) / along];
                        low = low.max(ends[0].min(ends[1]));
                        high = high.min(ends[0].max(ends[1]));
                    } else {
                        prop_assert!(off.abs() <= beside + 1e-9);
                    }
                }
                prop_assert!(low <= high + 1e-9, "{low} {high}");
                // Where it is along the line, it is no farther off the parabola than is said.
                let squared: f64 = sway.joints.iter().map(|own| own.along.powi(2)).sum();
                let along = off.iter().zip(&sway.joints).map(|(x, own)| x * own.along);
                let s = if squared > 0.0 { along.sum::<f64>() / squared } else { 0.0 };
                for (j, off) in off.iter().enumerate() {
                    let own = &sway.joints[j];
                    let beside = (off - s * own.along - s * s * own.bow).abs();
                    prop_assert!(beside <= own.off_bow + 1e-9, "{beside} {}", own.off_bow);
                }
            }
        }
    }
}

use super::Path;
use crate::robot::Sway;

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
            along: vec![0.0; q.len()],
            beside: vec![0.0; q.len()],
            reach: vec![0.0; q.len()],
            ways: Vec::with_capacity(tracks.len()),
        };
        for &track in tracks {
            let track = &self.tracks[track];
            let joints = track.joints();
            let mut chord = track.row_at(to);
            let start = track.row_at(from);
            chord
                .iter_mut()
                .zip(start)
                .for_each(|(to, from)| *to -= from);
            let squared: f64 = chord.iter().map(|x| x * x).sum();
            let mut way = (0.0f64, 0.0f64);
            track.corners((from, to), |row| {
                let off = |i: usize| row[i] - q[joints[i]];
                let share = if squared > 0.0 {
                    (0..chord.len()).map(|i| off(i) * chord[i]).sum::<f64>() / squared
                } else {
                    0.0
                };
                way = (way.0.min(share), way.1.max(share));
                for (i, &joint) in joints.iter().enumerate() {
                    let beside = (off(i) - share * chord[i]).abs();
                    sway.beside[joint] = sway.beside[joint].max(beside);
                    sway.reach[joint] = sway.reach[joint].max(off(i).abs());
                }
            });
            for (i, &joint) in joints.iter().enumerate() {
                sway.along[joint] = chord[i];
            }
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
                    prop_assert!(off.abs() <= sway.reach[j] + 1e-9);
                    let (along, beside) = (sway.along[j], sway.beside[j] + 1e-9);
                    if along.abs() > 1e-12 {
                        let ends = [(off - beside) / along, (off + beside) / along];
                        low = low.max(ends[0].min(ends[1]));
                        high = high.min(ends[0].max(ends[1]));
                    } else {
                        prop_assert!(off.abs() <= beside + 1e-9);
                    }
                }
                prop_assert!(low <= high + 1e-9, "{low} {high}");
            }
        }
    }
}

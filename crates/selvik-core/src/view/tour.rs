use super::{Projection, Viewpoint};
use crate::spatial::{Point, Vector};

/// A viewpoint on a tour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stop {
    /// What is seen there.
    pub viewpoint: Viewpoint,
    /// How long the camera rests there, s.
    pub hold: f64,
    /// How long it travels to the next stop, s; of no account at the last one.
    pub travel: f64,
    /// Whether it passes through without coming to rest; such a stop has no hold.
    pub passing: bool,
}

/// Why there is no such tour.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum TourError {
    /// Nothing to show.
    #[error("a tour needs at least one stop")]
    Empty,
    /// A time that can't be.
    #[error("stop {0}: hold must be 0 or more and travel more than 0 seconds")]
    Time(usize),
    /// A stop that both rests and does not.
    #[error("stop {0} is passed through, so it can't hold")]
    PassingHold(usize),
}

/// A camera path through stops. Position and speed are continuous: between stops every channel is a
/// cubic Hermite curve, at rest where the camera rests and with the mean speed of the neighbouring
/// legs where it passes.
#[derive(Debug, Clone)]
pub struct Tour {
    stops: Vec<Stop>,
    channels: Vec<[f64; CHANNELS]>,
    speeds: Vec<[f64; CHANNELS]>,
    arrivals: Vec<f64>,
}

/// Pivot x, y, z; bearing without wraps; elevation; roll; logarithms of the width shown at the pivot
/// and of the tangent of half the angle of view.
const CHANNELS: usize = 8;

impl Tour {
    /// Joins `stops` in time.
    ///
    /// # Errors
    /// [`TourError`] names the stop.
    pub fn new(stops: Vec<Stop>) -> Result<Self, TourError> {
        if stops.is_empty() {
            return Err(TourError::Empty);
        }
        let last = stops.len() - 1;
        for (i, stop) in stops.iter().enumerate() {
            let timed = stop.hold.is_finite() && stop.hold >= 0.0;
            if !timed || (i < last && !(stop.travel.is_finite() && stop.travel > 0.0)) {
                return Err(TourError::Time(i + 1));
            }
            if stop.passing && stop.hold > 0.0 {
                return Err(TourError::PassingHold(i + 1));
            }
        }
        let mut channels: Vec<[f64; CHANNELS]> =
            stops.iter().map(|s| channels_of(&s.viewpoint)).collect();
        for i in 1..channels.len() {
            // The shorter way round.
            for turning in [3, 5] {
                let turn = channels[i][turning] - channels[i - 1][turning];
                channels[i][turning] -=
                    std::f64::consts::TAU * (turn / std::f64::consts::TAU).round();
            }
        }
        let mut speeds = vec![[0.0; CHANNELS]; stops.len()];
        for i in 1..last {
            if stops[i].passing {
                let time = stops[i - 1].travel + stops[i].travel;
                speeds[i] =
                    std::array::from_fn(|c| (channels[i + 1][c] - channels[i - 1][c]) / time);
            }
        }
        let mut arrivals = vec![0.0];
        for stop in &stops[..last] {
            arrivals.push(arrivals.last().expect("the first") + stop.hold + stop.travel);
        }
        Ok(Self {
            stops,
            channels,
            speeds,
            arrivals,
        })
    }

    /// From the first arrival to the end of the last hold, s.
    #[must_use]
    pub fn duration(&self) -> f64 {
        let last = self.stops.len() - 1;
        self.arrivals[last] + self.stops[last].hold
    }

    /// When the camera arrives at each stop, s.
    #[must_use]
    pub fn arrivals(&self) -> &[f64] {
        &self.arrivals
    }

    /// Where the camera is at time `t` (s); before the beginning and after the end it rests.
    #[must_use]
    pub fn at(&self, t: f64) -> Viewpoint {
        let from = self.arrivals.partition_point(|&a| a <= t).max(1) - 1;
        let here = &self.stops[from];
        let gone = t - self.arrivals[from] - here.hold;
        if gone <= 0.0 || from + 1 == self.stops.len() {
            return here.viewpoint;
        }
        let next = &self.stops[from + 1];
        let s = (gone / here.travel).min(1.0);
        let (p, q) = (&self.channels[from], &self.channels[from + 1]);
        let (u, v) = (&self.speeds[from], &self.speeds[from + 1]);
        let channels =
            std::array::from_fn(|c| hermite(s, p[c], here.travel * u[c], q[c], here.travel * v[c]));
        // Where one end is in perspective the way is, too: only that shows the way.
        let parallel = [here, next]
            .iter()
            .all(|s| matches!(s.viewpoint.projection, Projection::Parallel { .. }));
        viewpoint_of(&channels, parallel)
    }
}

/// The cubic through `p` and `q` with slopes `u` and `v`, at `s` of 0..1.
fn hermite(s: f64, p: f64, u: f64, q: f64, v: f64) -> f64 {
    let (s2, s3) = (s * s, s * s * s);
    p * (2.0 * s3 - 3.0 * s2 + 1.0)
        + u * (s3 - 2.0 * s2 + s)
        + q * (3.0 * s2 - 2.0 * s3)
        + v * (s3 - s2)
}

fn channels_of(v: &Viewpoint) -> [f64; CHANNELS] {
    let (width, half_tangent) = match v.projection {
        Projection::Perspective { horizontal_angle } => {
            let tangent = (horizontal_angle / 2.0).tan();
            (2.0 * v.distance * tangent, tangent)
        }
        Projection::Parallel { width } => (width, width / (2.0 * v.distance)),
    };
    [
        v.pivot.x,
        v.pivot.y,
        v.pivot.z,
        v.bearing,
        v.elevation,
        v.roll,
        width.max(1e-6).ln(),
        half_tangent.max(1e-6).ln(),
    ]
}

fn viewpoint_of(channels: &[f64; CHANNELS], parallel: bool) -> Viewpoint {
    let [x, y, z, bearing, elevation, roll, width, tangent] = *channels;
    let (width, tangent) = (width.exp(), tangent.exp());
    let right_angle = std::f64::consts::FRAC_PI_2;
    Viewpoint {
        pivot: Point::from(Vector::new(x, y, z)),
        bearing,
        elevation: elevation.clamp(-right_angle, right_angle),
        roll,
        distance: width / (2.0 * tangent),
        projection: if parallel {
            Projection::Parallel { width }
        } else {
            Projection::Perspective {
                horizontal_angle: 2.0 * tangent.atan(),
            }
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn stops() -> impl Strategy<Value = Vec<Stop>> {
        let stop = (
            prop::array::uniform3(-3.0f64..3.0),
            (-3.1f64..3.1, -1.2f64..1.2, 0.5f64..9.0),
            (0.0f64..2.0, 0.5f64..4.0, any::<bool>()),
        );
        prop::collection::vec(
            stop.prop_map(
                |(pivot, (bearing, elevation, distance), (hold, travel, passing))| Stop {
                    viewpoint: Viewpoint {
                        pivot: Point::from(pivot),
                        bearing,
                        elevation,
                        roll: 0.0,
                        distance,
                        projection: Projection::Perspective {
                            horizontal_angle: 0.9,
                        },
                    },
                    hold: if passing { 0.0 } else { hold },
                    travel,
                    passing,
                },
            ),
            1..7,
        )
    }

    proptest! {
        /// Position and speed are continuous: halving the step halves the largest jump of the eye
        /// and of its speed.
        #[test]
        fn a_tour_neither_jumps_nor_jerks_from_rest(stops in stops()) {
            let tour = Tour::new(stops).unwrap();
            let largest = |step: f64| {
                let count = (tour.duration() / step) as usize;
                let pivots: Vec<Vector> = (0..=count).map(|i| tour.at(i as f64 * step).pivot.coords).collect();
                let speeds: Vec<Vector> = pivots.windows(2).map(|p| (p[1] - p[0]) / step).collect();
                let jump = pivots.windows(2).map(|p| (p[1] - p[0]).norm()).fold(0.0, f64::max);
                (jump, speeds.windows(2).map(|v| (v[1] - v[0]).norm()).fold(0.0, f64::max))
            };
            let ((coarse, coarse_speed), (fine, fine_speed)) = (largest(2e-3), largest(1e-3));
            prop_assert!(fine <= 0.55 * coarse + 1e-9, "{fine} {coarse}");
            prop_assert!(fine_speed <= 0.6 * coarse_speed + 1e-7, "{fine_speed} {coarse_speed}");
        }

        #[test]
        fn the_camera_is_at_each_stop_when_it_arrives(stops in stops()) {
            let tour = Tour::new(stops.clone()).unwrap();
            for (stop, &arrival) in stops.iter().zip(tour.arrivals()) {
                let there = tour.at(arrival);
                prop_assert!((there.pivot - stop.viewpoint.pivot).norm() < 1e-9);
                prop_assert!((there.distance - stop.viewpoint.distance).abs() < 1e-9);
            }
            let rests: f64 = stops.iter().map(|s| s.hold).sum();
            let travels: f64 = stops[..stops.len() - 1].iter().map(|s| s.travel).sum();
            prop_assert!((tour.duration() - rests - travels).abs() < 1e-9);
        }
    }

    fn at_bearing(degrees: f64, passing: bool) -> Stop {
        let viewpoint = Viewpoint {
            pivot: Point::origin(),
            bearing: degrees.to_radians(),
            elevation: 0.3,
            roll: 0.0,
            distance: 4.0,
            projection: Projection::Perspective {
                horizontal_angle: 0.9,
            },
        };
        Stop {
            viewpoint,
            hold: 0.0,
            travel: 2.0,
            passing,
        }
    }

    #[test]
    fn a_turn_goes_the_shorter_way_round() {
        let tour = Tour::new(vec![at_bearing(170.0, false), at_bearing(-170.0, false)]).unwrap();
        assert!((tour.at(1.0).bearing.to_degrees() - 180.0).abs() < 1e-9);
    }

    #[test]
    fn passing_keeps_its_speed_and_resting_does_not() {
        let speed_in_the_middle = |passing| {
            let three = vec![
                at_bearing(0.0, false),
                at_bearing(30.0, passing),
                at_bearing(60.0, false),
            ];
            let tour = Tour::new(three).unwrap();
            (tour.at(2.001).bearing - tour.at(1.999).bearing) / 0.002
        };
        assert!((speed_in_the_middle(true).to_degrees() - 15.0).abs() < 0.01);
        assert!(speed_in_the_middle(false).abs() < 1e-3);
    }

    #[rstest::rstest]
    #[case(vec![], TourError::Empty)]
    #[case(vec![Stop { travel: 0.0, ..at_bearing(0.0, false) }, at_bearing(9.0, false)], TourError::Time(1))]
    #[case(vec![at_bearing(0.0, false), Stop { hold: f64::NAN, ..at_bearing(9.0, false) }], TourError::Time(2))]
    #[case(vec![Stop { hold: 1.0, ..at_bearing(0.0, true) }], TourError::PassingHold(1))]
    fn impossible_times_are_refused_with_the_stop(
        #[case] stops: Vec<Stop>,
        #[case] expected: TourError,
    ) {
        assert_eq!(Tour::new(stops).unwrap_err(), expected);
    }
}

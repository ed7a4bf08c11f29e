/// Travel from 0 to `distance` with bounded speed and acceleration: speed up, cruise, slow down
/// (Siciliano et al., ch. 4.2.1). Without room to cruise it becomes a triangle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Trapezoid {
    distance: f64,
    acceleration: f64,
    speed: f64,
    ramp: f64,
    duration: f64,
}

impl Trapezoid {
    /// The quickest travel over `distance` ≥ 0 (m, rad or without unit; speeds likewise, by s and s²) within `speed` and `acceleration`, both positive.
    #[must_use]
    pub fn new(distance: f64, speed: f64, acceleration: f64) -> Self {
        if distance <= 0.0 || !distance.is_finite() {
            return Self {
                distance: 0.0,
                acceleration,
                speed: 0.0,
                ramp: 0.0,
                duration: 0.0,
            };
        }
        let speed = speed.min((distance * acceleration).sqrt());
        let ramp = speed / acceleration;
        Self {
            distance,
            acceleration,
            speed,
            ramp,
            duration: distance / speed + ramp,
        }
    }

    /// How long the travel takes, s.
    #[must_use]
    pub fn duration(&self) -> f64 {
        self.duration
    }

    /// How long speeding up takes, s; slowing down takes as long.
    #[must_use]
    pub fn ramp(&self) -> f64 {
        self.ramp
    }

    /// The speed while cruising, units of the distance by s.
    #[must_use]
    pub fn cruise(&self) -> f64 {
        self.speed
    }

    /// How far one is after `t` seconds.
    #[must_use]
    pub fn at(&self, t: f64) -> f64 {
        let t = t.clamp(0.0, self.duration);
        let left = self.duration - t;
        if t < self.ramp {
            0.5 * self.acceleration * t * t
        } else if left < self.ramp {
            self.distance - 0.5 * self.acceleration * left * left
        } else {
            self.speed * (t - 0.5 * self.ramp)
        }
    }

    /// The same travel `factor` times as long, in s.
    #[must_use]
    pub fn slowed(&self, factor: f64) -> Self {
        Self {
            distance: self.distance,
            acceleration: self.acceleration / (factor * factor),
            speed: self.speed / factor,
            ramp: self.ramp * factor,
            duration: self.duration * factor,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::f64::consts::PI;

    /// Siciliano et al., ch. 4.2.1: from 0 to π in 1 s with acceleration 6π takes ramps of
    /// ½ − ½ √((6π − 4π) / 6π) s.
    #[test]
    fn the_textbook_profile_comes_out() {
        let ramp = 0.5 - 0.5 * (1.0f64 / 3.0).sqrt();
        let travel = Trapezoid::new(PI, 6.0 * PI * ramp, 6.0 * PI);
        assert!((travel.duration() - 1.0).abs() < 1e-12);
        assert!((travel.ramp() - ramp).abs() < 1e-12);
        assert!((travel.at(0.5) - PI / 2.0).abs() < 1e-12);
    }

    #[test]
    fn short_travel_never_cruises() {
        let travel = Trapezoid::new(0.01, 10.0, 1.0);
        assert!((travel.duration() - 0.2).abs() < 1e-12);
        assert!((travel.cruise() - 0.1).abs() < 1e-12);
    }

    proptest! {
        #[test]
        fn travel_starts_and_ends_where_it_should_and_keeps_its_limits(
            d in 0.001f64..5.0, v in 0.01f64..4.0, a in 0.1f64..20.0
        ) {
            let travel = Trapezoid::new(d, v, a);
            prop_assert!(travel.at(0.0).abs() < 1e-12);
            prop_assert!((travel.at(travel.duration()) - d).abs() < 1e-9);
            let h = travel.duration() / 400.0;
            let at = |i: i32| travel.at(f64::from(i) * h);
            for i in 1..400 {
                prop_assert!((at(i) - at(i - 1)) / h <= v * (1.0 + 1e-9));
                prop_assert!((at(i + 1) - 2.0 * at(i) + at(i - 1)).abs() / (h * h) <= a * 1.001 + 1e-6);
            }
        }
    }
}

use crate::spatial::Point;

/// A minimum that certainly lies between two values. The ends can't be crossed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bracket {
    lower: f64,
    attained: f64,
}

impl Bracket {
    /// A lower bound and a distance that is attained, m. A lower bound that rounding lifted above
    /// the attained distance is brought down to it.
    #[must_use]
    pub fn new(lower: f64, attained: f64) -> Self {
        Self {
            lower: lower.clamp(0.0, attained.max(0.0)),
            attained: attained.max(0.0),
        }
    }

    /// Nothing comes nearer than this, m.
    #[must_use]
    pub fn lower(&self) -> f64 {
        self.lower
    }

    /// The distance found at the closest approach, m.
    #[must_use]
    pub fn attained(&self) -> f64 {
        self.attained
    }

    /// How far apart the two are, m.
    #[must_use]
    pub fn width(&self) -> f64 {
        self.attained - self.lower
    }
}

/// The instant at which two bodies come nearest, as far as found.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Approach {
    /// s
    pub time: f64,
    /// m
    pub distance: f64,
    /// On the first body, in the world at that instant.
    pub on_a: Point,
    /// On the second body.
    pub on_b: Point,
    /// Whether they touch or overlap there.
    pub overlap: bool,
}

/// Distances nearer together than this are not told apart, m: what deviates and rounds lies well below it.
pub const RESOLUTION: f64 = 1e-6;

/// How closely a minimum is wanted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Aim {
    /// A bracket no wider than this is close enough, m, unless it holds one of `decisive`.
    pub tolerance: f64,
    /// Above this distance the bracket may be wider, m.
    pub critical: f64,
    /// By this share of what lies above.
    pub ease: f64,
    /// A minimum certainly above this need not be bracketed, m.
    pub settled: f64,
    /// Nor one that is certainly below this, m.
    pub lost: f64,
    /// Values on which side of which the minimum lies is wanted, m.
    pub decisive: [f64; 3],
    /// How many boxes may be looked at.
    pub work: u64,
    /// After so many stretches that brought nothing nearer what is left is gone through in two halves at once: somebody waits, and
    /// some looks more are worth it.
    pub alone: usize,
}

impl Aim {
    /// A bracket of width `tolerance` (m), wherever it lies.
    #[must_use]
    pub fn exactly(tolerance: f64) -> Self {
        Self {
            tolerance,
            critical: f64::INFINITY,
            ease: 0.0,
            settled: f64::INFINITY,
            lost: f64::NEG_INFINITY,
            decisive: [f64::NEG_INFINITY; 3],
            work: u64::MAX,
            alone: usize::MAX,
        }
    }

    pub(super) fn width_at(&self, distance: f64) -> f64 {
        self.tolerance.max(self.ease * (distance - self.critical))
    }

    /// Whether a bracket needs no more work, where distances can't be known better than `unsure` (m).
    pub(super) fn is_met(&self, lower: f64, attained: f64, unsure: f64) -> bool {
        let width = attained - lower;
        lower >= self.settled
            || self.is_lost(attained, unsure)
            || (width <= self.width_at(attained).max(unsure)
                && (width <= self.undecidable(unsure)
                    || !self.decisive.iter().any(|&d| lower < d && d <= attained)))
    }

    /// Whether it is certain to be so small that no more is wanted.
    pub(super) fn is_lost(&self, attained: f64, unsure: f64) -> bool {
        attained + unsure < self.lost
    }

    /// Nothing below this matters any more once something was found at `attained` (m): the bracket is narrow enough then, and holds
    /// no decisive value, or can't be told from it.
    pub(super) fn enough(&self, attained: f64, unsure: f64) -> f64 {
        let narrow = attained - self.width_at(attained) * 0.99;
        let below = self.decisive.into_iter().filter(|&d| d <= attained);
        let decided = below.fold(f64::NEG_INFINITY, f64::max) * (1.0 + 1e-12);
        let told_apart = attained - self.undecidable(unsure) * 0.99;
        narrow
            .max(decided.min(told_apart))
            .min(self.settled * (1.0 + 1e-12))
    }

    /// Brackets narrower than this are not narrowed any further, m.
    pub(super) fn undecidable(&self, unsure: f64) -> f64 {
        RESOLUTION.max(unsure * 2.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Required 10 mm, tight below 15: brackets of 0.1 mm, above that of 15 %; 65 mm are plenty.
    fn aim() -> Aim {
        Aim {
            tolerance: 1e-4,
            critical: 0.015,
            ease: 0.15,
            settled: 0.065,
            lost: f64::NEG_INFINITY,
            decisive: [0.010, 0.015, 1e-6],
            work: u64::MAX,
            alone: usize::MAX,
        }
    }

    #[rstest::rstest]
    #[case::in_between(0.012, 0.011_901)]
    #[case::just_above_what_is_required(0.01005, 0.010)]
    #[case::just_above_what_is_tight(0.01505, 0.015)]
    #[case::above_it(0.020, 0.019_257_5)]
    #[case::far_away(1.0, 0.065)]
    #[case::not_told_apart(0.010_000_4, 0.009_999_41)]
    fn what_is_ruled_out_leaves_a_bracket_that_is_narrow_and_decided(
        #[case] attained: f64,
        #[case] expected: f64,
    ) {
        let enough = aim().enough(attained, 0.0);
        assert!((enough - expected).abs() <= 1e-9, "{enough}");
        assert!(aim().is_met(enough, attained, 0.0));
    }

    #[test]
    fn what_is_certainly_lost_is_not_bracketed() {
        let lost = Aim {
            lost: 0.010,
            ..aim()
        };
        assert!(lost.is_met(0.0, 0.0099, 0.0) && !aim().is_met(0.0, 0.0099, 0.0));
        assert!(!lost.is_met(0.0, 0.0099, 0.0002) && !lost.is_met(0.0, 0.010, 0.0));
    }
}

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
    /// Values on which side of which the minimum lies is wanted, m.
    pub decisive: [f64; 3],
    /// How many boxes may be looked at.
    pub work: u64,
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
            decisive: [f64::NEG_INFINITY; 3],
            work: u64::MAX,
        }
    }

    pub(super) fn width_at(&self, distance: f64) -> f64 {
        self.tolerance.max(self.ease * (distance - self.critical))
    }

    /// Whether a bracket needs no more work, where distances can't be known better than `unsure` (m).
    pub(super) fn is_met(&self, lower: f64, attained: f64, unsure: f64) -> bool {
        let width = attained - lower;
        lower >= self.settled
            || (width <= self.width_at(attained).max(unsure)
                && (width <= self.undecidable(unsure)
                    || !self.decisive.iter().any(|&d| lower < d && d <= attained)))
    }

    /// Brackets narrower than this are not narrowed any further, m.
    pub(super) fn undecidable(&self, unsure: f64) -> f64 {
        RESOLUTION.max(unsure * 2.0)
    }
}

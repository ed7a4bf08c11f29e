//! How near bodies come to each other: exactly at one pose, and certified along a path.

mod bands;
mod bracket;
mod crossing;
mod distance;
mod minimum;
mod motion_bound;
mod overlap_depth;
mod pair_motion;
mod progress;
mod rules;
mod sweep;
mod triangle_triangle;
mod verdict;
mod violations;

pub use bands::{Band, BandPoint, clearance_band};
pub use bracket::{Aim, Approach, Bracket, RESOLUTION};
pub use distance::{Closest, Limit, Proximity, ROUNDING, Side, distance, distance_to_point};
pub use overlap_depth::DepthBracket;
pub use pair_motion::{PairMotion, Undecided};
pub use progress::Progress;
pub use rules::{
    Allowance, LeftOut, LeftOutReason, Moves, Named, Pair, Requirement, Rule, RuleScope, RuleSet, Scope,
};
pub use sweep::{Allowed, PairResult, RuleResult, Sweep, SweepOptions, named, scope_along, sweep};
pub use triangle_triangle::{TrianglePair, triangle_distance};
pub use verdict::{Doubt, Verdict};
pub use violations::{Interval, TimesBelow, intervals_below};

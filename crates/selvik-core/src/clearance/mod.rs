//! How near bodies come to each other: exactly at one pose, and certified along a path.
//!
//! ```
//! use selvik_core::clearance::{Limit, distance};
//! use selvik_core::mesh::{Shape, Surface};
//! use selvik_core::spatial::Pose;
//!
//! // Two balls of 0.1 m, 0.25 m from middle to middle. They count as what they are, not as their facets.
//! let ball = |radius| Surface::of_shapes(&[(Shape::Sphere { radius }, Pose::identity())]).expect("a shape");
//! let apart = distance(&ball(0.1), &ball(0.1), &Pose::translation(0.25, 0.0, 0.0), Limit::default());
//! let closest = apart.closest.expect("asked for exactly");
//! assert!((closest.distance - 0.05).abs() < 1e-6 && !closest.overlap); // m
//! ```

mod along;
mod arrangement;
mod bands;
mod boxes;
mod bracket;
mod crossing;
mod distance;
mod drift;
mod fronts;
mod known;
mod memory;
mod minimum;
mod near;
mod overlap_depth;
mod pair_motion;
mod pairwise;
mod parting;
mod progress;
mod rules;
mod scope;
mod search;
mod simplex;
mod support;
mod sweep;
mod tentative;
mod triangle_triangle;
mod verdict;
mod violations;
mod worst;

pub use bands::{Band, BandPoint, BandShape, Counted, clearance_band, clearance_band_again};
pub use bracket::{Aim, Approach, Bracket, RESOLUTION};
pub use distance::{
    Closest, Limit, Proximity, ROUNDING, Side, distance, distance_again, distance_to_point,
    nearest_triangle, surfaces_apart,
};
pub use known::Known;
pub use memory::Memory;
pub use overlap_depth::{DepthBracket, overlap_depth};
pub use pair_motion::{PairMotion, Undecided};
pub use progress::Progress;
pub use rules::{Allowance, Moves, Named, NamedBy, Pair, Requirement, Rule, RuleSet};
pub use scope::{LeftOut, LeftOutReason, Naming, RuleScope, Scope};
pub use sweep::{
    Allowed, PairResult, RuleResult, Sweep, SweepOptions, named, scope_along, sweep, sweep_again,
    swept_before,
};
pub use tentative::{TentativeSweep, Told, sweep_tentatively};
pub use triangle_triangle::{TrianglePair, triangle_distance};
pub use verdict::{Doubt, Verdict};
pub use violations::{Interval, TimesBelow, intervals_below};

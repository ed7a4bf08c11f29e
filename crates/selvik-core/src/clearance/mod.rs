//! How near bodies come to each other: exactly at one pose, and certified along a path.

mod bands;
mod chain;
mod crossing;
mod distance;
mod minimum;
mod motion_bound;
mod rules;
mod sweep;
mod triangle_triangle;
mod violations;

pub use bands::{Band, BandPoint, clearance_band};
pub use distance::{Closest, Limit, Proximity, distance};
pub use minimum::{Aim, Approach, Bracket, PairMotion};
pub use rules::{AllowedLinks, LeftOut, LeftOutReason, Pair, Requirement, Rule, RuleSet};
pub use sweep::{PairResult, Progress, Sweep, SweepOptions, Verdict, sweep};
pub use triangle_triangle::{TrianglePair, triangle_distance};
pub use violations::{Interval, intervals_below};

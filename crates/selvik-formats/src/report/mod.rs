//! What was found, as JSON: the same types for the command line and the API.

mod caveats;
mod clearance;
mod reach;

pub use caveats::{Caveat, CaveatKind, caveats};
pub use clearance::{
    AllowedReport, BandReport, IntervalReport, LeftOutReport, PairReport, RuleReport, SideReport,
    SweepReport, Verdict, band_report, sweep_report,
};
pub use reach::{ReachReport, ReachRow, reach_report};

use selvik_core::spatial::Point;

/// A point in mm.
#[must_use]
pub fn millimetres(point: &Point) -> [f64; 3] {
    [point.x, point.y, point.z].map(|x| x * 1e3)
}

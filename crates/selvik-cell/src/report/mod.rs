//! What was found, as JSON: the same types for the command line and the API.

mod caveats;
mod clearance;
mod reach;

pub use caveats::{Caveat, CaveatKind, caveats};
pub use clearance::{
    AllowedReport, BandReport, IntervalReport, LeftOutReport, OpenReport, PairReport, RuleReport,
    SideReport, SweepReport, Verdict, band_report, rename_pairs, sweep_report,
};
pub(crate) use clearance::{pair_report, side};
pub use reach::{ReachReport, ReachRow, reach_report};
use selvik_core::spatial::{Point, Pose};

/// A point in mm.
#[must_use]
pub fn millimetres(point: &Point) -> [f64; 3] {
    [point.x, point.y, point.z].map(|x| x * 1e3)
}

/// A pose as x, y, z (m), quaternion x, y, z, w.
#[must_use]
pub fn flat(pose: &Pose) -> [f64; 7] {
    let (t, r) = (pose.translation.vector, pose.rotation.coords);
    [t.x, t.y, t.z, r.x, r.y, r.z, r.w]
}

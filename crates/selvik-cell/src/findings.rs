//! All that is found about a cell: the same for the command line, the server and its workers.

use std::time::Instant;

use selvik_core::clearance::{
    BandShape, Counted, Known, Progress, Sweep, SweepOptions, clearance_band_again, sweep_again,
};
use selvik_core::program::Path;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::report::{
    BandReport, Caveat, ReachReport, SweepReport, Verdict, band_report, caveats, reach_report,
    rename_pairs, sweep_report,
};

/// Stretches of time the clearance band is drawn in.
const BAND_STRETCHES: usize = 480;
/// The clearance above which the band is flat, m.
pub(crate) const BAND_CEILING: f64 = 0.2;
/// Less can't be told apart in a chart, m.
pub(crate) const BAND_TOLERANCE: f64 = 1e-3;

/// What a check of a run plan finds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Findings {
    /// Clearances over the path.
    pub clearance: SweepReport,
    /// The worst pair over time, where it was asked for.
    pub band: Option<BandReport>,
    /// Reach along every move.
    pub reach: ReachReport,
    /// What clearance and reach come to together.
    pub verdict: Verdict,
    /// What was not looked at, and what the verdicts rest on.
    pub caveats: Vec<Caveat>,
    /// How long it took.
    pub took_s: f64,
}

/// Whether the clearance band is drawn as well.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WithBand {
    /// It is.
    Yes,
    /// It is not.
    No,
}

/// Sweeps `path` and checks its reach.
#[must_use]
pub fn find(
    workcell: &Workcell,
    path: &Path,
    options: &SweepOptions,
    band: WithBand,
    progress: &Progress,
) -> Findings {
    find_again(workcell, path, options, band, (&Known::default(), progress))
}

/// The same, looking only at what is not `known`, and knowing it afterwards.
#[must_use]
pub fn find_again(
    workcell: &Workcell,
    path: &Path,
    options: &SweepOptions,
    band: WithBand,
    (known, progress): (&Known, &Progress),
) -> Findings {
    let start = Instant::now();
    let (assembly, rules) = (&workcell.assembly, &workcell.rules);
    let swept = sweep_again(assembly, path, rules, options, (known, progress));
    let band = match band {
        WithBand::Yes => Some(band_of(workcell, path, &swept, (known, progress))),
        WithBand::No => None,
    };
    let clearance = sweep_report(workcell, path, &swept, options.tolerance);
    let reach = reach_report(workcell, path);
    Findings {
        verdict: Verdict::of_all(&clearance, &reach),
        caveats: caveats(workcell, path),
        clearance,
        band,
        reach,
        took_s: start.elapsed().as_secs_f64(),
    }
}

fn band_of(
    workcell: &Workcell,
    path: &Path,
    swept: &Sweep,
    about: (&Known, &Progress),
) -> BandReport {
    // The nearest pairs first: they lower the band so far that most others need no look.
    let mut nearest: Vec<_> = swept.pairs.iter().collect();
    nearest.sort_by(|a, b| a.clearance.attained().total_cmp(&b.clearance.attained()));
    let pairs: Vec<Counted> = nearest.iter().map(|p| Counted::of(p, path)).collect();
    let shape = BandShape {
        during: (0.0, path.duration()),
        stretches: BAND_STRETCHES,
        ceiling: BAND_CEILING,
        tolerance: BAND_TOLERANCE,
    };
    let assembly = &workcell.assembly;
    band_report(&clearance_band_again(assembly, path, &pairs, &shape, about))
}

impl Findings {
    /// The same findings with the names that things have now: of a workcell with the same fingerprint.
    #[must_use]
    pub fn renamed(mut self, workcell: &Workcell, path: &Path) -> Self {
        rename_pairs(&mut self.clearance, workcell, path);
        self.reach = reach_report(workcell, path);
        self.caveats = caveats(workcell, path);
        self
    }
}

use std::fmt::Write;
use std::path::Path;

use selvik_core::clearance::{Progress, SweepOptions, sweep};
use selvik_formats::report::{PairReport, ReachReport, SweepReport, Verdict, reach_report, sweep_report};
use serde::Serialize;

use super::open_workcell;

/// Everything a check finds.
#[derive(Serialize)]
pub struct Checked {
    /// Name of the cell.
    pub cell: String,
    /// Clearances over the path.
    pub clearance: SweepReport,
    /// Reach at every target.
    pub reach: ReachReport,
    /// Whether all rules hold.
    pub holds: bool,
}

/// Sweeps the run plan of the package at `path` and checks its reach.
///
/// # Errors
/// A sentence about bad input.
pub fn check(path: &Path, tolerance_mm: f64, all: bool) -> Result<Checked, String> {
    if !(tolerance_mm > 0.0 && tolerance_mm <= 100.0) {
        return Err("--tolerance-mm must be above 0 and at most 100".to_owned());
    }
    let workcell = open_workcell(path)?;
    let motion = workcell.path().map_err(|e| e.to_string())?;
    let tolerance = tolerance_mm * 1e-3;
    let options = if all {
        SweepOptions::every_pair(tolerance)
    } else {
        SweepOptions { tolerance, ..SweepOptions::default() }
    };
    let found = sweep(&workcell.assembly, &motion, &workcell.rules, &options, &Progress::default());
    let clearance = sweep_report(&workcell, &motion, &found, options.tolerance);
    let reach = reach_report(&workcell, &motion);
    let holds = clearance.pairs.iter().all(|p| p.verdict != Verdict::Broken)
        && reach.rows.iter().all(|r| r.verdict != Verdict::Broken);
    Ok(Checked { cell: workcell.document.name.clone(), clearance, reach, holds })
}

impl Checked {
    /// The findings as a table for people.
    #[must_use]
    pub fn table(&self) -> String {
        let mut text = format!(
            "{}\nPath {:.3} s, {} pairs measured, {} left out, brackets {} mm\n\nClearance\n",
            self.cell,
            self.clearance.duration_s,
            self.clearance.pairs.len(),
            self.clearance.left_out.len(),
            self.clearance.tolerance_mm,
        );
        let (shown, rest): (Vec<&PairReport>, Vec<&PairReport>) =
            self.clearance.pairs.iter().partition(|p| p.verdict != Verdict::Meets);
        for p in shown {
            let _ = writeln!(
                text,
                "  {:<6} {:>8.3} mm (at least {:.3})  needs {:>5.1}  at {:>8.3} s  {} – {}{}",
                word(p.verdict),
                p.attained_mm,
                p.lower_mm,
                p.required_mm,
                p.time_s,
                p.a.name,
                p.b.name,
                lasting(p),
            );
        }
        let _ = writeln!(text, "  {} more pairs meet their rule.\n\nReach", rest.len());
        for row in &self.reach.rows {
            let spare = row.spare_percent.map_or("      –".to_owned(), |s| format!("{s:>6.2} %"));
            let _ = writeln!(
                text,
                "  {:<6} {spare} to spare  {:>8.1} mm from the base  at {:>8.3} s  {}: {}",
                word(row.verdict),
                row.straight_mm,
                row.time_s,
                row.program,
                row.label,
            );
        }
        let _ = writeln!(text, "\n{}", if self.holds { "All rules hold." } else { "Rules are broken." });
        text
    }
}

fn word(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Broken => "BROKEN",
        Verdict::Tight => "tight",
        Verdict::Meets => "meets",
    }
}

fn lasting(pair: &PairReport) -> String {
    let total: f64 = pair.broken.iter().map(|i| i.end_s[1] - i.start_s[0]).sum();
    if total > 0.0 {
        format!("  broken for {total:.3} s in {} times", pair.broken.len())
    } else {
        String::new()
    }
}

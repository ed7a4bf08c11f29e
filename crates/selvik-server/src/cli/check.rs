//! `selvik check`: all findings of a package, as a table or JSON.

use std::fmt::Write;
use std::path::Path;

use selvik_cell::findings::{Findings, WithBand, find};
use selvik_cell::report::{Caveat, PairReport, ReachReport, SweepReport, Verdict};
use selvik_core::clearance::{Progress, SweepOptions};
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
    /// What it all comes to.
    pub verdict: Verdict,
    /// What was not looked at, and what the verdicts rest on.
    pub caveats: Vec<Caveat>,
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
        SweepOptions {
            tolerance,
            ..SweepOptions::default()
        }
    };
    let found = find(
        &workcell,
        &motion,
        &options,
        WithBand::No,
        &Progress::default(),
    );
    let Findings {
        clearance,
        reach,
        verdict,
        caveats,
        ..
    } = found;
    Ok(Checked {
        cell: workcell.document.name.clone(),
        clearance,
        reach,
        verdict,
        caveats,
    })
}

impl Checked {
    /// 0 when everything a rule asks for is certified, 1 when something is broken, 3 when nothing is broken but
    /// something not certified.
    #[must_use]
    pub fn exit_code(&self) -> u8 {
        match self.verdict {
            Verdict::Broken => 1,
            Verdict::NotCertified => 3,
            Verdict::Tight | Verdict::Meets => 0,
        }
    }

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
        if self.clearance.rules.is_empty() {
            text += "  not certified  the cell has no rule, so nothing is measured\n";
        }
        for rule in &self.clearance.rules {
            for reason in &rule.reasons {
                let _ = writeln!(
                    text,
                    "  {:<13}  rule \"{}\": {reason}",
                    word(Verdict::NotCertified),
                    rule.name
                );
            }
        }
        let (rest, shown): (Vec<&PairReport>, Vec<&PairReport>) = self
            .clearance
            .pairs
            .iter()
            .partition(|p| p.verdict == Verdict::Meets && p.reasons.is_empty());
        for p in shown {
            let _ = writeln!(
                text,
                "  {:<13} {:>8.3} mm (at least {:.3})  needs {:>5.1}  at {:>8.3} s  {} – {}{}",
                word(p.verdict),
                p.attained_mm,
                p.lower_mm,
                p.required_mm,
                p.time_s,
                p.a.name,
                p.b.name,
                lasting(p),
            );
            for reason in &p.reasons {
                let _ = writeln!(text, "                {reason}");
            }
        }
        let _ = writeln!(
            text,
            "  {} more pairs meet their rule.\n\nReach",
            rest.len()
        );
        for row in &self.reach.rows {
            let _ = writeln!(
                text,
                "  {:<13} {:>6.2} % to spare  {:>8.1} mm from the base  at {:>8.3} s  {}: {}{}",
                row.verdict.map_or("no rule", word),
                row.spare_percent,
                row.straight_mm,
                row.time_s,
                row.program,
                row.label,
                row.reason
                    .as_ref()
                    .map_or(String::new(), |r| format!("\n                {r}")),
            );
        }
        if !self.caveats.is_empty() {
            text += "\nNot looked at, or assumed\n";
            for caveat in &self.caveats {
                let _ = writeln!(text, "  {}", caveat.text);
            }
        }
        let end = match self.verdict {
            Verdict::Broken => "Rules are broken.",
            Verdict::NotCertified => "Nothing is broken, but not everything is certified.",
            Verdict::Tight => "All rules hold; some clearances are tight.",
            Verdict::Meets => "All rules hold.",
        };
        let _ = writeln!(text, "\n{end}");
        text
    }
}

fn word(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Broken => "BROKEN",
        Verdict::NotCertified => "not certified",
        Verdict::Tight => "tight",
        Verdict::Meets => "meets",
    }
}

fn lasting(pair: &PairReport) -> String {
    let [_, total] = pair.broken_for_s;
    if total > 0.0 {
        let times = if pair.broken.len() == 1 {
            "once".to_owned()
        } else {
            format!("{} times", pair.broken.len())
        };
        let certain = if pair.verdict == Verdict::Broken {
            "broken"
        } else {
            "not certain"
        };
        format!("  {certain} for {total:.3} s, {times}")
    } else {
        String::new()
    }
}

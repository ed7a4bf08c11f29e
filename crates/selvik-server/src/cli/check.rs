//! `selvik check`: all findings of a package, as a table or JSON.

use std::fmt::Write;
use std::io::IsTerminal;
use std::path::Path;
use std::sync::mpsc;
use std::time::{Duration, Instant};

use selvik_cell::comparison::{Became, Change, Earlier, compared};
use selvik_cell::findings::{Findings, WithBand, find};
use selvik_cell::report::{Caveat, PairReport, ReachReport, SweepReport, Verdict};
use selvik_core::clearance::{Progress, SweepOptions};
use selvik_formats::to_csv;
use serde::Serialize;

use super::{Check, open_workcell};

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
    /// What changed since earlier findings, where some were given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub since: Option<Vec<Change>>,
}

/// Sweeps the run plan of a package and checks its reach.
///
/// # Errors
/// A sentence about bad input.
pub fn check(wanted: &Check) -> Result<Checked, String> {
    let tolerance_mm = wanted.tolerance_mm;
    if !(tolerance_mm > 0.0 && tolerance_mm <= 100.0) {
        return Err("--tolerance-mm must be above 0 and at most 100".to_owned());
    }
    if wanted.time_limit.is_some_and(|s| !(s > 0.0 && s <= 1e6)) {
        return Err("--time-limit is a number of seconds, above 0 and at most 1000000".to_owned());
    }
    let earlier = wanted.against.as_deref().map(earlier).transpose()?;
    if let Some(jobs) = wanted.jobs {
        if jobs == 0 {
            return Err("--jobs is how many cores are used, at least one".to_owned());
        }
        let pool = rayon::ThreadPoolBuilder::new().num_threads(jobs);
        pool.build_global()
            .map_err(|e| format!("can't work on {jobs} cores: {e}"))?;
    }
    let workcell = open_workcell(&wanted.package)?;
    let motion = workcell.path().map_err(|e| e.to_string())?;
    let tolerance = tolerance_mm * 1e-3;
    let options = if wanted.all {
        SweepOptions::every_pair(tolerance)
    } else {
        SweepOptions {
            tolerance,
            ..SweepOptions::default()
        }
    };
    let progress = Progress::default();
    let limit = wanted.time_limit.map(Duration::from_secs_f64);
    let found = watched(&progress, limit, || {
        find(&workcell, &motion, &options, WithBand::No, &progress)
    });
    let Findings {
        clearance,
        reach,
        verdict,
        caveats,
        ..
    } = found;
    let since = earlier.map(|earlier| compared(&earlier, &clearance, &reach));
    Ok(Checked {
        cell: workcell.document.name.clone(),
        clearance,
        reach,
        verdict,
        caveats,
        since,
    })
}

/// What was found earlier.
fn earlier(path: &Path) -> Result<Earlier, String> {
    let name = path.display();
    let text = std::fs::read(path).map_err(|e| format!("{name}: {e}"))?;
    serde_json::from_slice(&text).map_err(|e| {
        format!("{name} is not what `selvik check --json` prints: {e}; make it anew with that")
    })
}

/// How often it is looked at how far the work has come.
const LOOK: Duration = Duration::from_millis(100);

/// Does something while progress is told on a terminal, and stops it after `limit`.
fn watched<T>(progress: &Progress, limit: Option<Duration>, work: impl FnOnce() -> T) -> T {
    let (done, over) = mpsc::channel::<()>();
    let started = Instant::now();
    let tells = std::io::stderr().is_terminal();
    std::thread::scope(move |scope| {
        // Goes when the work is done or panics: then nothing is watched any more.
        let _done = done;
        scope.spawn(move || {
            let left = || limit.and_then(|limit| limit.checked_sub(started.elapsed()));
            let pause = || left().map_or(LOOK, |left| left.min(LOOK));
            while over.recv_timeout(pause()) == Err(mpsc::RecvTimeoutError::Timeout) {
                if limit.is_some_and(|limit| started.elapsed() >= limit) {
                    progress.stop();
                }
                let (steps, of) = progress.state();
                if tells && of > 0 {
                    let share = 100 * steps / of;
                    eprint!(
                        "\r{share:>3} % of {of} pairs, {:.0} s ",
                        started.elapsed().as_secs_f64()
                    );
                }
            }
            if tells {
                // The line is cleared.
                eprint!("\r\x1b[2K");
            }
        });
        work()
    })
}

impl Checked {
    /// 0 when everything a rule asks for is certified, 1 when something is broken, 3 when nothing is broken but
    /// something not certified. Beside earlier findings 1 when something is worse, else 0; 3 when it was not looked at to the end.
    #[must_use]
    pub fn exit_code(&self) -> u8 {
        if let Some(changes) = &self.since {
            let is_worse = |c: &Change| matches!(c.became, Became::Worse | Became::New);
            return match (changes.iter().any(is_worse), self.clearance.complete) {
                (true, _) => 1,
                (false, false) => 3,
                (false, true) => 0,
            };
        }
        match self.verdict {
            Verdict::Broken => 1,
            Verdict::NotCertified => 3,
            Verdict::Tight | Verdict::Meets => 0,
        }
    }

    /// A row for each pair and for each target, RFC 4180.
    ///
    /// # Errors
    /// A sentence, never in practice: it is written to memory.
    pub fn csv(&self) -> Result<Vec<u8>, String> {
        let header = [
            "kind",
            "rule",
            "a",
            "b",
            "verdict",
            "required",
            "lower",
            "attained",
            "unit",
            "time_s",
            "broken_for_s",
            "reasons",
        ];
        let pairs = self.clearance.pairs.iter().map(|p| {
            vec![
                "clearance".to_owned(),
                p.rule.clone(),
                p.a.name.clone(),
                p.b.name.clone(),
                verdict_word(Some(p.verdict)),
                p.required_mm.to_string(),
                p.lower_mm.to_string(),
                p.attained_mm.to_string(),
                "mm".to_owned(),
                p.time_s.to_string(),
                p.broken_for_s[1].to_string(),
                p.reasons.join("; "),
            ]
        });
        let required = self.reach.required_spare_percent;
        let rows = self.reach.rows.iter().map(|r| {
            vec![
                "reach".to_owned(),
                "Reach".to_owned(),
                r.program.clone(),
                r.label.clone(),
                verdict_word(r.verdict),
                required.map_or(String::new(), |p| p.to_string()),
                r.spare_percent.to_string(),
                r.spare_at_most_percent.to_string(),
                "percent".to_owned(),
                r.time_s.to_string(),
                String::new(),
                r.reason.clone().unwrap_or_default(),
            ]
        });
        to_csv(&header, pairs.chain(rows).collect()).map_err(|e| e.to_string())
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
        if let Some(changes) = &self.since {
            text += "\nSince the earlier check\n";
            if changes.is_empty() {
                text += "  nothing changed\n";
            }
            for change in changes {
                let _ = writeln!(
                    text,
                    "  {:<6}  {}  ({})",
                    became(change.became),
                    change.what,
                    change.numbers
                );
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

fn became(became: Became) -> &'static str {
    match became {
        Became::Worse => "WORSE",
        Became::New => "NEW",
        Became::Better => "better",
        Became::Gone => "gone",
    }
}

pub(super) fn word(verdict: Verdict) -> &'static str {
    match verdict {
        Verdict::Broken => "BROKEN",
        Verdict::NotCertified => "not certified",
        Verdict::Tight => "tight",
        Verdict::Meets => "meets",
    }
}

/// As JSON has it; empty where there is no rule.
fn verdict_word(verdict: Option<Verdict>) -> String {
    let told = verdict.map(|v| serde_json::to_value(v).expect("a word"));
    told.and_then(|v| v.as_str().map(str::to_owned))
        .unwrap_or_default()
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

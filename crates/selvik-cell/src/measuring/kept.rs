use rayon::prelude::*;
use selvik_core::program::Path;
use selvik_formats::{FormatError, Result, to_csv};
use serde::Serialize;
use utoipa::ToSchema;

use super::{Measured, Measuring, measure};
use crate::Workcell;
use crate::document::{Amount, FindingDocument, KnownValue, PickDocument, ValueKind};
use crate::questions::Asked;

/// A kept finding as it is now.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct KeptFinding {
    /// Its id.
    pub id: String,
    /// What is found now, in the order of what was found then; empty if it can't be measured any more.
    pub now: Vec<KnownValue>,
    /// Why it can't.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gone: Option<String>,
    /// Whether something is found now that differs from what was.
    pub changed: bool,
}

/// Numbers that differ by less than this share, or so much, are the same: the cell may have been stored and read.
const SAME_SHARE: f64 = 1e-9;
const SAME: f64 = 1e-6;

/// The findings of a cell's document, worked out anew; `path` goes as far as the run plan can be run.
#[must_use]
pub fn kept_findings(workcell: &Workcell, path: &Path) -> Vec<KeptFinding> {
    let findings = workcell.document.findings.par_iter();
    findings
        .map(|finding| kept(workcell, path, finding))
        .collect()
}

fn kept(workcell: &Workcell, path: &Path, finding: &FindingDocument) -> KeptFinding {
    let id = finding.id.clone();
    match measured(workcell, path, finding) {
        Ok(measured) => {
            let now = measured.numbers;
            let changed = !are_same(&finding.was, &now);
            KeptFinding {
                id,
                now,
                gone: None,
                changed,
            }
        }
        Err(why) => KeptFinding {
            id,
            now: Vec::new(),
            gone: Some(why.to_string()),
            changed: true,
        },
    }
}

fn measured(workcell: &Workcell, path: &Path, finding: &FindingDocument) -> Result<Measured> {
    let asked = match finding.time_s {
        Some(time_s) => Asked::on_path(workcell, path, time_s)?,
        None => Asked::at_rest(workcell),
    };
    let wanted = Measuring {
        picks: finding.picks.clone(),
        frame: finding.frame.clone(),
        volumes: true,
    };
    measure(&asked.moved(&finding.joints_deg_or_mm)?, &wanted)
}

fn are_same(was: &[KnownValue], now: &[KnownValue]) -> bool {
    let near = |a: &f64, b: &f64| (a - b).abs() <= (a.abs().max(b.abs()) * SAME_SHARE).max(SAME);
    let same = |a: &KnownValue, b: &KnownValue| {
        let (x, y) = (amounts(&a.amount), amounts(&b.amount));
        a.what == b.what && x.len() == y.len() && x.iter().zip(&y).all(|(x, y)| near(x, y))
    };
    // What can be told now and was not told then is no change.
    let still = |at: usize| counterpart(now, was, at).is_some_and(|b| same(&was[at], b));
    (0..was.len()).all(still)
}

/// The number of `all` that says the same as the one at `at` of `values`: an edge has two ends, so the same kind may come more
/// than once.
fn counterpart<'a>(
    all: &'a [KnownValue],
    values: &[KnownValue],
    at: usize,
) -> Option<&'a KnownValue> {
    let what = values[at].what;
    let nth = values[..at].iter().filter(|v| v.what == what).count();
    all.iter().filter(|v| v.what == what).nth(nth)
}

fn amounts(amount: &Amount) -> Vec<f64> {
    match amount {
        Amount::LengthMm(x) | Amount::AngleDeg(x) | Amount::AreaMm2(x) | Amount::VolumeMm3(x) => {
            vec![*x]
        }
        Amount::Percent(x) | Amount::Plain(x) => vec![*x],
        Amount::PointMm(p) | Amount::Direction(p) | Amount::SizeMm(p) => p.to_vec(),
    }
}

fn unit(amount: &Amount) -> &'static str {
    match amount {
        Amount::LengthMm(_) | Amount::PointMm(_) | Amount::SizeMm(_) => "mm",
        Amount::AngleDeg(_) => "deg",
        Amount::AreaMm2(_) => "mm2",
        Amount::VolumeMm3(_) => "mm3",
        Amount::Percent(_) => "%",
        Amount::Direction(_) | Amount::Plain(_) => "",
    }
}

/// The findings of a cell as CSV (RFC 4180), a row for each number: what it was when it was kept and what it is now.
///
/// # Errors
/// [`FormatError`] never in practice: it is written to memory.
pub fn findings_csv(workcell: &Workcell, path: &Path) -> Result<Vec<u8>> {
    let header = [
        "finding", "note", "time_s", "a", "b", "what", "was", "now", "unit", "state",
    ];
    let mut rows = Vec::new();
    let all = workcell.document.findings.iter();
    for (finding, kept) in all.zip(kept_findings(workcell, path)) {
        let state = match (&kept.gone, kept.changed) {
            (Some(why), _) => why.as_str(),
            (None, true) => "changed",
            (None, false) => "as it was",
        };
        let pick = |at: usize| finding.picks.get(at).map_or(String::new(), told);
        let text = |value: Option<KnownValue>| {
            let all = value.as_ref().map_or(Vec::new(), |v| amounts(&v.amount));
            let all: Vec<String> = all.iter().map(ToString::to_string).collect();
            all.join(" ")
        };
        let values = if kept.now.is_empty() {
            &finding.was
        } else {
            &kept.now
        };
        for (at, value) in values.iter().enumerate() {
            let told = |all| counterpart(all, values, at).cloned();
            let (was, now) = (told(&finding.was), told(&kept.now));
            rows.push(vec![
                finding.name.clone(),
                finding.note.clone().unwrap_or_default(),
                finding.time_s.map_or(String::new(), |t| t.to_string()),
                pick(0),
                pick(1),
                word(value.what)?,
                text(was),
                text(now),
                unit(&value.amount).to_owned(),
                state.to_owned(),
            ]);
        }
    }
    to_csv(&header, rows)
}

fn told(pick: &PickDocument) -> String {
    let kind = serde_json::to_value(pick.kind).unwrap_or_default();
    format!("{} {}", kind.as_str().unwrap_or_default(), pick.on)
}

fn word(what: ValueKind) -> Result<String> {
    let word = serde_json::to_value(what).map_err(FormatError::said)?;
    Ok(word.as_str().unwrap_or_default().replace('_', " "))
}

//! The certified clearance over a part of the path: of all pairs, or of one.

use selvik_core::clearance::{BandShape, Counted, Progress, Sweep, clearance_band};
use selvik_core::program::Path;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::findings::{BAND_CEILING, BAND_TOLERANCE};
use crate::report::{BandReport, PairReport, Verdict, band_report, pair_report, side};
use crate::trying::Tentative;

/// Whose clearance, and when.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
pub struct ProfileWanted {
    /// From when.
    pub from_s: f64,
    /// Until when.
    pub to_s: f64,
    /// Two bodies; all pairs where there are none.
    #[serde(default)]
    pub between: Option<[BodyNamed; 2]>,
}

/// A body.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize, ToSchema)]
pub struct BodyNamed {
    /// Id of the item.
    pub item: String,
    /// Name of the link, for mechanisms.
    #[serde(default)]
    pub link: Option<String>,
}

/// What pairs come to in a part of the path.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PartFound {
    /// From when.
    pub from_s: f64,
    /// Until when.
    pub to_s: f64,
    /// What all clearance rules come to then; of nothing outside of it.
    pub verdict: Verdict,
    /// Pairs that break their rule.
    pub broken: usize,
    /// Pairs that are neither certainly broken nor certainly kept.
    pub not_certified: usize,
    /// Pairs that are tight.
    pub tight: usize,
    /// All pairs that are measured then.
    pub count: usize,
    /// The worst of them.
    pub pairs: Vec<PairReport>,
}

/// What is certain of a cell as it is, though it was not swept to the end.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct CertainAlready {
    /// Pairs that were looked at as they are now.
    pub looked_at: usize,
    /// All that are under a rule.
    pub count: usize,
    /// Of those that were looked at: they break their rule.
    pub broken: usize,
    /// They are neither certainly broken nor certainly kept.
    pub not_certified: usize,
    /// They are tight.
    pub tight: usize,
    /// They meet their rule.
    pub meets: usize,
    /// The worst of them.
    pub pairs: Vec<PairReport>,
}

/// What sweeps before, also one that was stopped, have found of pairs that are now what they were then.
#[must_use]
pub fn certain_already(of: Tentative) -> CertainAlready {
    let known = of.swept_before();
    let count = |verdict: Verdict| {
        let verdicts = known.pairs.iter().map(|p| Verdict::from(p.verdict));
        verdicts.filter(|&v| v == verdict).count()
    };
    let told = known.pairs.iter().take(TOLD);
    let report = |p| pair_report(of.workcell, of.path, p);
    CertainAlready {
        looked_at: known.pairs.len(),
        count: known.rules.iter().map(|rule| rule.scope.measured).sum(),
        broken: count(Verdict::Broken),
        not_certified: count(Verdict::NotCertified),
        tight: count(Verdict::Tight),
        meets: count(Verdict::Meets),
        pairs: told.map(report).collect(),
    }
}

/// So many pairs of a part are told.
const TOLD: usize = 50;

/// What pairs come to in a part of the path alone; `None` when it was stopped.
///
/// # Errors
/// [`FormatError`] for times that are none.
pub fn swept_part(
    of: Tentative,
    during: (f64, f64),
    progress: &Progress,
) -> Result<Option<PartFound>> {
    let (workcell, path) = (of.workcell, of.path);
    let during = part_of(path, during)?;
    let Some(found) = of.swept_during(during, progress) else {
        return Ok(None);
    };
    let count = |verdict: Verdict| {
        let verdicts = found.pairs.iter().map(|p| Verdict::from(p.verdict));
        verdicts.filter(|&v| v == verdict).count()
    };
    let told = found.pairs.iter().take(TOLD);
    Ok(Some(PartFound {
        from_s: during.0,
        to_s: during.1,
        verdict: found.verdict().into(),
        broken: count(Verdict::Broken),
        not_certified: count(Verdict::NotCertified),
        tight: count(Verdict::Tight),
        count: found.pairs.len(),
        pairs: told.map(|p| pair_report(workcell, path, p)).collect(),
    }))
}

/// The times that lie on the path.
fn part_of(path: &Path, (from, to): (f64, f64)) -> Result<(f64, f64)> {
    let during = (from.max(0.0), to.min(path.duration()));
    // Times that are not numbers are none.
    if from.is_nan() || to.is_nan() || during.0 >= during.1 {
        return Err(FormatError::said("that is no time of the path"));
    }
    Ok(during)
}

/// In so many stretches a part is told.
const STRETCHES: usize = 240;
/// In short parts less can be told apart than over the whole path, m.
const CLOSE: f64 = 1e-4;

/// The band of what `swept` has found of a cell, during a part of its path.
///
/// # Errors
/// [`FormatError`] for times that are none, for bodies that are under no rule, and where nothing moves between them.
pub fn profile(
    of: Tentative,
    swept: &Sweep,
    wanted: &ProfileWanted,
    progress: &Progress,
) -> Result<BandReport> {
    let (workcell, path) = (of.workcell, of.path);
    let during = part_of(path, (wanted.from_s, wanted.to_s))?;
    let named = |id, named: &BodyNamed| {
        let body = side(workcell, id);
        body.item == named.item && body.link == named.link
    };
    let is_wanted = |a, b| match &wanted.between {
        None => true,
        Some([x, y]) => (named(a, x) && named(b, y)) || (named(a, y) && named(b, x)),
    };
    let own = swept.pairs.iter().filter(|p| is_wanted(p.pair.a, p.pair.b));
    let mut own: Vec<_> = own.collect();
    if own.is_empty() {
        return Err(FormatError::said("no rule measures those two"));
    }
    let (assembly, one) = (&workcell.assembly, wanted.between.is_some());
    if one && !own.iter().any(|p| p.pair.moves(assembly, path)) {
        return Err(FormatError::said("nothing moves between those two"));
    }
    own.sort_by(|a, b| a.clearance.attained().total_cmp(&b.clearance.attained()));
    let counted: Vec<Counted> = own.iter().map(|p| Counted::of(p, path)).collect();
    let share = (during.1 - during.0) / path.duration();
    let shape = BandShape {
        during,
        stretches: STRETCHES,
        ceiling: BAND_CEILING,
        tolerance: (BAND_TOLERANCE * share).max(CLOSE),
    };
    let band = clearance_band(assembly, path, &counted, &shape, progress);
    Ok(band_report(&band))
}

//! The certified clearance over a part of the path: of all pairs, or of one.

use selvik_core::clearance::{BandShape, Counted, Progress, Sweep, clearance_band};
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use crate::findings::{BAND_CEILING, BAND_TOLERANCE};
use crate::report::{BandReport, band_report, side};
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
    let during = (wanted.from_s.max(0.0), wanted.to_s.min(path.duration()));
    // Times that are not numbers are none.
    if wanted.from_s.is_nan() || wanted.to_s.is_nan() || during.0 >= during.1 {
        return Err(FormatError::said("that is no time of the path"));
    }
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

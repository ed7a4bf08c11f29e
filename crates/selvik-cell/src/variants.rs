//! Variants of a cell: the same with one change each, and what all rules come to then.

use std::cmp::Ordering;
use std::collections::{HashMap, HashSet};

use schemars::JsonSchema;
use selvik_core::clearance::{Known, Progress, SweepOptions};
use selvik_core::program::Path;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::arranging::{Arrange, FrameChoice, Posed, Subject, edit_of};
use crate::document::{CellDocument, ItemDocument, PoseDocument};
use crate::edit::{Edit, families};
use crate::findings::{Findings, WithBand, find_again};
use crate::report::{PairReport, Verdict};

/// A cell has no more variants than this.
pub const MOST_VARIANTS: usize = 1000;
/// Names longer than this are none, letters.
const LONGEST_NAME: usize = 200;

/// A change of a cell that is looked at without being made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Variant {
    /// What people call it.
    pub name: String,
    /// The change.
    pub edit: Edit,
}

impl Variant {
    /// The document with the change.
    ///
    /// # Errors
    /// A sentence that begins with its name, where the change is impossible.
    pub fn applied(&self, document: &CellDocument) -> Result<CellDocument> {
        let letters = self.name.chars().count();
        if self.name.trim().is_empty() || letters > LONGEST_NAME || self.name.contains('\0') {
            let said = format!("a variant needs a name of 1 to {LONGEST_NAME} letters");
            return Err(FormatError::said(said));
        }
        let mut changed = document.clone();
        let applied = self.edit.apply(&mut changed);
        applied.map_err(|error| FormatError::said(format!("{}: {error}", self.name)))?;
        Ok(changed)
    }
}

/// What became of a variant.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "outcome", rename_all = "snake_case")]
pub enum VariantOutcome {
    /// It was swept.
    Swept(VariantFound),
    /// It can't be, and why.
    Impossible {
        /// In sentences.
        why: String,
    },
    /// Nobody could sweep it, and why.
    Lost {
        /// In a sentence.
        why: String,
    },
}

/// Which place each has among all, 0 the best: by what it comes to, by how many pairs are broken or not certified, then by what
/// its worst pair keeps. What is not known comes last; what is as good stays in its order.
#[must_use]
pub fn places(outcomes: &[Option<VariantOutcome>]) -> Vec<usize> {
    let found = |at: usize| match &outcomes[at] {
        Some(VariantOutcome::Swept(found)) => Some(found),
        _ => None,
    };
    let mut best: Vec<usize> = (0..outcomes.len()).collect();
    best.sort_by(|&a, &b| match (found(a), found(b)) {
        (Some(a), Some(b)) => a.compared_to(b),
        (a, b) => a.is_none().cmp(&b.is_none()),
    });
    let mut places = vec![0; best.len()];
    for (place, at) in best.into_iter().enumerate() {
        places[at] = place;
    }
    places
}

/// What the sweep of a variant found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct VariantFound {
    /// What clearance and reach come to together.
    pub verdict: Verdict,
    /// What reach alone comes to, where it has a rule.
    pub reach: Option<Verdict>,
    /// Pairs that break their rule.
    pub broken: usize,
    /// Pairs that are neither certainly broken nor certainly kept.
    pub not_certified: usize,
    /// Pairs that are tight.
    pub tight: usize,
    /// All pairs.
    pub pairs: usize,
    /// The worst of what the change concerns, or of all where it concerns no item that has a pair.
    pub worst: Option<WorstPair>,
    /// How long the path is.
    pub duration_s: f64,
    /// How long the sweep took.
    pub took_s: f64,
}

/// The worst pair of a variant.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct WorstPair {
    /// What people call its bodies.
    pub between: String,
    /// Name of its rule.
    pub rule: String,
    /// What it makes of its rule.
    pub verdict: Verdict,
    /// What its rule asks for.
    pub required_mm: f64,
    /// Nothing comes nearer than this.
    pub lower_mm: f64,
    /// The smallest distance found.
    pub attained_mm: f64,
    /// How much is certainly left beyond what its rule asks for; less than nothing where that is not certain.
    pub margin_mm: f64,
    /// When that is.
    pub time_s: f64,
}

impl WorstPair {
    fn of(pair: &PairReport) -> Self {
        Self {
            between: format!("{} – {}", pair.a.name, pair.b.name),
            rule: pair.rule.clone(),
            verdict: pair.verdict,
            required_mm: pair.required_mm,
            lower_mm: pair.lower_mm,
            attained_mm: pair.attained_mm,
            margin_mm: pair.lower_mm - pair.required_mm,
            time_s: pair.time_s,
        }
    }
}

impl VariantFound {
    /// The better is the less.
    fn compared_to(&self, other: &Self) -> Ordering {
        let margin = |of: &Self| of.worst.as_ref().map_or(0.0, |worst| worst.margin_mm);
        let verdict = other.verdict.cmp(&self.verdict);
        verdict
            .then(self.broken.cmp(&other.broken))
            .then(self.not_certified.cmp(&other.not_certified))
            .then(margin(other).total_cmp(&margin(self)))
    }

    fn of(findings: &Findings, concerned: &HashSet<String>) -> Self {
        let pairs = &findings.clearance.pairs;
        let count = |verdict| pairs.iter().filter(|p| p.verdict == verdict).count();
        // They are told worst first.
        let concerns = |p: &&PairReport| {
            let sides = [&p.a.item, &p.b.item];
            sides.iter().filter(|id| concerned.contains(**id)).count() == 1
        };
        let worst = pairs.iter().find(concerns).or(pairs.first());
        Self {
            verdict: findings.verdict,
            reach: findings.reach.verdict,
            broken: count(Verdict::Broken),
            not_certified: count(Verdict::NotCertified),
            tight: count(Verdict::Tight),
            pairs: pairs.len(),
            worst: worst.map(WorstPair::of),
            duration_s: findings.clearance.duration_s,
            took_s: findings.took_s,
        }
    }
}

/// Sweeps a variant of what was `before`, as `workcell` and `path` already are with its `edit`; `None` when it was stopped.
#[must_use]
pub fn swept(
    (before, edit): (&CellDocument, &Edit),
    (workcell, path): (&Workcell, &Path),
    (known, progress): (&Known, &Progress),
) -> Option<VariantFound> {
    let options = SweepOptions::default();
    let findings = find_again(workcell, path, &options, WithBand::No, (known, progress));
    let whole = findings.clearance.complete && !progress.stopped();
    whole.then(|| VariantFound::of(&findings, &concerned((before, edit), &workcell.document)))
}

/// Ids of the items that differ or that the change places, with all that hangs on them.
fn concerned((before, edit): (&CellDocument, &Edit), after: &CellDocument) -> HashSet<String> {
    let placed: HashSet<&str> = match edit {
        Edit::PlaceItems { places } => places.iter().map(|p| p.item.as_str()).collect(),
        Edit::HangItems { places } => places.iter().map(|p| p.item.as_str()).collect(),
        _ => HashSet::new(),
    };
    let was: HashMap<&str, &ItemDocument> =
        before.items.iter().map(|i| (i.id.as_str(), i)).collect();
    let differs = |item: &&ItemDocument| {
        let id = item.id.as_str();
        placed.contains(id) || was.get(id) != Some(item)
    };
    let tops: Vec<String> = after
        .items
        .iter()
        .filter(differs)
        .map(|i| i.id.clone())
        .collect();
    let all = families(after, &tops).unwrap_or_default();
    all.into_iter()
        .map(|at| after.items[at].id.clone())
        .collect()
}

/// A series of places for items: every step along one axis, or along one for every step along another.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SeriesWanted {
    /// Ids of items. What one of the others carries goes with that.
    pub items: Vec<String>,
    /// One or two.
    pub along: Vec<SeriesAxis>,
}

/// Steps along an axis.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SeriesAxis {
    /// Which.
    pub axis: SeriesDirection,
    /// The first, mm or degrees from where the items stand.
    pub from: f64,
    /// The last.
    pub to: f64,
    /// How many, both counted; one is the first alone.
    pub count: usize,
}

/// Along or about what.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SeriesDirection {
    /// Along X of the world.
    X,
    /// Along Y.
    Y,
    /// Along Z.
    Z,
    /// About the vertical through the origin of the first item.
    Turn,
}

impl SeriesDirection {
    fn shift(self, by: f64) -> PoseDocument {
        let mut pose = PoseDocument::default();
        match self {
            Self::X => pose.xyz_mm[0] = by,
            Self::Y => pose.xyz_mm[1] = by,
            Self::Z => pose.xyz_mm[2] = by,
            Self::Turn => pose.rpy_deg[2] = by,
        }
        pose
    }

    fn words(self, by: f64) -> String {
        // Steps that don't come out even are told to a hundredth.
        let rounded = (by * 100.0).round() / 100.0;
        let sign = match rounded {
            0.0 => "",
            _ if rounded < 0.0 => "−",
            _ => "+",
        };
        let amount = rounded.abs();
        match self {
            Self::X => format!("X {sign}{amount} mm"),
            Self::Y => format!("Y {sign}{amount} mm"),
            Self::Z => format!("Z {sign}{amount} mm"),
            Self::Turn => format!("turn {sign}{amount}°"),
        }
    }
}

impl SeriesAxis {
    fn steps(&self) -> Result<Vec<f64>> {
        if !(self.from.is_finite() && self.to.is_finite() && self.count >= 1) {
            let said = "a series needs a first and a last place, and at least one step";
            return Err(FormatError::said(said));
        }
        let last = (self.count - 1).max(1) as f64;
        let at = |k: usize| self.from + (self.to - self.from) * (k as f64 / last);
        Ok((0..self.count).map(at).collect())
    }
}

/// The variants of a series.
///
/// # Errors
/// Sentences: items that are not there or that something carries, too many steps.
pub fn series(posed: &Posed, wanted: &SeriesWanted) -> Result<Vec<Variant>> {
    let (first, second) = match wanted.along.as_slice() {
        [only] => (only, None),
        [first, second] if first.axis != second.axis => (first, Some(second)),
        _ => return Err(FormatError::said("a series goes along one axis or two")),
    };
    let many = second.map_or(1, |axis| axis.count);
    if first.count.saturating_mul(many) > MOST_VARIANTS {
        let said = format!("a series has at most {MOST_VARIANTS} places");
        return Err(FormatError::said(said));
    }
    let outer = first.steps()?;
    let inner = second.map_or(Ok(vec![]), SeriesAxis::steps)?;
    let mut all = Vec::new();
    for by in outer {
        let alone = (first.axis.shift(by), first.axis.words(by));
        let Some(second) = second else {
            all.push(alone);
            continue;
        };
        for &more in &inner {
            let (mut pose, words) = alone.clone();
            let other = second.axis.shift(more);
            for i in [0, 1, 2] {
                pose.xyz_mm[i] += other.xyz_mm[i];
                pose.rpy_deg[i] += other.rpy_deg[i];
            }
            all.push((pose, format!("{words}, {}", second.axis.words(more))));
        }
    }
    let called = called(posed, &wanted.items);
    let subject = Subject::Items(wanted.items.clone());
    let variant = |(by, words): (PoseDocument, String)| {
        let how = Arrange::Shift {
            frame: FrameChoice::World,
            by,
            about_mm: None,
        };
        let edit = edit_of(posed, &subject, &how)?;
        let name = format!("{called} {words}");
        Ok(Variant { name, edit })
    };
    all.into_iter().map(variant).collect()
}

/// What people call some items in few words.
fn called(posed: &Posed, items: &[String]) -> String {
    let all = posed.workcell.document.items.iter();
    let first = items.first().map_or("", String::as_str);
    let name = all.clone().find(|item| item.id == first);
    let name: String = name
        .map_or(first, |item| &item.name)
        .chars()
        .take(80)
        .collect();
    match items.len() {
        0 | 1 => name,
        more => format!("{name} and {} more", more - 1),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(verdict: Verdict, broken: usize, margin_mm: f64) -> Option<VariantOutcome> {
        let worst = WorstPair {
            between: String::new(),
            rule: String::new(),
            verdict,
            required_mm: 10.0,
            lower_mm: 10.0 + margin_mm,
            attained_mm: 10.0 + margin_mm,
            margin_mm,
            time_s: 0.0,
        };
        Some(VariantOutcome::Swept(VariantFound {
            verdict,
            reach: None,
            broken,
            not_certified: 0,
            tight: 0,
            pairs: 9,
            worst: Some(worst),
            duration_s: 1.0,
            took_s: 0.1,
        }))
    }

    #[test]
    fn the_best_comes_first_and_what_is_not_known_last() {
        let why = || String::from("so");
        let outcomes = [
            None,
            found(Verdict::Broken, 2, -6.0),
            found(Verdict::Meets, 0, 12.0),
            found(Verdict::Tight, 0, 1.0),
            found(Verdict::NotCertified, 0, 3.0),
            Some(VariantOutcome::Lost { why: why() }),
            found(Verdict::Broken, 1, -9.0),
            found(Verdict::Meets, 0, 13.0),
            found(Verdict::Broken, 1, -1.0),
            Some(VariantOutcome::Impossible { why: why() }),
        ];
        assert_eq!(places(&outcomes), [7, 6, 1, 2, 3, 8, 5, 0, 4, 9]);
    }
}

//! Findings beside earlier ones of the same cell: what got better, what worse, what is new.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::report::{PairReport, ReachReport, ReachRow, SideReport, SweepReport, Verdict};

/// What became of something since earlier findings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Became {
    /// Its verdict is worse, or it is tight or less and certainly nearer than before.
    Worse,
    /// It was not there before, and it is broken or not certified.
    New,
    /// Its verdict is better, or it was tight or less and is certainly farther apart.
    Better,
    /// It was broken or not certified, and it is not there any more.
    Gone,
}

/// A pair or a target whose findings changed.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[schema(as = FindingChange)]
pub struct Change {
    /// What became of it.
    pub became: Became,
    /// The rule and the bodies, or the program and its target.
    pub what: String,
    /// The verdict before; none where it was not there.
    pub before: Option<Verdict>,
    /// The verdict now.
    pub now: Option<Verdict>,
    /// What was found before and now, in words.
    pub numbers: String,
    /// The two bodies, where it is about two.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub between: Option<[SideReport; 2]>,
}

/// Earlier findings, as `selvik check --json` prints them.
#[derive(Debug, Clone, Deserialize)]
pub struct Earlier {
    /// Clearances over the path.
    pub clearance: SweepReport,
    /// Reach at every target.
    pub reach: ReachReport,
}

/// What changed from `earlier` to `clearance` and `reach`, the worst first. Pairs are found again by the ids of their bodies and
/// the name of their rule, targets by program and label. Widths of brackets and changes within them are no changes.
#[must_use]
pub fn compared(earlier: &Earlier, clearance: &SweepReport, reach: &ReachReport) -> Vec<Change> {
    let pairs = matched(&earlier.clearance.pairs, &clearance.pairs, pair_key);
    let rows = matched(&earlier.reach.rows, &reach.rows, row_key);
    let mut changes: Vec<Change> = pairs.filter_map(|(a, b)| of_pairs(a, b)).collect();
    changes.extend(rows.filter_map(|(a, b)| of_rows(a, b)));
    changes.sort_by(|a, b| a.became.cmp(&b.became).then(a.now.cmp(&b.now)));
    changes
}

type Beside<'a, T> = (Option<&'a T>, Option<&'a T>);

/// Those of before beside those of now; of several with one key the first with the first.
fn matched<'a, T, K: std::hash::Hash + Eq>(
    before: &'a [T],
    now: &'a [T],
    key: impl Fn(&'a T) -> K,
) -> impl Iterator<Item = Beside<'a, T>> {
    let mut known: HashMap<K, Vec<&T>> = HashMap::new();
    for one in before.iter().rev() {
        known.entry(key(one)).or_default().push(one);
    }
    let of_now: Vec<Beside<T>> = now
        .iter()
        .map(|one| (known.get_mut(&key(one)).and_then(Vec::pop), Some(one)))
        .collect();
    let gone = known.into_values().flatten().map(|one| (Some(one), None));
    of_now.into_iter().chain(gone.collect::<Vec<_>>())
}

type Side<'a> = (&'a str, Option<&'a str>);

fn pair_key(pair: &PairReport) -> (&str, [Side<'_>; 2]) {
    fn side(side: &SideReport) -> Side<'_> {
        (&side.item, side.link.as_deref())
    }
    let mut sides = [side(&pair.a), side(&pair.b)];
    sides.sort_unstable();
    (&pair.rule, sides)
}

fn row_key(row: &ReachRow) -> (&str, &str) {
    (&row.program, &row.label)
}

/// Whether a verdict asks for something to be done.
fn asks(verdict: Option<Verdict>) -> bool {
    verdict.is_some_and(|v| v <= Verdict::NotCertified)
}

fn became(before: Option<Verdict>, now: Option<Verdict>, nearer: Option<bool>) -> Option<Became> {
    match (before, now) {
        (None, now) => asks(now).then_some(Became::New),
        (before, None) => asks(before).then_some(Became::Gone),
        (Some(before), Some(now)) if now < before => Some(Became::Worse),
        (Some(before), Some(now)) if now > before => Some(Became::Better),
        (Some(_), Some(Verdict::Meets)) => None,
        _ => nearer.map(|nearer| {
            if nearer {
                Became::Worse
            } else {
                Became::Better
            }
        }),
    }
}

fn of_pairs(before: Option<&PairReport>, now: Option<&PairReport>) -> Option<Change> {
    let verdicts = (before.map(|p| p.verdict), now.map(|p| p.verdict));
    let certainly_nearer = before.zip(now).and_then(|(before, now)| {
        let nearer = now.attained_mm < before.lower_mm;
        let farther = now.lower_mm > before.attained_mm;
        (nearer || farther).then_some(nearer)
    });
    let became = became(verdicts.0, verdicts.1, certainly_nearer)?;
    let told = |pair: Option<&PairReport>| {
        pair.map_or("not there".to_owned(), |p| {
            format!("{:.3} mm", p.attained_mm)
        })
    };
    let pair = now.or(before)?;
    Some(Change {
        became,
        what: format!("{}: {} – {}", pair.rule, pair.a.name, pair.b.name),
        before: verdicts.0,
        now: verdicts.1,
        numbers: format!("{} → {}", told(before), told(now)),
        between: Some([pair.a.clone(), pair.b.clone()]),
    })
}

/// Shares of the reach nearer together than this are not told apart, percent.
const SPARE: f64 = 0.01;

fn of_rows(before: Option<&ReachRow>, now: Option<&ReachRow>) -> Option<Change> {
    let verdicts = (before.and_then(|r| r.verdict), now.and_then(|r| r.verdict));
    let less = before.zip(now).and_then(|(before, now)| {
        let change = now.spare_percent - before.spare_percent;
        (change.abs() > SPARE).then_some(change < 0.0)
    });
    let became = became(verdicts.0, verdicts.1, less)?;
    let told = |row: Option<&ReachRow>| {
        row.map_or("not there".to_owned(), |r| {
            format!("{:.2} % to spare", r.spare_percent)
        })
    };
    let row = now.or(before)?;
    Some(Change {
        became,
        what: format!("{}: {}", row.program, row.label),
        before: verdicts.0,
        now: verdicts.1,
        numbers: format!("{} → {}", told(before), told(now)),
        between: None,
    })
}

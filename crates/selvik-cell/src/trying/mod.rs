//! What a change comes to over the whole path before it is made.

mod smallest_shift;

use std::collections::HashSet;

use selvik_core::clearance::{Known, PairResult, Progress, Sweep, SweepOptions, sweep_again};
use selvik_core::program::Path;
use selvik_core::spatial::Pose;
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::jog::{Jogging, NearPair, Ruled};
use crate::report::{PairReport, Verdict, pair_report};

pub use smallest_shift::{SHORTEST_MM, ShiftFound, ShiftWanted, Stand, Step, smallest_shift};

/// So many pairs are told.
const TOLD: usize = 4;

/// What a change comes to that is only tried.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Tried {
    /// What all clearance rules come to over the whole path.
    pub verdict: Verdict,
    /// So many pairs break their rule.
    pub broken: usize,
    /// So many are neither certainly broken nor certainly kept.
    pub not_certified: usize,
    /// So many are tight.
    pub tight: usize,
    /// The worst pairs of what was moved over the whole path, or of all where that has no pair.
    pub pairs: Vec<PairReport>,
    /// What is nearest to what was moved at the instant asked about, the nearest to its rule first.
    pub now: Vec<NearPair>,
}

/// A cell as a change would leave it.
#[derive(Clone, Copy)]
pub struct Tentative<'a> {
    /// The cell.
    pub workcell: &'a Workcell,
    /// Its path.
    pub path: &'a Path,
    /// What is known of its pairs.
    pub known: &'a Known,
}

impl Tentative<'_> {
    /// All pairs over the whole path; `None` when it was stopped.
    #[must_use]
    pub fn swept(&self, progress: &Progress) -> Option<Sweep> {
        let (assembly, rules) = (&self.workcell.assembly, &self.workcell.rules);
        let options = SweepOptions::default();
        let swept = sweep_again(assembly, self.path, rules, &options, (self.known, progress));
        swept.complete.then_some(swept)
    }

    /// What the change comes to that moved `items`. `pairs` are those that count at the instant asked about, `poses` are where
    /// everything stood then and where it stands.
    #[must_use]
    pub fn told(
        &self,
        swept: &Sweep,
        items: &[String],
        pairs: &[selvik_core::clearance::Pair],
        poses: (&[Pose], &[Pose]),
    ) -> Tried {
        let count = |verdict: Verdict| {
            let alike = swept
                .pairs
                .iter()
                .filter(|p| Verdict::from(p.verdict) == verdict);
            alike.count()
        };
        let family = family(self.workcell, items);
        let own = |result: &&PairResult| is_of(self.workcell, &family, result);
        let mut worst: Vec<_> = swept.pairs.iter().filter(own).take(TOLD).collect();
        if worst.is_empty() {
            worst = swept.pairs.iter().take(TOLD).collect();
        }
        let report = |result: &&PairResult| pair_report(self.workcell, self.path, result);
        let ruled = Ruled {
            workcell: self.workcell,
            pairs,
        };
        Tried {
            verdict: swept.verdict().into(),
            broken: count(Verdict::Broken),
            not_certified: count(Verdict::NotCertified),
            tight: count(Verdict::Tight),
            pairs: worst.iter().map(report).collect(),
            // Where there are more frames than before, or fewer, what stood where is not told apart.
            now: if poses.0.len() == poses.1.len() {
                Jogging::default().nearest(ruled, poses, TOLD)
            } else {
                Vec::new()
            },
        }
    }
}

/// Items with all that hangs on them in the roster, as positions.
fn family(workcell: &Workcell, items: &[String]) -> HashSet<usize> {
    let all = &workcell.document.items;
    let mut family: HashSet<&str> = items.iter().map(String::as_str).collect();
    loop {
        let before = family.len();
        let carried = all.iter().filter(|item| {
            let parent = item.parent.as_deref();
            parent.is_some_and(|parent| family.contains(parent))
        });
        let carried: Vec<&str> = carried.map(|item| item.id.as_str()).collect();
        family.extend(carried);
        if family.len() == before {
            break;
        }
    }
    let positions = all.iter().enumerate();
    positions
        .filter(|(_, item)| family.contains(item.id.as_str()))
        .map(|(at, _)| at)
        .collect()
}

fn is_of(workcell: &Workcell, family: &HashSet<usize>, result: &PairResult) -> bool {
    let [a, b] = [result.pair.a, result.pair.b].map(|id| workcell.assembly.body(id).item);
    family.contains(&a) != family.contains(&b)
}

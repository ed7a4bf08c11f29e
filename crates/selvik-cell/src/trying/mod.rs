//! What a change comes to over the whole path before it is made.

mod smallest_shift;

use std::collections::HashSet;

use selvik_core::clearance::{Known, Pair, PairResult, Progress, Sweep, SweepOptions, sweep_again};
use selvik_core::program::Path;
use selvik_core::spatial::Pose;
use selvik_formats::Result;
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::edit::families;
use crate::jog::{Jogging, NearPair, Ruled};
use crate::report::{PairReport, Verdict, pair_report};

pub use smallest_shift::{SHORTEST_MM, ShiftFound, ShiftWanted, Shifted, smallest_shift};

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
    ///
    /// # Errors
    /// [`FormatError`](selvik_formats::FormatError) for items that are not there.
    pub fn told(
        &self,
        swept: &Sweep,
        items: &[String],
        pairs: &[Pair],
        poses: (&[Pose], &[Pose]),
    ) -> Result<Tried> {
        let count = |verdict: Verdict| {
            let alike = swept
                .pairs
                .iter()
                .filter(|p| Verdict::from(p.verdict) == verdict);
            alike.count()
        };
        let family = Family::of(self.workcell, items)?;
        let own = |result: &&PairResult| family.holds(result) > 0;
        let mut worst: Vec<_> = swept.pairs.iter().filter(own).take(TOLD).collect();
        if worst.is_empty() {
            worst = swept.pairs.iter().take(TOLD).collect();
        }
        let report = |result: &&PairResult| pair_report(self.workcell, self.path, result);
        let ruled = Ruled {
            workcell: self.workcell,
            pairs,
        };
        Ok(Tried {
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
        })
    }
}

/// Items with all that hangs on them in the roster, as positions.
struct Family<'a> {
    workcell: &'a Workcell,
    items: HashSet<usize>,
}

impl<'a> Family<'a> {
    fn of(workcell: &'a Workcell, items: &[String]) -> Result<Self> {
        let items = families(&workcell.document, items)?;
        Ok(Self {
            workcell,
            items: items.into_iter().collect(),
        })
    }

    /// How many bodies of a pair belong to it.
    fn holds(&self, result: &PairResult) -> usize {
        let bodies = [result.pair.a, result.pair.b].into_iter();
        bodies
            .filter(|&id| self.items.contains(&self.workcell.assembly.body(id).item))
            .count()
    }

    /// Whether something that is taken hangs on it at times.
    fn carries(&self, path: &Path) -> bool {
        let carriers = path.handling().stays().filter_map(|stay| stay.on);
        let nodes = self.workcell.assembly.nodes();
        carriers
            .into_iter()
            .any(|on| self.items.contains(&nodes[on.0].item))
    }
}

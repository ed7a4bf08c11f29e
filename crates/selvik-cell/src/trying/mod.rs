//! What a change comes to over the whole path before it is made.

mod smallest_shift;

use std::collections::HashSet;

use selvik_core::clearance::{
    Known, Pair, PairResult, Progress, Sweep, SweepOptions, Told, sweep, sweep_again,
    sweep_tentatively, swept_before,
};
use selvik_core::program::{MoveSpan, Path};
use selvik_core::spatial::Pose;
use selvik_formats::Result;
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::arranging::Subject;
use crate::jog::{NearPair, Nearest, Ruled, is_moved};
use crate::report::{PairReport, Verdict, flat, pair_report};

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
    /// So many of those under a rule are not looked at yet as closely as their verdict asks for: the answer was wanted sooner.
    pub open: usize,
    /// Whether it was wanted sooner than all was looked at: a patient answer may tell narrower brackets, and other pairs.
    pub hurried: bool,
    /// When `pairs` are looked at: the whole path for items, the moves to and from it for a target.
    pub during_s: [f64; 2],
    /// The worst pairs of what moves otherwise then; of items that are in no pair, of all. For how long they break their rule is
    /// not looked for.
    pub pairs: Vec<PairReport>,
    /// What is nearest to what was moved at the instant asked about, the nearest to its rule first.
    pub now: Vec<NearPair>,
    /// Coordinate systems that stand elsewhere than before because a target was moved.
    pub nodes: Vec<usize>,
    /// Where they stand then: x, y, z (m), quaternion x, y, z, w.
    pub poses: Vec<[f64; 7]>,
}

/// The pairs of a cell that is only tried.
struct SweptTry {
    /// Over the whole path.
    whole: Sweep,
    /// From when to when the moves to and from a target run, s.
    during: Option<(f64, f64)>,
    /// What the pairs come to that move otherwise: over the whole path, or, as far as they come near, in those moves.
    own: Vec<PairResult>,
    /// Whether less was looked at than that, because it was hurried.
    hurried: bool,
}

/// What is asked about a cell that is only tried.
#[derive(Clone, Copy)]
pub struct Asked<'a> {
    /// What was moved.
    pub subject: &'a Subject,
    /// The instant of the path as it was tried, s.
    pub time: f64,
    /// The pairs that count then.
    pub pairs: &'a [Pair],
    /// Where everything stood before.
    pub before: &'a [Pose],
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
    /// The pairs that are known as they are now, without looking at any.
    #[must_use]
    pub fn swept_before(&self) -> Sweep {
        let (assembly, rules) = (&self.workcell.assembly, &self.workcell.rules);
        let options = SweepOptions::default();
        swept_before(assembly, self.path, rules, &options, self.known)
    }

    /// All pairs over the whole path; `None` when it was stopped.
    #[must_use]
    pub fn swept(&self, progress: &Progress) -> Option<Sweep> {
        let (assembly, rules) = (&self.workcell.assembly, &self.workcell.rules);
        let options = SweepOptions::default();
        let swept = sweep_again(assembly, self.path, rules, &options, (self.known, progress));
        swept.complete.then_some(swept)
    }

    /// All pairs over the whole path, without the times below thresholds, and those that move otherwise when `subject` is arranged
    /// in the moves to and from it, if it is a target; where `progress` is hurried, as far as it is certain by then. `None` when
    /// it was stopped.
    ///
    /// # Errors
    /// [`FormatError`](selvik_formats::FormatError) for what is not there.
    fn swept_with(&self, subject: &Subject, progress: &Progress) -> Result<Option<SweptTry>> {
        let (workcell, path) = (self.workcell, self.path);
        let used = match subject {
            Subject::Items(_) => None,
            Subject::Target(named) => named.used(&workcell.document, path)?,
        };
        let moved = Moved::of(workcell, path, subject)?;
        let own = |pair: &Pair| moved.holds(pair) > 0;
        let told = Told {
            of: &own,
            during: used,
            closely: TOLD,
        };
        let (assembly, rules) = (&workcell.assembly, &workcell.rules);
        let swept = sweep_tentatively(assembly, path, rules, told, (self.known, progress));
        Ok((!progress.stopped()).then_some(SweptTry {
            whole: swept.whole,
            during: used,
            own: swept.told,
            hurried: swept.hurried,
        }))
    }

    /// All pairs in a part of the path alone; `None` when it was stopped.
    #[must_use]
    pub fn swept_during(&self, during: (f64, f64), progress: &Progress) -> Option<Sweep> {
        let options = SweepOptions {
            during: Some(during),
            ..SweepOptions::default()
        };
        let (assembly, rules) = (&self.workcell.assembly, &self.workcell.rules);
        let swept = sweep(assembly, self.path, rules, &options, progress);
        swept.complete.then_some(swept)
    }

    /// The instant to look at: for items the one asked about; for a target when it is reached on the path as tried, where
    /// `before` is the path it was asked about on.
    ///
    /// # Errors
    /// [`FormatError`](selvik_formats::FormatError) for a target that is not there.
    pub fn instant(&self, subject: &Subject, before: &Path, time: f64) -> Result<f64> {
        let Subject::Target(named) = subject else {
            return Ok(time);
        };
        let document = &self.workcell.document;
        let was = named.reached(document, before)?;
        let asked = was
            .iter()
            .min_by(|x, y| (x.end - time).abs().total_cmp(&(y.end - time).abs()));
        let Some(asked) = asked else { return Ok(time) };
        let same = |s: &&&MoveSpan| {
            (s.lane, s.program, s.index) == (asked.lane, asked.program, asked.index)
        };
        let reached = named.reached(document, self.path)?;
        Ok(reached.iter().find(same).map_or(time, |span| span.end))
    }

    /// What was `asked` about it; where `progress` is hurried, as far as it is certain by then. `None` when it was stopped.
    ///
    /// # Errors
    /// [`FormatError`](selvik_formats::FormatError) for what is not there.
    pub fn told(&self, asked: Asked, progress: &Progress) -> Result<Option<Tried>> {
        let moved = Moved::of(self.workcell, self.path, asked.subject)?;
        let (swept, then) = rayon::join(
            || self.swept_with(asked.subject, progress),
            || self.then(asked, &moved),
        );
        Ok(swept?.map(|swept| self.summed(&swept, then)))
    }

    /// What is nearest to what was moved at the instant asked about.
    fn then(&self, asked: Asked, moved: &Moved) -> Then {
        let workcell = self.workcell;
        let assembly = &workcell.assembly;
        let after = self.path.moment(assembly, asked.time).poses(assembly);
        // Where there are more frames than before, or fewer, what stood where is not told apart.
        let alike = asked.before.len() == after.len();
        let goes = |&pair: &&Pair| match asked.subject {
            Subject::Items(_) => alike && is_moved(workcell, pair, (asked.before, &after)),
            // Others move, too, if it is reached at another instant.
            Subject::Target(_) => moved.holds(pair) == 1,
        };
        let ruled = Ruled {
            workcell,
            pairs: &asked.pairs.iter().filter(goes).copied().collect::<Vec<_>>(),
        };
        let nodes: Vec<usize> = match asked.subject {
            Subject::Target(_) if alike => (0..after.len())
                .filter(|&n| asked.before[n] != after[n])
                .collect(),
            _ => Vec::new(),
        };
        Then {
            near: Nearest::default().of(ruled, &after, TOLD),
            poses: nodes.iter().map(|&n| flat(&after[n])).collect(),
            nodes,
        }
    }

    fn summed(&self, swept: &SweptTry, then: Then) -> Tried {
        let whole = &swept.whole;
        let (open, decided): (Vec<_>, Vec<_>) = whole.pairs.iter().partition(|p| p.is_open());
        let unlooked: usize = whole.rules.iter().map(|rule| rule.unlooked).sum();
        let count = |verdict: Verdict| {
            let verdicts = decided.iter().map(|p| Verdict::from(p.verdict));
            verdicts.filter(|&v| v == verdict).count()
        };
        // In a hurry it need not be in no pair if none was looked at.
        let in_no_pair = swept.own.is_empty() && swept.during.is_none() && !swept.hurried;
        let worst = if in_no_pair { &whole.pairs } else { &swept.own };
        let report = |result: &PairResult| pair_report(self.workcell, self.path, result);
        let (from, to) = swept.during.unwrap_or((0.0, self.path.duration()));
        Tried {
            verdict: whole.verdict().into(),
            broken: count(Verdict::Broken),
            not_certified: count(Verdict::NotCertified),
            tight: count(Verdict::Tight),
            open: open.len() + unlooked,
            hurried: swept.hurried,
            during_s: [from, to],
            pairs: worst.iter().take(TOLD).map(report).collect(),
            now: then.near,
            nodes: then.nodes,
            poses: then.poses,
        }
    }
}

/// How things stand at the instant asked about.
struct Then {
    near: Vec<NearPair>,
    /// What stands elsewhere than before, and where.
    nodes: Vec<usize>,
    poses: Vec<[f64; 7]>,
}

/// What moves otherwise when something is arranged.
struct Moved<'a> {
    workcell: &'a Workcell,
    items: HashSet<usize>,
}

impl<'a> Moved<'a> {
    fn of(workcell: &'a Workcell, path: &Path, subject: &Subject) -> Result<Self> {
        Ok(Self {
            workcell,
            items: subject.moved(workcell, path)?,
        })
    }

    /// How many bodies of a pair belong to it.
    fn holds(&self, pair: &Pair) -> usize {
        let bodies = [pair.a, pair.b].into_iter();
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

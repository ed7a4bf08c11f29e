//! Between which bodies how much clearance is required.

use crate::program::Path;
use crate::robot::{Assembly, BodyId, Carried};

/// What a rule or an allowance names: an item, or one link of its mechanism.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Named {
    /// The item, as a position in the cell.
    pub item: usize,
    /// The link alone, as a position in [`Mechanism::links`](crate::robot::Mechanism::links).
    pub link: Option<usize>,
    /// In what way.
    pub by: NamedBy,
}

/// In what way a rule names an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum NamedBy {
    /// By itself.
    #[default]
    Itself,
    /// As one of a choice of items.
    Choice,
    /// As one of all that have its role.
    Role,
}

impl Named {
    /// A whole item.
    #[must_use]
    pub fn item(item: usize) -> Self {
        Self {
            item,
            link: None,
            by: NamedBy::Itself,
        }
    }

    /// One link of an item's mechanism.
    #[must_use]
    pub fn link(item: usize, link: usize) -> Self {
        Self {
            link: Some(link),
            ..Self::item(item)
        }
    }

    /// How particularly it names `body`, if it does: a link by itself most, then an item by itself, then by what carries it,
    /// the nearest first, then as one of a choice, then by its role.
    pub(super) fn particularity(
        &self,
        assembly: &Assembly,
        carried: &Carried,
        body: usize,
    ) -> Option<u32> {
        let of = &assembly.bodies()[body];
        if self.link.is_some() {
            return self.holds(assembly, carried, body).then_some(LINK);
        }
        let above = assembly.items_up(of.item, self.item, carried)?;
        let of_kind = match self.by {
            NamedBy::Itself => ITSELF,
            NamedBy::Choice => CHOICE,
            NamedBy::Role => ROLE,
        };
        Some(of_kind - u32::try_from(above).unwrap_or(FARTHEST).min(FARTHEST))
    }

    /// Whether `body` belongs to it; of a whole item also what hangs on it.
    pub(super) fn holds(&self, assembly: &Assembly, carried: &Carried, body: usize) -> bool {
        let body = &assembly.bodies()[body];
        match self.link {
            Some(_) => body.item == self.item && body.link == self.link,
            None => assembly.items_up(body.item, self.item, carried).is_some(),
        }
    }
}

/// How particularly bodies are named; what carries them less so, by how far above it stands, up to so far. Two of one kind
/// count more than one of the next higher with everything.
const LINK: u32 = 4000;
const ITSELF: u32 = 3000;
const CHOICE: u32 = 2000;
const ROLE: u32 = 1000;
const FARTHEST: u32 = 999;

/// Between which items, how much clearance is required, and from where it counts as tight.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// What people call it.
    pub name: String,
    /// One side; whatever hangs on an item counts too.
    pub between: Vec<Named>,
    /// The other side; `None` means everything, the own links and tools of the first side too.
    pub and: Option<Vec<Named>>,
    /// How much.
    pub requirement: Requirement,
}

impl Rule {
    /// All that it names.
    pub(super) fn named(&self) -> impl Iterator<Item = &Named> {
        self.between.iter().chain(self.and.iter().flatten())
    }
}

/// How much clearance is required. Tight is never less than required.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Requirement {
    required: f64,
    tight_below: f64,
}

impl Requirement {
    /// Required clearance and the distance below which it counts as tight, m. `None` unless
    /// 0 < required ≤ tight.
    #[must_use]
    pub fn new(required: f64, tight_below: f64) -> Option<Self> {
        let fits = required > 0.0 && required <= tight_below && tight_below.is_finite();
        fits.then_some(Self {
            required,
            tight_below,
        })
    }

    /// Less than this breaks the rule, m.
    #[must_use]
    pub fn required(&self) -> f64 {
        self.required
    }

    /// Less than this is tight, m.
    #[must_use]
    pub fn tight_below(&self) -> f64 {
        self.tight_below
    }
}

/// All rules of a cell with the pairs that may touch.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct RuleSet {
    /// Of those that name both bodies the most particular decides: that which names both sides together most particularly. Of
    /// two that do so alike, the later.
    pub rules: Vec<Rule>,
    /// What may touch.
    pub allowed: Vec<Allowance>,
}

/// Two items or links that may touch: they themselves with their links, not what hangs on them.
#[derive(Debug, Clone, PartialEq)]
pub struct Allowance {
    /// One.
    pub a: Named,
    /// The other.
    pub b: Named,
    /// Why, for people.
    pub reason: String,
    /// How deep they may overlap, m; `None` is without limit.
    pub depth: Option<f64>,
    /// During which moves; `None` is always. At all other times their rule is in force.
    pub during: Option<Vec<Moves>>,
}

impl Allowance {
    /// Whether it holds always and to any depth.
    #[must_use]
    pub fn is_unlimited(&self) -> bool {
        self.depth.is_none() && self.during.is_none()
    }

    /// When it holds on `path`, s.
    #[must_use]
    pub fn times(&self, path: &Path) -> Vec<(f64, f64)> {
        let Some(during) = &self.during else {
            return vec![(0.0, path.duration())];
        };
        let mut times: Vec<(f64, f64)> = path
            .spans()
            .iter()
            .filter(|s| during.iter().any(|m| m.holds(s.lane, s.program, s.index)))
            .map(|s| (s.start, s.end))
            .collect();
        times.sort_by(|a, b| a.0.total_cmp(&b.0));
        times
    }

    pub(super) fn concerns(&self, assembly: &Assembly, a: BodyId, b: BodyId) -> bool {
        let is = |named: &Named, id: BodyId| {
            let body = assembly.body(id);
            body.item == named.item && (named.link.is_none() || named.link == body.link)
        };
        (is(&self.a, a) && is(&self.b, b)) || (is(&self.a, b) && is(&self.b, a))
    }
}

/// Moves of a program that runs in a lane.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Moves {
    /// Which lane of the run plan.
    pub lane: usize,
    /// Which of the lane's programs.
    pub program: usize,
    /// The first move.
    pub first: usize,
    /// The last.
    pub last: usize,
}

impl Moves {
    fn holds(&self, lane: usize, program: usize, index: usize) -> bool {
        (lane, program) == (self.lane, self.program) && (self.first..=self.last).contains(&index)
    }
}

/// Two bodies under a rule.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pair {
    /// The one on the rule's first side.
    pub a: BodyId,
    /// The other.
    pub b: BodyId,
    /// The rule, as a position in [`RuleSet::rules`].
    pub rule: usize,
    /// From when until when, s, where one of them hangs elsewhere at other times; `None` is always.
    pub times: Option<(f64, f64)>,
}

impl Pair {
    /// What hangs elsewhere than in the roster at its times, as far as it matters to the pair.
    #[must_use]
    pub fn carried(&self, assembly: &Assembly, path: &Path) -> Carried {
        let middle = self.times.map(|(from, to)| f64::midpoint(from, to));
        middle.map_or_else(Carried::default, |t| path.carried_at(assembly, t))
    }

    /// Whether joints lie between the two at its times.
    #[must_use]
    pub fn moves(&self, assembly: &Assembly, path: &Path) -> bool {
        let carried = self.carried(assembly, path);
        let node = |id| assembly.body(id).node;
        let [a, b] = [self.a, self.b].map(|id| assembly.moving_above_carrying(node(id), &carried));
        a != b
    }

    /// Whether it is about time `t` (s) of `path`, and what handles a part does not let the two touch then.
    #[must_use]
    pub fn counts_at(&self, assembly: &Assembly, path: &Path, t: f64) -> bool {
        let mut touches = path.handling().touches(assembly, self.a, self.b);
        let last = path.duration();
        let is_in = |(from, to): (f64, f64)| from <= t && (t < to || (t >= last && to >= last));
        self.times.is_none_or(is_in) && !touches.any(|touch| is_in(touch.times))
    }
}

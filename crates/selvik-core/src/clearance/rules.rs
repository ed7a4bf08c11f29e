//! Between which bodies how much clearance is required.

use std::collections::HashMap;

use rustc_hash::FxHashMap;

use super::arrangement::{Arrangement, arrangements};
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
    fn particularity(&self, assembly: &Assembly, carried: &Carried, body: usize) -> Option<u32> {
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
    fn holds(&self, assembly: &Assembly, carried: &Carried, body: usize) -> bool {
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
    fn named(&self) -> impl Iterator<Item = &Named> {
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

    fn concerns(&self, assembly: &Assembly, a: BodyId, b: BodyId) -> bool {
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

/// A pair that a rule names but that is not measured.
#[derive(Debug, Clone, PartialEq)]
pub struct LeftOut {
    /// One body.
    pub a: BodyId,
    /// The other.
    pub b: BodyId,
    /// Why.
    pub reason: LeftOutReason,
}

/// Why a pair is not measured.
#[derive(Debug, Clone, PartialEq)]
pub enum LeftOutReason {
    /// A link and the next of one mechanism, and no rule names them by themselves.
    Neighbours,
    /// The cell says that they may touch, always and to any depth.
    Allowed(String),
}

impl std::fmt::Display for LeftOutReason {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Neighbours => f.write_str("next to each other in one mechanism"),
            Self::Allowed(reason) => f.write_str(reason),
        }
    }
}

/// What the rules come to: which pairs are measured, which are left out, and what each rule names.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Scope {
    /// To be measured, each under the rule that decides.
    pub pairs: Vec<Pair>,
    /// Left out.
    pub left_out: Vec<LeftOut>,
    /// One a rule.
    pub rules: Vec<RuleScope>,
}

/// What a rule names.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RuleScope {
    /// Pairs measured under it.
    pub measured: usize,
    /// Pairs it names that are left out.
    pub left_out: usize,
    /// Pairs it names that another rule decides.
    pub decided_elsewhere: usize,
    /// What it names that has no body.
    pub without_body: Vec<Named>,
    /// Links it names of which some geometry is not there.
    pub incomplete: Vec<Named>,
}

impl RuleScope {
    /// Whether something that it names can't be measured.
    #[must_use]
    pub fn has_gaps(&self) -> bool {
        self.measured == 0 || !self.without_body.is_empty() || !self.incomplete.is_empty()
    }
}

impl RuleSet {
    /// What the rules come to along `path`. Every pair of bodies that a rule names is measured, whether anything moves
    /// between them or not; left out are links next to each other in one mechanism that no rule names by themselves, and
    /// what may touch without limit. What is taken counts to what carries it as long as it does: it comes once for each
    /// stay.
    #[must_use]
    pub fn scope(&self, assembly: &Assembly, path: &Path) -> Scope {
        let unlimited = self.unlimited();
        let begin = |names: &Rule| RuleScope {
            without_body: names.named().copied().collect(),
            incomplete: incomplete(assembly, names),
            ..RuleScope::default()
        };
        let mut scope = Scope {
            rules: self.rules.iter().map(begin).collect(),
            ..Scope::default()
        };
        for arrangement in arrangements(assembly, path) {
            let carried = &arrangement.carried;
            let Naming(sides) = self.naming(assembly, carried);
            let deciding = deciding(&sides, &arrangement);
            for (rule, sides) in sides.iter().enumerate() {
                let of_rule = &mut scope.rules[rule];
                let has_body =
                    |n: &Named| (0..assembly.bodies().len()).any(|b| n.holds(assembly, carried, b));
                of_rule.without_body.retain(|named| !has_body(named));
                sides.for_each_pair(|a, b, _| {
                    let Some(times) = arrangement.times(a, b) else {
                        return;
                    };
                    if deciding[&ordered(a, b)].1 != rule {
                        of_rule.decided_elsewhere += 1;
                        return;
                    }
                    let (a, b) = (BodyId(a), BodyId(b));
                    match self.reason_to_leave_out(assembly, &unlimited, a, b) {
                        Some(reason) => {
                            of_rule.left_out += 1;
                            scope.left_out.push(LeftOut { a, b, reason });
                        }
                        None => {
                            of_rule.measured += 1;
                            scope.pairs.push(Pair { a, b, rule, times });
                        }
                    }
                });
            }
        }
        // One rule after the other, each with what it measures in order of time.
        scope.pairs.sort_by_key(|pair| pair.rule);
        scope
    }

    /// How particularly each rule names each body while something is carried, to be asked for many pairs.
    #[must_use]
    pub fn naming(&self, assembly: &Assembly, carried: &Carried) -> Naming {
        Naming(
            self.rules
                .iter()
                .map(|rule| Sides::of(assembly, carried, rule))
                .collect(),
        )
    }

    /// What lets a pair touch within limits.
    #[must_use]
    pub fn limited(&self, assembly: &Assembly, pair: &Pair) -> Vec<&Allowance> {
        let concerned = |a: &&Allowance| !a.is_unlimited() && a.concerns(assembly, pair.a, pair.b);
        self.allowed.iter().filter(concerned).collect()
    }

    /// Why pairs of bodies are left out whatever a rule says, if they are: asked for one pair after the other.
    pub fn leaving_out<'a>(
        &'a self,
        assembly: &'a Assembly,
    ) -> impl Fn(BodyId, BodyId) -> Option<LeftOutReason> + 'a {
        let unlimited = self.unlimited();
        move |a, b| self.reason_to_leave_out(assembly, &unlimited, a, b)
    }

    /// Allowances without limit by the items they name, the lower first.
    fn unlimited(&self) -> HashMap<(usize, usize), Vec<&Allowance>> {
        let mut by_items: HashMap<_, Vec<&Allowance>> = HashMap::new();
        for allowance in self.allowed.iter().filter(|a| a.is_unlimited()) {
            let (x, y) = (allowance.a.item, allowance.b.item);
            by_items
                .entry((x.min(y), x.max(y)))
                .or_default()
                .push(allowance);
        }
        by_items
    }

    fn reason_to_leave_out(
        &self,
        assembly: &Assembly,
        unlimited: &HashMap<(usize, usize), Vec<&Allowance>>,
        a: BodyId,
        b: BodyId,
    ) -> Option<LeftOutReason> {
        let (x, y) = (assembly.body(a).item, assembly.body(b).item);
        let allowed = unlimited
            .get(&(x.min(y), x.max(y)))
            .map(Vec::as_slice)
            .unwrap_or_default();
        if let Some(allowance) = allowed.iter().find(|w| w.concerns(assembly, a, b)) {
            return Some(LeftOutReason::Allowed(allowance.reason.clone()));
        }
        let neighbours = assembly.are_next_links(a, b) && !self.names_by_themselves(assembly, a, b);
        neighbours.then_some(LeftOutReason::Neighbours)
    }

    /// Whether a rule names both links, one on each side, as links.
    fn names_by_themselves(&self, assembly: &Assembly, a: BodyId, b: BodyId) -> bool {
        let names = |side: &[Named], body: BodyId| {
            side.iter()
                .any(|n| n.link.is_some() && n.holds(assembly, &Carried::default(), body.0))
        };
        self.rules.iter().any(|r| {
            let and = r.and.as_deref().unwrap_or_default();
            (names(&r.between, a) && names(and, b)) || (names(&r.between, b) && names(and, a))
        })
    }
}

/// How particularly a rule names each body on either side.
struct Sides {
    first: Vec<Option<u32>>,
    second: Vec<Option<u32>>,
}

impl Sides {
    fn of(assembly: &Assembly, carried: &Carried, rule: &Rule) -> Self {
        let bodies = assembly.bodies().len();
        let side = |named: &[Named]| -> Vec<Option<u32>> {
            let best = |body| {
                named
                    .iter()
                    .filter_map(|n| n.particularity(assembly, carried, body))
                    .max()
            };
            (0..bodies).map(best).collect()
        };
        let second = match &rule.and {
            None => vec![Some(0); bodies],
            Some(and) => side(and),
        };
        Self {
            first: side(&rule.between),
            second,
        }
    }

    /// How particularly it names `a` on the first side and `b` on the second, if it does.
    fn rank(&self, a: usize, b: usize) -> Option<u32> {
        Some(self.first[a]? + self.second[b]?)
    }

    /// Every pair once, also where both sides name both bodies: the bodies on the first and second side, and how
    /// particularly they are named.
    fn for_each_pair(&self, mut see: impl FnMut(usize, usize, u32)) {
        let on = |side: &[Option<u32>]| -> Vec<usize> {
            (0..side.len()).filter(|&b| side[b].is_some()).collect()
        };
        let (first, second) = (on(&self.first), on(&self.second));
        for &a in &first {
            for &b in second.iter().filter(|&&b| b != a) {
                let there = self.rank(a, b);
                let back = self.rank(b, a);
                // Seen from the other side, too: that which is lower comes once.
                if back.is_some() && b < a {
                    continue;
                }
                see(a, b, there.max(back).unwrap_or(0));
            }
        }
    }
}

/// How particularly rules name bodies.
pub struct Naming(Vec<Sides>);

impl Naming {
    /// All rules that name both bodies, as positions in [`RuleSet::rules`]: that which decides first, then by how particularly
    /// they do.
    #[must_use]
    pub fn of(&self, a: BodyId, b: BodyId) -> Vec<usize> {
        let rank = |sides: &Sides| sides.rank(a.0, b.0).max(sides.rank(b.0, a.0));
        let ranks = self.0.iter().enumerate();
        let mut ranked: Vec<(u32, usize)> = ranks
            .filter_map(|(rule, sides)| Some((rank(sides)?, rule)))
            .collect();
        ranked.sort_unstable_by(|one, other| other.cmp(one));
        ranked.into_iter().map(|(_, rule)| rule).collect()
    }
}

/// For each pair under a rule, how particularly it is named by the rule that decides, and that rule.
fn deciding(sides: &[Sides], arrangement: &Arrangement) -> FxHashMap<(usize, usize), (u32, usize)> {
    let mut deciding: FxHashMap<_, (u32, usize)> = FxHashMap::default();
    for (rule, sides) in sides.iter().enumerate() {
        sides.for_each_pair(|a, b, rank| {
            if arrangement.times(a, b).is_none() {
                return;
            }
            let best = deciding.entry(ordered(a, b)).or_insert((rank, rule));
            *best = (*best).max((rank, rule));
        });
    }
    deciding
}

fn ordered(a: usize, b: usize) -> (usize, usize) {
    (a.min(b), a.max(b))
}

/// Links that a rule names and that lack some of their geometry.
fn incomplete(assembly: &Assembly, rule: &Rule) -> Vec<Named> {
    let named = |link: &Named| {
        rule.and.is_none()
            || rule
                .between
                .iter()
                .chain(rule.and.iter().flatten())
                .any(|n| match n.link {
                    Some(_) => n == link,
                    None => assembly.cell().is_within(link.item, n.item),
                })
    };
    let items = 0..assembly.cell().items().len();
    let links = items
        .filter_map(|item| Some((item, assembly.mechanism(item)?)))
        .flat_map(|(item, mechanism)| {
            let lacking = mechanism
                .links()
                .iter()
                .enumerate()
                .filter(|(_, link)| !link.missing.is_empty());
            lacking.map(move |(link, _)| Named::link(item, link))
        });
    links.filter(named).collect()
}

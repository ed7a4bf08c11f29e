//! Between which bodies how much clearance is required.

use std::collections::HashMap;

use rustc_hash::FxHashSet;

use crate::program::Path;
use crate::robot::{Assembly, BodyId};

/// What a rule or an allowance names: an item, or one link of its mechanism.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Named {
    /// The item, as a position in the cell.
    pub item: usize,
    /// The link alone, as a position in [`Mechanism::links`](crate::robot::Mechanism::links).
    pub link: Option<usize>,
}

impl Named {
    /// A whole item.
    #[must_use]
    pub fn item(item: usize) -> Self {
        Self { item, link: None }
    }

    /// Whether `body` belongs to it; of a whole item also what hangs on it.
    fn holds(&self, assembly: &Assembly, body: usize) -> bool {
        let body = &assembly.bodies()[body];
        match self.link {
            Some(_) => body.item == self.item && body.link == self.link,
            None => assembly.cell().is_within(body.item, self.item),
        }
    }
}

/// Between which items, how much clearance is required, and from where it counts as tight.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// What people call it.
    pub name: String,
    /// One side; whatever hangs on an item counts too.
    pub between: Vec<Named>,
    /// The other side; empty means everything, the own links and tools of the first side too.
    pub and: Vec<Named>,
    /// How much.
    pub requirement: Requirement,
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
        fits.then_some(Self { required, tight_below })
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
    /// The last rule that names both bodies decides.
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
        let Some(during) = &self.during else { return vec![(0.0, path.duration())] };
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
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pair {
    /// The one on the rule's first side.
    pub a: BodyId,
    /// The other.
    pub b: BodyId,
    /// The rule, as a position in [`RuleSet::rules`].
    pub rule: usize,
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
    /// Pairs it names that a later rule decides.
    pub decided_later: usize,
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
    /// What the rules come to. Every pair of bodies that a rule names is measured, whether anything moves between
    /// them or not; left out are links next to each other in one mechanism that no rule names by themselves, and what may
    /// touch without limit.
    #[must_use]
    pub fn scope(&self, assembly: &Assembly) -> Scope {
        let bodies = assembly.bodies().len();
        let mut scope = Scope::default();
        let mut seen = FxHashSet::default();
        let unlimited = self.unlimited();
        for (rule, names) in self.rules.iter().enumerate().rev() {
            let side = |named: &[Named]| -> Vec<bool> {
                (0..bodies).map(|b| named.iter().any(|n| n.holds(assembly, b))).collect()
            };
            let first = side(&names.between);
            let second = if names.and.is_empty() { vec![true; bodies] } else { side(&names.and) };
            let mut of_rule = RuleScope::default();
            let bare = |n: &&Named| !(0..bodies).any(|b| n.holds(assembly, b));
            of_rule.without_body = names.between.iter().chain(&names.and).filter(bare).copied().collect();
            of_rule.incomplete = incomplete(assembly, names);
            let mut own = FxHashSet::default();
            for a in (0..bodies).filter(|&a| first[a]) {
                for b in (0..bodies).filter(|&b| second[b] && b != a) {
                    let key = (a.min(b), a.max(b));
                    // Each pair once, though both sides may name both bodies.
                    if first[b] && second[a] && !own.insert(key) {
                        continue;
                    }
                    if !seen.insert(key) {
                        of_rule.decided_later += 1;
                        continue;
                    }
                    let (a, b) = (BodyId(a), BodyId(b));
                    match self.reason_to_leave_out(assembly, &unlimited, a, b) {
                        Some(reason) => {
                            of_rule.left_out += 1;
                            scope.left_out.push(LeftOut { a, b, reason });
                        }
                        None => {
                            of_rule.measured += 1;
                            scope.pairs.push(Pair { a, b, rule });
                        }
                    }
                }
            }
            scope.rules.push(of_rule);
        }
        scope.rules.reverse();
        scope
    }

    /// What lets a pair touch within limits.
    #[must_use]
    pub fn limited(&self, assembly: &Assembly, pair: &Pair) -> Vec<&Allowance> {
        let concerned = |a: &&Allowance| !a.is_unlimited() && a.concerns(assembly, pair.a, pair.b);
        self.allowed.iter().filter(concerned).collect()
    }

    /// Allowances without limit by the items they name, the lower first.
    fn unlimited(&self) -> HashMap<(usize, usize), Vec<&Allowance>> {
        let mut by_items: HashMap<_, Vec<&Allowance>> = HashMap::new();
        for allowance in self.allowed.iter().filter(|a| a.is_unlimited()) {
            let (x, y) = (allowance.a.item, allowance.b.item);
            by_items.entry((x.min(y), x.max(y))).or_default().push(allowance);
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
        let allowed = unlimited.get(&(x.min(y), x.max(y))).map(Vec::as_slice).unwrap_or_default();
        if let Some(allowance) = allowed.iter().find(|w| w.concerns(assembly, a, b)) {
            return Some(LeftOutReason::Allowed(allowance.reason.clone()));
        }
        let neighbours = assembly.are_next_links(a, b) && !self.names_by_themselves(assembly, a, b);
        neighbours.then_some(LeftOutReason::Neighbours)
    }

    /// Whether a rule names both links, one on each side, as links.
    fn names_by_themselves(&self, assembly: &Assembly, a: BodyId, b: BodyId) -> bool {
        let names =
            |side: &[Named], body: BodyId| side.iter().any(|n| n.link.is_some() && n.holds(assembly, body.0));
        self.rules
            .iter()
            .any(|r| (names(&r.between, a) && names(&r.and, b)) || (names(&r.between, b) && names(&r.and, a)))
    }
}

/// Links that a rule names and that lack some of their geometry.
fn incomplete(assembly: &Assembly, rule: &Rule) -> Vec<Named> {
    let named = |link: &Named| {
        rule.and.is_empty()
            || rule.between.iter().chain(&rule.and).any(|n| match n.link {
                Some(_) => n == link,
                None => assembly.cell().is_within(link.item, n.item),
            })
    };
    let items = 0..assembly.cell().items().len();
    let links =
        items.filter_map(|item| Some((item, assembly.mechanism(item)?))).flat_map(|(item, mechanism)| {
            let lacking = mechanism.links().iter().enumerate().filter(|(_, link)| !link.missing.is_empty());
            lacking.map(move |(link, _)| Named { item, link: Some(link) })
        });
    links.filter(named).collect()
}

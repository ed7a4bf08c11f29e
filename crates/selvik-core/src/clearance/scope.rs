//! What rules come to: which pairs are measured, which are left out, and why.

use std::collections::HashMap;

use rustc_hash::FxHashMap;

use super::arrangement::{Arrangement, arrangements};
use super::rules::{Allowance, Named, Pair, Rule, RuleSet};
use crate::program::Path;
use crate::robot::{Assembly, BodyId, Carried};

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

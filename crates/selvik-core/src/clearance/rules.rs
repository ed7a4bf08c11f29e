//! Between which bodies how much clearance is required.

use std::collections::HashSet;

use crate::robot::{Assembly, BodyId};

/// Between which items, how much clearance is required, and from where it counts as tight.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// What people call it.
    pub name: String,
    /// Items on one side, as positions in the cell; whatever hangs on them counts too.
    pub between: Vec<usize>,
    /// Items on the other side; empty means everything else.
    pub and: Vec<usize>,
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

/// All rules of a cell with the pairs of items they leave out.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct RuleSet {
    /// The last rule that names both bodies decides.
    pub rules: Vec<Rule>,
    /// Pairs of items that may touch, with the reason given: they themselves with their links, not
    /// what hangs on them.
    pub allowed: Vec<(usize, usize, String)>,
    /// Pairs of links of one mechanism that may touch.
    pub allowed_links: Vec<AllowedLinks>,
}

/// Two links of one mechanism that may touch.
#[derive(Debug, Clone, PartialEq)]
pub struct AllowedLinks {
    /// The item whose mechanism it is, as a position in the cell.
    pub item: usize,
    /// The links, as positions in [`Mechanism::links`](crate::robot::Mechanism::links).
    pub links: (usize, usize),
    /// Why, for people.
    pub reason: String,
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
    /// Nothing ever moves between the two.
    RigidlyJoined,
    /// One joint lies between the two, and both belong to its mechanism or are carried by it: they
    /// touch by design, as a link and the next, or a tool and the wrist before its flange.
    Neighbours,
    /// The cell says that they may touch.
    Allowed(String),
}

impl RuleSet {
    /// The pairs to measure, and those that a rule names but that are left out. Bodies that never
    /// move against each other are named only where neither is carried by the other's robot: the
    /// rest would be every pair of a fixture's own parts.
    #[must_use]
    pub fn pairs(&self, assembly: &Assembly) -> (Vec<Pair>, Vec<LeftOut>) {
        let cell = assembly.cell();
        let bodies = assembly.bodies();
        let within =
            |body: usize, items: &[usize]| items.iter().any(|&item| cell.is_within(bodies[body].item, item));
        let (mut pairs, mut left_out) = (Vec::new(), Vec::new());
        let mut seen = HashSet::new();
        let sides: Vec<(Vec<bool>, Vec<bool>)> = self
            .rules
            .iter()
            .map(|rule| {
                let all = 0..bodies.len();
                let first: Vec<bool> = all.clone().map(|b| within(b, &rule.between)).collect();
                let second = if rule.and.is_empty() {
                    vec![true; bodies.len()]
                } else {
                    all.map(|b| within(b, &rule.and)).collect()
                };
                (first, second)
            })
            .collect();
        for (rule, (first, second)) in sides.iter().enumerate().rev() {
            for a in (0..bodies.len()).filter(|&a| first[a]) {
                for b in (0..bodies.len()).filter(|&b| second[b] && b != a) {
                    let (ia, ib) = (BodyId(a), BodyId(b));
                    if !seen.insert((a.min(b), a.max(b))) {
                        continue;
                    }
                    match self.reason_to_leave_out(assembly, a, b) {
                        Some(LeftOutReason::RigidlyJoined) => {}
                        Some(reason) => left_out.push(LeftOut { a: ia, b: ib, reason }),
                        None => pairs.push(Pair { a: ia, b: ib, rule }),
                    }
                }
            }
        }
        (pairs, left_out)
    }

    fn reason_to_leave_out(&self, assembly: &Assembly, a: usize, b: usize) -> Option<LeftOutReason> {
        let (x, y) = (&assembly.bodies()[a], &assembly.bodies()[b]);
        if assembly.rigidly_joined(x.node, y.node) {
            return Some(LeftOutReason::RigidlyJoined);
        }
        let carried = |of: usize| [x, y].iter().all(|b| assembly.cell().is_within(b.item, of));
        if assembly.only_joint_between(x.node, y.node).is_some_and(carried) {
            return Some(LeftOutReason::Neighbours);
        }
        let items = self.allowed.iter();
        let items = items.filter(|(p, q, _)| (x.item, y.item) == (*p, *q) || (x.item, y.item) == (*q, *p));
        let links = x.link.zip(y.link).filter(|_| x.item == y.item);
        let of_links = self.allowed_links.iter().filter(|allowed| {
            let (p, q) = allowed.links;
            allowed.item == x.item && links.is_some_and(|l| l == (p, q) || l == (q, p))
        });
        let mut reasons = items.map(|(_, _, why)| why).chain(of_links.map(|a| &a.reason));
        reasons.next().map(|why| LeftOutReason::Allowed(why.clone()))
    }
}

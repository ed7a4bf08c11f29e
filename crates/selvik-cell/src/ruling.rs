//! Which rule a pair is under, why, and what touches by the way it is built.

use selvik_core::clearance::{LeftOutReason, Limit, Pair, distance};
use selvik_core::program::Path;
use selvik_core::robot::{BodyId, Carried};
use selvik_formats::{FormatError, Result};
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;
use crate::against::stands_for;

/// Two bodies that are joined rigidly and touch where they stand.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TouchingPair {
    /// Id of one, `item/link` for a link.
    pub a: String,
    /// The other.
    pub b: String,
    /// What people call one.
    pub a_name: String,
    /// The other.
    pub b_name: String,
    /// How far they are apart, 0 when they touch or overlap.
    pub distance_mm: f64,
    /// Why they touch, as it would be kept.
    pub reason: String,
}

/// Nearer than this, what is joined rigidly counts as touching, m.
const TOUCHES: f64 = 1e-3;

/// Of `pairs`, which are under a rule, those that no joint moves against each other and that touch: bolted together, most
/// likely.
#[must_use]
pub fn touching(workcell: &Workcell, pairs: &[Pair]) -> Vec<TouchingPair> {
    let assembly = &workcell.assembly;
    let poses = assembly.poses(&workcell.rest);
    let node = |body: BodyId| assembly.body(body).node;
    let joined =
        |pair: &&Pair| assembly.moving_above(node(pair.a)) == assembly.moving_above(node(pair.b));
    let touch = |pair: &Pair| {
        let (a, b) = (assembly.body(pair.a), assembly.body(pair.b));
        let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
        let limit = Limit {
            enough: TOUCHES,
            ..Limit::default()
        };
        let apart = distance(&a.surface, &b.surface, &relative, limit)
            .closest?
            .distance;
        (apart < TOUCHES).then(|| TouchingPair {
            a: key(workcell, pair.a),
            b: key(workcell, pair.b),
            a_name: assembly.body_name(pair.a),
            b_name: assembly.body_name(pair.b),
            distance_mm: apart * 1e3,
            reason: "they are joined where they touch".to_owned(),
        })
    };
    pairs.iter().filter(joined).filter_map(touch).collect()
}

/// How documents name a body: its item, or `item/link`.
fn key(workcell: &Workcell, body: BodyId) -> String {
    let assembly = &workcell.assembly;
    let of = assembly.body(body);
    let item = &assembly.cell().items()[of.item].id;
    let link = of.link.zip(assembly.mechanism(of.item));
    link.map_or_else(
        || item.to_string(),
        |(link, mechanism)| format!("{item}/{}", mechanism.links()[link].name),
    )
}

/// What is required between two things, and why.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Ruling {
    /// One body of the first.
    pub a: String,
    /// One of the second.
    pub b: String,
    /// Ids of the rules that name both, that which decides first.
    pub rules: Vec<String>,
    /// What decides, in a sentence.
    pub why: String,
}

/// Which rule decides between any two bodies of two items with what hangs on them, but for what stands for itself in the
/// table of who is measured against whom, or of links `item/link`; pairs that come to the same are told once.
///
/// # Errors
/// [`FormatError`] for what is not there or has no body.
pub fn ruling(workcell: &Workcell, a: &str, b: &str) -> Result<Vec<Ruling>> {
    let assembly = &workcell.assembly;
    let (of_a, of_b) = (bodies(workcell, a)?, bodies(workcell, b)?);
    let at_rest = Path::standing(&workcell.rest);
    let scope = workcell.rules.scope(assembly, &at_rest);
    let names = workcell.rules.naming(assembly, &Carried::default());
    let mut told: Vec<Ruling> = Vec::new();
    for &x in &of_a {
        for &y in of_b.iter().filter(|&&y| y != x) {
            let naming = names.of(x, y);
            let left_out = scope
                .left_out
                .iter()
                .find(|l| (l.a, l.b) == (x, y) || (l.a, l.b) == (y, x));
            let name = |rule: usize| workcell.rules.rules[rule].name.as_str();
            let why = match (naming.as_slice(), left_out.map(|l| &l.reason)) {
                ([], _) => "no rule names both".to_owned(),
                (_, Some(LeftOutReason::Neighbours)) => {
                    "left out: links next to each other".to_owned()
                }
                (_, Some(LeftOutReason::Allowed(reason))) => {
                    format!("left out: they may touch, because {reason}")
                }
                ([only], None) => format!("{} is the only rule that names both", name(*only)),
                ([first, others @ ..], None) => {
                    let others: Vec<&str> = others.iter().map(|&o| name(o)).collect();
                    let others = others.join(", ");
                    format!(
                        "{} names them more particularly than {others}, or as much and later",
                        name(*first)
                    )
                }
            };
            let ids = naming
                .iter()
                .map(|&rule| workcell.document.rules[rule].id.clone());
            let rules: Vec<String> = ids.collect();
            if told.iter().any(|t| t.why == why && t.rules == rules) {
                continue;
            }
            told.push(Ruling {
                a: assembly.body_name(x),
                b: assembly.body_name(y),
                rules,
                why,
            });
        }
    }
    Ok(told)
}

fn bodies(workcell: &Workcell, name: &str) -> Result<Vec<BodyId>> {
    let assembly = &workcell.assembly;
    let all = (0..assembly.bodies().len()).map(BodyId);
    let named = assembly.cell().position(&name.into());
    let is_named = |body: &BodyId| {
        let item = assembly.body(*body).item;
        match named {
            Some(at) => {
                assembly.cell().is_within(item, at)
                    && stands_for(workcell, item) == stands_for(workcell, at)
            }
            None => key(workcell, *body) == name,
        }
    };
    let found: Vec<BodyId> = all.filter(is_named).collect();
    if found.is_empty() {
        return Err(FormatError::said(format!("\"{name}\" has no geometry")));
    }
    Ok(found)
}

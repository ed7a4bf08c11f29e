//! Who is measured against whom: what the rules come to, in a table of the things of a cell.

use std::collections::BTreeMap;

use selvik_core::cell::Role;
use selvik_core::clearance::LeftOutReason;
use selvik_core::program::Path;
use selvik_core::robot::BodyId;
use serde::Serialize;
use utoipa::ToSchema;

use crate::Workcell;

/// A table of things against things.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Against {
    /// Ids of items, each of which stands for itself and all that hangs on it but what stands for itself: robots, tools,
    /// other mechanisms, and what stands on the world; in the order of the roster.
    pub things: Vec<String>,
    /// The places of the table that are not empty: the first thing is not behind the second.
    pub places: Vec<AgainstPlace>,
}

/// What the rules come to between two things, or within one.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct AgainstPlace {
    /// Position of one in `things`.
    pub a: usize,
    /// Of the other.
    pub b: usize,
    /// Pairs of bodies that are measured.
    pub measured: usize,
    /// Pairs of bodies that a rule names and that may touch, for whatever reason.
    pub may_touch: usize,
    /// Least and largest clearance required of them, mm; none if none is measured.
    pub required_mm: Option<[f64; 2]>,
    /// Ids of the rules that decide.
    pub rules: Vec<String>,
}

/// The table of `workcell` along `path`. Links next to each other are not in it.
#[must_use]
pub fn against(workcell: &Workcell, path: &Path) -> Against {
    let assembly = &workcell.assembly;
    let items = assembly.cell().items();
    let standing: Vec<usize> = (0..items.len())
        .map(|item| stands_for(workcell, item))
        .collect();
    let thing_of = |body: BodyId| standing[assembly.body(body).item];
    let mut places: BTreeMap<(usize, usize), AgainstPlace> = BTreeMap::new();
    let scope = workcell.rules.scope(assembly, path);
    let mut place = |a: BodyId, b: BodyId, change: &mut dyn FnMut(&mut AgainstPlace)| {
        let (a, b) = (thing_of(a), thing_of(b));
        let (a, b) = (a.min(b), a.max(b));
        let empty = AgainstPlace {
            a,
            b,
            measured: 0,
            may_touch: 0,
            required_mm: None,
            rules: Vec::new(),
        };
        change(places.entry((a, b)).or_insert(empty));
    };
    for pair in &scope.pairs {
        let rule = &workcell.rules.rules[pair.rule];
        let mm = rule.requirement.required() * 1e3;
        let id = &workcell.document.rules[pair.rule].id;
        place(pair.a, pair.b, &mut |of| {
            of.measured += 1;
            let [least, most] = of.required_mm.unwrap_or([mm, mm]);
            of.required_mm = Some([least.min(mm), most.max(mm)]);
            if !of.rules.contains(id) {
                of.rules.push(id.clone());
            }
        });
    }
    for pair in &scope.left_out {
        if matches!(pair.reason, LeftOutReason::Allowed(_)) {
            place(pair.a, pair.b, &mut |of| of.may_touch += 1);
        }
    }
    // All things that have a body, also those that nothing is measured against.
    let with_bodies = assembly.bodies().iter().map(|body| standing[body.item]);
    let mut things: Vec<usize> = with_bodies.collect();
    things.sort_unstable();
    things.dedup();
    let position = |thing: usize| things.binary_search(&thing).expect("it has a body");
    let places = places.into_values().map(|of| AgainstPlace {
        a: position(of.a),
        b: position(of.b),
        ..of
    });
    Against {
        places: places.collect(),
        things: things
            .iter()
            .map(|&thing| items[thing].id.0.clone())
            .collect(),
    }
}

/// The item that stands for `item` in the table: the whole tool it belongs to, else the nearest mechanism that carries it or
/// that it is, else what of it stands on the world.
pub(crate) fn stands_for(workcell: &Workcell, item: usize) -> usize {
    let cell = workcell.assembly.cell();
    let role = |at: &usize| cell.items()[*at].role;
    let above = || std::iter::successors(Some(item), |&at| cell.parent_of(at));
    let below_robot = above().take_while(|at| role(at) != Role::Robot);
    let tool = below_robot.filter(|at| role(at) == Role::Tool).last();
    let moves = |at: &usize| role(at) == Role::Robot || workcell.assembly.mechanism(*at).is_some();
    tool.or_else(|| above().find(moves))
        .or_else(|| above().last())
        .unwrap_or(item)
}

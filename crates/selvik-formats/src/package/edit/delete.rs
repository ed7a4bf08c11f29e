//! Deleting items, and what goes with them.

use std::collections::HashSet;

use serde::Serialize;
use utoipa::ToSchema;

use super::items::families;
use super::refuse;
use crate::Result;
use crate::package::{CellDocument, MoveDocument, ProgramDocument};

/// What goes when items are deleted, by the names people know.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Consequences {
    /// The items themselves and all that hangs on them.
    pub items: Vec<String>,
    /// Programs of robots that go, or that can't be run without what goes.
    pub programs: Vec<String>,
    /// Rules that name nothing else on one of their sides.
    pub rules: Vec<String>,
    /// Pairs that may touch.
    pub pairs: Vec<String>,
}

/// What would go if `items` were deleted.
///
/// # Errors
/// [`FormatError`](crate::FormatError) for an item that is not there or is locked.
pub fn consequences(document: &CellDocument, items: &[String]) -> Result<Consequences> {
    let mut document = document.clone();
    take_out(&mut document, items)
}

pub(super) fn delete(document: &mut CellDocument, items: &[String]) -> Result<String> {
    let gone = take_out(document, items)?;
    Ok(match gone.items.as_slice() {
        [only] => format!("delete {only}"),
        several => format!("delete {} items", several.len()),
    })
}

fn take_out(document: &mut CellDocument, items: &[String]) -> Result<Consequences> {
    let family = families(document, items)?;
    if let Some(locked) = family.iter().map(|&at| &document.items[at]).find(|i| i.locked) {
        return Err(refuse(format!("{} is locked; unlock it first", locked.name)));
    }
    let gone: HashSet<String> = family.iter().map(|&at| document.items[at].id.clone()).collect();
    let names = family.iter().map(|&at| document.items[at].name.clone()).collect();
    let name = |id: &String| document.items.iter().find(|i| &i.id == id).map_or(id, |i| &i.name).clone();
    let pairs = document.may_touch.iter().filter(|p| names_one_of(&p.a, &gone) || names_one_of(&p.b, &gone));
    let pairs = pairs.map(|p| format!("{} – {}", name(&p.a), name(&p.b))).collect();
    document.items.retain(|i| !gone.contains(&i.id));
    let (programs, rules) = forget(document, &gone);
    Ok(Consequences { items: names, programs, rules, pairs })
}

/// Takes out what refers to items that are gone; returns the names of programs and rules that went.
pub(super) fn forget(document: &mut CellDocument, gone: &HashSet<String>) -> (Vec<String>, Vec<String>) {
    let (stay, programs): (Vec<_>, Vec<_>) =
        document.programs.drain(..).partition(|program| !needs(program, gone));
    document.programs = stay;
    let lost: HashSet<&String> = programs.iter().map(|p| &p.id).collect();
    for lane in &mut document.run_plan.lanes {
        lane.programs.retain(|id| !lost.contains(id));
    }
    document.run_plan.lanes.retain(|lane| !lane.programs.is_empty());
    let mut rules = Vec::new();
    document.rules.retain_mut(|rule| {
        let open = rule.and.is_empty();
        rule.between.retain(|id| !names_one_of(id, gone));
        rule.and.retain(|id| !names_one_of(id, gone));
        let stays = !rule.between.is_empty() && (open || !rule.and.is_empty());
        if !stays {
            rules.push(rule.name.clone());
        }
        stays
    });
    document.may_touch.retain(|pair| !names_one_of(&pair.a, gone) && !names_one_of(&pair.b, gone));
    for pair in &mut document.may_touch {
        if let Some(during) = &mut pair.during {
            during.retain(|stretch| !lost.contains(&stretch.program));
        }
    }
    for view in &mut document.views {
        view.hidden.retain(|id| !gone.contains(id));
    }
    for set in &mut document.visibility_sets {
        set.items.retain(|id| !gone.contains(id));
    }
    (programs.into_iter().map(|p| p.name).collect(), rules)
}

/// Whether `item` or `item/link` names one of the items.
fn names_one_of(name: &str, items: &HashSet<String>) -> bool {
    items.contains(name) || name.split_once('/').is_some_and(|(item, _)| items.contains(item))
}

/// Whether a program can't be run without one of the items that are gone.
fn needs(program: &ProgramDocument, gone: &HashSet<String>) -> bool {
    let also = |of: &MoveDocument| match of {
        MoveDocument::Joint { also_deg_or_mm, .. } | MoveDocument::Linear { also_deg_or_mm, .. } => {
            also_deg_or_mm.keys().any(|key| key.split_once('/').is_some_and(|(item, _)| gone.contains(item)))
        }
        _ => false,
    };
    gone.contains(&program.robot)
        || gone.contains(&program.tcp)
        || program.targets.iter().any(|t| t.frame.as_ref().is_some_and(|f| gone.contains(f)))
        || program.moves.iter().any(also)
}

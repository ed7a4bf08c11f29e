//! What in a document refers to items, and goes with them.

use std::collections::HashSet;

use crate::document::{CellDocument, MoveDocument, ProgramDocument};

/// Takes out what refers to items that are gone; returns the names of programs and rules that went.
pub(super) fn forget(
    document: &mut CellDocument,
    gone: &HashSet<String>,
) -> (Vec<String>, Vec<String>) {
    let (stay, programs): (Vec<_>, Vec<_>) = document
        .programs
        .drain(..)
        .partition(|program| !needs(program, gone));
    document.programs = stay;
    let lost: HashSet<&String> = programs.iter().map(|p| &p.id).collect();
    for lane in &mut document.run_plan.lanes {
        lane.programs.retain(|id| !lost.contains(id));
    }
    document
        .run_plan
        .lanes
        .retain(|lane| !lane.programs.is_empty());
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
    document
        .may_touch
        .retain(|pair| !names_one_of(&pair.a, gone) && !names_one_of(&pair.b, gone));
    for pair in &mut document.may_touch {
        if let Some(during) = &mut pair.during {
            during.retain(|stretch| !lost.contains(&stretch.program));
        }
    }
    for view in &mut document.views {
        view.hidden.retain(|id| !gone.contains(id));
        view.uncut.retain(|id| !gone.contains(id));
        let stays = |on: &Option<String>| on.as_ref().is_none_or(|id| !gone.contains(id));
        view.sections.retain(|section| stays(&section.fixed_to));
    }
    let stays = |on: &Option<String>| on.as_ref().is_none_or(|id| !gone.contains(id));
    document
        .sections
        .retain(|kept| stays(&kept.section.fixed_to));
    for set in &mut document.visibility_sets {
        set.items.retain(|id| !gone.contains(id));
    }
    (programs.into_iter().map(|p| p.name).collect(), rules)
}

/// Whether `item` or `item/link` names one of the items.
pub(super) fn names_one_of(name: &str, items: &HashSet<String>) -> bool {
    items.contains(name)
        || name
            .split_once('/')
            .is_some_and(|(item, _)| items.contains(item))
}

/// Whether a program can't be run without one of the items that are gone.
fn needs(program: &ProgramDocument, gone: &HashSet<String>) -> bool {
    let of_gone = |key: &String| names_one_of(key, gone);
    let also = |of: &MoveDocument| match of {
        MoveDocument::Joint { also_deg_or_mm, .. }
        | MoveDocument::Linear { also_deg_or_mm, .. } => also_deg_or_mm.keys().any(of_gone),
        MoveDocument::Recorded { joints, .. } => joints.iter().any(|j| of_gone(&j.joint)),
        MoveDocument::Take { item, by, .. } => of_gone(item) || by.as_ref().is_some_and(of_gone),
        MoveDocument::Release { item, onto, .. } => {
            of_gone(item) || onto.as_ref().is_some_and(of_gone)
        }
        _ => false,
    };
    gone.contains(&program.robot)
        || program.tcp.as_ref().is_some_and(|tcp| gone.contains(tcp))
        || program
            .targets
            .iter()
            .any(|t| t.frame.as_ref().is_some_and(|f| gone.contains(f)))
        || program.moves.iter().any(also)
}

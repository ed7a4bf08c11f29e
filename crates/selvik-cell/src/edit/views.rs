//! Changes of how a cell is looked at and what was found of it: saved views, tours, visibility sets, kept sections
//! and findings.

use selvik_formats::Result;

use super::roster::refuse;
use crate::document::{
    CellDocument, FindingDocument, KeptSectionDocument, RuleDocument, SavedViewDocument,
    TourDocument, VisibilitySetDocument, by_set, checked_name, sides,
};

fn position(document: &CellDocument, view: &str) -> Result<usize> {
    let at = document.views.iter().position(|v| v.id == view);
    at.ok_or_else(|| refuse(format!("there is no view \"{view}\"")))
}

/// Puts `item` in the place of the one with its id, or at the end.
fn keep<T: Clone>(list: &mut Vec<T>, item: &T, id: impl Fn(&T) -> &str) {
    match list.iter_mut().find(|old| id(old) == id(item)) {
        Some(old) => old.clone_from(item),
        None => list.push(item.clone()),
    }
}

pub(super) fn save(document: &mut CellDocument, view: &SavedViewDocument) -> Result<String> {
    checked_name(&view.name)?;
    keep(&mut document.views, view, |v| &v.id);
    Ok(format!("save view {}", view.name))
}

pub(super) fn rename(document: &mut CellDocument, view: &str, name: &str) -> Result<String> {
    let name = checked_name(name)?;
    let at = position(document, view)?;
    let before = std::mem::replace(&mut document.views[at].name, name.clone());
    Ok(format!("rename view {before} to {name}"))
}

pub(super) fn delete(document: &mut CellDocument, view: &str) -> Result<String> {
    let gone = document.views.remove(position(document, view)?);
    document.opening_view.take_if(|v| v == view);
    for stop in document.tours.iter_mut().flat_map(|t| &mut t.stops) {
        stop.view.take_if(|v| v == view);
    }
    Ok(format!("delete view {}", gone.name))
}

pub(super) fn shift(
    document: &mut CellDocument,
    view: &str,
    to: usize,
    group: Option<&str>,
) -> Result<String> {
    let group = group.map(checked_name).transpose()?;
    let mut moved = document.views.remove(position(document, view)?);
    moved.group = group;
    let label = format!("move view {}", moved.name);
    document.views.insert(to.min(document.views.len()), moved);
    Ok(label)
}

pub(super) fn open_with(document: &mut CellDocument, view: Option<&String>) -> String {
    document.opening_view = view.cloned();
    let name = document
        .views
        .iter()
        .find(|v| Some(&v.id) == view)
        .map(|v| &v.name);
    name.map_or("open with everything".to_owned(), |n| {
        format!("open with {n}")
    })
}

pub(super) fn save_tour(document: &mut CellDocument, tour: &TourDocument) -> Result<String> {
    checked_name(&tour.name)?;
    keep(&mut document.tours, tour, |t| &t.id);
    Ok(format!("save tour {}", tour.name))
}

pub(super) fn delete_tour(document: &mut CellDocument, tour: &str) -> Result<String> {
    let at = document.tours.iter().position(|t| t.id == tour);
    let at = at.ok_or_else(|| refuse(format!("there is no tour \"{tour}\"")))?;
    Ok(format!("delete tour {}", document.tours.remove(at).name))
}

pub(super) fn save_section(
    document: &mut CellDocument,
    section: &KeptSectionDocument,
) -> Result<String> {
    checked_name(&section.name)?;
    keep(&mut document.sections, section, |s| &s.id);
    Ok(format!("keep section {}", section.name))
}

pub(super) fn delete_section(document: &mut CellDocument, section: &str) -> Result<String> {
    let at = document.sections.iter().position(|s| s.id == section);
    let at = at.ok_or_else(|| refuse(format!("there is no section \"{section}\"")))?;
    let gone = document.sections.remove(at);
    Ok(format!("delete section {}", gone.name))
}

pub(super) fn save_finding(
    document: &mut CellDocument,
    finding: &FindingDocument,
) -> Result<String> {
    checked_name(&finding.name)?;
    keep(&mut document.findings, finding, |f| &f.id);
    Ok(format!("keep finding {}", finding.name))
}

pub(super) fn delete_finding(document: &mut CellDocument, finding: &str) -> Result<String> {
    let at = document.findings.iter().position(|f| f.id == finding);
    let at = at.ok_or_else(|| refuse(format!("there is no finding \"{finding}\"")))?;
    let gone = document.findings.remove(at);
    Ok(format!("delete finding {}", gone.name))
}

pub(super) fn save_set(document: &mut CellDocument, set: &VisibilitySetDocument) -> Result<String> {
    checked_name(&set.name)?;
    keep(&mut document.visibility_sets, set, |s| &s.id);
    Ok(format!("save set {}", set.name))
}

pub(super) fn delete_set(document: &mut CellDocument, set: &str) -> Result<String> {
    let at = document.visibility_sets.iter().position(|s| s.id == set);
    let at = at.ok_or_else(|| refuse(format!("there is no set \"{set}\"")))?;
    let named = by_set(set);
    let about =
        |rule: &&RuleDocument| sides(std::slice::from_ref(*rule)).any(|side| *side == named);
    if let Some(rule) = document.rules.iter().find(about) {
        let message = format!(
            "rule {} is about this set; change the rule first",
            rule.name
        );
        return Err(refuse(message));
    }
    for sets in document.views.iter_mut().filter_map(|v| v.sets.as_mut()) {
        sets.retain(|id| id != set);
    }
    Ok(format!(
        "delete set {}",
        document.visibility_sets.remove(at).name
    ))
}

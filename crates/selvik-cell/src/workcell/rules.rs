//! Clearance rules and pairs that may touch.

use selvik_core::clearance::{Allowance, Moves, Named, NamedBy, Requirement, Rule, RuleSet};
use selvik_formats::{FormatError, PackageFiles, Result, read_srdf};

use super::names::Names;
use super::refusals::{Refusals, refuse, unique};
use crate::document::{
    BY_ROLE, BY_SET, CellDocument, MayTouchDocument, RoleDocument, RuleDocument, StretchDocument,
};

/// The rules of a document, and the pairs that its SRDF files let touch.
pub(super) fn rules(
    document: &CellDocument,
    files: &PackageFiles,
    names: &Names,
    refusals: &mut Refusals,
) -> RuleSet {
    refusals.note(unique("rules", document.rules.iter().map(|r| &r.id)));
    let rules = refusals.note_each(document.rules.iter().map(|r| rule(document, r, names)));
    let mut allowed = refusals.note_each(
        document
            .may_touch
            .iter()
            .map(|p| allowance(document, p, names)),
    );
    allowed.extend(
        refusals
            .note(allowed_by_srdf(document, files, names))
            .into_iter()
            .flatten(),
    );
    RuleSet { rules, allowed }
}

fn rule(document: &CellDocument, rule: &RuleDocument, names: &Names) -> Result<Rule> {
    let place = format!("rule \"{}\"", rule.id);
    let side = |ids: &[String]| {
        let named = ids.iter().map(|id| named(document, id, names, &place));
        Ok::<_, FormatError>(named.collect::<Result<Vec<_>>>()?.concat())
    };
    if rule.between.is_empty() {
        return Err(refuse(&place, "between names no item"));
    }
    let requirement = Requirement::new(rule.required_mm * 1e-3, rule.tight_below_mm * 1e-3)
        .ok_or_else(|| refuse(&place, "needs 0 < required_mm ≤ tight_below_mm"))?;
    let between = side(&rule.between)?;
    let and = match rule.and.as_slice() {
        [] => None,
        named => Some(side(named)?),
    };
    Ok(Rule {
        name: rule.name.clone(),
        between,
        and,
        requirement,
    })
}

/// What a side of a rule names: an item, a link of it, all items of a role, or those of a visibility set.
fn named(document: &CellDocument, id: &str, names: &Names, place: &str) -> Result<Vec<Named>> {
    if document.items.iter().any(|item| item.id == id) {
        return Ok(vec![names.item_or_link(id, place)?]);
    }
    if let Some(role) = id.strip_prefix(BY_ROLE) {
        let roles = document.items.iter().map(|item| item.role);
        let all = roles
            .zip(&document.items)
            .filter(|(of, _)| of.word() == role);
        if RoleDocument::ALL.iter().all(|known| known.word() != role) {
            let known = RoleDocument::ALL.map(RoleDocument::word).join(", ");
            return Err(refuse(
                place,
                format!("there is no role \"{role}\", only {known}"),
            ));
        }
        return all
            .map(|(_, item)| by(NamedBy::Role, &item.id, names, place))
            .collect();
    }
    if let Some(set) = id.strip_prefix(BY_SET) {
        let known = document.visibility_sets.iter().find(|s| s.id == set);
        let known = known.ok_or_else(|| refuse(place, format!("there is no set \"{set}\"")))?;
        let items = known.items.iter();
        return items
            .map(|id| by(NamedBy::Choice, id, names, place))
            .collect();
    }
    Ok(vec![names.item_or_link(id, place)?])
}

fn by(way: NamedBy, id: &str, names: &Names, place: &str) -> Result<Named> {
    Ok(Named {
        by: way,
        ..Named::item(names.item(id, place)?)
    })
}

fn allowance(document: &CellDocument, pair: &MayTouchDocument, names: &Names) -> Result<Allowance> {
    let place = format!("may_touch \"{}\" – \"{}\"", pair.a, pair.b);
    let depth = pair.max_depth_mm.map(|mm| mm * 1e-3);
    if !depth.is_none_or(|d| (1e-6..1e3).contains(&d)) {
        return Err(refuse(
            &place,
            "max_depth_mm must be from 0.001 to a million",
        ));
    }
    let during = pair.during.as_ref().map(|during| {
        during
            .iter()
            .map(|stretch| moves(document, stretch, &place))
            .collect::<Result<Vec<_>>>()
    });
    Ok(Allowance {
        a: names.item_or_link(&pair.a, &place)?,
        b: names.item_or_link(&pair.b, &place)?,
        reason: pair.reason.clone(),
        depth,
        during: during
            .transpose()?
            .map(|d| d.into_iter().flatten().collect()),
    })
}

/// Where the moves of a stretch stand in the run plan; a program may run in it several times, or not at all.
fn moves(document: &CellDocument, stretch: &StretchDocument, place: &str) -> Result<Vec<Moves>> {
    let program = document.programs.iter().find(|p| p.id == stretch.program);
    let program = program.ok_or_else(|| {
        refuse(
            place,
            format!("there is no program \"{}\"", stretch.program),
        )
    })?;
    let (from, to) = (
        stretch.from_move.unwrap_or(1),
        stretch.to_move.unwrap_or(program.moves.len()),
    );
    if from == 0 || from > to || to > program.moves.len() {
        let message = format!(
            "moves {from} to {to} are not among the {} of \"{}\"",
            program.moves.len(),
            program.id
        );
        return Err(refuse(place, message));
    }
    let lanes = document.run_plan.lanes.iter().enumerate();
    let runs = lanes.flat_map(|(lane, l)| {
        l.programs
            .iter()
            .enumerate()
            .map(move |(at, id)| (lane, at, id))
    });
    let own = runs.filter(|(_, _, id)| **id == stretch.program);
    Ok(own
        .map(|(lane, program, _)| Moves {
            lane,
            program,
            first: from - 1,
            last: to - 1,
        })
        .collect())
}

/// The pairs of links that the SRDF files of mechanisms let touch.
fn allowed_by_srdf(
    document: &CellDocument,
    files: &PackageFiles,
    names: &Names,
) -> Result<Vec<Allowance>> {
    let mut allowed = Vec::new();
    for item in &document.items {
        let Some(file) = item.mechanism.as_ref().and_then(|m| m.srdf.as_ref()) else {
            continue;
        };
        let place = format!("item \"{}\"", item.id);
        let at = names.item(&item.id, &place)?;
        let mechanism = names.assembly.mechanism(at).expect("it has one");
        let link = |name: &str| {
            let unknown =
                || FormatError::file(file, format!("{} has no link \"{name}\"", item.name));
            let link = mechanism.link(name).ok_or_else(unknown)?;
            Ok::<_, FormatError>(Named::link(at, link))
        };
        for (a, b, reason) in read_srdf(files, file, &place)?.may_touch {
            allowed.push(Allowance {
                a: link(&a)?,
                b: link(&b)?,
                reason,
                depth: None,
                during: None,
            });
        }
    }
    Ok(allowed)
}

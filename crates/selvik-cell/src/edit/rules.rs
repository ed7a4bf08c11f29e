//! Changes of what is required.

use selvik_formats::Result;

use super::roster::refuse;
use crate::document::{
    CellDocument, MayTouchDocument, ReachRuleDocument, RuleDocument, checked_name,
};

pub(super) fn save(document: &mut CellDocument, rule: &RuleDocument) -> Result<String> {
    let rule = RuleDocument {
        name: checked_name(&rule.name)?,
        ..rule.clone()
    };
    if rule.id.is_empty() {
        return Err(refuse("a rule needs an id"));
    }
    let name = rule.name.clone();
    Ok(match document.rules.iter_mut().find(|r| r.id == rule.id) {
        Some(before) => {
            *before = rule;
            format!("change rule {name}")
        }
        None => {
            document.rules.push(rule);
            format!("add rule {name}")
        }
    })
}

pub(super) fn delete(document: &mut CellDocument, rule: &str) -> Result<String> {
    let at = document.rules.iter().position(|r| r.id == rule);
    let at = at.ok_or_else(|| refuse(format!("there is no rule \"{rule}\"")))?;
    Ok(format!("delete rule {}", document.rules.remove(at).name))
}

/// Whether both are of the same two, either way round.
fn same_pair(pair: &MayTouchDocument, a: &str, b: &str) -> bool {
    (pair.a == a && pair.b == b) || (pair.a == b && pair.b == a)
}

pub(super) fn let_touch(document: &mut CellDocument, pair: &MayTouchDocument) -> Result<String> {
    if pair.reason.trim().is_empty() {
        return Err(refuse(
            "say why they may touch: the reason is shown with the pair",
        ));
    }
    let label = format!(
        "let {} and {} touch",
        called(document, &pair.a),
        called(document, &pair.b)
    );
    let before = document
        .may_touch
        .iter_mut()
        .find(|p| same_pair(p, &pair.a, &pair.b));
    match before {
        Some(before) => *before = pair.clone(),
        None => document.may_touch.push(pair.clone()),
    }
    Ok(label)
}

pub(super) fn keep_apart(document: &mut CellDocument, a: &str, b: &str) -> Result<String> {
    let label = format!(
        "no longer let {} and {} touch",
        called(document, a),
        called(document, b)
    );
    let before = document.may_touch.len();
    document.may_touch.retain(|p| !same_pair(p, a, b));
    if document.may_touch.len() == before {
        return Err(refuse(format!(
            "\"{a}\" and \"{b}\" are no pair that may touch"
        )));
    }
    Ok(label)
}

pub(super) fn reach(document: &mut CellDocument, rule: Option<&ReachRuleDocument>) -> String {
    document.reach_rule = rule.cloned();
    match rule {
        Some(rule) => format!("require {} % of the reach to spare", rule.spare_percent),
        None => "no reach rule".to_owned(),
    }
}

/// What people call an item, or a link of it.
fn called(document: &CellDocument, key: &str) -> String {
    let item = |id: &str| document.items.iter().find(|i| i.id == id);
    if let Some(item) = item(key) {
        return item.name.clone();
    }
    let of_link = key
        .split_once('/')
        .and_then(|(id, link)| Some((item(id)?, link)));
    of_link.map_or(key.to_owned(), |(item, link)| {
        format!("{} {link}", item.name)
    })
}

//! Deleting items, and what goes with them.

use std::collections::HashSet;

use selvik_formats::Result;
use serde::Serialize;
use utoipa::ToSchema;

use super::references::{forget, names_one_of};
use super::roster::{families, refuse};
use crate::document::CellDocument;

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
/// [`FormatError`](selvik_formats::FormatError) for an item that is not there or is locked.
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
    if let Some(locked) = family
        .iter()
        .map(|&at| &document.items[at])
        .find(|i| i.locked)
    {
        return Err(refuse(format!(
            "{} is locked; unlock it first",
            locked.name
        )));
    }
    let gone: HashSet<String> = family
        .iter()
        .map(|&at| document.items[at].id.clone())
        .collect();
    let names = family
        .iter()
        .map(|&at| document.items[at].name.clone())
        .collect();
    let name = |id: &String| {
        document
            .items
            .iter()
            .find(|i| &i.id == id)
            .map_or(id, |i| &i.name)
            .clone()
    };
    let pairs = document
        .may_touch
        .iter()
        .filter(|p| names_one_of(&p.a, &gone) || names_one_of(&p.b, &gone));
    let pairs = pairs
        .map(|p| format!("{} – {}", name(&p.a), name(&p.b)))
        .collect();
    document.items.retain(|i| !gone.contains(&i.id));
    let (programs, rules) = forget(document, &gone);
    Ok(Consequences {
        items: names,
        programs,
        rules,
        pairs,
    })
}

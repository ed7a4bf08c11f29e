//! Items of a roster, found by their ids.

use std::collections::HashSet;

use selvik_formats::{FormatError, Result};

use crate::document::CellDocument;

/// A refusal that is about no file.
pub(super) fn refuse(message: impl std::fmt::Display) -> FormatError {
    FormatError::said(message)
}

pub(super) fn position(document: &CellDocument, id: &str) -> Result<usize> {
    let at = document.items.iter().position(|i| i.id == id);
    at.ok_or_else(|| refuse(format!("there is no item \"{id}\"")))
}

/// One item by name, several by number.
pub(super) fn called(document: &CellDocument, positions: &[usize]) -> String {
    match positions {
        [only] => document.items[*only].name.clone(),
        several => format!("{} items", several.len()),
    }
}

pub(super) fn positions<'a>(
    document: &CellDocument,
    ids: impl IntoIterator<Item = &'a String>,
) -> Result<Vec<usize>> {
    let found = ids
        .into_iter()
        .map(|id| position(document, id))
        .collect::<Result<Vec<_>>>()?;
    if found.is_empty() {
        return Err(refuse("it names no item"));
    }
    Ok(found)
}

/// All that hangs on `tops`, they themselves included, in the roster's order.
pub(crate) fn families(document: &CellDocument, tops: &[String]) -> Result<Vec<usize>> {
    positions(document, tops)?;
    let mut within: HashSet<&str> = tops.iter().map(String::as_str).collect();
    loop {
        let before = within.len();
        let more = document
            .items
            .iter()
            .filter(|i| i.parent.as_deref().is_some_and(|p| within.contains(p)));
        let more: Vec<&str> = more.map(|i| i.id.as_str()).collect();
        within.extend(more);
        if within.len() == before {
            break;
        }
    }
    Ok((0..document.items.len())
        .filter(|&at| within.contains(document.items[at].id.as_str()))
        .collect())
}

//! A cell document in the parts that are edited, and stored, by themselves.

use selvik_formats::{FormatError, Result};
use serde_json::Value;

use crate::document::CellDocument;

/// A part of a cell document that is edited as a whole.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// `cell`, `item`, `rule`, `program`, `view`, `set` or `tour`.
    pub kind: String,
    /// Its id; empty for the one entry of kind `cell`.
    pub key: String,
    /// Where it stands among its kind.
    pub position: i32,
    /// What it says.
    pub body: Value,
}

/// The lists of a document that are kept entry by entry.
const LISTS: [(&str, &str); 6] = [
    ("items", "item"),
    ("rules", "rule"),
    ("programs", "program"),
    ("views", "view"),
    ("visibility_sets", "set"),
    ("tours", "tour"),
];

/// Takes a document apart.
///
/// # Panics
/// Never: the document is plain data.
#[must_use]
pub fn to_entries(document: &CellDocument) -> Vec<Entry> {
    let mut whole = serde_json::to_value(document).expect("plain data");
    let mut entries = Vec::new();
    for (list, kind) in LISTS {
        let taken = whole[list].take();
        let Value::Array(bodies) = taken else {
            continue;
        };
        for (position, body) in (0..).zip(bodies) {
            let key = body["id"].as_str().unwrap_or_default().to_owned();
            entries.push(Entry {
                kind: kind.to_owned(),
                key,
                position,
                body,
            });
        }
    }
    let object = whole.as_object_mut().expect("a document is an object");
    LISTS
        .iter()
        .for_each(|(list, _)| drop(object.remove(*list)));
    entries.push(Entry {
        kind: "cell".to_owned(),
        key: String::new(),
        position: 0,
        body: whole,
    });
    entries
}

/// Puts a document together again.
///
/// # Errors
/// [`FormatError`] when the entries don't make a document.
pub fn from_entries(mut entries: Vec<Entry>) -> Result<CellDocument> {
    entries.sort_by_key(|e| e.position);
    let mut whole = Value::Object(serde_json::Map::new());
    for entry in entries {
        match LISTS.iter().find(|(_, kind)| *kind == entry.kind) {
            Some((list, _)) => match &mut whole[*list] {
                Value::Array(bodies) => bodies.push(entry.body),
                place => *place = Value::Array(vec![entry.body]),
            },
            None => {
                let header = entry.body.as_object().cloned().unwrap_or_default();
                whole.as_object_mut().expect("an object").extend(header);
            }
        }
    }
    for (list, _) in LISTS {
        if whole[list].is_null() {
            whole[list] = Value::Array(Vec::new());
        }
    }
    serde_json::from_value(whole).map_err(|e| FormatError::file("the stored cell", e))
}

//! A cell document in the parts that are edited, and stored, by themselves.

mod changes;
mod runs;

pub use changes::{Change, changed, difference};
use selvik_formats::{FormatError, Result};
use serde_json::Value;

use self::runs::{Cut, Runs};
use crate::document::CellDocument;

/// A part of a cell document that is edited as a whole.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// `cell`, `item`, `rule`, `program`, `view`, `set`, `tour`, `section` or `finding`; `run of moves` or `run of targets` of a long program.
    pub kind: String,
    /// Its id; empty for the one entry of kind `cell`. Of runs what they hold tells it.
    pub key: String,
    /// Where it stands among its kind; 0 for runs, which are listed by their program.
    pub position: i32,
    /// What it says.
    pub body: Value,
}

/// The lists of a document that are kept entry by entry, besides programs.
const LISTS: [(&str, &str); 7] = [
    ("items", "item"),
    ("rules", "rule"),
    ("views", "view"),
    ("visibility_sets", "set"),
    ("tours", "tour"),
    ("sections", "section"),
    ("findings", "finding"),
];

fn position(at: usize) -> i32 {
    i32::try_from(at).expect("a document is no longer than that")
}

/// Takes a document apart.
///
/// # Panics
/// Never: the document is plain data.
#[must_use]
pub fn to_entries(document: &CellDocument) -> Vec<Entry> {
    let mut entries = entries_but_programs(document, true);
    for (at, program) in document.programs.iter().enumerate() {
        entries.extend(Cut::of(program).entries(position(at), |_| true));
    }
    entries
}

/// All of a document but its programs, and its items only if they are wanted.
fn entries_but_programs(document: &CellDocument, items: bool) -> Vec<Entry> {
    let rest = CellDocument {
        format: document.format.clone(),
        name: document.name.clone(),
        items: if items {
            document.items.clone()
        } else {
            Vec::new()
        },
        rules: document.rules.clone(),
        may_touch: document.may_touch.clone(),
        reach_rule: document.reach_rule.clone(),
        programs: Vec::new(),
        run_plan: document.run_plan.clone(),
        views: document.views.clone(),
        opening_view: document.opening_view.clone(),
        visibility_sets: document.visibility_sets.clone(),
        tours: document.tours.clone(),
        sections: document.sections.clone(),
        findings: document.findings.clone(),
    };
    let mut whole = serde_json::to_value(rest).expect("plain data");
    let header = whole.as_object_mut().expect("a document is an object");
    header.remove("programs");
    let mut entries = Vec::new();
    for (list, kind) in LISTS {
        let Some(Value::Array(bodies)) = header.remove(list) else {
            continue;
        };
        for (at, body) in bodies.into_iter().enumerate() {
            entries.push(Entry {
                kind: kind.to_owned(),
                key: body["id"].as_str().unwrap_or_default().to_owned(),
                position: position(at),
                body,
            });
        }
    }
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
    let mut whole = serde_json::Map::new();
    for (list, _) in LISTS {
        whole.insert(list.to_owned(), Value::Array(Vec::new()));
    }
    let (mut runs, mut programs) = (Runs::default(), Vec::new());
    for entry in entries {
        if Runs::are(&entry.kind) {
            runs.add(&entry.kind, entry.key, entry.body)
                .map_err(unreadable)?;
            continue;
        }
        match LISTS.iter().find(|(_, kind)| *kind == entry.kind) {
            Some((list, _)) => {
                let bodies = whole[*list].as_array_mut().expect("begun above");
                bodies.push(entry.body);
            }
            None if entry.kind == "program" => programs.push(entry.body),
            None => whole.extend(entry.body.as_object().cloned().unwrap_or_default()),
        }
    }
    let mut document: CellDocument =
        serde_json::from_value(Value::Object(whole)).map_err(unreadable)?;
    let programs = programs.into_iter().map(|body| runs.program(body));
    document.programs = programs
        .collect::<serde_json::Result<_>>()
        .map_err(unreadable)?;
    Ok(document)
}

fn unreadable(error: serde_json::Error) -> FormatError {
    FormatError::file("the stored cell", error)
}

//! What tells two states of a cell apart as far as findings go.

use blake3::Hasher;
use selvik_formats::{FormatError, PackageFiles, Result};

use crate::document::{CELL_FILE, CellDocument};

/// Raised when the same cell may come to other findings than before.
const CERTIFICATE: &str = "certificate 3";

/// Changes with everything findings depend on, and with nothing else: not with names, nor with how a cell is looked
/// at. `files` is [`files_hash`].
///
/// # Panics
/// Never: a document is plain data.
#[must_use]
pub fn fingerprint(document: &CellDocument, files: &str) -> String {
    let mut hash = Hasher::new();
    hash.update(CERTIFICATE.as_bytes());
    hash.update(&serde_json::to_vec(&without_names(document)).expect("plain data"));
    hash.update(files.as_bytes());
    hash.finalize().to_string()
}

/// Changes with what people call the things that findings speak of.
#[must_use]
pub fn names_hash(document: &CellDocument) -> String {
    let mut hash = Hasher::new();
    let items = document.items.iter().map(|i| &i.name);
    let rules = document.rules.iter().map(|r| &r.name);
    let programs = document.programs.iter().map(|p| &p.name);
    for name in items.chain(rules).chain(programs) {
        hash.update(name.as_bytes());
        hash.update(b"\0");
    }
    hash.finalize().to_string()
}

/// Changes with the contents of the files that `cell.json` may name, not with itself.
///
/// # Errors
/// [`FormatError`] when the disk does not give the content of a file.
pub fn files_hash(files: &PackageFiles) -> Result<String> {
    let mut hash = Hasher::new();
    for (name, content) in files.iter().filter(|(name, _)| *name != CELL_FILE) {
        hash.update(name.as_bytes());
        hash.update(content.hash().map_err(|e| FormatError::file(name, e))?.as_bytes());
    }
    Ok(hash.finalize().to_string())
}

/// Whether two documents are alike but for their views, and what people remember of items.
#[must_use]
pub fn only_views_differ(a: &CellDocument, b: &CellDocument) -> bool {
    without_views(a) == without_views(b)
}

fn without_names(document: &CellDocument) -> CellDocument {
    let mut document = without_views(document);
    document.items.iter_mut().for_each(|item| item.name.clear());
    document.rules.iter_mut().for_each(|rule| rule.name.clear());
    document.programs.iter_mut().for_each(|program| program.name.clear());
    document
}

/// What is left of a document when nothing is said of how it is looked at or what people remember of it.
fn without_views(document: &CellDocument) -> CellDocument {
    let mut document = CellDocument {
        name: String::new(),
        views: Vec::new(),
        visibility_sets: Vec::new(),
        opening_view: None,
        tours: Vec::new(),
        ..document.clone()
    };
    for item in &mut document.items {
        item.colour = None;
        item.locked = false;
        item.notes = None;
    }
    document
}

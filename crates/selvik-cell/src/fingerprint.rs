//! What tells two states of a cell apart as far as findings go.

use std::collections::HashMap;
use std::io::{self, BufWriter, Write};

use blake3::Hasher;
use selvik_formats::{FormatError, PackageFiles, Result};
use serde::Serialize;
use serde_json::Serializer;
use serde_json::ser::{CompactFormatter, Formatter};

use crate::document::{
    CELL_FILE, CellDocument, ItemDocument, MoveDocument, VisibilitySetDocument, by_set, sides,
};

/// Raised when the same cell may come to other findings than before.
const CERTIFICATE: &str = "certificate 10";

/// Changes with everything findings depend on, and with nothing else: not with names, nor with how a cell is looked
/// at. `files` is [`files_hash`].
///
/// # Panics
/// Never: a document is plain data.
#[must_use]
pub fn fingerprint(document: &CellDocument, files: &str) -> String {
    let mut hash = Hasher::new();
    hash.update(CERTIFICATE.as_bytes());
    let mut out = BufWriter::with_capacity(WRITTEN_AT_ONCE, &mut hash);
    let mut json = Serializer::with_formatter(&mut out, ZerosWithoutSigns);
    let known = without_names(document);
    known.serialize(&mut json).expect("plain data");
    out.into_inner().expect("it takes everything");
    hash.update(files.as_bytes());
    hash.finalize().to_string()
}

const WRITTEN_AT_ONCE: usize = 1 << 16;

/// Zero has no sign in a database: a document that comes back from one is the same.
struct ZerosWithoutSigns;

impl Formatter for ZerosWithoutSigns {
    fn write_f64<W: ?Sized + Write>(&mut self, writer: &mut W, value: f64) -> io::Result<()> {
        // Zero and no sign is zero again.
        CompactFormatter.write_f64(writer, value + 0.0)
    }
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
        hash.update(
            content
                .hash()
                .map_err(|e| FormatError::file(name, e))?
                .as_bytes(),
        );
    }
    Ok(hash.finalize().to_string())
}

/// Whether two documents are alike but for their views, kept findings, and what people remember of items.
#[must_use]
pub fn only_views_differ(a: &CellDocument, b: &CellDocument) -> bool {
    // What is longest is the quickest to tell.
    a.programs == b.programs && without_views(a) == without_views(b)
}

/// Whether moves that are the same come to the same in two documents: all items are, but for what people call and remember of them,
/// and for where those stand that carry nothing that moves, is taken, or is gone to.
#[must_use]
pub fn moves_alike(a: &CellDocument, b: &CellDocument) -> bool {
    let bare = |item: &ItemDocument| ItemDocument {
        name: String::new(),
        colour: None,
        locked: false,
        notes: None,
        ..item.clone()
    };
    if a.items.len() != b.items.len() {
        return false;
    }
    let mut carriers = None;
    let mut stands_aside = |item: &ItemDocument| {
        let carriers = carriers.get_or_insert_with(|| [carriers_in(a), carriers_in(b)].concat());
        !carriers.contains(&item.id.as_str())
    };
    a.items.iter().zip(&b.items).all(|(x, y)| {
        x == y || {
            let (x, mut y) = (bare(x), bare(y));
            x == y || {
                y.pose = x.pose;
                x == y && stands_aside(&x)
            }
        }
    })
}

/// Ids of the items that move, are taken or are gone to, and of all that carry them.
fn carriers_in(document: &CellDocument) -> Vec<&str> {
    let with_joints = document.items.iter().filter(|i| i.mechanism.is_some());
    let mut found: Vec<&str> = with_joints.map(|i| i.id.as_str()).collect();
    for program in &document.programs {
        found.push(&program.robot);
        found.extend(program.tcp.as_deref());
        let frames = program.targets.iter().filter_map(|t| t.frame.as_deref());
        found.extend(frames);
        for step in &program.moves {
            match step {
                MoveDocument::Take {
                    item, by: other, ..
                }
                | MoveDocument::Release {
                    item, onto: other, ..
                } => {
                    found.push(item);
                    found.extend(other.as_deref());
                }
                _ => {}
            }
        }
    }
    let parents: HashMap<&str, Option<&str>> = document
        .items
        .iter()
        .map(|item| (item.id.as_str(), item.parent.as_deref()))
        .collect();
    let mut at = 0;
    while at < found.len() {
        let parent = parents.get(found[at]).copied().flatten();
        found.extend(parent.filter(|parent| !found.contains(parent)));
        at += 1;
    }
    found
}

fn without_names(document: &CellDocument) -> CellDocument {
    let mut document = without_views(document);
    for item in &mut document.items {
        item.name.clear();
        if let Some(mechanism) = &mut item.mechanism {
            mechanism.postures.clear();
        }
    }
    document.rules.iter_mut().for_each(|rule| rule.name.clear());
    let sets = document.visibility_sets.iter_mut();
    sets.for_each(|set| set.name.clear());
    document
        .programs
        .iter_mut()
        .for_each(|program| program.name.clear());
    document
}

/// What is left of a document when nothing is said of how it is looked at or what people remember of it.
fn without_views(document: &CellDocument) -> CellDocument {
    let mut document = CellDocument {
        name: String::new(),
        views: Vec::new(),
        opening_view: None,
        tours: Vec::new(),
        sections: Vec::new(),
        findings: Vec::new(),
        ..document.clone()
    };
    // What a rule is about is more than how it is looked at.
    let named =
        |set: &VisibilitySetDocument| sides(&document.rules).any(|side| *side == by_set(&set.id));
    let sets = document.visibility_sets.iter().filter(|set| named(set));
    let sets: Vec<_> = sets.cloned().collect();
    document.visibility_sets = sets;
    for item in &mut document.items {
        item.colour = None;
        item.locked = false;
        item.notes = None;
    }
    document
}

use std::collections::{BTreeMap, HashMap, HashSet};

use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use serde_json::Value;

use super::runs::{Cut, Runs};
use super::{Entry, from_entries, unreadable};
use crate::document::{CellDocument, ProgramDocument};

/// What happened to one entry. Read backwards it is its own inverse.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Change {
    /// Kind of the entry.
    pub kind: String,
    /// Its key.
    pub key: String,
    /// Position and body before; `None` if it was not there.
    pub before: Option<(i32, Value)>,
    /// Position and body after; `None` if it is gone.
    pub after: Option<(i32, Value)>,
}

impl Change {
    /// Whether it is of a run of a long program, which says in its own entry what its runs are.
    #[must_use]
    pub fn is_of_a_run(&self) -> bool {
        Runs::are(&self.kind)
    }

    /// The change that takes this one back.
    #[must_use]
    pub fn reversed(self) -> Self {
        Self {
            before: self.after,
            after: self.before,
            ..self
        }
    }
}

/// The entries in which two documents differ.
#[must_use]
pub fn difference(before: &CellDocument, after: &CellDocument) -> Vec<Change> {
    let was = cut_differing(before, after, &[]);
    let is = cut_differing(after, before, &was);
    let keys = |programs: &[(usize, Cut)]| -> HashSet<String> {
        programs
            .iter()
            .flat_map(|(_, cut)| cut.keys().map(str::to_owned))
            .collect()
    };
    let (keys_before, keys_after) = (keys(&was), keys(&is));
    let both = |key: &str| keys_before.contains(key) && keys_after.contains(key);
    let items = before.items != after.items;
    let entries = |document: &CellDocument, programs: &[(usize, Cut)]| {
        let mut entries = super::entries_but_programs(document, items);
        for (at, cut) in programs {
            entries.extend(cut.entries(super::position(*at), |key| !both(key)));
        }
        entries
    };
    let (before, after) = (entries(before, &was), entries(after, &is));
    let mut now: HashMap<(String, String), Entry> = HashMap::new();
    let mut order = Vec::new();
    for entry in after {
        let name = (entry.kind.clone(), entry.key.clone());
        order.push(name.clone());
        now.insert(name, entry);
    }
    let mut changes = Vec::new();
    for old in before {
        let new = now.remove(&(old.kind.clone(), old.key.clone()));
        let alike = |n: &Entry| n.body == old.body && n.position == old.position;
        if !new.as_ref().is_some_and(alike) {
            changes.push(Change {
                kind: old.kind,
                key: old.key,
                before: Some((old.position, old.body)),
                after: new.map(|n| (n.position, n.body)),
            });
        }
    }
    let added = order.into_iter().filter_map(|name| now.remove(&name));
    changes.extend(added.map(|new| Change {
        kind: new.kind,
        key: new.key,
        before: None,
        after: Some((new.position, new.body)),
    }));
    changes
}

/// The programs of a document that are not at the same place in another, cut into runs; those of the other are `known`.
fn cut_differing<'a>(
    document: &'a CellDocument,
    other: &CellDocument,
    known: &[(usize, Cut)],
) -> Vec<(usize, Cut<'a>)> {
    let all = document.programs.iter().enumerate();
    let differing = all.filter(|(at, program)| other.programs.get(*at) != Some(program));
    let cut = |program: &'a ProgramDocument| {
        let like = known.iter().find(|(_, cut)| cut.program.id == program.id);
        like.map_or_else(|| Cut::of(program), |(_, like)| Cut::like(program, like))
    };
    differing.map(|(at, program)| (at, cut(program))).collect()
}

/// The document after `changes`.
///
/// # Errors
/// [`selvik_formats::FormatError`] when what comes out is no document.
pub fn changed(document: &CellDocument, changes: &[Change]) -> Result<CellDocument> {
    let (of_programs, of_others): (Vec<&Change>, Vec<&Change>) = changes
        .iter()
        .partition(|c| c.kind == "program" || Runs::are(&c.kind));
    let items = of_others.iter().any(|change| change.kind == "item");
    let named = |e: Entry| ((e.kind.clone(), e.key.clone()), e);
    let mut entries: HashMap<(String, String), Entry> =
        super::entries_but_programs(document, items)
            .into_iter()
            .map(named)
            .collect();
    for change in of_others {
        let name = (change.kind.clone(), change.key.clone());
        match &change.after {
            None => drop(entries.remove(&name)),
            Some((position, body)) => {
                let (kind, key) = name.clone();
                let (position, body) = (*position, body.clone());
                entries.insert(
                    name,
                    Entry {
                        kind,
                        key,
                        position,
                        body,
                    },
                );
            }
        }
    }
    let mut after = from_entries(entries.into_values().collect())?;
    if !items {
        after.items.clone_from(&document.items);
    }
    after.programs = changed_programs(document, &of_programs)?;
    Ok(after)
}

fn changed_programs(document: &CellDocument, changes: &[&Change]) -> Result<Vec<ProgramDocument>> {
    let change_of = |id: &str| changes.iter().find(|c| c.kind == "program" && c.key == id);
    let mut runs = Runs::default();
    let mut programs: BTreeMap<(i32, usize), ProgramDocument> = BTreeMap::new();
    for (at, program) in document.programs.iter().enumerate() {
        match change_of(&program.id) {
            None => drop(programs.insert((super::position(at), at), program.clone())),
            Some(_) => runs.add_all(&Cut::of(program)),
        }
    }
    for change in changes.iter().filter(|c| Runs::are(&c.kind)) {
        if let Some((_, body)) = &change.after {
            runs.add(&change.kind, change.key.clone(), body.clone())
                .map_err(unreadable)?;
        }
    }
    let changed = changes.iter().filter(|c| c.kind == "program");
    for (nth, change) in changed.enumerate() {
        if let Some((position, body)) = &change.after {
            let program = runs.program(body.clone()).map_err(unreadable)?;
            programs.insert((*position, document.programs.len() + nth), program);
        }
    }
    Ok(programs.into_values().collect())
}

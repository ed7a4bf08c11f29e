//! Documents entry by entry: read, compared, written in few statements.

use std::collections::HashMap;

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use selvik_cell::document::CellDocument;
use selvik_cell::entries::{Entry, from_entries, to_entries};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use uuid::Uuid;

use crate::StoreError;
use crate::schema::entries;

/// Rows of one statement.
const ROWS: usize = 1000;

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
    let (before, after) = without_what_is_alike(before, after);
    let (before, after) = (to_entries(&before), to_entries(&after));
    let by_key = |entries: &[Entry]| -> HashMap<(String, String), usize> {
        entries
            .iter()
            .enumerate()
            .map(|(at, e)| ((e.kind.clone(), e.key.clone()), at))
            .collect()
    };
    let now = by_key(&after);
    let mut after: Vec<Option<Entry>> = after.into_iter().map(Some).collect();
    let mut changes = Vec::new();
    for old in before {
        let new = now.get(&(old.kind.clone(), old.key.clone()));
        let new = new.and_then(|&at| after[at].take());
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
    changes.extend(after.into_iter().flatten().map(|new| Change {
        kind: new.kind,
        key: new.key,
        before: None,
        after: Some((new.position, new.body)),
    }));
    changes
}

/// Both without those of their longest lists that are the same in both: they need not be taken apart.
fn without_what_is_alike(
    before: &CellDocument,
    after: &CellDocument,
) -> (CellDocument, CellDocument) {
    let (mut before, mut after) = (before.clone(), after.clone());
    if before.items == after.items {
        before.items.clear();
        after.items.clear();
    }
    if before.programs == after.programs {
        before.programs.clear();
        after.programs.clear();
    }
    (before, after)
}

/// The document after `changes`.
///
/// # Errors
/// [`StoreError::Refused`] when what comes out is no document.
pub fn changed(document: &CellDocument, changes: &[Change]) -> Result<CellDocument, StoreError> {
    let mut entries: HashMap<(String, String), Entry> = to_entries(document)
        .into_iter()
        .map(|e| ((e.kind.clone(), e.key.clone()), e))
        .collect();
    for change in changes {
        let key = (change.kind.clone(), change.key.clone());
        match &change.after {
            None => drop(entries.remove(&key)),
            Some((position, body)) => {
                let (kind, key) = key.clone();
                let entry = Entry {
                    kind,
                    key,
                    position: *position,
                    body: body.clone(),
                };
                entries.insert((change.kind.clone(), change.key.clone()), entry);
            }
        }
    }
    Ok(from_entries(entries.into_values().collect())?)
}

/// The document of a cell, put together from its entries.
pub(crate) async fn document(
    connection: &mut AsyncPgConnection,
    id: Uuid,
) -> Result<CellDocument, StoreError> {
    type Row = (String, String, i32, Value);
    let rows: Vec<Row> = entries::table
        .filter(entries::cell_id.eq(id))
        .select((
            entries::kind,
            entries::key,
            entries::position,
            entries::body,
        ))
        .load(connection)
        .await?;
    let entries = rows.into_iter().map(|(kind, key, position, body)| Entry {
        kind,
        key,
        position,
        body,
    });
    Ok(from_entries(entries.collect())?)
}

/// Stores a whole document.
pub(crate) async fn write_document(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    document: &CellDocument,
) -> Result<(), StoreError> {
    let entries = to_entries(document);
    let rows = entries
        .iter()
        .map(|e| (e.kind.as_str(), e.key.as_str(), e.position, &e.body));
    insert(connection, id, &rows.collect::<Vec<_>>()).await
}

/// Writes what has changed: what was there goes by one statement a kind, what is there then comes by one a thousand.
pub(crate) async fn write(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    changes: &[Change],
) -> Result<(), StoreError> {
    let mut gone: HashMap<&str, Vec<&str>> = HashMap::new();
    for change in changes.iter().filter(|c| c.before.is_some()) {
        gone.entry(&change.kind).or_default().push(&change.key);
    }
    for (kind, keys) in gone {
        let of_kind = entries::table.filter(entries::cell_id.eq(id).and(entries::kind.eq(kind)));
        diesel::delete(of_kind.filter(entries::key.eq_any(keys)))
            .execute(connection)
            .await?;
    }
    let there = changes.iter().filter_map(|change| {
        let (position, body) = change.after.as_ref()?;
        Some((change.kind.as_str(), change.key.as_str(), *position, body))
    });
    insert(connection, id, &there.collect::<Vec<_>>()).await
}

/// Kind, key, position and body of an entry.
type EntryRow<'a> = (&'a str, &'a str, i32, &'a Value);

async fn insert(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    all: &[EntryRow<'_>],
) -> Result<(), StoreError> {
    for chunk in all.chunks(ROWS) {
        let rows: Vec<_> = chunk
            .iter()
            .map(|(kind, key, position, body)| {
                (
                    entries::cell_id.eq(id),
                    entries::kind.eq(*kind),
                    entries::key.eq(*key),
                    entries::position.eq(*position),
                    entries::body.eq(*body),
                )
            })
            .collect();
        diesel::insert_into(entries::table)
            .values(rows)
            .execute(connection)
            .await?;
    }
    Ok(())
}

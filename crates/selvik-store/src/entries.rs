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
    let (before, after) = (to_entries(before), to_entries(after));
    let by_key = |entries: &[Entry]| -> HashMap<(String, String), usize> {
        entries
            .iter()
            .enumerate()
            .map(|(at, e)| ((e.kind.clone(), e.key.clone()), at))
            .collect()
    };
    let (known, now) = (by_key(&before), by_key(&after));
    let key = |e: &Entry| (e.kind.clone(), e.key.clone());
    let state = |e: &Entry| (e.position, e.body.clone());
    let mut changes = Vec::new();
    for old in &before {
        let new = now.get(&key(old)).map(|&at| &after[at]);
        if new.is_none_or(|n| n.body != old.body || n.position != old.position) {
            changes.push(Change {
                kind: old.kind.clone(),
                key: old.key.clone(),
                before: Some(state(old)),
                after: new.map(state),
            });
        }
    }
    let added = after.iter().filter(|n| !known.contains_key(&key(n)));
    changes.extend(added.map(|new| Change {
        kind: new.kind.clone(),
        key: new.key.clone(),
        before: None,
        after: Some(state(new)),
    }));
    changes
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
    insert(connection, id, &to_entries(document)).await
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
        let (position, body) = change.after.clone()?;
        Some(Entry {
            kind: change.kind.clone(),
            key: change.key.clone(),
            position,
            body,
        })
    });
    insert(connection, id, &there.collect::<Vec<_>>()).await
}

async fn insert(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    all: &[Entry],
) -> Result<(), StoreError> {
    for chunk in all.chunks(ROWS) {
        let rows: Vec<_> = chunk
            .iter()
            .map(|entry| {
                (
                    entries::cell_id.eq(id),
                    entries::kind.eq(entry.kind.as_str()),
                    entries::key.eq(entry.key.as_str()),
                    entries::position.eq(entry.position),
                    entries::body.eq(&entry.body),
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

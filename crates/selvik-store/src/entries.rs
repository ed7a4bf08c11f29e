//! Documents entry by entry: read, compared, written in few statements.

use std::collections::HashMap;

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use selvik_cell::document::CellDocument;
use selvik_cell::entries::{Change, Entry, from_entries, to_entries};
use serde_json::Value;
use uuid::Uuid;

use crate::StoreError;
use crate::schema::entries;

/// Rows of one statement.
const ROWS: usize = 1000;

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

/// Writes what has changed: what was there goes by one statement a kind, what is there then comes by one a thousand. Where
/// the document stands in other entries than it would now (an earlier version cut long programs otherwise), all of it is
/// written anew, as it is `after` the change.
pub(crate) async fn write(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    changes: &[Change],
    after: &CellDocument,
) -> Result<(), StoreError> {
    let mut gone: HashMap<&str, Vec<&str>> = HashMap::new();
    for change in changes.iter().filter(|c| c.before.is_some()) {
        gone.entry(&change.kind).or_default().push(&change.key);
    }
    for (kind, keys) in gone {
        let of_kind = entries::table.filter(entries::cell_id.eq(id).and(entries::kind.eq(kind)));
        let expected = keys.len();
        let found = diesel::delete(of_kind.filter(entries::key.eq_any(keys)))
            .execute(connection)
            .await?;
        if found != expected {
            diesel::delete(entries::table.filter(entries::cell_id.eq(id)))
                .execute(connection)
                .await?;
            return write_document(connection, id, after).await;
        }
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

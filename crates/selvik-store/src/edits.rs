use std::collections::HashMap;

use chrono::Utc;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use selvik_formats::FormatError;
use selvik_formats::package::{CellDocument, Edit, Entry, PackageFiles, to_entries};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use uuid::Uuid;

use crate::cells::{document, row, write_files};
use crate::schema::{cells, edits, entries};
use crate::{Store, StoreError};

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

/// A change that is stored.
#[derive(Debug, Clone, PartialEq)]
pub struct Committed {
    /// The cell's revision now.
    pub revision: i64,
    /// What was done.
    pub label: String,
    /// The document now.
    pub document: CellDocument,
}

/// What undo and redo would do.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct UndoState {
    /// The edit that undo takes back.
    pub undo: Option<Step>,
    /// The edit that redo does again.
    pub redo: Option<Step>,
}

/// An edit of the log.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// The revision it made.
    pub revision: i64,
    /// What was done.
    pub label: String,
}

impl Store {
    /// Does `edit`, unless nothing would change by it, which was made looking at revision `base` and brings the files `added`. `check` has the
    /// last word on the changed document.
    ///
    /// # Errors
    /// [`StoreError::Conflict`] when the same entry was changed after `base`;
    /// [`StoreError::Moved`] when the cell is no longer at the revision `known`, for which `check` was made;
    /// [`StoreError::Refused`] when the edit or `check` refuses, or `base` lies ahead of the cell.
    pub async fn edit(
        &self,
        id: Uuid,
        (base, known): (i64, i64),
        edit: &Edit,
        added: &PackageFiles,
        check: impl Fn(&CellDocument) -> Result<(), FormatError> + Send + Sync,
    ) -> Result<Committed, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let revision = locked_revision(connection, id).await?;
                if base > revision {
                    let message = format!(
                        "the change names revision {base}, but the cell is at {revision}; load it again"
                    );
                    return Err(StoreError::Refused(FormatError::said(message)));
                }
                if known != revision {
                    return Err(StoreError::Moved);
                }
                let before = document(connection, id).await?;
                let mut after = before.clone();
                let label = edit.apply(&mut after)?;
                check(&after)?;
                let changes = difference(&before, &after);
                if changes.is_empty() && added.is_empty() {
                    return Ok(Committed { revision, label, document: after });
                }
                no_conflict(connection, id, base, &changes).await?;
                write_files(connection, id, added).await?;
                write(connection, id, &changes).await?;
                diesel::update(edits::table)
                    .filter(edits::cell_id.eq(id).and(edits::state.eq("undone")))
                    .set(edits::state.eq("dropped"))
                    .execute(connection)
                    .await?;
                log(connection, id, revision + 1, &label, &changes, "done").await?;
                rename(connection, id, &after.name).await?;
                Ok(Committed { revision: revision + 1, label, document: after })
            })
            .await
    }

    /// Takes back the last edit that stands, which must be the one that made revision `step`.
    ///
    /// # Errors
    /// [`StoreError::Nothing`] when none does, [`StoreError::OtherStep`] when it is another.
    pub async fn undo(&self, id: Uuid, step: i64) -> Result<Committed, StoreError> {
        self.walk(id, "undo", step).await
    }

    /// Does again the edit that was undone last, which must be the one that made revision `step`.
    ///
    /// # Errors
    /// [`StoreError::Nothing`] when there is none, [`StoreError::OtherStep`] when it is another.
    pub async fn redo(&self, id: Uuid, step: i64) -> Result<Committed, StoreError> {
        self.walk(id, "redo", step).await
    }

    async fn walk(&self, id: Uuid, which: &'static str, step: i64) -> Result<Committed, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let revision = locked_revision(connection, id).await?;
                let (of, label, changes) =
                    next(connection, id, which).await?.ok_or(StoreError::Nothing(which))?;
                if of != step {
                    return Err(StoreError::OtherStep { which, label });
                }
                let mut changes: Vec<Change> =
                    serde_json::from_value(changes).map_err(|e| StoreError::Database(e.to_string()))?;
                if which == "undo" {
                    changes.iter_mut().for_each(|c| std::mem::swap(&mut c.before, &mut c.after));
                }
                write(connection, id, &changes).await?;
                let state = if which == "undo" { "undone" } else { "done" };
                diesel::update(edits::table.find((id, of)))
                    .set(edits::state.eq(state))
                    .execute(connection)
                    .await?;
                let label = format!("{which} {label}");
                log(connection, id, revision + 1, &label, &changes, "reversal").await?;
                let document = document(connection, id).await?;
                rename(connection, id, &document.name).await?;
                Ok(Committed { revision: revision + 1, label, document })
            })
            .await
    }

    /// What undo and redo would do now.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn undo_state(&self, id: Uuid) -> Result<UndoState, StoreError> {
        let mut connection = self.connection().await?;
        let step = |found: Option<(i64, String, Value)>| found.map(|f| Step { revision: f.0, label: f.1 });
        Ok(UndoState {
            undo: step(next(&mut connection, id, "undo").await?),
            redo: step(next(&mut connection, id, "redo").await?),
        })
    }
}

async fn next(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    which: &str,
) -> Result<Option<(i64, String, Value)>, StoreError> {
    let query = edits::table
        .filter(edits::cell_id.eq(id))
        .select((edits::revision, edits::label, edits::changes))
        .into_boxed();
    let query = if which == "undo" {
        query.filter(edits::state.eq("done")).order(edits::revision.desc())
    } else {
        query.filter(edits::state.eq("undone")).order(edits::revision.asc())
    };
    Ok(query.first(connection).await.optional()?)
}

async fn locked_revision(connection: &mut AsyncPgConnection, id: Uuid) -> Result<i64, StoreError> {
    Ok(cells::table.find(id).select(cells::revision).for_update().first(connection).await?)
}

/// The name stands in the list of cells too.
async fn rename(connection: &mut AsyncPgConnection, id: Uuid, name: &str) -> Result<(), StoreError> {
    diesel::update(cells::table.find(id)).set(cells::name.eq(name)).execute(connection).await?;
    Ok(())
}

/// The entries in which two documents differ.
fn difference(before: &CellDocument, after: &CellDocument) -> Vec<Change> {
    let (before, after) = (to_entries(before), to_entries(after));
    let by_key = |entries: &[Entry]| -> HashMap<(String, String), usize> {
        entries.iter().enumerate().map(|(at, e)| ((e.kind.clone(), e.key.clone()), at)).collect()
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

/// Whether what `changes` touches was left alone since revision `base`. An entry that only moved up
/// or down was.
async fn no_conflict(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    base: i64,
    changes: &[Change],
) -> Result<(), StoreError> {
    let since: Vec<(String, Value)> = edits::table
        .filter(edits::cell_id.eq(id).and(edits::revision.gt(base)))
        .order(edits::revision.desc())
        .select((edits::label, edits::changes))
        .load(connection)
        .await?;
    let body = |side: &Option<(i32, Value)>| side.as_ref().map(|s| s.1.clone());
    for (label, theirs) in since {
        let theirs: Vec<Change> =
            serde_json::from_value(theirs).map_err(|e| StoreError::Database(e.to_string()))?;
        let clash = changes.iter().find(|mine| {
            theirs
                .iter()
                .any(|t| t.kind == mine.kind && t.key == mine.key && body(&t.before) != body(&t.after))
                && body(&mine.before) != body(&mine.after)
        });
        if let Some(change) = clash {
            let what = format!("{} \"{}\"", change.kind, change.key);
            return Err(StoreError::Conflict { what, label });
        }
    }
    Ok(())
}

async fn write(connection: &mut AsyncPgConnection, id: Uuid, changes: &[Change]) -> Result<(), StoreError> {
    for change in changes {
        let key = (id, change.kind.as_str(), change.key.as_str());
        diesel::delete(entries::table.find(key)).execute(connection).await?;
        if let Some((position, body)) = &change.after {
            let entry = Entry {
                kind: change.kind.clone(),
                key: change.key.clone(),
                position: *position,
                body: body.clone(),
            };
            diesel::insert_into(entries::table).values(row(id, &entry)).execute(connection).await?;
        }
    }
    Ok(())
}

async fn log(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    revision: i64,
    label: &str,
    changes: &[Change],
    state: &str,
) -> Result<(), StoreError> {
    let changes = serde_json::to_value(changes).map_err(|e| StoreError::Database(e.to_string()))?;
    diesel::insert_into(edits::table)
        .values((
            edits::cell_id.eq(id),
            edits::revision.eq(revision),
            edits::label.eq(label),
            edits::changes.eq(changes),
            edits::state.eq(state),
        ))
        .execute(connection)
        .await?;
    diesel::update(cells::table.find(id))
        .set((cells::revision.eq(revision), cells::changed_at.eq(Utc::now())))
        .execute(connection)
        .await?;
    Ok(())
}

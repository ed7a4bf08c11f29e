use chrono::Utc;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use selvik_cell::document::CellDocument;
use selvik_cell::entries::Change;
use selvik_formats::{FormatError, PackageFiles};
use serde_json::Value;
use uuid::Uuid;

use crate::entries::write;
use crate::files::write_files;
use crate::schema::{cells, edits};
use crate::{Store, StoreError};

/// A change that was worked out from a cell as it was, and can be stored if it still is.
#[derive(Debug, Clone, Copy)]
pub struct NewEdit<'a> {
    /// The revision that whoever made it looked at.
    pub base: i64,
    /// The revision it was worked out from.
    pub known: i64,
    /// What is done, for the undo menu.
    pub label: &'a str,
    /// The entries in which it differs from the document at revision `known`.
    pub changes: &'a [Change],
    /// The document afterwards.
    pub after: &'a CellDocument,
    /// Files that come along.
    pub added: &'a PackageFiles,
    /// What a sweep would depend on then.
    pub fingerprint: &'a str,
}

/// What a step back or forth came to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Done<'a> {
    /// The entries in which the document differs from what it was.
    pub changes: &'a [Change],
    /// The document afterwards.
    pub after: &'a CellDocument,
    /// What a sweep would depend on then.
    pub fingerprint: &'a str,
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

/// Which way the log is walked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Walk {
    /// The last edit that stands is taken back.
    Undo,
    /// The edit that was undone last is done again.
    Redo,
}

impl Walk {
    /// "undo" or "redo".
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Undo => "undo",
            Self::Redo => "redo",
        }
    }
}

/// A step back or forth that was looked up, to be worked out and stored.
#[derive(Debug, Clone, PartialEq)]
pub struct WalkedStep {
    /// Which way.
    pub walk: Walk,
    /// The revision that the edit made.
    pub of: i64,
    /// What will be said of it.
    pub label: String,
    /// What it does now.
    pub changes: Vec<Change>,
}

impl Store {
    /// Stores an edit, unless nothing would change by it; answers the revision of the cell then.
    ///
    /// # Errors
    /// [`StoreError::Conflict`] when the same entry was changed after `base`;
    /// [`StoreError::Moved`] when the cell is no longer at the revision `known`;
    /// [`StoreError::Refused`] when `base` lies ahead of the cell.
    pub async fn commit(&self, id: Uuid, edit: &NewEdit<'_>) -> Result<i64, StoreError> {
        let idle = edit.changes.is_empty() && edit.added.is_empty();
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let revision = locked_revision(connection, id).await?;
                if edit.base > revision {
                    let message = format!(
                        "the change names revision {}, but the cell is at {revision}; load it again",
                        edit.base
                    );
                    return Err(StoreError::Refused(FormatError::said(message)));
                }
                if edit.known != revision {
                    return Err(StoreError::Moved);
                }
                if idle {
                    return Ok(revision);
                }
                no_conflict(connection, id, edit.base, edit.changes).await?;
                write_files(connection, id, edit.added).await?;
                write(connection, id, edit.changes, edit.after).await?;
                diesel::update(edits::table)
                    .filter(edits::cell_id.eq(id).and(edits::state.eq("undone")))
                    .set(edits::state.eq("dropped"))
                    .execute(connection)
                    .await?;
                let entry = LogEntry { revision: revision + 1, label: edit.label, state: "done" };
                log(connection, id, &entry, edit.changes).await?;
                advance(connection, id, revision + 1, (&edit.after.name, edit.fingerprint)).await?;
                Ok(revision + 1)
            })
            .await
    }

    /// What undo or redo does now; it must concern the edit that made revision `step`.
    ///
    /// # Errors
    /// [`StoreError::Nothing`] when there is none, [`StoreError::OtherStep`] when it is another.
    pub async fn step(&self, id: Uuid, walk: Walk, step: i64) -> Result<WalkedStep, StoreError> {
        let mut connection = self.connection().await?;
        let found = next(&mut connection, id, walk).await?;
        let (named, changes) = found.ok_or(StoreError::Nothing(walk.word()))?;
        let Step {
            revision: of,
            label,
        } = named;
        if of != step {
            return Err(StoreError::OtherStep {
                which: walk.word(),
                label,
            });
        }
        let changes: Vec<Change> =
            serde_json::from_value(changes).map_err(StoreError::unreadable)?;
        let changes = match walk {
            Walk::Undo => changes.into_iter().map(Change::reversed).collect(),
            Walk::Redo => changes,
        };
        Ok(WalkedStep {
            walk,
            of,
            label: format!("{} {label}", walk.word()),
            changes,
        })
    }

    /// Stores a step back or forth, worked out from the cell at revision `known`; answers its revision then.
    ///
    /// # Errors
    /// [`StoreError::Moved`] when the cell is no longer at that revision.
    pub async fn commit_step(
        &self,
        id: Uuid,
        known: i64,
        step: &WalkedStep,
        done: &Done<'_>,
    ) -> Result<i64, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let revision = locked_revision(connection, id).await?;
                if revision != known {
                    return Err(StoreError::Moved);
                }
                write(connection, id, done.changes, done.after).await?;
                let state = match step.walk {
                    Walk::Undo => "undone",
                    Walk::Redo => "done",
                };
                diesel::update(edits::table.find((id, step.of)))
                    .set(edits::state.eq(state))
                    .execute(connection)
                    .await?;
                let entry = LogEntry {
                    revision: revision + 1,
                    label: &step.label,
                    state: "reversal",
                };
                log(connection, id, &entry, done.changes).await?;
                let told = (done.after.name.as_str(), done.fingerprint);
                advance(connection, id, revision + 1, told).await?;
                Ok(revision + 1)
            })
            .await
    }

    /// What undo and redo would do now.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn undo_state(&self, id: Uuid) -> Result<UndoState, StoreError> {
        let mut connection = self.connection().await?;
        Ok(UndoState {
            undo: next_name(&mut connection, id, Walk::Undo).await?,
            redo: next_name(&mut connection, id, Walk::Redo).await?,
        })
    }
}

/// What undo or redo would do, by name: what it changes may be large.
async fn next_name(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    walk: Walk,
) -> Result<Option<Step>, StoreError> {
    let query = edits::table
        .filter(edits::cell_id.eq(id))
        .select((edits::revision, edits::label))
        .into_boxed();
    let query = match walk {
        Walk::Undo => query
            .filter(edits::state.eq("done"))
            .order(edits::revision.desc()),
        Walk::Redo => query
            .filter(edits::state.eq("undone"))
            .order(edits::revision.asc()),
    };
    let found: Option<(i64, String)> = query.first(connection).await.optional()?;
    Ok(found.map(|(revision, label)| Step { revision, label }))
}

async fn next(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    walk: Walk,
) -> Result<Option<(Step, Value)>, StoreError> {
    let Some(step) = next_name(connection, id, walk).await? else {
        return Ok(None);
    };
    let changes = edits::table
        .find((id, step.revision))
        .select(edits::changes)
        .first(connection)
        .await?;
    Ok(Some((step, changes)))
}

async fn locked_revision(connection: &mut AsyncPgConnection, id: Uuid) -> Result<i64, StoreError> {
    Ok(cells::table
        .find(id)
        .select(cells::revision)
        .for_update()
        .first(connection)
        .await?)
}

/// Whether what `changes` touches was left alone since revision `base`. An entry that only moved up
/// or down was. Runs are told by what they say, and listed by their program: that is what clashes.
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
        let theirs: Vec<Change> = serde_json::from_value(theirs).map_err(StoreError::unreadable)?;
        let mut named = changes.iter().filter(|change| !change.is_of_a_run());
        let clash = named.find(|mine| {
            theirs.iter().any(|t| {
                t.kind == mine.kind && t.key == mine.key && body(&t.before) != body(&t.after)
            }) && body(&mine.before) != body(&mine.after)
        });
        if let Some(change) = clash {
            let what = format!("{} \"{}\"", change.kind, change.key);
            return Err(StoreError::Conflict { what, label });
        }
    }
    Ok(())
}

/// A line of the log.
struct LogEntry<'a> {
    revision: i64,
    label: &'a str,
    state: &'a str,
}

async fn log(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    entry: &LogEntry<'_>,
    changes: &[Change],
) -> Result<(), StoreError> {
    let changes = serde_json::to_value(changes).map_err(StoreError::unreadable)?;
    diesel::insert_into(edits::table)
        .values((
            edits::cell_id.eq(id),
            edits::revision.eq(entry.revision),
            edits::label.eq(entry.label),
            edits::changes.eq(changes),
            edits::state.eq(entry.state),
        ))
        .execute(connection)
        .await?;
    Ok(())
}

/// The cell at its next revision; its name and fingerprint stand in the list of cells too.
async fn advance(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    revision: i64,
    (name, fingerprint): (&str, &str),
) -> Result<(), StoreError> {
    diesel::update(cells::table.find(id))
        .set((
            cells::revision.eq(revision),
            cells::changed_at.eq(Utc::now()),
            cells::name.eq(name),
            cells::fingerprint.eq(fingerprint),
        ))
        .execute(connection)
        .await?;
    Ok(())
}

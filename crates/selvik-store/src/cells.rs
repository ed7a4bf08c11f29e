use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use selvik_formats::package::{
    CELL_FILE, CellDocument, Entry, PackageFiles, from_entries, to_entries, write_document,
};
use serde_json::Value;
use sha2::{Digest, Sha256};
use uuid::Uuid;

use crate::schema::{assets, cell_files, cells, entries, sweeps};
use crate::{Store, StoreError};

/// A line of the cell list.
#[derive(Debug, Clone, PartialEq, Queryable)]
pub struct CellSummary {
    /// Which.
    pub id: Uuid,
    /// What people call it.
    pub name: String,
    /// Raised by every change.
    pub revision: i64,
    /// When it was last changed.
    pub changed_at: DateTime<Utc>,
    /// When it was last opened.
    pub opened_at: Option<DateTime<Utc>>,
}

/// A whole cell.
#[derive(Debug, Clone)]
pub struct StoredCell {
    /// Raised by every change.
    pub revision: i64,
    /// What `cell.json` says.
    pub document: CellDocument,
    /// The files it names, without `cell.json`.
    pub files: PackageFiles,
}

impl StoredCell {
    /// The cell as a package.
    ///
    /// # Panics
    /// Never: `cell.json` is a plain name.
    #[must_use]
    pub fn package(&self) -> PackageFiles {
        let mut files = self.files.clone();
        files.insert(CELL_FILE, write_document(&self.document)).expect("a plain name");
        files
    }
}

type Row = (String, String, i32, Value);

impl Store {
    /// Stores a new cell with its files in one transaction; content that is already there is not
    /// stored again.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn create(&self, document: &CellDocument, files: &PackageFiles) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                diesel::insert_into(cells::table)
                    .values((cells::id.eq(id), cells::name.eq(&document.name), cells::revision.eq(1)))
                    .execute(connection)
                    .await?;
                for (path, content) in files.iter().filter(|(path, _)| *path != CELL_FILE) {
                    let hash = hash_of(content);
                    diesel::insert_into(assets::table)
                        .values((assets::hash.eq(&hash), assets::content.eq(content)))
                        .on_conflict_do_nothing()
                        .execute(connection)
                        .await?;
                    diesel::insert_into(cell_files::table)
                        .values((
                            cell_files::cell_id.eq(id),
                            cell_files::path.eq(path),
                            cell_files::hash.eq(&hash),
                        ))
                        .execute(connection)
                        .await?;
                }
                let parts = to_entries(document);
                let rows: Vec<_> = parts.iter().map(|e| row(id, e)).collect();
                for chunk in rows.chunks(1000) {
                    diesel::insert_into(entries::table).values(chunk).execute(connection).await?;
                }
                Ok(())
            })
            .await?;
        Ok(id)
    }

    /// All cells, the last opened first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn list(&self) -> Result<Vec<CellSummary>, StoreError> {
        let rows = cells::table
            .select((cells::id, cells::name, cells::revision, cells::changed_at, cells::opened_at))
            .order((cells::opened_at.desc().nulls_last(), cells::changed_at.desc()))
            .load(&mut self.connection().await?)
            .await?;
        Ok(rows)
    }

    /// A whole cell.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn load(&self, id: Uuid) -> Result<StoredCell, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .build_transaction()
            .repeatable_read()
            .run::<_, StoreError, _>(async |connection| {
                let revision = cells::table.find(id).select(cells::revision).first(connection).await?;
                let document = document(connection, id).await?;
                let contents: Vec<(String, Vec<u8>)> = cell_files::table
                    .inner_join(assets::table)
                    .filter(cell_files::cell_id.eq(id))
                    .select((cell_files::path, assets::content))
                    .load(connection)
                    .await?;
                let mut files = PackageFiles::default();
                for (path, content) in contents {
                    files.insert(&path, content)?;
                }
                Ok(StoredCell { revision, document, files })
            })
            .await
    }

    /// Notes that the cell was opened just now.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn touch(&self, id: Uuid) -> Result<(), StoreError> {
        diesel::update(cells::table.find(id))
            .set(cells::opened_at.eq(Utc::now()))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Deletes a cell with all that belongs to it.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn delete(&self, id: Uuid) -> Result<(), StoreError> {
        let count = diesel::delete(cells::table.find(id)).execute(&mut self.connection().await?).await?;
        if count == 0 { Err(StoreError::NoCell) } else { Ok(()) }
    }

    /// Keeps the last finished sweep of a cell.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_sweep(&self, id: Uuid, fingerprint: &str, report: &Value) -> Result<(), StoreError> {
        diesel::insert_into(sweeps::table)
            .values((sweeps::cell_id.eq(id), sweeps::fingerprint.eq(fingerprint), sweeps::report.eq(report)))
            .on_conflict(sweeps::cell_id)
            .do_update()
            .set((
                sweeps::fingerprint.eq(excluded(sweeps::fingerprint)),
                sweeps::report.eq(excluded(sweeps::report)),
                sweeps::at.eq(Utc::now()),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// The last finished sweep: what it was computed from, and what it found.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn last_sweep(&self, id: Uuid) -> Result<Option<(String, Value)>, StoreError> {
        let row = sweeps::table
            .find(id)
            .select((sweeps::fingerprint, sweeps::report))
            .first(&mut self.connection().await?)
            .await
            .optional()?;
        Ok(row)
    }
}

/// The document of a cell, put together from its entries.
pub(crate) async fn document(
    connection: &mut AsyncPgConnection,
    id: Uuid,
) -> Result<CellDocument, StoreError> {
    let rows: Vec<Row> = entries::table
        .filter(entries::cell_id.eq(id))
        .select((entries::kind, entries::key, entries::position, entries::body))
        .load(connection)
        .await?;
    let entries = rows.into_iter().map(|(kind, key, position, body)| Entry { kind, key, position, body });
    Ok(from_entries(entries.collect())?)
}

type EntryRow<'a> = (
    diesel::dsl::Eq<entries::cell_id, Uuid>,
    diesel::dsl::Eq<entries::kind, &'a str>,
    diesel::dsl::Eq<entries::key, &'a str>,
    diesel::dsl::Eq<entries::position, i32>,
    diesel::dsl::Eq<entries::body, &'a Value>,
);

/// An entry as a row of the table.
pub(crate) fn row(id: Uuid, entry: &Entry) -> EntryRow<'_> {
    (
        entries::cell_id.eq(id),
        entries::kind.eq(entry.kind.as_str()),
        entries::key.eq(entry.key.as_str()),
        entries::position.eq(entry.position),
        entries::body.eq(&entry.body),
    )
}

fn hash_of(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|b| format!("{b:02x}")).collect()
}

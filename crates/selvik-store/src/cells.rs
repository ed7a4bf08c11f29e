use std::collections::HashMap;

use chrono::{DateTime, Utc};
use diesel::dsl::{count_star, exists, not, sum};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use selvik_formats::package::{
    CELL_FILE, CellDocument, Entry, PackageFiles, from_entries, to_entries, write_document,
};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{assets, cell_files, cells, entries, sweeps};
use crate::{Store, StoreError};

/// A line of the cell list.
#[derive(Debug, Clone, PartialEq)]
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
    /// When it was put into the bin, if it lies there.
    pub binned_at: Option<DateTime<Utc>>,
    /// Whether there is a picture of it.
    pub has_thumbnail: bool,
    /// Items in its roster.
    pub items: i64,
    /// What its files hold together.
    pub bytes: i64,
    /// How its rules stood at the last sweep.
    pub swept: Option<SweptSummary>,
}

/// How the rules of a cell stood at its last sweep.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SweptSummary {
    /// What came out.
    pub verdicts: Verdicts,
    /// Whether anything it depends on was changed afterwards.
    pub changed_since: bool,
}

/// How many pairs a sweep looked at, and how they stood to their rules.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdicts {
    /// All of them.
    pub pairs: i32,
    /// Those that broke theirs.
    pub broken: i32,
    /// Those that were tight.
    pub tight: i32,
    /// Those that were neither certainly broken nor certainly kept.
    pub not_certified: i32,
    /// What it all came to: `broken`, `not_certified`, `tight` or `meets`.
    pub verdict: String,
}

/// The last finished sweep of a cell.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptSweep {
    /// Of what it was computed.
    pub fingerprint: String,
    /// Of which revision.
    pub revision: i64,
    /// What it found.
    pub report: Value,
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

diesel::define_sql_function! {
    /// How many bytes there are.
    fn octet_length(content: diesel::sql_types::Binary) -> diesel::sql_types::Integer;
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
                write_files(connection, id, files).await?;
                write_entries(connection, id, document).await
            })
            .await?;
        Ok(id)
    }

    /// All cells, also those in the bin, the last opened first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn list(&self) -> Result<Vec<CellSummary>, StoreError> {
        type Line = (
            Uuid,
            String,
            i64,
            DateTime<Utc>,
            Option<DateTime<Utc>>,
            Option<DateTime<Utc>>,
            bool,
            Option<String>,
        );
        let mut connection = self.connection().await?;
        let lines: Vec<Line> = cells::table
            .select((
                cells::id,
                cells::name,
                cells::revision,
                cells::changed_at,
                cells::opened_at,
                cells::binned_at,
                cells::thumbnail.is_not_null(),
                cells::fingerprint,
            ))
            .order((cells::opened_at.desc().nulls_last(), cells::changed_at.desc()))
            .load(&mut connection)
            .await?;
        let items: Vec<(Uuid, i64)> = entries::table
            .filter(entries::kind.eq("item"))
            .group_by(entries::cell_id)
            .select((entries::cell_id, count_star()))
            .load(&mut connection)
            .await?;
        let bytes: Vec<(Uuid, Option<i64>)> = cell_files::table
            .inner_join(assets::table)
            .group_by(cell_files::cell_id)
            .select((cell_files::cell_id, sum(octet_length(assets::content))))
            .load(&mut connection)
            .await?;
        type Swept = (Uuid, i32, i32, i32, i32, String, String, DateTime<Utc>);
        let swept: Vec<Swept> = sweeps::table
            .select((
                sweeps::cell_id,
                sweeps::pairs,
                sweeps::broken,
                sweeps::tight,
                sweeps::not_certified,
                sweeps::verdict,
                sweeps::fingerprint,
                sweeps::at,
            ))
            .load(&mut connection)
            .await?;
        let items: HashMap<_, _> = items.into_iter().collect();
        let bytes: HashMap<_, _> = bytes.into_iter().collect();
        let swept: HashMap<_, _> = swept
            .into_iter()
            .map(|(id, pairs, broken, tight, not_certified, verdict, fingerprint, at)| {
                (id, (Verdicts { pairs, broken, tight, not_certified, verdict }, fingerprint, at))
            })
            .collect();
        let summary =
            |(id, name, revision, changed_at, opened_at, binned_at, has_thumbnail, now): Line| CellSummary {
                items: items.get(&id).copied().unwrap_or(0),
                bytes: bytes.get(&id).copied().flatten().unwrap_or(0),
                swept: swept.get(&id).map(|(verdicts, fingerprint, at)| SweptSummary {
                    verdicts: verdicts.clone(),
                    changed_since: now.as_ref().map_or(changed_at > *at, |now| now != fingerprint),
                }),
                id,
                name,
                revision,
                changed_at,
                opened_at,
                binned_at,
                has_thumbnail,
            };
        Ok(lines.into_iter().map(summary).collect())
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

    /// Notes that the cell was opened just now; answers the revision it has.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn touch(&self, id: Uuid) -> Result<i64, StoreError> {
        let opened = diesel::update(cells::table.find(id)).set(cells::opened_at.eq(Utc::now()));
        let revision = opened.returning(cells::revision).get_result(&mut self.connection().await?).await;
        revision.optional()?.ok_or(StoreError::NoCell)
    }

    /// Puts a cell into the bin, or takes it out again.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn bin(&self, id: Uuid, binned: bool) -> Result<(), StoreError> {
        let at = binned.then(Utc::now);
        let query = diesel::update(cells::table.find(id)).set(cells::binned_at.eq(at));
        let count = query.execute(&mut self.connection().await?).await?;
        if count == 0 { Err(StoreError::NoCell) } else { Ok(()) }
    }

    /// Deletes a cell that lies in the bin for good, with all that belongs to it and with file contents
    /// that no other cell uses.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] when there is no such cell in the bin, or [`StoreError::Database`].
    pub async fn delete(&self, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let binned = cells::table.find(id).filter(cells::binned_at.is_not_null());
                if diesel::delete(binned).execute(connection).await? == 0 {
                    return Err(StoreError::NoCell);
                }
                let used = cell_files::table.filter(cell_files::hash.eq(assets::hash));
                diesel::delete(assets::table.filter(not(exists(used)))).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// A new cell like this one, called `name`, without its history. Nothing is stored twice.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn duplicate(&self, id: Uuid, name: &str) -> Result<Uuid, StoreError> {
        let copy = Uuid::now_v7();
        let mut connection = self.connection().await?;
        connection
            .build_transaction()
            .repeatable_read()
            .run::<_, StoreError, _>(async |connection| {
                let mut document = document(connection, id).await?;
                name.clone_into(&mut document.name);
                let picture: Option<Vec<u8>> =
                    cells::table.find(id).select(cells::thumbnail).first(connection).await?;
                let new = (cells::id.eq(copy), cells::name.eq(name), cells::revision.eq(1));
                diesel::insert_into(cells::table)
                    .values((new, cells::thumbnail.eq(picture)))
                    .execute(connection)
                    .await?;
                write_entries(connection, copy, &document).await?;
                let files: Vec<(String, String)> = cell_files::table
                    .filter(cell_files::cell_id.eq(id))
                    .select((cell_files::path, cell_files::hash))
                    .load(connection)
                    .await?;
                let row = |(path, hash): &(String, String)| {
                    (
                        cell_files::cell_id.eq(copy),
                        cell_files::path.eq(path.clone()),
                        cell_files::hash.eq(hash.clone()),
                    )
                };
                let rows: Vec<_> = files.iter().map(row).collect();
                for chunk in rows.chunks(1000) {
                    diesel::insert_into(cell_files::table).values(chunk).execute(connection).await?;
                }
                Ok(copy)
            })
            .await
    }

    /// Keeps a picture of a cell for the list, as PNG.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn keep_thumbnail(&self, id: Uuid, png: &[u8]) -> Result<(), StoreError> {
        let query = diesel::update(cells::table.find(id)).set(cells::thumbnail.eq(png));
        let count = query.execute(&mut self.connection().await?).await?;
        if count == 0 { Err(StoreError::NoCell) } else { Ok(()) }
    }

    /// The picture of a cell, as PNG.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn thumbnail(&self, id: Uuid) -> Result<Option<Vec<u8>>, StoreError> {
        Ok(cells::table.find(id).select(cells::thumbnail).first(&mut self.connection().await?).await?)
    }

    /// Keeps the last finished sweep of a cell, with how its pairs stood; not over that of a newer revision.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_sweep(
        &self,
        id: Uuid,
        sweep: &KeptSweep,
        verdicts: &Verdicts,
    ) -> Result<(), StoreError> {
        let Verdicts { pairs, broken, tight, not_certified, verdict } = verdicts;
        let counts = (
            sweeps::pairs.eq(pairs),
            sweeps::broken.eq(broken),
            sweeps::tight.eq(tight),
            sweeps::not_certified.eq(not_certified),
            sweeps::verdict.eq(verdict),
        );
        let found = (
            sweeps::fingerprint.eq(&sweep.fingerprint),
            sweeps::report.eq(&sweep.report),
            sweeps::revision.eq(sweep.revision),
        );
        let newest = sweeps::table.find(id).select(sweeps::revision);
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                // The cell's row is the turn that sweeps of one cell take.
                let _: i64 =
                    cells::table.find(id).select(cells::revision).for_update().first(connection).await?;
                let newest: Option<i64> = newest.first(connection).await.optional()?;
                if newest.is_some_and(|newest| newest > sweep.revision) {
                    return Ok(());
                }
                diesel::insert_into(sweeps::table)
                    .values((sweeps::cell_id.eq(id), found, counts))
                    .on_conflict(sweeps::cell_id)
                    .do_update()
                    .set((
                        sweeps::fingerprint.eq(excluded(sweeps::fingerprint)),
                        sweeps::report.eq(excluded(sweeps::report)),
                        sweeps::revision.eq(excluded(sweeps::revision)),
                        counts,
                        sweeps::at.eq(Utc::now()),
                    ))
                    .execute(connection)
                    .await?;
                Ok(())
            })
            .await
    }

    /// The last finished sweep.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn last_sweep(&self, id: Uuid) -> Result<Option<KeptSweep>, StoreError> {
        let row: Option<(String, i64, Value)> = sweeps::table
            .find(id)
            .select((sweeps::fingerprint, sweeps::revision, sweeps::report))
            .first(&mut self.connection().await?)
            .await
            .optional()?;
        Ok(row.map(|(fingerprint, revision, report)| KeptSweep { fingerprint, revision, report }))
    }

    /// Notes what a sweep of the cell would depend on now.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_fingerprint(
        &self,
        id: Uuid,
        revision: i64,
        fingerprint: &str,
    ) -> Result<(), StoreError> {
        diesel::update(cells::table.find(id).filter(cells::revision.eq(revision)))
            .set(cells::fingerprint.eq(fingerprint))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Notes that a sweep of the cell is under way, or no longer.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_sweeping(&self, id: Uuid, under_way: bool) -> Result<(), StoreError> {
        diesel::update(cells::table.find(id))
            .set(cells::sweeping_since.eq(under_way.then(Utc::now)))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Since when a sweep of the cell has been under way, as far as was noted.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn sweeping_since(&self, id: Uuid) -> Result<Option<DateTime<Utc>>, StoreError> {
        Ok(cells::table.find(id).select(cells::sweeping_since).first(&mut self.connection().await?).await?)
    }
}

/// Adds files to a cell; content that is already stored is not stored again.
pub(crate) async fn write_files(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    files: &PackageFiles,
) -> Result<(), StoreError> {
    for (path, content) in files.iter().filter(|(path, _)| *path != CELL_FILE) {
        let hash = hash_of(content);
        diesel::insert_into(assets::table)
            .values((assets::hash.eq(&hash), assets::content.eq(content)))
            .on_conflict_do_nothing()
            .execute(connection)
            .await?;
        diesel::insert_into(cell_files::table)
            .values((cell_files::cell_id.eq(id), cell_files::path.eq(path), cell_files::hash.eq(&hash)))
            .on_conflict((cell_files::cell_id, cell_files::path))
            .do_update()
            .set(cell_files::hash.eq(excluded(cell_files::hash)))
            .execute(connection)
            .await?;
    }
    Ok(())
}

async fn write_entries(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    document: &CellDocument,
) -> Result<(), StoreError> {
    let parts = to_entries(document);
    let rows: Vec<_> = parts.iter().map(|e| row(id, e)).collect();
    for chunk in rows.chunks(1000) {
        diesel::insert_into(entries::table).values(chunk).execute(connection).await?;
    }
    Ok(())
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
    blake3::hash(content).to_string()
}

use std::collections::HashMap;

use chrono::{DateTime, Utc};
use diesel::dsl::{count_star, exists, not, sum};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use selvik_cell::document::{CELL_FILE, CellDocument, write_document};
use selvik_cell::fingerprint::{files_hash, fingerprint};
use selvik_formats::PackageFiles;
use uuid::Uuid;

use crate::entries::{self, document};
use crate::files::{copy_files, read_files, write_files};
use crate::schema::{assets, cell_files, cells, entries as rows};
use crate::sweeps::{Kept, SweptSummary};
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
        files
            .insert(CELL_FILE, write_document(&self.document))
            .expect("a plain name");
        files
    }
}

diesel::define_sql_function! {
    /// How many bytes there are.
    fn octet_length(content: diesel::sql_types::Binary) -> diesel::sql_types::Integer;
}

impl Store {
    /// Stores a new cell with its files in one transaction; content that is already there is not
    /// stored again.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn create(
        &self,
        document: &CellDocument,
        files: &PackageFiles,
    ) -> Result<Uuid, StoreError> {
        let id = Uuid::now_v7();
        let fingerprint = fingerprint(document, &files_hash(files)?);
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                diesel::insert_into(cells::table)
                    .values((
                        cells::id.eq(id),
                        cells::name.eq(&document.name),
                        cells::revision.eq(1),
                        cells::fingerprint.eq(&fingerprint),
                    ))
                    .execute(connection)
                    .await?;
                write_files(connection, id, files).await?;
                entries::write_document(connection, id, document).await
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
            .order((
                cells::opened_at.desc().nulls_last(),
                cells::changed_at.desc(),
            ))
            .load(&mut connection)
            .await?;
        let items: Vec<(Uuid, i64)> = rows::table
            .filter(rows::kind.eq("item"))
            .group_by(rows::cell_id)
            .select((rows::cell_id, count_star()))
            .load(&mut connection)
            .await?;
        let bytes: Vec<(Uuid, Option<i64>)> = cell_files::table
            .inner_join(assets::table)
            .group_by(cell_files::cell_id)
            .select((cell_files::cell_id, sum(octet_length(assets::content))))
            .load(&mut connection)
            .await?;
        let mut swept = Kept::of_all(&mut connection).await?;
        let items: HashMap<_, _> = items.into_iter().collect();
        let bytes: HashMap<_, _> = bytes.into_iter().collect();
        let mut summary =
            |(id, name, revision, changed_at, opened_at, binned_at, has_thumbnail, now): Line| {
                CellSummary {
                    items: items.get(&id).copied().unwrap_or(0),
                    bytes: bytes.get(&id).copied().flatten().unwrap_or(0),
                    swept: swept
                        .remove(&id)
                        .and_then(|kept| kept.summary(now.as_deref())),
                    id,
                    name,
                    revision,
                    changed_at,
                    opened_at,
                    binned_at,
                    has_thumbnail,
                }
            };
        Ok(lines.into_iter().map(&mut summary).collect())
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
                let revision = cells::table
                    .find(id)
                    .select(cells::revision)
                    .first(connection)
                    .await?;
                let document = document(connection, id).await?;
                let files = read_files(connection, id).await?;
                Ok(StoredCell {
                    revision,
                    document,
                    files,
                })
            })
            .await
    }

    /// Notes that the cell was opened just now; answers the revision it has.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn touch(&self, id: Uuid) -> Result<i64, StoreError> {
        let opened = diesel::update(cells::table.find(id)).set(cells::opened_at.eq(Utc::now()));
        let revision = opened
            .returning(cells::revision)
            .get_result(&mut self.connection().await?)
            .await;
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
        if count == 0 {
            Err(StoreError::NoCell)
        } else {
            Ok(())
        }
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
                diesel::delete(assets::table.filter(not(exists(used))))
                    .execute(connection)
                    .await?;
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
                let (picture, fingerprint): (Option<Vec<u8>>, Option<String>) = cells::table
                    .find(id)
                    .select((cells::thumbnail, cells::fingerprint))
                    .first(connection)
                    .await?;
                diesel::insert_into(cells::table)
                    .values((
                        cells::id.eq(copy),
                        cells::name.eq(name),
                        cells::revision.eq(1),
                        cells::thumbnail.eq(picture),
                        cells::fingerprint.eq(fingerprint),
                    ))
                    .execute(connection)
                    .await?;
                entries::write_document(connection, copy, &document).await?;
                copy_files(connection, id, copy).await?;
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
        if count == 0 {
            Err(StoreError::NoCell)
        } else {
            Ok(())
        }
    }

    /// The picture of a cell, as PNG.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn thumbnail(&self, id: Uuid) -> Result<Option<Vec<u8>>, StoreError> {
        Ok(cells::table
            .find(id)
            .select(cells::thumbnail)
            .first(&mut self.connection().await?)
            .await?)
    }
}

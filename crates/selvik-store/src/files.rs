//! Files by the hash of their contents.

use std::collections::{HashMap, HashSet};

use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use futures_util::TryStreamExt;
use selvik_cell::document::CELL_FILE;
use selvik_formats::spool::{Content, Spool};
use selvik_formats::{FormatError, PackageFiles};
use uuid::Uuid;

use crate::StoreError;
use crate::schema::{assets, cell_files};

/// Rows of one statement.
const ROWS: usize = 1000;

/// Adds files to a cell; content that is already stored is not stored again.
pub(crate) async fn write_files(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    files: &PackageFiles,
) -> Result<(), StoreError> {
    let mut hashed: Vec<(&str, &Content, &str)> = Vec::new();
    for (path, content) in files.iter().filter(|(path, _)| *path != CELL_FILE) {
        hashed.push((
            path,
            content,
            content.hash().map_err(|e| FormatError::file(path, e))?,
        ));
    }
    let hashes: Vec<&str> = hashed.iter().map(|(_, _, hash)| *hash).collect();
    let stored: Vec<String> = assets::table
        .filter(assets::hash.eq_any(hashes))
        .select(assets::hash)
        .load(connection)
        .await?;
    let mut stored: HashSet<String> = stored.into_iter().collect();
    // One at a time: each may be many megabytes.
    for (path, content, hash) in &hashed {
        if stored.insert((*hash).to_owned()) {
            let content = content.read().map_err(|e| FormatError::file(*path, e))?;
            diesel::insert_into(assets::table)
                .values((assets::hash.eq(hash), assets::content.eq(&*content)))
                .on_conflict_do_nothing()
                .execute(connection)
                .await?;
        }
    }
    for chunk in hashed.chunks(ROWS) {
        let row = |(path, _, hash): &(&str, &Content, &str)| {
            (
                cell_files::cell_id.eq(id),
                cell_files::path.eq((*path).to_owned()),
                cell_files::hash.eq((*hash).to_owned()),
            )
        };
        diesel::insert_into(cell_files::table)
            .values(chunk.iter().map(row).collect::<Vec<_>>())
            .on_conflict((cell_files::cell_id, cell_files::path))
            .do_update()
            .set(cell_files::hash.eq(excluded(cell_files::hash)))
            .execute(connection)
            .await?;
    }
    Ok(())
}

/// The files of a cell, spooled to disk as they come, so that they are never in memory together.
pub(crate) async fn read_files(
    connection: &mut AsyncPgConnection,
    id: Uuid,
) -> Result<PackageFiles, StoreError> {
    let named: Vec<(String, String)> = cell_files::table
        .filter(cell_files::cell_id.eq(id))
        .select((cell_files::path, cell_files::hash))
        .load(connection)
        .await?;
    let mut names: HashMap<String, Vec<String>> = HashMap::new();
    for (path, hash) in named {
        names.entry(hash).or_default().push(path);
    }
    let fail = |e: std::io::Error| FormatError::file("a temporary file", e);
    let mut spool = Spool::new().map_err(fail)?;
    let mut files = PackageFiles::default();
    let hashes: Vec<&String> = names.keys().collect();
    let mut contents = assets::table
        .filter(assets::hash.eq_any(hashes))
        .select((assets::hash, assets::content))
        .load_stream::<(String, Vec<u8>)>(connection)
        .await?;
    while let Some((hash, content)) = contents.try_next().await? {
        let length = content.len() as u64;
        let put = tokio::task::spawn_blocking(move || {
            let spooled = spool.put(content.as_slice(), length);
            (spool, spooled)
        });
        let (back, spooled) = put.await.map_err(|e| StoreError::Database(e.to_string()))?;
        spool = back;
        let spooled = spooled.map_err(fail)?.expect("as long as it is");
        let content = Content::from(spooled).hashed(hash.clone());
        for path in &names[&hash] {
            files.put(path, content.clone())?;
        }
    }
    Ok(files)
}

/// Gives a cell the same files as another.
pub(crate) async fn copy_files(
    connection: &mut AsyncPgConnection,
    from: Uuid,
    to: Uuid,
) -> Result<(), StoreError> {
    let same = cell_files::table
        .filter(cell_files::cell_id.eq(from))
        .select((
            to.into_sql::<diesel::sql_types::Uuid>(),
            cell_files::path,
            cell_files::hash,
        ));
    diesel::insert_into(cell_files::table)
        .values(same)
        .into_columns((cell_files::cell_id, cell_files::path, cell_files::hash))
        .execute(connection)
        .await?;
    Ok(())
}

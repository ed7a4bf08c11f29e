//! Files by the hash of their contents.

use std::collections::HashSet;

use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use selvik_cell::document::CELL_FILE;
use selvik_formats::PackageFiles;
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
    let hashed: Vec<(&str, &[u8], String)> = files
        .iter()
        .filter(|(path, _)| *path != CELL_FILE)
        .map(|(path, content)| (path, content, blake3::hash(content).to_string()))
        .collect();
    let hashes: Vec<&String> = hashed.iter().map(|(_, _, hash)| hash).collect();
    let stored: Vec<String> = assets::table
        .filter(assets::hash.eq_any(hashes))
        .select(assets::hash)
        .load(connection)
        .await?;
    let mut stored: HashSet<String> = stored.into_iter().collect();
    // One at a time: each may be many megabytes.
    for (_, content, hash) in &hashed {
        if stored.insert(hash.clone()) {
            diesel::insert_into(assets::table)
                .values((assets::hash.eq(hash), assets::content.eq(*content)))
                .on_conflict_do_nothing()
                .execute(connection)
                .await?;
        }
    }
    for chunk in hashed.chunks(ROWS) {
        let row = |(path, _, hash): &(&str, &[u8], String)| {
            (
                cell_files::cell_id.eq(id),
                cell_files::path.eq((*path).to_owned()),
                cell_files::hash.eq(hash.clone()),
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

/// The files of a cell.
pub(crate) async fn read_files(
    connection: &mut AsyncPgConnection,
    id: Uuid,
) -> Result<PackageFiles, StoreError> {
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
        .select((to.into_sql::<diesel::sql_types::Uuid>(), cell_files::path, cell_files::hash));
    diesel::insert_into(cell_files::table)
        .values(same)
        .into_columns((cell_files::cell_id, cell_files::path, cell_files::hash))
        .execute(connection)
        .await?;
    Ok(())
}

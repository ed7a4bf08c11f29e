//! Files on their way in: spooled to disk while they come.

use axum::extract::Multipart;
use axum::extract::multipart::Field;
use axum::http::StatusCode;
use selvik_formats::spool::{Content, Spool, Spooled};
use selvik_formats::{FormatError, MAX_FILES, MAX_TOTAL_BYTES, PackageFiles};
use utoipa::ToSchema;

use crate::App;
use crate::error::Problem;
use crate::limits::UPLOAD_WAITS;

/// Dropped files under their paths; zips are unpacked.
#[derive(ToSchema)]
#[allow(dead_code)]
pub struct Upload {
    #[schema(value_type = Vec<String>, format = Binary)]
    file: Vec<u8>,
}

/// The files of an upload. Zips are unpacked; a folder round everything is taken off.
pub async fn received(app: &App, mut upload: Multipart) -> Result<PackageFiles, Problem> {
    let turn = tokio::time::timeout(UPLOAD_WAITS, app.imports.turn()).await;
    let _turn = turn.map_err(|_| {
        let detail =
            "as many uploads as this server takes at a time are under way; try again in a moment";
        Problem::new(StatusCode::SERVICE_UNAVAILABLE, detail)
    })?;
    let mut spool = Spool::new().map_err(full)?;
    let mut parts: Vec<(String, Spooled)> = Vec::new();
    while let Some(field) = upload.next_field().await.map_err(Problem::from)? {
        if parts.len() >= MAX_FILES {
            return Err(Problem::refused(format!(
                "more than {MAX_FILES} files come at once; bring them in parts"
            )));
        }
        let name = field.file_name().unwrap_or("package.zip").to_owned();
        let spooled;
        (spool, spooled) = spooled_field(spool, field).await?;
        parts.push((name, spooled));
    }
    tokio::task::spawn_blocking(move || unpacked(spool, parts))
        .await?
        .map_err(Problem::from)
}

async fn spooled_field(
    mut spool: Spool,
    mut field: Field<'_>,
) -> Result<(Spool, Spooled), Problem> {
    let mut length = 0;
    while let Some(chunk) = field.chunk().await.map_err(Problem::from)? {
        let after = length;
        length += chunk.len() as u64;
        let added = tokio::task::spawn_blocking(move || {
            let added = spool.add(&chunk, after);
            (spool, added)
        });
        let (back, added) = added.await?;
        added.map_err(full)?;
        spool = back;
    }
    let spooled = spool.finish(length);
    Ok((spool, spooled))
}

fn full(error: std::io::Error) -> Problem {
    let detail = "this server can't put the files down; its disk may be full";
    Problem::failed(StatusCode::INSUFFICIENT_STORAGE, detail, error)
}

fn unpacked(mut spool: Spool, parts: Vec<(String, Spooled)>) -> Result<PackageFiles, FormatError> {
    let (zips, loose): (Vec<_>, Vec<_>) = parts.into_iter().partition(|(name, _)| is_zip(name));
    let mut files = PackageFiles::default();
    for (name, spooled) in loose {
        files.put(name.trim_start_matches('/'), Content::from(spooled))?;
    }
    // All zips of one upload share what may be unpacked.
    let mut left = MAX_TOTAL_BYTES.saturating_sub(files.total());
    for (_, zip) in zips {
        let unpacked = PackageFiles::from_zip_into(zip.reader(), &mut spool, left)?;
        left -= unpacked.total();
        files.extend(&unpacked);
    }
    Ok(files.without_outer_folder())
}

fn is_zip(name: &str) -> bool {
    name.to_ascii_lowercase().ends_with(".zip")
}

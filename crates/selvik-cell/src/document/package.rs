//! `cell.json` in and out.

use selvik_formats::{FormatError, PackageFiles, Result};
use serde_json::{Map, Value};

use super::{CellDocument, FORMAT, MoveDocument};

/// The file that describes the cell.
pub const CELL_FILE: &str = "cell.json";

/// Reads `cell.json`. Unknown keys are refused with their place.
///
/// # Errors
/// [`FormatError`] with the place in the document.
pub fn read_document(files: &PackageFiles) -> Result<CellDocument> {
    let bytes = files.get(CELL_FILE, "a cell package")?;
    document_from_slice(&bytes)
}

/// Reads a cell document from JSON bytes.
///
/// # Errors
/// [`FormatError`] with the place in the document.
pub fn document_from_slice(bytes: &[u8]) -> Result<CellDocument> {
    let mut reader = serde_json::Deserializer::from_slice(bytes);
    let document: CellDocument =
        serde_path_to_error::deserialize(&mut reader).map_err(|e| refusal(bytes, &e))?;
    reader
        .end()
        .map_err(|e| FormatError::at(CELL_FILE, "end", e))?;
    if document.format != FORMAT {
        let message = format!(
            "is \"{}\", but this program reads \"{FORMAT}\"",
            document.format
        );
        return Err(FormatError::at(CELL_FILE, "format", message));
    }
    Ok(document)
}

/// Why `cell.json` was not read, with the place as far down as it can be told.
fn refusal(bytes: &[u8], error: &serde_path_to_error::Error<serde_json::Error>) -> FormatError {
    let mut place = error.path().to_string();
    if error.inner().is_data()
        && let Some(key) = wrong_key(bytes, &place)
    {
        place = format!("{place}.{key}");
    }
    FormatError::at(CELL_FILE, place, error.inner())
}

/// Of an instruction only its place is known when it can't be read, not which of its values is to blame: that without
/// which it reads.
fn wrong_key(bytes: &[u8], place: &str) -> Option<String> {
    let whole: Value = serde_json::from_slice(bytes).ok()?;
    let pointer = place.replace(['.', '['], "/").replace(']', "");
    let step = whole.pointer(&format!("/{pointer}"))?.as_object()?;
    let said = |step: &Map<String, Value>| {
        serde_json::from_value::<MoveDocument>(Value::Object(step.clone()))
            .err()
            .map(|e| e.to_string())
    };
    let before = said(step)?;
    step.keys().filter(|key| *key != "move").find_map(|key| {
        let mut without = step.clone();
        without.remove(key);
        let missing = format!("missing field `{key}`");
        let other = said(&without).is_none_or(|after| after != before || before.contains(&missing));
        other.then(|| key.clone())
    })
}

/// `document` as the bytes of `cell.json`.
#[must_use]
pub fn write_document(document: &CellDocument) -> Vec<u8> {
    let mut bytes = serde_json::to_vec_pretty(document).expect("plain data");
    bytes.push(b'\n');
    bytes
}

/// The JSON Schema of `cell.json`.
#[must_use]
pub fn json_schema() -> serde_json::Value {
    schemars::schema_for!(CellDocument).to_value()
}

//! The cell package: a folder or zip with `cell.json` and the files it names.

mod document;
mod edit;
mod entries;
mod files;
mod targets_csv;
mod view;

pub use document::*;
pub use edit::{Consequences, Edit, Hanging, ItemChange, Placement, consequences};
pub(crate) use edit::{is_colour, next_free};
pub use entries::{Entry, from_entries, to_entries};
pub use files::{MAX_FILES, MAX_TOTAL_BYTES, PackageFiles};
pub use targets_csv::{read_targets, write_targets};
pub use view::*;

use crate::{FormatError, Result};

/// The file that describes the cell.
pub const CELL_FILE: &str = "cell.json";

/// Reads `cell.json`. Unknown keys are refused with their place.
///
/// # Errors
/// [`FormatError`] with the place in the document.
pub fn read_document(files: &PackageFiles) -> Result<CellDocument> {
    let bytes = files.get(CELL_FILE, "a cell package")?;
    document_from_slice(bytes)
}

/// Reads a cell document from JSON bytes.
///
/// # Errors
/// [`FormatError`] with the place in the document.
pub fn document_from_slice(bytes: &[u8]) -> Result<CellDocument> {
    let mut reader = serde_json::Deserializer::from_slice(bytes);
    let document: CellDocument = serde_path_to_error::deserialize(&mut reader)
        .map_err(|e| FormatError::at(CELL_FILE, e.path().to_string(), e.inner()))?;
    reader.end().map_err(|e| FormatError::at(CELL_FILE, "end", e))?;
    if document.format != FORMAT {
        let message = format!("is \"{}\", but this program reads \"{FORMAT}\"", document.format);
        return Err(FormatError::at(CELL_FILE, "format", message));
    }
    Ok(document)
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

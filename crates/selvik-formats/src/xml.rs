//! XML files, read with their place in every refusal.

use roxmltree::Document;

use crate::{FormatError, Result};

/// The document in the file `name`. Entities that expand without end are refused.
///
/// # Errors
/// [`FormatError`] with the line, or the byte where it is no text.
pub fn parsed<'t>(name: &str, bytes: &'t [u8]) -> Result<Document<'t>> {
    let text = std::str::from_utf8(bytes).map_err(|e| {
        FormatError::at(
            name,
            format!("byte {}", e.valid_up_to()),
            "is not UTF-8 text",
        )
    })?;
    Document::parse(text).map_err(|e| {
        FormatError::at(
            name,
            format!("line {}", e.pos().row),
            format!("is not well-formed XML: {e}"),
        )
    })
}

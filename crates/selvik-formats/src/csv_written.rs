//! Tables as text.

use crate::{FormatError, Result};

/// Rows below a header as CSV (RFC 4180): commas, lines that end in CR LF, quotes where they are needed.
///
/// # Errors
/// [`FormatError`] for a row that is not as long as the header.
pub fn to_csv<const N: usize>(header: &[&str; N], rows: Vec<Vec<String>>) -> Result<Vec<u8>> {
    let ends = csv::Terminator::CRLF;
    let mut writer = csv::WriterBuilder::new()
        .terminator(ends)
        .from_writer(Vec::new());
    writer.write_record(header).map_err(FormatError::said)?;
    for row in rows {
        writer.write_record(row).map_err(FormatError::said)?;
    }
    writer.into_inner().map_err(FormatError::said)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_holds_a_comma_or_a_quote_is_quoted() {
        let rows = vec![vec!["a, b".to_owned(), "say \"so\"".to_owned()]];
        let text = to_csv(&["one", "two"], rows).unwrap();
        let told = "one,two\r\n\"a, b\",\"say \"\"so\"\"\"\r\n";
        assert_eq!(text, told.as_bytes());
        assert!(to_csv(&["one"], vec![vec![]]).is_err());
    }
}

//! What may stand in names and in other text.

use std::collections::HashSet;
use std::io::{self, Write};

use selvik_formats::{FormatError, Result};
use serde::Serialize;
use serde_json::Value;
use serde_json::ser::Formatter;

use super::{CELL_FILE, CellDocument};

/// The longest name, characters.
const LONGEST_NAME: usize = 200;

/// A name as it is kept: without blanks round it.
///
/// # Errors
/// [`FormatError`] when nothing is left, it is longer than 200 characters, or holds a control character.
pub fn checked_name(name: &str) -> Result<String> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > LONGEST_NAME {
        return Err(FormatError::said(format!(
            "a name needs 1 to {LONGEST_NAME} characters"
        )));
    }
    match name.chars().find(|c| c.is_control()) {
        Some(control) => Err(FormatError::said(format!("a name {}", holds(control)))),
        None => Ok(name.to_owned()),
    }
}

/// `base` with the next number nobody has, `gap` between; a number it ends with counts on.
pub(crate) fn next_free(base: &str, gap: char, taken: &mut HashSet<String>) -> String {
    let stem = match base.rsplit_once(gap) {
        Some((stem, number)) if !stem.is_empty() && number.parse::<u32>().is_ok() => stem,
        _ => base,
    };
    let free = (2..)
        .map(|n| format!("{stem}{gap}{n}"))
        .find(|name| !taken.contains(name));
    let free = free.expect("numbers never run out");
    taken.insert(free.clone());
    free
}

/// Whether all text of a document can be shown and kept: no control characters, but for the ends of lines and tabs of notes.
///
/// # Errors
/// [`FormatError`] with the place of the first that can't.
pub fn check_text(document: &CellDocument) -> Result<()> {
    // Written down, most documents show at once that they hold none.
    let mut looked = ForControls::default();
    let mut json = serde_json::Serializer::with_formatter(&mut looked, TextAlone);
    document.serialize(&mut json).expect("plain data");
    if !looked.found {
        return Ok(());
    }
    let whole = serde_json::to_value(document).expect("plain data");
    match unsound(&whole, &mut String::new()) {
        Some((place, control)) => Err(FormatError::at(CELL_FILE, place, holds(control))),
        None => Ok(()),
    }
}

/// JSON without its numbers, which hold no control character and take long to write.
struct TextAlone;

impl Formatter for TextAlone {
    fn write_f64<W: ?Sized + Write>(&mut self, _: &mut W, _: f64) -> io::Result<()> {
        Ok(())
    }
}

/// Whether JSON may hold a control character: escaped, or one of those that are written as they are (U+007F to U+009F).
#[derive(Default)]
struct ForControls {
    last: u8,
    found: bool,
}

impl Write for ForControls {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        for &byte in bytes {
            self.found |= match self.last {
                b'\\' => b"untrbf".contains(&byte),
                0xc2 => (0x80..=0x9f).contains(&byte),
                _ => byte == 0x7f,
            };
            self.last = byte;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fn holds(control: char) -> String {
    format!(
        "holds the control character U+{:04X}; take it out",
        u32::from(control)
    )
}

/// The first control character, and the place it stands at.
fn unsound(value: &Value, place: &mut String) -> Option<(String, char)> {
    let length = place.len();
    let found = match value {
        Value::String(text) => {
            let notes = place.ends_with(".notes");
            let control = |c: &char| c.is_control() && !(notes && matches!(c, '\n' | '\r' | '\t'));
            text.chars().find(control).map(|c| (place.clone(), c))
        }
        Value::Array(values) => values.iter().enumerate().find_map(|(at, value)| {
            place.truncate(length);
            place.push_str(&format!("[{at}]"));
            unsound(value, place)
        }),
        Value::Object(values) => values.iter().find_map(|(key, value)| {
            place.truncate(length);
            if let Some(control) = key.chars().find(|c| c.is_control()) {
                return Some((format!("a key of {place}"), control));
            }
            if length > 0 {
                place.push('.');
            }
            place.push_str(key);
            unsound(value, place)
        }),
        _ => None,
    };
    place.truncate(length);
    found
}

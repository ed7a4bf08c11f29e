//! What is wrong with a document, all of it that can be told at once.

use std::collections::HashSet;

use selvik_formats::{FormatError, Result};

use crate::document::CELL_FILE;

/// A refusal at a place of the document.
pub(super) fn refuse(
    place: impl std::fmt::Display,
    message: impl std::fmt::Display,
) -> FormatError {
    FormatError::at(CELL_FILE, place, message)
}

/// Collects refusals, so that a document is looked through as far as that makes sense.
#[derive(Default)]
pub(super) struct Refusals(Vec<FormatError>);

impl Refusals {
    /// The result, or nothing and its refusal noted.
    pub(super) fn note<T>(&mut self, result: Result<T>) -> Option<T> {
        match result {
            Ok(value) => Some(value),
            Err(refusal) => {
                self.0.push(refusal);
                None
            }
        }
    }

    /// The results that are there; the refusals of the others noted.
    pub(super) fn note_each<T>(&mut self, results: impl Iterator<Item = Result<T>>) -> Vec<T> {
        results.filter_map(|result| self.note(result)).collect()
    }

    /// What was noted.
    ///
    /// # Errors
    /// The first refusal, with all others, if there is one.
    pub(super) fn end(self) -> Result<()> {
        match FormatError::together(self.0) {
            Some(refusal) => Err(refusal),
            None => Ok(()),
        }
    }
}

/// # Errors
/// The first number that is none, or beyond anything in a workcell.
pub(super) fn finite<'a>(place: &str, numbers: impl Iterator<Item = &'a f64>) -> Result<()> {
    match numbers.into_iter().find(|n| n.abs() > 1e8 || n.is_nan()) {
        Some(n) => Err(refuse(place, format!("{n} is not a usable number"))),
        None => Ok(()),
    }
}

/// # Errors
/// The first id that is empty or there twice.
pub(super) fn unique<'a>(what: &str, ids: impl Iterator<Item = &'a String>) -> Result<()> {
    let mut seen = HashSet::new();
    for id in ids {
        if id.is_empty() || !seen.insert(id) {
            return Err(refuse(
                what,
                format!("the id \"{id}\" is empty or used twice"),
            ));
        }
    }
    Ok(())
}

use std::fmt;

/// A refusal: which file, where in it, and what is wrong with it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FormatError {
    /// The file inside the package; empty where it is about no file.
    pub file: String,
    /// A line, a byte, or the place in a JSON document.
    pub place: Option<String>,
    /// What is wrong and what to do, as a sentence.
    pub message: String,
}

/// What readers return.
pub type Result<T> = std::result::Result<T, FormatError>;

impl FormatError {
    /// Something wrong with a whole file.
    pub fn file(file: impl Into<String>, message: impl fmt::Display) -> Self {
        Self { file: file.into(), place: None, message: message.to_string() }
    }

    /// Something wrong that is about no file.
    pub fn said(message: impl fmt::Display) -> Self {
        Self::file("", message)
    }

    /// Something wrong at a place of a file.
    pub fn at(file: impl Into<String>, place: impl fmt::Display, message: impl fmt::Display) -> Self {
        Self { file: file.into(), place: Some(place.to_string()), message: message.to_string() }
    }
}

impl fmt::Display for FormatError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.place {
            Some(place) => write!(f, "{}, {place}: {}", self.file, self.message),
            None if self.file.is_empty() => f.write_str(&self.message),
            None => write!(f, "{}: {}", self.file, self.message),
        }
    }
}

impl std::error::Error for FormatError {}

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
    /// What else is wrong.
    pub also: Vec<FormatError>,
}

/// No more refusals than this are told at once.
const MOST_TOLD: usize = 20;

/// What readers return.
pub type Result<T> = std::result::Result<T, FormatError>;

impl FormatError {
    /// Something wrong with a whole file.
    pub fn file(file: impl Into<String>, message: impl fmt::Display) -> Self {
        Self {
            file: file.into(),
            place: None,
            message: message.to_string(),
            also: Vec::new(),
        }
    }

    /// Something wrong that is about no file.
    pub fn said(message: impl fmt::Display) -> Self {
        Self::file("", message)
    }

    /// Something wrong at a place of a file.
    pub fn at(
        file: impl Into<String>,
        place: impl fmt::Display,
        message: impl fmt::Display,
    ) -> Self {
        let place = Some(place.to_string());
        Self {
            file: file.into(),
            place,
            message: message.to_string(),
            also: Vec::new(),
        }
    }

    /// Several refusals as one: the first, and what else is wrong. Of a great many the last are only counted.
    pub fn together(refusals: Vec<Self>) -> Option<Self> {
        let more = refusals.len().saturating_sub(MOST_TOLD);
        let mut refusals = refusals.into_iter();
        let mut first = refusals.next()?;
        first.also.extend(refusals.take(MOST_TOLD - 1));
        if more > 0 {
            first
                .also
                .push(Self::said(format!("and {more} more of that kind")));
        }
        Some(first)
    }
}

impl fmt::Display for FormatError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.place {
            Some(place) => write!(f, "{}, {place}: {}", self.file, self.message)?,
            None if self.file.is_empty() => f.write_str(&self.message)?,
            None => write!(f, "{}: {}", self.file, self.message)?,
        }
        self.also
            .iter()
            .try_for_each(|other| write!(f, "\n{other}"))
    }
}

impl std::error::Error for FormatError {}

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::{Cursor, Read, Seek, Write};
use std::path::{Component, Path};

use crate::spool::{Content, Spool};
use crate::{FormatError, Result, Stop};

/// A package holds no more files than this.
pub const MAX_FILES: usize = 20_000;
/// A package unpacks to no more than this.
pub const MAX_TOTAL_BYTES: u64 = 1 << 30;

/// The files of a package by their path with `/`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PackageFiles {
    files: BTreeMap<String, Content>,
    stop: Stop,
}

impl PackageFiles {
    /// The same files, of which none is read to its end once `stop` says so.
    #[must_use]
    pub fn stopped_by(self, stop: Stop) -> Self {
        Self { stop, ..self }
    }

    /// Whether reading them is to end.
    #[must_use]
    pub fn stop(&self) -> &Stop {
        &self.stop
    }

    /// Reads a folder with all its subfolders. Links are not followed.
    ///
    /// # Errors
    /// [`FormatError`] when it can't be read or is too large.
    pub fn from_folder(folder: &Path) -> Result<Self> {
        let mut files = Self::default();
        let mut open = vec![folder.to_path_buf()];
        let mut total = 0;
        while let Some(at) = open.pop() {
            let fail = |e: std::io::Error| FormatError::file(at.display().to_string(), e);
            for entry in std::fs::read_dir(&at).map_err(fail)? {
                let entry = entry.map_err(fail)?;
                let kind = entry.file_type().map_err(fail)?;
                if kind.is_dir() {
                    open.push(entry.path());
                } else if kind.is_file() {
                    let path = entry.path();
                    let inside = path.strip_prefix(folder).expect("below the folder");
                    let parts: Vec<_> = inside
                        .components()
                        .map(|c| c.as_os_str().to_string_lossy())
                        .collect();
                    let name = parts.join("/");
                    total += entry.metadata().map_err(fail)?.len();
                    within_size(&name, total, MAX_TOTAL_BYTES)?;
                    files.insert(&name, std::fs::read(&path).map_err(fail)?)?;
                }
            }
        }
        Ok(files)
    }

    /// Reads a zip. A single folder round everything is taken off.
    ///
    /// # Errors
    /// [`FormatError`] for a broken archive, a path that leads out of it, or one that unpacks to too
    /// much.
    pub fn from_zip(bytes: &[u8]) -> Result<Self> {
        let held = |entry: &mut dyn Read, most: u64| {
            let mut content = Vec::new();
            entry
                .take(most.saturating_add(1))
                .read_to_end(&mut content)?;
            Ok(Some(content)
                .filter(|c| c.len() as u64 <= most)
                .map(Content::from))
        };
        Self::unpacked(Cursor::new(bytes), MAX_TOTAL_BYTES, held)
    }

    /// Reads a zip that unpacks to no more than `most` bytes; its files go into `spool`.
    ///
    /// # Errors
    /// As [`Self::from_zip`].
    pub fn from_zip_into(zip: impl Read + Seek, spool: &mut Spool, most: u64) -> Result<Self> {
        let spooled =
            |entry: &mut dyn Read, most: u64| Ok(spool.put(entry, most)?.map(Content::from));
        Self::unpacked(zip, most, spooled)
    }

    /// Reads a zip; `take` reads the content of a file, or nothing if it is larger than is said.
    fn unpacked(
        zip: impl Read + Seek,
        most: u64,
        mut take: impl FnMut(&mut dyn Read, u64) -> std::io::Result<Option<Content>>,
    ) -> Result<Self> {
        let fail = |e: zip::result::ZipError| {
            FormatError::file(
                "the zip",
                format!("can't be opened ({e}); bring a zip of a cell package"),
            )
        };
        let mut archive = zip::ZipArchive::new(zip).map_err(fail)?;
        let mut files = Self::default();
        let mut left = most;
        if archive.len() > MAX_FILES {
            return Err(too_many());
        }
        for index in 0..archive.len() {
            let mut entry = archive.by_index(index).map_err(fail)?;
            if entry.is_dir() {
                continue;
            }
            let name = entry.name().to_owned();
            if entry.is_symlink() {
                return Err(FormatError::file(
                    name,
                    "is a link; put the file itself into the zip",
                ));
            }
            // The size in the header may lie: read no more than is allowed and see.
            let content = take(&mut entry, left).map_err(|e| FormatError::file(&name, e))?;
            let content = content.ok_or_else(|| too_large(&name, most))?;
            left -= content.len();
            files.put(&name, content)?;
        }
        Ok(files.without_outer_folder())
    }

    /// The files as a zip, in order of their paths.
    ///
    /// # Errors
    /// [`FormatError`] when the disk does not give the content of a file.
    ///
    /// # Panics
    /// Never: writing to memory does not fail.
    pub fn to_zip(&self) -> Result<Vec<u8>> {
        let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
        let options = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Deflated);
        for (name, content) in &self.files {
            writer.start_file(name, options).expect("to memory");
            let content = content.read().map_err(|e| FormatError::file(name, e))?;
            writer.write_all(&content).expect("to memory");
        }
        Ok(writer.finish().expect("to memory").into_inner())
    }

    /// Writes the files below `folder`.
    ///
    /// # Errors
    /// [`FormatError`] when a file can't be written.
    pub fn to_folder(&self, folder: &Path) -> Result<()> {
        for (name, content) in &self.files {
            let path = folder.join(name);
            let write = || {
                std::fs::create_dir_all(path.parent().unwrap_or(folder))?;
                std::fs::write(&path, content.read()?)
            };
            write().map_err(|e: std::io::Error| FormatError::file(name, e))?;
        }
        Ok(())
    }

    /// Adds or replaces a file.
    ///
    /// # Errors
    /// [`FormatError`] for a path that leads out of the package, or too many files.
    pub fn insert(&mut self, name: &str, content: Vec<u8>) -> Result<()> {
        self.put(name, content.into())
    }

    /// Adds or replaces a file whose content is held or spooled.
    ///
    /// # Errors
    /// As [`Self::insert`].
    pub fn put(&mut self, name: &str, content: Content) -> Result<()> {
        let plain = !name.is_empty()
            && !name.contains(['\\', '\0'])
            && Path::new(name)
                .components()
                .all(|c| matches!(c, Component::Normal(_)));
        if !plain {
            let message = "its path leads out of the package; use plain relative paths with /";
            return Err(FormatError::file(name, message));
        }
        if self.files.len() >= MAX_FILES {
            return Err(too_many());
        }
        self.files.insert(name.to_owned(), content);
        Ok(())
    }

    /// Adds or replaces the files of another package.
    pub fn extend(&mut self, other: &Self) {
        self.files.extend(
            other
                .files
                .iter()
                .map(|(name, content)| (name.clone(), content.clone())),
        );
    }

    /// Whether there are no files.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.files.is_empty()
    }

    /// The files for which `keep` says so, under the names it gives them; nothing stops their reading.
    #[must_use]
    pub fn renamed(&self, keep: impl Fn(&str) -> Option<String>) -> Self {
        let kept = self
            .files
            .iter()
            .filter_map(|(name, content)| Some((keep(name)?, content.clone())));
        Self {
            files: kept.collect(),
            stop: Stop::never(),
        }
    }

    /// The content of `name`, which `wanted_by` needs.
    ///
    /// # Errors
    /// [`FormatError`] when it is not in the package, or the disk does not give it.
    pub fn get(&self, name: &str, wanted_by: &str) -> Result<Cow<'_, [u8]>> {
        let content = self.files.get(name).ok_or_else(|| {
            FormatError::file(
                name,
                format!("is not in the package, but {wanted_by} needs it"),
            )
        })?;
        content.read().map_err(|e| FormatError::file(name, e))
    }

    /// Whether there is a file of that name.
    #[must_use]
    pub fn contains(&self, name: &str) -> bool {
        self.files.contains_key(name)
    }

    /// All files in order of their paths.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Content)> {
        self.files
            .iter()
            .map(|(name, content)| (name.as_str(), content))
    }

    /// What all files hold together, bytes.
    #[must_use]
    pub fn total(&self) -> u64 {
        self.files.values().map(Content::len).sum()
    }

    /// What they take of memory, bytes.
    #[must_use]
    pub fn held(&self) -> u64 {
        self.files.values().map(Content::held).sum()
    }

    /// The files without the single folder round everything, if there is one.
    #[must_use]
    pub fn without_outer_folder(self) -> Self {
        let outer = self
            .files
            .keys()
            .next()
            .and_then(|n| n.split_once('/'))
            .map(|(o, _)| format!("{o}/"));
        match outer {
            Some(outer) if self.files.keys().all(|n| n.starts_with(&outer)) => Self {
                stop: self.stop,
                files: self
                    .files
                    .into_iter()
                    .map(|(name, content)| (name[outer.len()..].to_owned(), content))
                    .collect(),
            },
            _ => self,
        }
    }
}

fn within_size(name: &str, total: u64, most: u64) -> Result<()> {
    if total > most {
        Err(too_large(name, most))
    } else {
        Ok(())
    }
}

fn too_large(name: &str, most: u64) -> FormatError {
    FormatError::file(
        name,
        format!("the package unpacks to more than {} MiB", most >> 20),
    )
}

fn too_many() -> FormatError {
    FormatError::file("the package", format!("holds more than {MAX_FILES} files"))
}

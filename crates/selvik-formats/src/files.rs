use std::collections::BTreeMap;
use std::io::{Cursor, Read, Write};
use std::path::{Component, Path};
use std::sync::Arc;

use crate::{FormatError, Result, Stop};

/// A package holds no more files than this.
pub const MAX_FILES: usize = 20_000;
/// A package unpacks to no more than this.
pub const MAX_TOTAL_BYTES: u64 = 1 << 30;

/// The files of a package by their path with `/`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PackageFiles {
    // Shared, so that copying a package copies no contents.
    files: BTreeMap<String, Arc<Vec<u8>>>,
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
                    let parts: Vec<_> =
                        inside.components().map(|c| c.as_os_str().to_string_lossy()).collect();
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
        Self::from_zip_within(bytes, MAX_TOTAL_BYTES)
    }

    /// Reads a zip that unpacks to no more than `most` bytes.
    ///
    /// # Errors
    /// As [`Self::from_zip`].
    pub fn from_zip_within(bytes: &[u8], most: u64) -> Result<Self> {
        let fail = |e: zip::result::ZipError| {
            FormatError::file("the zip", format!("can't be opened ({e}); bring a zip of a cell package"))
        };
        let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(fail)?;
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
                return Err(FormatError::file(name, "is a link; put the file itself into the zip"));
            }
            // The size in the header may lie: read no more than is allowed and see.
            let mut content = Vec::new();
            entry
                .by_ref()
                .take(left + 1)
                .read_to_end(&mut content)
                .map_err(|e| FormatError::file(&name, e))?;
            within_size(&name, most - left + content.len() as u64, most)?;
            left -= content.len() as u64;
            files.insert(&name, content)?;
        }
        Ok(files.without_outer_folder())
    }

    /// The files as a zip, in order of their paths.
    ///
    /// # Panics
    /// Never: writing to memory does not fail.
    #[must_use]
    pub fn to_zip(&self) -> Vec<u8> {
        let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
        let options =
            zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Deflated);
        for (name, content) in &self.files {
            writer.start_file(name, options).expect("to memory");
            writer.write_all(content).expect("to memory");
        }
        writer.finish().expect("to memory").into_inner()
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
                std::fs::write(&path, content.as_slice())
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
        let plain = !name.is_empty()
            && !name.contains(['\\', '\0'])
            && Path::new(name).components().all(|c| matches!(c, Component::Normal(_)));
        if !plain {
            let message = "its path leads out of the package; use plain relative paths with /";
            return Err(FormatError::file(name, message));
        }
        if self.files.len() >= MAX_FILES {
            return Err(too_many());
        }
        self.files.insert(name.to_owned(), Arc::new(content));
        Ok(())
    }

    /// Adds or replaces the files of another package.
    pub fn extend(&mut self, other: &Self) {
        self.files.extend(other.files.iter().map(|(name, content)| (name.clone(), Arc::clone(content))));
    }

    /// Whether there are no files.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.files.is_empty()
    }

    /// The files for which `keep` says so, under the names it gives them; nothing stops their reading.
    #[must_use]
    pub fn renamed(&self, keep: impl Fn(&str) -> Option<String>) -> Self {
        let kept = self.files.iter().filter_map(|(name, content)| Some((keep(name)?, Arc::clone(content))));
        Self { files: kept.collect(), stop: Stop::never() }
    }

    /// The content of `name`, which `wanted_by` needs.
    ///
    /// # Errors
    /// [`FormatError`] when it is not in the package.
    pub fn get(&self, name: &str, wanted_by: &str) -> Result<&[u8]> {
        self.files.get(name).map(|content| content.as_slice()).ok_or_else(|| {
            FormatError::file(name, format!("is not in the package, but {wanted_by} needs it"))
        })
    }

    /// Whether there is a file of that name.
    #[must_use]
    pub fn contains(&self, name: &str) -> bool {
        self.files.contains_key(name)
    }

    /// All files in order of their paths.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &[u8])> {
        self.files.iter().map(|(name, content)| (name.as_str(), content.as_slice()))
    }

    /// The files without the single folder round everything, if there is one.
    #[must_use]
    pub fn without_outer_folder(self) -> Self {
        let outer = self.files.keys().next().and_then(|n| n.split_once('/')).map(|(o, _)| format!("{o}/"));
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
        let message = format!("the package unpacks to more than {} MiB", most >> 20);
        return Err(FormatError::file(name, message));
    }
    Ok(())
}

fn too_many() -> FormatError {
    FormatError::file("the package", format!("holds more than {MAX_FILES} files"))
}

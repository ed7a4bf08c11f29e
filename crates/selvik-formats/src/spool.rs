//! Contents of files, held in memory or spooled to disk until they are wanted.

use std::borrow::Cow;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::FileExt;
use std::sync::{Arc, OnceLock};

/// The content of a file. Shared, so that copying a package copies no contents.
#[derive(Debug, Clone)]
pub struct Content {
    place: Place,
    hash: Arc<OnceLock<String>>,
}

#[derive(Debug, Clone)]
enum Place {
    Held(Arc<Vec<u8>>),
    Spooled(Spooled),
}

impl From<Vec<u8>> for Content {
    fn from(bytes: Vec<u8>) -> Self {
        Self {
            place: Place::Held(Arc::new(bytes)),
            hash: Arc::default(),
        }
    }
}

impl From<Spooled> for Content {
    fn from(spooled: Spooled) -> Self {
        Self {
            place: Place::Spooled(spooled),
            hash: Arc::default(),
        }
    }
}

impl Content {
    /// The same content, whose hash is known to be this.
    #[must_use]
    pub fn hashed(self, hash: String) -> Self {
        Self {
            hash: Arc::new(OnceLock::from(hash)),
            ..self
        }
    }

    /// Its size, bytes.
    #[must_use]
    pub fn len(&self) -> u64 {
        match &self.place {
            Place::Held(bytes) => bytes.len() as u64,
            Place::Spooled(spooled) => spooled.length,
        }
    }

    /// Whether there is nothing in it.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// What it takes of memory, bytes.
    #[must_use]
    pub fn held(&self) -> u64 {
        match &self.place {
            Place::Held(bytes) => bytes.len() as u64,
            Place::Spooled(_) => 0,
        }
    }

    /// Its bytes; read for the occasion where they are on disk.
    ///
    /// # Errors
    /// When the disk does not give them.
    pub fn read(&self) -> io::Result<Cow<'_, [u8]>> {
        match &self.place {
            Place::Held(bytes) => Ok(Cow::Borrowed(bytes)),
            Place::Spooled(spooled) => {
                let mut bytes = vec![0; spooled.length as usize];
                spooled.file.read_exact_at(&mut bytes, spooled.start)?;
                Ok(Cow::Owned(bytes))
            }
        }
    }

    /// Its BLAKE3 hash, in hexadecimal digits; worked out once.
    ///
    /// # Errors
    /// When the disk does not give its bytes.
    pub fn hash(&self) -> io::Result<&str> {
        if let Some(hash) = self.hash.get() {
            return Ok(hash);
        }
        let hash = blake3::hash(&self.read()?).to_string();
        Ok(self.hash.get_or_init(|| hash))
    }
}

impl PartialEq for Content {
    fn eq(&self, other: &Self) -> bool {
        match (self.hash(), other.hash()) {
            (Ok(own), Ok(others)) => own == others,
            _ => false,
        }
    }
}

impl Eq for Content {}

/// A stretch of a spool.
#[derive(Debug, Clone)]
pub struct Spooled {
    file: Arc<File>,
    start: u64,
    length: u64,
}

impl Spooled {
    /// Its bytes, to be read one after the other or anywhere.
    #[must_use]
    pub fn reader(&self) -> SpooledReader {
        SpooledReader {
            of: self.clone(),
            at: 0,
        }
    }
}

/// A reader of a stretch of a spool.
pub struct SpooledReader {
    of: Spooled,
    at: u64,
}

impl Read for SpooledReader {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let left = self
            .of
            .length
            .saturating_sub(self.at)
            .min(buffer.len() as u64) as usize;
        let read = self
            .of
            .file
            .read_at(&mut buffer[..left], self.of.start + self.at)?;
        self.at += read as u64;
        Ok(read)
    }
}

impl Seek for SpooledReader {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::End(by) => self.of.length.checked_add_signed(by),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
        };
        self.at = at.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at)
    }
}

/// A file on disk that has no name and is gone when nothing of it is wanted any more; contents are put into it one
/// after the other.
#[derive(Debug)]
pub struct Spool {
    file: Arc<File>,
    end: u64,
}

impl Spool {
    /// An empty one, where temporary files go.
    ///
    /// # Errors
    /// When none can be made there.
    pub fn new() -> io::Result<Self> {
        Ok(Self {
            file: Arc::new(tempfile::tempfile()?),
            end: 0,
        })
    }

    /// Puts all bytes of `from` in, up to `most`. Nothing is there afterwards if there are more: then the answer is
    /// `None`.
    ///
    /// # Errors
    /// When `from` can't be read or the disk is full.
    pub fn put(&mut self, from: impl Read, most: u64) -> io::Result<Option<Spooled>> {
        let mut writer = Appending {
            file: &self.file,
            at: self.end,
        };
        let length = io::copy(&mut from.take(most.saturating_add(1)), &mut writer)?;
        if length > most {
            return Ok(None);
        }
        Ok(Some(self.finish(length)))
    }

    /// Adds bytes to what is being put in. [`Self::finish`] ends it.
    ///
    /// # Errors
    /// When the disk is full.
    pub fn add(&mut self, bytes: &[u8], after: u64) -> io::Result<()> {
        self.file.write_all_at(bytes, self.end + after)
    }

    /// Ends what is being put in, `length` bytes.
    pub fn finish(&mut self, length: u64) -> Spooled {
        let spooled = Spooled {
            file: Arc::clone(&self.file),
            start: self.end,
            length,
        };
        self.end += length;
        spooled
    }
}

struct Appending<'a> {
    file: &'a File,
    at: u64,
}

impl Write for Appending<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write_at(bytes, self.at)?;
        self.at += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_put_in_comes_out_again_from_anywhere() {
        let mut spool = Spool::new().unwrap();
        let first = spool.put(&b"hello"[..], 100).unwrap().unwrap();
        assert!(spool.put(&b"too much"[..], 3).unwrap().is_none());
        let second = spool.put(&b"world"[..], 5).unwrap().unwrap();
        assert_eq!(*Content::from(first.clone()).read().unwrap(), *b"hello");
        assert_eq!(*Content::from(second.clone()).read().unwrap(), *b"world");
        let mut reader = second.reader();
        reader.seek(SeekFrom::End(-2)).unwrap();
        let mut rest = String::new();
        reader.read_to_string(&mut rest).unwrap();
        assert_eq!(rest, "ld");
        assert!(reader.seek(SeekFrom::Current(-9)).is_err());
        assert_eq!(Content::from(first), Content::from(b"hello".to_vec()));
    }
}

use std::io::{BufRead, Cursor, Read, Seek, SeekFrom};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use crate::{FormatError, Result};

/// Whether reading is to end before it is done.
#[derive(Debug, Clone, Default)]
pub struct Stop(Option<Arc<AtomicBool>>);

// Files are the same files whoever may stop reading them.
impl PartialEq for Stop {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl Eq for Stop {}

impl Stop {
    /// Reading goes on to its end.
    #[must_use]
    pub fn never() -> Self {
        Self(None)
    }

    /// It ends when `flag` becomes true.
    #[must_use]
    pub fn when(flag: Arc<AtomicBool>) -> Self {
        Self(Some(flag))
    }

    fn is_asked(&self) -> bool {
        self.0
            .as_ref()
            .is_some_and(|flag| flag.load(Ordering::Relaxed))
    }

    /// # Errors
    /// [`FormatError`] when it is to end.
    pub fn go_on(&self) -> Result<()> {
        if self.is_asked() {
            Err(FormatError::said(STOPPED))
        } else {
            Ok(())
        }
    }

    /// `bytes` to be read from, until it is to end.
    pub(crate) fn watching<'a>(&'a self, bytes: &'a [u8]) -> Watched<'a> {
        Watched {
            stop: self,
            bytes: Cursor::new(bytes),
        }
    }
}

const STOPPED: &str = "the import was stopped";

/// Bytes that fail to be read once it is to end.
pub(crate) struct Watched<'a> {
    stop: &'a Stop,
    bytes: Cursor<&'a [u8]>,
}

impl Watched<'_> {
    fn go_on(&self) -> std::io::Result<()> {
        if self.stop.is_asked() {
            Err(std::io::Error::other(STOPPED))
        } else {
            Ok(())
        }
    }
}

impl Read for Watched<'_> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        self.go_on()?;
        self.bytes.read(into)
    }
}

impl BufRead for Watched<'_> {
    /// A little at a time, so that reading may end in between.
    fn fill_buf(&mut self) -> std::io::Result<&[u8]> {
        const SOME: usize = 1 << 16;
        self.go_on()?;
        let rest = self.bytes.fill_buf()?;
        Ok(&rest[..rest.len().min(SOME)])
    }

    fn consume(&mut self, amount: usize) {
        self.bytes.consume(amount);
    }
}

impl Seek for Watched<'_> {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.bytes.seek(to)
    }
}

#[cfg(test)]
mod tests {
    use selvik_core::mesh::sphere_mesh;

    use super::*;
    use crate::PackageFiles;
    use crate::mesh::{
        LengthUnit, MeshConvention, read_mesh, read_obj, read_ply, read_stl, write_stl,
    };

    /// Asked for before it begins, so that no reader gets to its end.
    #[test]
    fn reading_ends_within_a_file() {
        let stop = Stop::when(Arc::new(AtomicBool::new(true)));
        let stl = write_stl(&sphere_mesh(0.5, 16), LengthUnit::M);
        let obj = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n";
        let ply = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n\
            element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
        for stop in [&stop, &Stop::never()] {
            let read = [
                read_stl("a.stl", &stl, 1.0, stop).map(|_| ()),
                read_obj("a.obj", obj, 1.0, stop).map(|_| ()),
                read_ply("a.ply", ply, 1.0, stop).map(|_| ()),
            ];
            for one in read {
                match one {
                    Err(e) => assert!(stop.is_asked(), "{e}"),
                    Ok(()) => assert!(!stop.is_asked()),
                }
            }
        }
    }

    #[test]
    fn what_was_stopped_is_not_called_damaged() {
        let mut files = PackageFiles::default();
        files
            .insert("ball.stl", write_stl(&sphere_mesh(0.5, 16), LengthUnit::M))
            .unwrap();
        let flag = Arc::new(AtomicBool::new(false));
        let files = files.stopped_by(Stop::when(Arc::clone(&flag)));
        assert!(read_mesh(&files, "ball.stl", MeshConvention::default(), "a test").is_ok());
        flag.store(true, Ordering::Relaxed);
        let error = read_mesh(&files, "ball.stl", MeshConvention::default(), "a test").unwrap_err();
        assert_eq!(error.to_string(), STOPPED);
    }

    proptest::proptest! {
        /// Bytes arrive as they are, however they are asked for.
        #[test]
        fn bytes_arrive_as_they_are(bytes: Vec<u8>, by in 1usize..9) {
            let stop = Stop::never();
            let (mut watched, mut read) = (stop.watching(&bytes), Vec::<u8>::new());
            let mut some = vec![0; by];
            loop {
                match watched.read(&mut some).unwrap() {
                    0 => break,
                    n => read.extend(&some[..n]),
                }
            }
            proptest::prop_assert_eq!(read, bytes);
        }
    }
}

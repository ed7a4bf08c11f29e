//! Mesh files.

mod gltf;
mod obj;
mod ply;
mod stl;

use selvik_core::mesh::TriangleMesh;

use crate::package::{LengthUnit, PackageFiles};
use crate::{FormatError, Result};

pub use obj::read_obj;
pub use ply::read_ply;
pub use stl::{read_stl, write_stl};

/// Runs a parser that is not ours: where it panics over a damaged file, the file is refused.
fn guarded<T>(name: &str, parse: impl FnOnce() -> Result<T>) -> Result<T> {
    let caught = std::panic::catch_unwind(std::panic::AssertUnwindSafe(parse));
    caught.unwrap_or_else(|_| Err(FormatError::file(name, "is damaged: its parts contradict each other")))
}

/// Reads the mesh file `name` of a package, by its ending.
///
/// # Errors
/// [`FormatError`] for a missing file, an ending that is not read, or a bad mesh.
pub fn read_mesh(
    files: &PackageFiles,
    name: &str,
    unit: LengthUnit,
    wanted_by: &str,
) -> Result<TriangleMesh> {
    let bytes = files.get(name, wanted_by)?;
    let ending = name.rsplit('.').next().unwrap_or_default().to_ascii_lowercase();
    let scale = match unit {
        LengthUnit::Mm => 1e-3,
        LengthUnit::M => 1.0,
    };
    match ending.as_str() {
        "stl" => read_stl(name, bytes, scale),
        "obj" => read_obj(name, bytes, scale),
        "ply" => read_ply(name, bytes, scale),
        "glb" | "gltf" => gltf::read_gltf(files, name, bytes),
        _ => Err(FormatError::file(name, "is not a mesh that is read; use .stl, .obj, .ply, .glb or .gltf")),
    }
}

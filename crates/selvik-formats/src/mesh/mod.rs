//! Mesh files.

mod collada;
mod convention;
mod glb;
mod gltf;
mod obj;
mod ply;
mod stl;

pub use collada::read_collada;
pub use convention::{LengthUnit, MeshConvention, UpAxis};
pub use glb::{PlacedMesh, write_glb};
pub use obj::{obj_colour, read_obj};
pub use ply::read_ply;
use selvik_core::mesh::{TriangleMesh, Welded, turn_outwards};
use selvik_core::spatial::{Pose, pose_from_rpy};
pub use stl::{read_stl, write_stl};

use crate::{FormatError, PackageFiles, Result};

/// Runs a parser that is not ours: where it panics over a damaged file, the file is refused.
fn guarded<T>(name: &str, parse: impl FnOnce() -> Result<T>) -> Result<T> {
    let caught = std::panic::catch_unwind(std::panic::AssertUnwindSafe(parse));
    caught.unwrap_or_else(|_| {
        Err(FormatError::file(
            name,
            "is damaged: its parts contradict each other",
        ))
    })
}

/// A mesh with what was wrong with its file.
#[derive(Debug, Clone, PartialEq)]
pub struct MeshRead {
    /// The mesh, mended.
    pub mesh: TriangleMesh,
    /// What was mended.
    pub mended: Mended,
}

/// What was wrong with a mesh file and was mended while it was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Mended {
    /// Triangles without an area, left out.
    pub degenerate: usize,
    /// Triangles that were there twice, left out once.
    pub duplicate: usize,
    /// Shells that were inside out, turned over.
    pub turned: usize,
    /// Triangles that ran against their neighbours, turned over.
    pub turned_triangles: usize,
}

/// Reads the mesh file `name` of a package, by its ending.
///
/// # Errors
/// [`FormatError`] for a missing file, an ending that is not read, or a bad mesh.
pub fn read_mesh(
    files: &PackageFiles,
    name: &str,
    convention: MeshConvention,
    wanted_by: &str,
) -> Result<MeshRead> {
    let bytes = &*files.get(name, wanted_by)?;
    let scale = convention.unit.metres();
    let stop = files.stop();
    let (welded, upright) = match ending(name).as_str() {
        "stl" => (read_stl(name, bytes, scale, stop), false),
        "obj" => (read_obj(name, bytes, scale, stop), false),
        "ply" => (read_ply(name, bytes, scale, stop), false),
        "dae" => (read_collada(name, bytes), true),
        "glb" | "gltf" => (gltf::read_gltf(files, name, bytes), true),
        _ => {
            let message = "is not a mesh that is read; use .stl, .obj, .ply, .dae, .glb or .gltf";
            return Err(FormatError::file(name, message));
        }
    };
    // What failed because it was to end is not damaged.
    stop.go_on()?;
    let Welded {
        mesh,
        degenerate,
        duplicate,
    } = welded?;
    let mesh = if upright || convention.up == UpAxis::Z {
        mesh
    } else {
        mesh.moved(&y_up_to_z_up())
    };
    let (mesh, turned) = turn_outwards(mesh);
    let mended = Mended {
        degenerate,
        duplicate,
        turned: turned.shells,
        turned_triangles: turned.triangles,
    };
    Ok(MeshRead { mesh, mended })
}

/// Whether a file is a mesh that is read, by its ending.
#[must_use]
pub fn is_mesh(name: &str) -> bool {
    matches!(
        ending(name).as_str(),
        "stl" | "obj" | "ply" | "dae" | "glb" | "gltf"
    )
}

/// What stands behind the last point of a file's name, in small letters.
pub fn ending(name: &str) -> String {
    name.rsplit('.')
        .next()
        .unwrap_or_default()
        .to_ascii_lowercase()
}

/// The turn that takes Y up to Z up; X stays.
fn y_up_to_z_up() -> Pose {
    pose_from_rpy([0.0; 3], [std::f64::consts::FRAC_PI_2, 0.0, 0.0])
}

use std::io::Cursor;

use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use super::{ending, guarded};
use crate::{FormatError, PackageFiles, Result, Stop};

/// Reads Wavefront OBJ: all groups of a file as one mesh, polygons cut into triangles; coordinates are
/// multiplied by `scale` to metres. Materials and normals are left aside: shading comes from the shape.
///
/// # Errors
/// [`FormatError`] for a bad line, an index of nothing, or unusable coordinates.
pub fn read_obj(name: &str, bytes: &[u8], scale: f64, stop: &Stop) -> Result<Welded> {
    let options = tobj::LoadOptions {
        triangulate: true,
        ignore_points: true,
        ignore_lines: true,
        ..Default::default()
    };
    let no_materials = |_: &std::path::Path| Ok((Vec::new(), Default::default()));
    let (models, _) = guarded(name, || {
        tobj::load_obj_buf(&mut stop.watching(bytes), &options, no_materials)
            .map_err(|e| FormatError::file(name, e))
    })?;
    let mut soup = Vec::new();
    for model in models {
        let corner = |i: u32| {
            let at = i as usize * 3;
            let place = model.mesh.positions.get(at..at + 3);
            place
                .map(|p| Point::new(p[0] * scale, p[1] * scale, p[2] * scale))
                .ok_or_else(|| {
                    FormatError::at(
                        name,
                        format!("object \"{}\"", model.name),
                        format!("there is no vertex {i}"),
                    )
                })
        };
        for triangle in model.mesh.indices.chunks_exact(3) {
            soup.push([
                corner(triangle[0])?,
                corner(triangle[1])?,
                corner(triangle[2])?,
            ]);
        }
    }
    TriangleMesh::from_soup(soup).map_err(|e| FormatError::file(name, e))
}

/// The colour of the only material of an OBJ file, where its MTL file says one: `#RRGGBB`.
pub fn obj_colour(files: &PackageFiles, name: &str) -> Option<String> {
    let bytes = files
        .get(name, "itself")
        .ok()
        .filter(|_| ending(name) == "obj")?;
    let folder = name
        .rsplit_once('/')
        .map_or(String::new(), |(folder, _)| format!("{folder}/"));
    let materials = |path: &std::path::Path| {
        let path = format!("{folder}{}", path.to_string_lossy());
        let bytes = files
            .get(&path, name)
            .map_err(|_| tobj::LoadError::OpenFileFailed)?;
        tobj::load_mtl_buf(&mut Cursor::new(bytes))
    };
    let options = tobj::LoadOptions::default();
    let (_, materials) = guarded(name, || {
        tobj::load_obj_buf(&mut files.stop().watching(&bytes), &options, materials)
            .map_err(|e| FormatError::file(name, e))
    })
    .ok()?;
    match materials.ok()?.as_slice() {
        [only] => only.diffuse.map(|d| {
            let [r, g, b] = d.map(|x| (x.clamp(0.0, 1.0) * 255.0).round() as u8);
            format!("#{r:02X}{g:02X}{b:02X}")
        }),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use selvik_core::mesh::{Shells, mass_of};

    use super::*;

    const CUBE: &str = "o cube\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n\
        f 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf -8 -4 -1 -5\n";

    #[test]
    fn polygons_and_negative_indices_make_a_closed_cube() {
        let cube = read_obj("cube.obj", CUBE.as_bytes(), 1e-3, &Stop::never())
            .unwrap()
            .mesh;
        assert_eq!(cube.triangles().len(), 12);
        assert!(Shells::of(&cube).is_closed());
        assert!((mass_of(&cube).volume - 1e-9).abs() < 1e-21);
    }

    #[rstest::rstest]
    #[case("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n")]
    #[case("v 0 0 zero\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")]
    #[case("v 0 0 0\n")]
    #[case("v 1e308 0 0\nv 1 nan 0\nv 0 1 0\nf 1 2 3\n")]
    fn bad_files_are_refused_by_name(#[case] text: &str) {
        let error = read_obj("bad.obj", text.as_bytes(), 1e-3, &Stop::never())
            .unwrap_err()
            .to_string();
        assert!(error.contains("bad.obj"), "{error}");
    }
}

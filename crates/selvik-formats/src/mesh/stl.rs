use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use crate::mesh::LengthUnit;
use crate::{FormatError, Result, Stop};

/// Bytes of a binary STL before the triangles, and of each triangle.
const HEAD: usize = 84;
const TRIANGLE: usize = 50;

/// Reads STL, binary or ASCII; coordinates are multiplied by `scale` to metres.
///
/// # Errors
/// [`FormatError`] for a truncated file (with the byte), a bad line or unusable coordinates.
pub fn read_stl(name: &str, bytes: &[u8], scale: f64, stop: &Stop) -> Result<Welded> {
    let starts_solid = bytes.trim_ascii_start().starts_with(b"solid");
    let stated = bytes
        .get(80..HEAD)
        .map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]) as usize);
    let fits = stated.is_some_and(|n| {
        n.checked_mul(TRIANGLE)
            .is_some_and(|s| s + HEAD == bytes.len())
    });
    if !starts_solid && !fits {
        let message = match stated {
            Some(n) => format!(
                "a binary STL of {n} triangles has {} bytes, this one {}; it is cut off or damaged",
                n as u64 * TRIANGLE as u64 + HEAD as u64,
                bytes.len()
            ),
            None => "is neither binary nor ASCII STL".to_owned(),
        };
        return Err(FormatError::at(
            name,
            format!("byte {}", bytes.len()),
            message,
        ));
    }
    let corner = |x: f32| f64::from(x) * scale;
    let mut cursor = stop.watching(bytes);
    let fail = |e: std::io::Error, n: usize| FormatError::at(name, format!("triangle {n}"), e);
    let triangles = stl_io::create_stl_reader(&mut cursor).map_err(|e| fail(e, 0))?;
    // Welded as it is read: a large file does not stand in memory twice.
    let mut broken = None;
    // A damaged header may promise more than the file can hold; no triangle takes less room than a binary one.
    let most = bytes.len() / TRIANGLE + 1;
    let soup = triangles
        .take(most)
        .enumerate()
        .map_while(|(n, triangle)| match triangle {
            Ok(t) => Some(
                t.vertices
                    .map(|v| Point::new(corner(v[0]), corner(v[1]), corner(v[2]))),
            ),
            Err(e) => {
                broken = Some(fail(e, n));
                None
            }
        });
    let welded = TriangleMesh::from_soup(soup);
    match broken {
        Some(error) => Err(error),
        None => welded.map_err(|e| FormatError::file(name, e)),
    }
}

/// Writes binary STL with coordinates in `unit`.
///
/// # Panics
/// Never: writing to memory does not fail.
#[must_use]
pub fn write_stl(mesh: &TriangleMesh, unit: LengthUnit) -> Vec<u8> {
    let scale = 1.0 / unit.metres();
    let mut bytes = vec![0u8; 80];
    bytes.extend((mesh.triangles().len() as u32).to_le_bytes());
    for index in 0..mesh.triangles().len() {
        let normal = mesh
            .area_vector(index)
            .try_normalize(1e-30)
            .unwrap_or_default();
        let corners = mesh.corners(index).map(|p| p.coords * scale);
        for vector in [normal].iter().chain(&corners) {
            bytes.extend(vector.iter().flat_map(|&x| (x as f32).to_le_bytes()));
        }
        bytes.extend([0, 0]);
    }
    bytes
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use selvik_core::mesh::{box_mesh, mass_of, sphere_mesh};

    use super::*;

    #[test]
    fn a_mesh_survives_writing_and_reading() {
        let ball = sphere_mesh(0.1, 24);
        let again = read_stl(
            "b.stl",
            &write_stl(&ball, LengthUnit::Mm),
            1e-3,
            &Stop::never(),
        )
        .unwrap()
        .mesh;
        assert_eq!(again.triangles().len(), ball.triangles().len());
        assert!((mass_of(&again).volume / mass_of(&ball).volume - 1.0).abs() < 1e-6);
    }

    #[test]
    fn ascii_is_read_too() {
        let text = "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid t\n";
        assert_eq!(
            read_stl("t.stl", text.as_bytes(), 1.0, &Stop::never())
                .unwrap()
                .mesh
                .triangles()
                .len(),
            1
        );
    }

    #[test]
    fn a_file_cut_off_names_the_byte() {
        let mut bytes = write_stl(&box_mesh([1.0; 3]), LengthUnit::Mm);
        bytes.truncate(300);
        let error = read_stl("box.stl", &bytes, 1e-3, &Stop::never())
            .unwrap_err()
            .to_string();
        assert!(
            error.contains("byte 300") && error.contains("cut off"),
            "{error}"
        );
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(500))]
        #[test]
        fn damaged_files_are_refused_or_read_but_never_crash(
            at in 0usize..700, with in any::<u8>(), cut in 0usize..700, ascii in any::<bool>(),
        ) {
            let mut bytes = write_stl(&box_mesh([0.1; 3]), LengthUnit::Mm);
            if ascii { bytes[..6].copy_from_slice(b"solid "); }
            let at = at % bytes.len();
            bytes[at] = with;
            bytes.truncate(bytes.len() - cut % 300);
            let _ = read_stl("x.stl", &bytes, 1e-3, &Stop::never());
        }
    }
}

use ply_rs_bw::parser::Parser;
use ply_rs_bw::ply::{Property, PropertyAccess, PropertyAccessResult};
use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use crate::{FormatError, Result, Stop};

/// A vertex or a face, whichever the file says.
#[derive(Debug, Default)]
struct Element {
    place: [f64; 3],
    corners: Vec<u32>,
}

impl PropertyAccess for Element {
    fn new() -> Self {
        Self::default()
    }

    fn set_property(&mut self, name: &str, property: Property) -> PropertyAccessResult {
        let axis = ["x", "y", "z"].iter().position(|&a| a == name);
        match (axis, property) {
            (Some(axis), Property::Float(x)) => self.place[axis] = f64::from(x),
            (Some(axis), Property::Double(x)) => self.place[axis] = x,
            (None, list) if name == "vertex_indices" || name == "vertex_index" => {
                let index = |i: i64| u32::try_from(i).unwrap_or(u32::MAX);
                self.corners = match list {
                    Property::ListUChar(l) => l.into_iter().map(u32::from).collect(),
                    Property::ListUShort(l) => l.into_iter().map(u32::from).collect(),
                    Property::ListUInt(l) => l,
                    Property::ListChar(l) => l.into_iter().map(|i| index(i.into())).collect(),
                    Property::ListShort(l) => l.into_iter().map(|i| index(i.into())).collect(),
                    Property::ListInt(l) => l.into_iter().map(|i| index(i.into())).collect(),
                    _ => return PropertyAccessResult::UnsupportedType,
                };
            }
            (Some(_), _) => return PropertyAccessResult::UnsupportedType,
            _ => return PropertyAccessResult::Ignored,
        }
        PropertyAccessResult::Set
    }
}

/// Reads PLY, ASCII or binary: its elements `vertex` and `face`; polygons are cut into fans of
/// triangles, coordinates multiplied by `scale` to metres.
///
/// # Errors
/// [`FormatError`] for a damaged or cut-off file, an index of nothing, or unusable coordinates.
pub fn read_ply(name: &str, bytes: &[u8], scale: f64, stop: &Stop) -> Result<Welded> {
    let ply = Parser::<Element>::new()
        .read_ply(&mut stop.watching(bytes))
        .map_err(|e| FormatError::file(name, e))?;
    let of = |element: &str| {
        ply.payload
            .get(element)
            .ok_or_else(|| FormatError::file(name, format!("has no element \"{element}\"")))
    };
    let (vertices, faces) = (of("vertex")?, of("face")?);
    let corner = |face: usize, index: u32| {
        let vertex = vertices
            .get(index as usize)
            .map(|v| Point::from(v.place.map(|x| x * scale)));
        vertex.ok_or_else(|| {
            FormatError::at(
                name,
                format!("face {face}"),
                format!("there is no vertex {index}"),
            )
        })
    };
    let mut soup = Vec::new();
    for (number, face) in faces.iter().enumerate() {
        for i in 2..face.corners.len() {
            let [a, b, c] = [face.corners[0], face.corners[i - 1], face.corners[i]];
            soup.push([corner(number, a)?, corner(number, b)?, corner(number, c)?]);
        }
    }
    TriangleMesh::from_soup(soup).map_err(|e| FormatError::file(name, e))
}

#[cfg(test)]
mod tests {
    use selvik_core::mesh::{Shells, mass_of};

    use super::*;

    const HEAD: &str = "ply\nformat ascii 1.0\nelement vertex 4\nproperty double x\nproperty double y\nproperty double z\n\
        element face 4\nproperty list uchar int vertex_indices\nend_header\n";

    #[test]
    fn a_tetrahedron_has_a_sixth_of_its_box() {
        let text =
            format!("{HEAD}0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n");
        let mesh = read_ply("t.ply", text.as_bytes(), 1.0, &Stop::never())
            .unwrap()
            .mesh;
        assert!(Shells::of(&mesh).is_closed());
        assert!((mass_of(&mesh).volume - 1.0 / 6.0).abs() < 1e-12);
    }

    #[rstest::rstest]
    #[case(
        "0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 2 9\n3 0 1 3\n3 0 3 2\n3 1 2 3\n",
        "face 0"
    )]
    #[case("0 0 0\n1 0 0\n", "bad.ply")]
    #[case(
        "0 0 nan\n1 0 0\n0 1 0\n0 0 1e308\n3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n",
        "bad.ply"
    )]
    #[case(
        "0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 -2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n",
        "no vertex"
    )]
    fn bad_files_are_refused_with_the_place(#[case] body: &str, #[case] says: &str) {
        let error = read_ply(
            "bad.ply",
            format!("{HEAD}{body}").as_bytes(),
            1.0,
            &Stop::never(),
        )
        .unwrap_err()
        .to_string();
        assert!(error.contains(says), "{error}");
    }

    #[test]
    fn a_count_that_can_not_be_is_no_reason_to_ask_for_memory() {
        let text = HEAD.replace("vertex 4", "vertex 4294967295");
        assert!(read_ply("b.ply", text.as_bytes(), 1.0, &Stop::never()).is_err());
    }
}

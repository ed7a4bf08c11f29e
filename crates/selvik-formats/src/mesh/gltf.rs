use base64::Engine;
use gltf::buffer::Source;
use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use super::guarded;
use crate::{FormatError, PackageFiles, Result};

/// Reads all triangles of the default scene, in metres, turned from Y up to Z up.
pub(super) fn read_gltf(files: &PackageFiles, name: &str, bytes: &[u8]) -> Result<Welded> {
    let fail = |e: &dyn std::fmt::Display| FormatError::file(name, e);
    let file = guarded(name, || gltf::Gltf::from_slice(bytes).map_err(|e| fail(&e)))?;
    let buffers = file
        .buffers()
        .map(|b| buffer(files, name, &b, file.blob.as_deref()))
        .collect::<Result<Vec<_>>>()?;
    let there = bytes.len() + buffers.iter().map(Vec::len).sum::<usize>();
    file.accessors().try_for_each(|a| fits(name, &a, there))?;
    let scene = file.default_scene().or_else(|| file.scenes().next());
    let scene = scene.ok_or_else(|| fail(&"has no scene"))?;
    let globals = poses(name, &file, &scene)?;
    let mut soup = Vec::new();
    let mut budget = Budget {
        name,
        vertices: VERTICES.max(there),
        triangles: TRIANGLES.max(there / 4),
    };
    for (index, global) in globals.iter().enumerate() {
        let (Some(global), Some(node)) = (global, file.nodes().nth(index)) else {
            continue;
        };
        let Some(mesh) = node.mesh() else { continue };
        let bent = |weights: Option<&[f32]>| weights.is_some_and(|w| w.iter().any(|&w| w != 0.0));
        if bent(mesh.weights()) || bent(node.weights()) {
            return Err(fail(
                &"has a mesh that morph targets bend; bake its shape before exporting it",
            ));
        }
        let bones = node.skin().map(|skin| bones(&skin, &buffers, &globals));
        let placing = Placing {
            name,
            buffers: &buffers,
            node: *global,
            bones,
        };
        for primitive in mesh.primitives() {
            budget.spend(&primitive)?;
            guarded(name, || placing.triangles(&primitive, &mut soup))?;
        }
    }
    TriangleMesh::from_soup(soup).map_err(|e| fail(&e))
}

/// However small the file, meshes that are used again and again may have so many vertices and triangles in all; of large files
/// a vertex for each byte and a triangle for every four.
const VERTICES: usize = 20_000_000;
const TRIANGLES: usize = 5_000_000;

/// Whether the entries that an accessor counts are among the bytes that are there, before room is made for them.
fn fits(name: &str, accessor: &gltf::Accessor<'_>, there: usize) -> Result<()> {
    let (count, size) = (accessor.count(), accessor.size());
    let room = match accessor.view() {
        Some(view) => {
            let stride = view.stride().unwrap_or(size).max(1);
            view.length().saturating_sub(accessor.offset() + size) / stride + 1
        }
        // Nothing but zeros, some of them replaced.
        None => there,
    };
    if count > room {
        let place = format!("accessor {}", accessor.index());
        return Err(FormatError::at(
            name,
            place,
            format!("counts {count} entries, but there is room for {room}; the file is damaged"),
        ));
    }
    Ok(())
}

/// What may still be made of a file.
struct Budget<'a> {
    name: &'a str,
    vertices: usize,
    triangles: usize,
}

impl Budget<'_> {
    fn spend(&mut self, primitive: &gltf::Primitive<'_>) -> Result<()> {
        let vertices = primitive
            .get(&gltf::Semantic::Positions)
            .map_or(0, |a| a.count());
        let corners = primitive.indices().map_or(vertices, |a| a.count());
        let triangles = if primitive.mode() == gltf::mesh::Mode::Triangles {
            corners / 3
        } else {
            corners
        };
        let left = (
            self.vertices.checked_sub(vertices),
            self.triangles.checked_sub(triangles),
        );
        let (Some(vertices), Some(triangles)) = left else {
            let message = "uses its meshes so often that they become too many; join what is the same, or bring it in parts";
            return Err(FormatError::file(self.name, message));
        };
        (self.vertices, self.triangles) = (vertices, triangles);
        Ok(())
    }
}

fn buffer(
    files: &PackageFiles,
    name: &str,
    buffer: &gltf::Buffer<'_>,
    blob: Option<&[u8]>,
) -> Result<Vec<u8>> {
    let content = match buffer.source() {
        Source::Bin => blob
            .ok_or_else(|| FormatError::file(name, "its binary part is missing"))?
            .to_vec(),
        Source::Uri(uri) => match uri
            .strip_prefix("data:")
            .and_then(|d| d.split_once(";base64,"))
        {
            Some((_, data)) => base64::engine::general_purpose::STANDARD
                .decode(data)
                .map_err(|e| {
                    FormatError::file(name, format!("an embedded buffer is not base64: {e}"))
                })?,
            None => {
                let folder = name.rsplit_once('/').map_or("", |(f, _)| f);
                let path = if folder.is_empty() {
                    uri.to_owned()
                } else {
                    format!("{folder}/{uri}")
                };
                files.get(&path, name)?.to_vec()
            }
        },
    };
    if content.len() < buffer.length() {
        let message = format!(
            "a buffer should have {} bytes but has {}",
            buffer.length(),
            content.len()
        );
        return Err(FormatError::file(name, message));
    }
    Ok(content)
}

type Matrix = nalgebra::Matrix4<f64>;

/// Where every node of the scene stands; `None` for those that are not in it.
fn poses(name: &str, file: &gltf::Gltf, scene: &gltf::Scene) -> Result<Vec<Option<Matrix>>> {
    let mut globals = vec![None; file.nodes().len()];
    let mut open: Vec<_> = scene.nodes().map(|n| (n, Matrix::identity())).collect();
    while let Some((node, above)) = open.pop() {
        let own = node.transform().matrix();
        let matrix = above * Matrix::from_fn(|r, c| f64::from(own[c][r]));
        if globals[node.index()].replace(matrix).is_some() {
            return Err(FormatError::file(
                name,
                "a node hangs in a circle or on two others",
            ));
        }
        open.extend(node.children().map(|child| (child, matrix)));
    }
    Ok(globals)
}

/// For each joint of a skin what it does to a vertex as it stands.
fn bones(skin: &gltf::Skin<'_>, buffers: &[Vec<u8>], globals: &[Option<Matrix>]) -> Vec<Matrix> {
    let reader = skin.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let mut inverse = reader.read_inverse_bind_matrices().into_iter().flatten();
    let joint = |node: gltf::Node| {
        let bind = inverse.next().map_or_else(Matrix::identity, |m| {
            Matrix::from_fn(|r, c| f64::from(m[c][r]))
        });
        globals[node.index()].unwrap_or_else(Matrix::identity) * bind
    };
    skin.joints().map(joint).collect()
}

/// Where the vertices of a mesh go.
struct Placing<'a> {
    name: &'a str,
    buffers: &'a [Vec<u8>],
    node: Matrix,
    /// Of a skinned mesh: the joints place its vertices, its node does not count.
    bones: Option<Vec<Matrix>>,
}

impl Placing<'_> {
    fn triangles(&self, primitive: &gltf::Primitive<'_>, soup: &mut Vec<[Point; 3]>) -> Result<()> {
        use gltf::mesh::Mode;
        let fail = |message: &str| FormatError::file(self.name, message);
        let mode = primitive.mode();
        if !matches!(
            mode,
            Mode::Triangles | Mode::TriangleStrip | Mode::TriangleFan
        ) {
            // Points and lines bound nothing.
            return Ok(());
        }
        let reader = primitive.reader(|b| self.buffers.get(b.index()).map(Vec::as_slice));
        let positions = reader
            .read_positions()
            .ok_or_else(|| fail("a mesh has no positions"))?;
        let positions: Vec<Point> = positions.map(|p| Point::from(p.map(f64::from))).collect();
        let placed: Vec<Point> = match &self.bones {
            None => positions
                .iter()
                .map(|p| self.node.transform_point(p))
                .collect(),
            Some(bones) => {
                let joints = reader
                    .read_joints(0)
                    .ok_or_else(|| fail("a skinned mesh names no joints"))?;
                let weights = reader
                    .read_weights(0)
                    .ok_or_else(|| fail("a skinned mesh has no weights"))?;
                let held = joints.into_u16().zip(weights.into_f32());
                positions
                    .iter()
                    .zip(held)
                    .map(|(p, (joints, weights))| bent(p, bones, joints, weights))
                    .collect()
            }
        };
        if placed.len() < positions.len() {
            return Err(fail("a skinned mesh has fewer weights than vertices"));
        }
        let points: Vec<Point> = placed
            .iter()
            .map(|at| Point::new(at.x, -at.z, at.y))
            .collect();
        let indices: Vec<u32> = match reader.read_indices() {
            Some(indices) => indices.into_u32().collect(),
            None => (0..points.len() as u32).collect(),
        };
        let count = indices.len();
        let corners = |at: usize| match mode {
            // Every other triangle of a strip runs the other way round (glTF 2.0, 3.7.2.1).
            Mode::TriangleStrip if at % 2 == 1 => [at, at + 2, at + 1],
            Mode::TriangleStrip => [at, at + 1, at + 2],
            Mode::TriangleFan => [at + 1, at + 2, 0],
            _ => [3 * at, 3 * at + 1, 3 * at + 2],
        };
        let triangles = if mode == Mode::Triangles {
            count / 3
        } else {
            count.saturating_sub(2)
        };
        for at in 0..triangles {
            let mut triangle = [Point::origin(); 3];
            for (corner, place) in triangle.iter_mut().zip(corners(at)) {
                let index = indices[place];
                *corner = *points.get(index as usize).ok_or_else(|| {
                    let message =
                        format!("names vertex {index}, but there are only {}", points.len());
                    FormatError::at(self.name, format!("triangle {at}"), message)
                })?;
            }
            soup.push(triangle);
        }
        Ok(())
    }
}

fn bent(point: &Point, bones: &[Matrix], joints: [u16; 4], weights: [f32; 4]) -> Point {
    let mut sum = nalgebra::Vector3::zeros();
    let mut whole = 0.0;
    for (joint, weight) in joints.into_iter().zip(weights) {
        if let Some(bone) = bones.get(joint as usize).filter(|_| weight > 0.0) {
            sum += bone.transform_point(point).coords * f64::from(weight);
            whole += f64::from(weight);
        }
    }
    if whole > 0.0 {
        Point::from(sum / whole)
    } else {
        *point
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One triangle with X right, Y up and its node lifted by 2 in glTF's Y.
    fn triangle(buffer_bytes: &[u8], stated: usize) -> String {
        let data = base64::engine::general_purpose::STANDARD.encode(buffer_bytes);
        format!(
            r#"{{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],
            "nodes":[{{"mesh":0,"translation":[0,2,0]}}],
            "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}}}}]}}],
            "accessors":[{{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3",
              "min":[0,0,0],"max":[1,1,0]}}],
            "bufferViews":[{{"buffer":0,"byteLength":36}}],
            "buffers":[{{"byteLength":{stated},"uri":"data:application/octet-stream;base64,{data}"}}]}}"#
        )
    }

    fn bytes() -> Vec<u8> {
        [0f32, 0., 0., 1., 0., 0., 0., 1., 0.]
            .iter()
            .flat_map(|x| x.to_le_bytes())
            .collect()
    }

    #[test]
    fn y_up_becomes_z_up() {
        let text = triangle(&bytes(), 36);
        let mesh = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes()).unwrap();
        assert_eq!(mesh.mesh.vertices()[2], Point::new(0.0, 0.0, 3.0));
    }

    /// A unit square in the plane as four vertices, drawn one way or another; with a sparse accessor that lifts the last
    /// vertex by 5.
    #[rstest::rstest]
    #[case::as_a_strip(5, "", 2, 0.0)]
    #[case::as_a_fan(6, "", 2, 0.0)]
    #[case::as_lines(3, "", 0, 0.0)]
    #[case::partly_replaced(
        5,
        r#","sparse":{"count":1,"indices":{"bufferView":1,"componentType":5125},"values":{"bufferView":2}}"#,
        2,
        5.0
    )]
    fn triangles_are_read_however_they_are_written(
        #[case] mode: u32,
        #[case] sparse: &str,
        #[case] triangles: usize,
        #[case] lifted: f64,
    ) {
        let square = [0f32, 0., 0., 1., 0., 0., 0., 1., 0., 1., 1., 0.];
        let mut bytes: Vec<u8> = square.iter().flat_map(|x| x.to_le_bytes()).collect();
        bytes.extend(3u32.to_le_bytes());
        bytes.extend([1f32, 1., 5.].iter().flat_map(|x| x.to_le_bytes()));
        let data = base64::engine::general_purpose::STANDARD.encode(&bytes);
        let text = format!(
            r#"{{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"mesh":0}}],
            "meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}},"mode":{mode}}}]}}],
            "accessors":[{{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3",
              "min":[0,0,0],"max":[1,1,5]{sparse}}}],
            "bufferViews":[{{"buffer":0,"byteLength":48}},{{"buffer":0,"byteOffset":48,"byteLength":4}},
              {{"buffer":0,"byteOffset":52,"byteLength":12}}],
            "buffers":[{{"byteLength":64,"uri":"data:application/octet-stream;base64,{data}"}}]}}"#
        );
        let read = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes());
        if triangles == 0 {
            assert!(read.unwrap_err().to_string().contains("no triangle"));
            return;
        }
        let mesh = read.unwrap().mesh;
        assert_eq!(mesh.triangles().len(), triangles);
        // glTF's Z is −Y here; a strip's triangles all look the same way.
        let down = mesh.vertices().iter().map(|v| -v.y).fold(0.0, f64::max);
        assert!((down - lifted).abs() < 1e-6);
        if lifted == 0.0 && mode == 5 {
            assert!((0..2).all(|t| mesh.area_vector(t).y < 0.0));
        }
    }

    /// Two thousand million vertices in a few hundred bytes: all zeros, or behind the end of what is there.
    #[rstest::rstest]
    #[case::of_a_view(r#""bufferView":0,"#)]
    #[case::of_zeros(
        r#""sparse":{"count":1,"indices":{"bufferView":0,"componentType":5125},"values":{"bufferView":0}},"#
    )]
    fn counts_beyond_the_bytes_are_refused_before_room_is_made(#[case] view: &str) {
        let text = triangle(&bytes(), 36);
        let text = text.replace(
            r#""bufferView":0,"componentType":5126,"count":3"#,
            &format!(r#"{view}"componentType":5126,"count":2000000000"#),
        );
        let error = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(
            error.contains("accessor 0: counts 2000000000 entries"),
            "{error}"
        );
    }

    /// A mesh of a million vertices used by three hundred primitives.
    #[test]
    fn meshes_used_without_end_are_refused_at_once() {
        let one = r#"{"attributes":{"POSITION":0}}"#;
        let many = vec![one; 300].join(",");
        let vertices = 1_000_000;
        let buffer = vec![0u8; vertices * 12];
        let text = triangle(&buffer, buffer.len())
            .replace(one, &many)
            .replace("\"count\":3", &format!("\"count\":{vertices}"));
        let text = text.replace(
            "\"byteLength\":36",
            &format!("\"byteLength\":{}", buffer.len()),
        );
        let start = std::time::Instant::now();
        let error = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes())
            .unwrap_err()
            .to_string();
        assert!(error.contains("so often"), "{error}");
        assert!(start.elapsed().as_secs() < 30);
    }

    #[test]
    fn a_buffer_cut_off_is_refused() {
        let text = triangle(&bytes()[..20], 36);
        let error = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes()).unwrap_err();
        assert!(error.to_string().contains("36 bytes but has 20"), "{error}");
    }
}

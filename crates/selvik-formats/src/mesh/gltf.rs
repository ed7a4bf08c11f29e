use base64::Engine;
use gltf::buffer::Source;
use selvik_core::mesh::{TriangleMesh, Welded};
use selvik_core::spatial::Point;

use super::guarded;
use crate::package::PackageFiles;
use crate::{FormatError, Result};

/// Reads all triangles of the default scene, in metres, turned from Y up to Z up.
pub(super) fn read_gltf(files: &PackageFiles, name: &str, bytes: &[u8]) -> Result<Welded> {
    let fail = |e: &dyn std::fmt::Display| FormatError::file(name, e);
    let file = guarded(name, || gltf::Gltf::from_slice(bytes).map_err(|e| fail(&e)))?;
    let buffers =
        file.buffers().map(|b| buffer(files, name, &b, file.blob.as_deref())).collect::<Result<Vec<_>>>()?;
    let scene = file.default_scene().or_else(|| file.scenes().next());
    let scene = scene.ok_or_else(|| fail(&"has no scene"))?;
    let mut soup = Vec::new();
    let mut open: Vec<_> = scene.nodes().map(|n| (n, nalgebra::Matrix4::<f64>::identity())).collect();
    let mut left = file.nodes().len();
    while let Some((node, above)) = open.pop() {
        left = left.checked_sub(1).ok_or_else(|| fail(&"a node hangs in a circle or on two others"))?;
        let own = node.transform().matrix();
        let own = nalgebra::Matrix4::from_fn(|r, c| f64::from(own[c][r]));
        let matrix = above * own;
        for primitive in node.mesh().into_iter().flat_map(|m| m.primitives()) {
            guarded(name, || triangles(name, &primitive, &buffers, &matrix, &mut soup))?;
        }
        open.extend(node.children().map(|child| (child, matrix)));
        if soup.len() > 50_000_000 {
            return Err(fail(&"has more than 50 million triangles"));
        }
    }
    TriangleMesh::from_soup(soup).map_err(|e| fail(&e))
}

fn buffer(
    files: &PackageFiles,
    name: &str,
    buffer: &gltf::Buffer<'_>,
    blob: Option<&[u8]>,
) -> Result<Vec<u8>> {
    let content = match buffer.source() {
        Source::Bin => blob.ok_or_else(|| FormatError::file(name, "its binary part is missing"))?.to_vec(),
        Source::Uri(uri) => match uri.strip_prefix("data:").and_then(|d| d.split_once(";base64,")) {
            Some((_, data)) => base64::engine::general_purpose::STANDARD
                .decode(data)
                .map_err(|e| FormatError::file(name, format!("an embedded buffer is not base64: {e}")))?,
            None => {
                let folder = name.rsplit_once('/').map_or("", |(f, _)| f);
                let path = if folder.is_empty() { uri.to_owned() } else { format!("{folder}/{uri}") };
                files.get(&path, name)?.to_vec()
            }
        },
    };
    if content.len() < buffer.length() {
        let message = format!("a buffer should have {} bytes but has {}", buffer.length(), content.len());
        return Err(FormatError::file(name, message));
    }
    Ok(content)
}

fn triangles(
    name: &str,
    primitive: &gltf::Primitive<'_>,
    buffers: &[Vec<u8>],
    matrix: &nalgebra::Matrix4<f64>,
    soup: &mut Vec<[Point; 3]>,
) -> Result<()> {
    if primitive.mode() != gltf::mesh::Mode::Triangles {
        return Ok(());
    }
    let reader = primitive.reader(|b| buffers.get(b.index()).map(Vec::as_slice));
    let positions = reader.read_positions();
    let positions = positions.ok_or_else(|| FormatError::file(name, "a mesh has no positions"))?;
    let points: Vec<Point> = positions
        .map(|p| {
            let at = matrix.transform_point(&Point::from(p.map(f64::from)));
            Point::new(at.x, -at.z, at.y)
        })
        .collect();
    let indices: Vec<u32> = match reader.read_indices() {
        Some(indices) => indices.into_u32().collect(),
        None => (0..points.len() as u32).collect(),
    };
    for (at, triple) in indices.chunks_exact(3).enumerate() {
        let mut corners = [Point::origin(); 3];
        for (corner, &index) in corners.iter_mut().zip(triple) {
            *corner = *points.get(index as usize).ok_or_else(|| {
                let message = format!("names vertex {index}, but there are only {}", points.len());
                FormatError::at(name, format!("triangle {at}"), message)
            })?;
        }
        soup.push(corners);
    }
    Ok(())
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
        [0f32, 0., 0., 1., 0., 0., 0., 1., 0.].iter().flat_map(|x| x.to_le_bytes()).collect()
    }

    #[test]
    fn y_up_becomes_z_up() {
        let text = triangle(&bytes(), 36);
        let mesh = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes()).unwrap();
        assert_eq!(mesh.mesh.vertices()[2], Point::new(0.0, 0.0, 3.0));
    }

    #[test]
    fn a_buffer_cut_off_is_refused() {
        let text = triangle(&bytes()[..20], 36);
        let error = read_gltf(&PackageFiles::default(), "t.gltf", text.as_bytes()).unwrap_err();
        assert!(error.to_string().contains("36 bytes but has 20"), "{error}");
    }
}

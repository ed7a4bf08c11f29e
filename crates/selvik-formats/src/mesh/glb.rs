use std::collections::HashMap;

use selvik_core::mesh::TriangleMesh;
use selvik_core::spatial::Pose;
use serde_json::{Value, json};

/// A mesh placed in the world, for writing.
#[derive(Debug, Clone, Copy)]
pub struct PlacedMesh<'a> {
    /// What people call it.
    pub name: &'a str,
    /// Its colour, `#RRGGBB`.
    pub colour: Option<&'a str>,
    /// Its triangles.
    pub mesh: &'a TriangleMesh,
    /// Where it stands.
    pub pose: Pose,
}

/// Writes glTF 2.0 as one binary file, in metres, Y up as the standard asks: a node for each mesh; meshes that
/// are the same object in memory are written once.
///
/// # Panics
/// Never: the description is plain data.
#[must_use]
pub fn write_glb(placed: &[PlacedMesh]) -> Vec<u8> {
    let mut file = Glb::default();
    let nodes: Vec<Value> = placed.iter().map(|p| file.node(p)).collect();
    let children: Vec<usize> = (1..=nodes.len()).collect();
    // A quarter turn about X takes Z up to Y up.
    let half = std::f64::consts::FRAC_1_SQRT_2;
    let mut all =
        vec![json!({ "name": "Z up", "rotation": [-half, 0.0, 0.0, half], "children": children })];
    all.extend(nodes);
    let description = json!({
        "asset": { "version": "2.0", "generator": "Selvik" },
        "scene": 0,
        "scenes": [{ "nodes": [0] }],
        "nodes": all,
        "meshes": file.meshes,
        "materials": file.materials,
        "accessors": file.accessors,
        "bufferViews": file.views,
        "buffers": [{ "byteLength": file.bytes.len() }],
    });
    let mut text = serde_json::to_vec(&description).expect("plain data");
    text.resize(text.len().next_multiple_of(4), b' ');
    file.bytes.resize(file.bytes.len().next_multiple_of(4), 0);
    let length = 12 + 8 + text.len() + 8 + file.bytes.len();
    let mut glb = Vec::with_capacity(length);
    glb.extend(b"glTF");
    glb.extend(2u32.to_le_bytes());
    glb.extend((length as u32).to_le_bytes());
    for (kind, chunk) in [(b"JSON", &text), (b"BIN\0", &file.bytes)] {
        glb.extend((chunk.len() as u32).to_le_bytes());
        glb.extend(kind);
        glb.extend(chunk);
    }
    glb
}

#[derive(Default)]
struct Glb {
    bytes: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
    materials: Vec<Value>,
    meshes: Vec<Value>,
    known: HashMap<(*const TriangleMesh, Option<String>), usize>,
}

impl Glb {
    fn node(&mut self, placed: &PlacedMesh) -> Value {
        let key = (
            std::ptr::from_ref(placed.mesh),
            placed.colour.map(str::to_owned),
        );
        let mesh = match self.known.get(&key) {
            Some(&mesh) => mesh,
            None => {
                let mesh = self.mesh(placed);
                self.known.insert(key, mesh);
                mesh
            }
        };
        let (t, r) = (placed.pose.translation.vector, placed.pose.rotation.coords);
        json!({
            "name": placed.name,
            "mesh": mesh,
            "translation": [t.x, t.y, t.z],
            "rotation": [r.x, r.y, r.z, r.w],
        })
    }

    fn mesh(&mut self, placed: &PlacedMesh) -> usize {
        let mesh = placed.mesh;
        let bounds = mesh.bounds();
        let floats = mesh
            .vertices()
            .iter()
            .flat_map(|v| [v.x as f32, v.y as f32, v.z as f32]);
        let positions = self.view(floats.flat_map(f32::to_le_bytes), 34962);
        let indices = self.view(
            mesh.triangles()
                .iter()
                .flatten()
                .flat_map(|i| i.to_le_bytes()),
            34963,
        );
        let [least, most] = [bounds.min, bounds.max].map(|p| [p.x as f32, p.y as f32, p.z as f32]);
        self.accessors.push(json!({
            "bufferView": positions, "componentType": 5126, "count": mesh.vertices().len(), "type": "VEC3",
            "min": least, "max": most,
        }));
        self.accessors.push(json!({
            "bufferView": indices, "componentType": 5125, "count": mesh.triangles().len() * 3, "type": "SCALAR",
        }));
        let accessors = self.accessors.len();
        let mut primitive =
            json!({ "attributes": { "POSITION": accessors - 2 }, "indices": accessors - 1 });
        if let Some([r, g, b]) = placed.colour.and_then(linear) {
            primitive["material"] = self.materials.len().into();
            self.materials.push(json!({ "pbrMetallicRoughness": {
                "baseColorFactor": [r, g, b, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8,
            } }));
        }
        self.meshes
            .push(json!({ "name": placed.name, "primitives": [primitive] }));
        self.meshes.len() - 1
    }

    fn view(&mut self, bytes: impl Iterator<Item = u8>, target: u32) -> usize {
        let start = self.bytes.len();
        self.bytes.extend(bytes);
        let length = self.bytes.len() - start;
        self.views.push(
            json!({ "buffer": 0, "byteOffset": start, "byteLength": length, "target": target }),
        );
        self.views.len() - 1
    }
}

/// `#RRGGBB` (sRGB) as linear shares, which glTF's factors are (IEC 61966-2-1).
fn linear(colour: &str) -> Option<[f64; 3]> {
    let bits = u32::from_str_radix(colour.strip_prefix('#')?, 16).ok()?;
    Some([16, 8, 0].map(|shift| {
        let c = f64::from((bits >> shift) & 255) / 255.0;
        if c <= 0.04045 {
            c / 12.92
        } else {
            ((c + 0.055) / 1.055).powf(2.4)
        }
    }))
}

#[cfg(test)]
mod tests {
    use selvik_core::mesh::{box_mesh, mass_of};
    use selvik_core::spatial::pose_from_rpy;

    use super::*;
    use crate::PackageFiles;
    use crate::mesh::{MeshConvention, read_mesh};

    #[test]
    fn what_is_written_reads_back_where_it_stood() {
        let mesh = box_mesh([0.1, 0.2, 0.3]);
        let pose = pose_from_rpy([1.0, 2.0, 3.0], [0.0, 0.0, 0.5]);
        let at = |pose| PlacedMesh {
            name: "box",
            colour: Some("#8B2C6A"),
            mesh: &mesh,
            pose,
        };
        let bytes = write_glb(&[at(Pose::identity()), at(pose)]);
        let mut files = PackageFiles::default();
        files.insert("a.glb", bytes).unwrap();
        let read = read_mesh(&files, "a.glb", MeshConvention::default(), "a test")
            .unwrap()
            .mesh;
        assert!((mass_of(&read).volume - 0.012).abs() < 1e-8);
        let expected = TriangleMesh::merged([mesh.clone(), mesh.moved(&pose)]).bounds();
        assert!(
            (read.bounds().max - expected.max).norm() < 1e-6,
            "{:?}",
            read.bounds()
        );
    }
}

//! Finds the features of a binary STL file and prints what they are and how long it took, as JSON.
//!
//! Takes the file; its numbers are in whatever unit, told back in the same.

use std::time::Instant;

use selvik_core::mesh::{EdgeShape, Features, Model, TriangleMesh};
use selvik_core::spatial::Point;

fn main() {
    let file = std::env::args().nth(1).expect("a file");
    let bytes = std::fs::read(file).expect("readable");
    let number = |at: usize| {
        f64::from(f32::from_le_bytes(
            bytes[at..at + 4].try_into().expect("four bytes"),
        )) * 1e-3
    };
    let point = |at: usize| Point::new(number(at), number(at + 4), number(at + 8));
    // A head of 84 bytes, then for each triangle its normal, its corners and two bytes more.
    let corners = (84..bytes.len())
        .step_by(50)
        .map(|at| [12, 24, 36].map(|by| point(at + by)));
    let mesh = TriangleMesh::from_soup(corners).expect("triangles").mesh;
    let start = Instant::now();
    let features = Features::of(&mesh);
    let took = start.elapsed().as_secs_f64();
    let mut counts = std::collections::BTreeMap::<&str, usize>::new();
    for face in features.faces() {
        let kind = match face.model {
            Some(Model::Plane { .. }) => {
                println!(
                    "plane {:.6} mm² worst {:.2e} ({})",
                    face.area * 1e6,
                    face.worst * 1e3,
                    face.triangles.len()
                );
                "plane"
            }
            Some(Model::Cylinder { radius, .. }) => {
                println!(
                    "cylinder {} Ø {:.4} span {:.1} length {:.3} rms {:.2e} worst {:.2e} ({})",
                    if face.hollow { "hole" } else { "pin" },
                    radius * 2e3,
                    face.span.to_degrees(),
                    face.length * 1e3,
                    face.rms * 1e3,
                    face.worst * 1e3,
                    face.triangles.len()
                );
                "cylinder"
            }
            Some(Model::Cone { half_angle, .. }) => {
                println!(
                    "cone {:.3}° ({})",
                    half_angle.to_degrees(),
                    face.triangles.len()
                );
                "cone"
            }
            Some(Model::Sphere { radius, .. }) => {
                println!("sphere Ø {:.4} ({})", radius * 2e3, face.triangles.len());
                "sphere"
            }
            Some(Model::Torus { radius, tube, .. }) => {
                println!(
                    "torus {:.4} {:.4} ({})",
                    radius * 1e3,
                    tube * 1e3,
                    face.triangles.len()
                );
                "torus"
            }
            None => "free",
        };
        *counts.entry(kind).or_default() += 1;
    }
    let circles = features
        .edges()
        .iter()
        .filter(|e| matches!(e.shape, EdgeShape::Circle { .. }));
    println!(
        "{}",
        serde_json::json!({"triangles": mesh.triangles().len(), "s": took, "faces": counts, "edges": features.edges().len(),
            "circles": circles.count(), "slots": features.slots().len()})
    );
}

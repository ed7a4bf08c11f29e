//! Times sections of a binary STL file by planes and prints JSON, for `tools/bench/against_trimesh.py`.
//!
//! Takes the file and a JSON list of planes, `[[x, y, z], [nx, ny, nz]]` each, m.

use std::time::Instant;

use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::section::{cut, cut_surface};
use selvik_core::spatial::{Plane, Point, Vector};

fn main() {
    let mut args = std::env::args().skip(1);
    let [file, planes] = [(); 2].map(|()| args.next().expect("a file and a list of planes"));
    let bytes = std::fs::read(file).expect("readable");
    let planes: Vec<[[f64; 3]; 2]> = serde_json::from_str(&planes).expect("planes");
    let number = |at: usize| {
        f64::from(f32::from_le_bytes(
            bytes[at..at + 4].try_into().expect("four bytes"),
        ))
    };
    let point = |at: usize| Point::new(number(at), number(at + 4), number(at + 8));
    // A head of 84 bytes, then for each triangle its normal, its corners and two bytes more.
    let corners = (84..bytes.len())
        .step_by(50)
        .map(|at| [12, 24, 36].map(|by| point(at + by)));
    let mesh = TriangleMesh::from_soup(corners).expect("triangles").mesh;
    let surface = Surface::new(mesh);
    let start = Instant::now();
    let nodes = surface.hierarchy().fours().len();
    let prepared = start.elapsed().as_secs_f64();
    let told = planes.iter().map(|&[at, normal]| {
        let plane = Plane::through(&Point::from(at), &Vector::from(normal)).expect("a plane");
        let start = Instant::now();
        let plain = cut(surface.mesh(), &plane);
        let plain_s = start.elapsed().as_secs_f64();
        let start = Instant::now();
        let section = cut_surface(&surface, &plane);
        let s = start.elapsed().as_secs_f64();
        assert_eq!(plain, section);
        serde_json::json!({"ms": s * 1e3, "unprepared_ms": plain_s * 1e3, "area": section.area(), "perimeter": section.perimeter()})
    });
    let told: Vec<_> = told.collect();
    let triangles = surface.mesh().triangles().len();
    println!(
        "{}",
        serde_json::json!({"triangles": triangles, "prepared_ms": prepared * 1e3, "nodes": nodes, "cuts": told})
    );
}

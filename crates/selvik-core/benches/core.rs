//! The heart, measured: distance cold and warm, closed-form inverse kinematics, a section.

mod pairs;

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use rs_opw_kinematics::kinematic_traits::Kinematics;
use rs_opw_kinematics::kinematics_impl::OPWKinematics;
use rs_opw_kinematics::parameters::opw_kinematics::Parameters;
use selvik_core::clearance::{Limit, Memory, distance, distance_again};
use selvik_core::mesh::sphere_mesh;
use selvik_core::robot::OrthoParallelArm;
use selvik_core::section::cut;
use selvik_core::spatial::{Plane, Point, Pose, Vector};

fn distances(c: &mut Criterion) {
    let (torus, ellipsoid) = (pairs::torus(), pairs::ellipsoid());
    let poses = pairs::path(200);
    let mut next = poses.iter().cycle();
    c.bench_function("distance, cold", |b| {
        b.iter(|| {
            distance(
                &torus,
                &ellipsoid,
                black_box(next.next().expect("a cycle")),
                Limit::default(),
            )
        });
    });
    let close = pairs::path(20_000);
    let mut next = close.iter().cycle();
    let mut memory = Memory::default();
    c.bench_function("distance, along a path", |b| {
        b.iter(|| {
            let pose = black_box(next.next().expect("a cycle"));
            distance_again(&torus, &ellipsoid, pose, Limit::default(), &mut memory)
        });
    });
}

fn inverse(c: &mut Criterion) {
    let (y, z) = (Vector::y(), Vector::z());
    let wrist = Point::new(0.05, 0.0, 1.9);
    let axes = [
        (Point::origin(), z),
        (Point::new(0.15, 0.0, 0.5), y),
        (Point::new(0.15, 0.0, 1.2), y),
        (wrist, z),
        (wrist, y),
        (wrist, z),
    ];
    let arm =
        OrthoParallelArm::fit(&axes, &Pose::translation(0.05, 0.0, 2.0)).expect("ortho-parallel");
    let q = [0.4, 0.2, 1.3, 0.3, 0.9, -0.4];
    let target = arm.forward(&q);
    c.bench_function("inverse kinematics, all solutions", |b| {
        b.iter(|| arm.inverse(black_box(&target)))
    });
    let reference = OPWKinematics::new(Parameters {
        a1: 0.15,
        a2: -0.1,
        b: 0.0,
        c1: 0.5,
        c2: 0.7,
        c3: 0.7,
        c4: 0.1,
        offsets: [0.0; 6],
        sign_corrections: [1; 6],
        dof: 6,
    });
    let target = reference.forward(&q);
    c.bench_function("the same by rs-opw-kinematics", |b| {
        b.iter(|| reference.inverse(black_box(&target)))
    });
}

fn section(c: &mut Criterion) {
    let mesh = sphere_mesh(1.0, 1000);
    let plane =
        Plane::through(&Point::new(0.1, 0.2, 0.05), &Vector::new(0.3, -0.2, 1.0)).expect("a plane");
    let name = format!("section of {} triangles", mesh.triangles().len());
    let mut group = c.benchmark_group("section");
    group
        .sample_size(20)
        .bench_function(name, |b| b.iter(|| cut(black_box(&mesh), &plane)));
    group.finish();
}

criterion_group!(benches, distances, inverse, section);
criterion_main!(benches);

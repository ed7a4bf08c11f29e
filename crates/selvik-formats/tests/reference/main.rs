//! Against general-purpose libraries: `pin` for kinematics, `coal` for distances, `trimesh` for
//! sections and masses. The golden files are written by `tools/reference/golden.py`; their sources
//! stand in them.

mod drawings;
mod features;

use std::collections::HashMap;

use nalgebra::{Quaternion, Translation3, UnitQuaternion};
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{Limit, distance};
use selvik_core::mesh::{Containment, Shape, Surface, TriangleMesh, mass_of};
use selvik_core::robot::{Assembly, jacobian};
use selvik_core::section::cut;
use selvik_core::spatial::{Plane, Point, Pose, Vector, rotation_angle};
use selvik_formats::mesh::{LengthUnit, Mended, MeshConvention, MeshRead, UpAxis, read_mesh};
use selvik_formats::{LinkGeometry, PackageFiles, read_urdf};
use serde_json::Value;

fn golden(text: &str) -> Value {
    serde_json::from_str(text).expect("a golden file")
}

fn numbers<const N: usize>(value: &Value) -> [f64; N] {
    std::array::from_fn(|i| value[i].as_f64().expect("a number"))
}

fn pose(case: &Value) -> Pose {
    let [x, y, z] = numbers(&case["xyz_m"]);
    let [i, j, k, w] = numbers(&case["quaternion_xyzw"]);
    Pose::from_parts(
        Translation3::new(x, y, z),
        UnitQuaternion::from_quaternion(Quaternion::new(w, i, j, k)),
    )
}

fn shapes() -> HashMap<String, Surface> {
    let all = golden(include_str!("../golden/shapes.json"));
    let object = all.as_object().expect("shapes by name");
    object
        .iter()
        .map(|(name, mesh)| {
            let vertices: Vec<Point> = mesh["vertices"]
                .as_array()
                .expect("points")
                .iter()
                .map(|v| Point::from(numbers::<3>(v)))
                .collect();
            let triangles: Vec<[u32; 3]> = mesh["triangles"]
                .as_array()
                .expect("triangles")
                .iter()
                .map(|t| std::array::from_fn(|i| t[i].as_u64().expect("an index") as u32))
                .collect();
            let mesh = TriangleMesh::from_indexed(&vertices, &triangles)
                .expect("a mesh")
                .mesh;
            (name.clone(), Surface::new(mesh))
        })
        .collect()
}

#[test]
fn forward_kinematics_and_jacobian_agree_with_pin() {
    let golden = golden(include_str!("../golden/kinematics.json"));
    let cases = golden["cases"].as_array().expect("cases");
    assert!(cases.len() >= 24);
    for case in cases {
        let mut files = PackageFiles::default();
        let urdf = case["urdf"].as_str().expect("text").as_bytes().to_vec();
        files.insert("chain.urdf", urdf).expect("a plain name");
        let mechanism = read_urdf(&files, "chain.urdf", LinkGeometry::Visual, "a test")
            .expect("a readable chain");
        let q: Vec<f64> = case["q"]
            .as_array()
            .expect("values")
            .iter()
            .map(|x| x.as_f64().expect("a number"))
            .collect();
        let item = Item::new("chain", Role::Robot);
        let cell = Cell::new(vec![item]).expect("one item");
        let assembly =
            Assembly::new(cell, HashMap::from([("chain".into(), mechanism)])).expect("an assembly");
        let tip = assembly
            .link_node(0, case["tip"].as_str().expect("a name"))
            .expect("a link");
        let poses = assembly.poses(&q);
        let (found, expected) = (poses[tip.0], pose(case));
        let name = &case["chain"];
        assert!(
            (found.translation.vector - expected.translation.vector).norm() < 1e-9,
            "{name}"
        );
        assert!(rotation_angle(&found, &expected) < 1e-7, "{name}");
        let joints: Vec<usize> = (0..q.len()).collect();
        let matrix = jacobian(
            &assembly,
            &poses,
            tip,
            &Point::from(found.translation.vector),
            &joints,
        );
        for row in 0..6 {
            for column in 0..q.len() {
                let expected = case["jacobian"][row][column].as_f64().expect("a number");
                assert!(
                    (matrix[(row, column)] - expected).abs() < 1e-9,
                    "{name} {row} {column}"
                );
            }
        }
    }
}

#[test]
fn distances_agree_with_coal() {
    let golden = golden(include_str!("../golden/distances.json"));
    let shapes = shapes();
    let cases = golden["cases"].as_array().expect("cases");
    assert!(cases.len() >= 5);
    for case in cases {
        let shape = |which: &str| &shapes[case[which].as_str().expect("a name")];
        let found = distance(shape("a"), shape("b"), &pose(case), Limit::default());
        let closest = found.closest.expect("no limit was set");
        let surface = case["surface_distance_m"].as_f64().expect("a number");
        let contained = case["contained"].as_bool().expect("a flag");
        let expected = if contained { 0.0 } else { surface };
        let name = &case["name"];
        assert!(
            (closest.distance - expected).abs() < 1e-9 * expected.max(1e-3),
            "{name}: {} {expected}",
            closest.distance
        );
        assert_eq!(closest.overlap, expected == 0.0, "{name}");
    }
}

#[test]
fn sections_and_masses_agree_with_trimesh() {
    let golden = golden(include_str!("../golden/sections.json"));
    let shapes = shapes();
    let close = |a: f64, b: f64| (a - b).abs() < 1e-9 * b.abs().max(1e-3);
    let cases = golden["cases"].as_array().expect("cases");
    assert!(cases.len() >= 12);
    for case in cases {
        let name = case["shape"].as_str().expect("a name");
        let point = Point::from(numbers::<3>(&case["point_m"]));
        let plane =
            Plane::through(&point, &Vector::from(numbers::<3>(&case["normal"]))).expect("a plane");
        let section = cut(shapes[name].mesh(), &plane);
        assert!(section.open.is_empty(), "{name}");
        assert!(
            close(section.area(), case["area_m2"].as_f64().expect("area")),
            "{name} {}",
            section.area()
        );
        assert!(
            close(
                section.perimeter(),
                case["perimeter_m"].as_f64().expect("perimeter")
            ),
            "{name}"
        );
        let holes: usize = section.regions.iter().map(|r| r.holes.len()).sum();
        assert_eq!(
            holes as u64,
            case["holes"].as_u64().expect("a count"),
            "{name}"
        );
        assert_eq!(
            section.regions.len() as u64,
            case["regions"].as_u64().expect("a count"),
            "{name}"
        );
    }
    for (name, expected) in golden["masses"].as_object().expect("masses") {
        let mass = shapes[name].mass();
        assert!(
            close(mass.area, expected["area_m2"].as_f64().expect("area")),
            "{name}"
        );
        assert!(
            close(mass.volume, expected["volume_m3"].as_f64().expect("volume")),
            "{name}"
        );
        let centroid = Point::from(numbers::<3>(&expected["centroid_m"]));
        assert!((mass.centroid - centroid).norm() < 1e-9, "{name}");
    }
}

#[rstest::rstest]
#[case("binary.stl", false)]
#[case("text.stl", false)]
#[case("part.obj", false)]
#[case("binary.ply", false)]
#[case("text.ply", false)]
#[case("part.dae", true)]
#[case("station.glb", true)]
fn every_mesh_format_reads_as_trimesh_reads_it(#[case] name: &str, #[case] y_up: bool) {
    let golden = golden(include_str!("../golden/formats.json"));
    let expected = &golden["files"][name];
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/golden/formats");
    let mut files = PackageFiles::default();
    files
        .insert(
            name,
            std::fs::read(folder.join(name)).expect("a golden file"),
        )
        .expect("a plain name");
    // In metres: the numbers as they stand in the file.
    let convention = MeshConvention {
        unit: LengthUnit::M,
        up: UpAxis::Z,
    };
    let MeshRead { mesh, mended } =
        read_mesh(&files, name, convention, "a test").expect("readable");
    assert_eq!(mended, Mended::default());
    assert_eq!(
        mesh.triangles().len() as u64,
        expected["triangles"].as_u64().expect("a number")
    );
    let mass = mass_of(&mesh);
    for (found, key) in [(mass.volume, "volume"), (mass.area, "area")] {
        let expected = expected[key].as_f64().expect("a number");
        assert!(
            (found / expected - 1.0).abs() < 2e-6,
            "{key}: {found} for {expected}"
        );
    }
    let corner = |i: usize| {
        let [x, y, z] = numbers(&expected["bounds"][i]);
        if y_up {
            Point::new(x, -z, y)
        } else {
            Point::new(x, y, z)
        }
    };
    let (a, b) = (corner(0), corner(1));
    let size = (b - a).norm();
    let bounds = mesh.bounds();
    assert!(
        (bounds.min - a.inf(&b)).norm() < 1e-6 * size
            && (bounds.max - a.sup(&b)).norm() < 1e-6 * size,
        "{bounds:?}"
    );
}

/// Where `libigl`'s winding number is near a whole number, that says what is inside; Selvik says the same or that it can't
/// be told, and of closed meshes always the same.
#[test]
fn what_is_inside_agrees_with_libigl() {
    let golden = golden(include_str!("../golden/inside.json"));
    for case in golden["cases"].as_array().expect("cases") {
        let name = case["name"].as_str().expect("a name");
        let vertices: Vec<Point> = case["vertices"]
            .as_array()
            .expect("points")
            .iter()
            .map(|v| Point::from(numbers::<3>(v)))
            .collect();
        let triangles: Vec<[u32; 3]> = case["triangles"]
            .as_array()
            .expect("triangles")
            .iter()
            .map(|t| std::array::from_fn(|i| t[i].as_u64().expect("an index") as u32))
            .collect();
        let body = Surface::new(
            TriangleMesh::from_indexed(&vertices, &triangles)
                .expect("a mesh")
                .mesh,
        );
        let closed = body.open_edges() == 0;
        let (points, winding) = (
            &case["points"],
            case["winding"].as_array().expect("numbers"),
        );
        let mut decided = 0;
        for (at, w) in winding.iter().enumerate() {
            let w = w.as_f64().expect("a number");
            let found = body.contains(&Point::from(numbers::<3>(&points[at])));
            let told = if w.abs() >= 0.5 {
                Containment::Inside
            } else {
                Containment::Outside
            };
            if (w - w.round()).abs() < 0.05 {
                assert!(
                    found == told || (!closed && found == Containment::Undecided),
                    "{name}, point {at}: {found:?} at {w}"
                );
                decided += usize::from(found == told);
            } else {
                assert!(!closed, "{name}: {w}");
                // Between, it is never said to be the other way round by much.
                assert!(
                    found == Containment::Undecided || found == told || (w.abs() - 0.5).abs() < 0.3,
                    "{name}, {w}: {found:?}"
                );
            }
        }
        assert!(decided > if closed { 55 } else { 5 }, "{name}: {decided}");
    }
}

#[test]
fn joints_that_mimic_others_stand_where_pin_has_them() {
    let golden = golden(include_str!("../golden/mimic.json"));
    let mut files = PackageFiles::default();
    files
        .insert(
            "gripper.urdf",
            golden["urdf"].as_str().expect("a URDF").as_bytes().to_vec(),
        )
        .expect("a plain name");
    let gripper =
        read_urdf(&files, "gripper.urdf", LinkGeometry::Visual, "a test").expect("readable");
    for case in golden["cases"].as_array().expect("cases") {
        let poses = gripper.forward(&[case["drive"].as_f64().expect("a number")]);
        for (link, expected) in case["poses"].as_object().expect("poses") {
            let (found, expected) = (poses[gripper.link(link).expect("a link")], pose(expected));
            assert!(
                (found.translation.vector - expected.translation.vector).norm() < 1e-12,
                "{link}"
            );
            assert!(rotation_angle(&found, &expected) < 1e-7, "{link}");
        }
    }
}

/// Boxes, balls, capsules and cylinders in each other and apart: what overlaps for `coal` has no distance here, and what does not
/// has the same.
#[test]
fn what_overlaps_for_coal_overlaps() {
    let golden = golden(include_str!("../golden/signed.json"));
    let cases = golden["cases"].as_array().expect("cases");
    let (mut inside, mut apart) = (0, 0);
    for case in cases {
        let [a, b] = ["a", "b"].map(|which| shape(&case[which]));
        let signed = case["signed_m"].as_f64().expect("a number");
        let answer = distance(&a, &b, &pose(case), Limit::default());
        let found = answer.closest.expect("no limit was set");
        // Iterated to 1e-8 there; cylinders have a sagitta of 1 µm here.
        if signed < -2e-6 {
            assert!(
                found.overlap && found.distance == 0.0 && answer.lower == 0.0,
                "{case}: {found:?}"
            );
            inside += 1;
        } else if signed > 2e-6 {
            assert!((found.distance - signed).abs() < 3e-6, "{case}: {found:?}");
            assert!(answer.lower <= signed + 1e-8, "{case}: {}", answer.lower);
            apart += 1;
        }
    }
    assert!(inside > 250 && apart > 100, "{inside} {apart}");
}

fn shape(stated: &Value) -> Surface {
    let (kind, of) = stated
        .as_object()
        .expect("a shape")
        .iter()
        .next()
        .expect("one");
    let length = |key: &str| of[key].as_f64().expect("a length");
    let shape = match kind.as_str() {
        "box" => Shape::Box(numbers(of)),
        "sphere" => Shape::Sphere {
            radius: length("radius"),
        },
        "capsule" => Shape::Capsule {
            radius: length("radius"),
            length: length("length"),
        },
        _ => Shape::Cylinder {
            radius: length("radius"),
            length: length("length"),
        },
    };
    Surface::of_shapes(&[(shape, Pose::identity())]).expect("a body")
}

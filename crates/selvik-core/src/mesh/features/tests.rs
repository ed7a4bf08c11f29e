use std::f64::consts::{PI, TAU};

use super::*;
use crate::mesh::{box_mesh, capsule_mesh, cylinder_mesh, sphere_mesh};
use crate::spatial::pose_from_rpy;

fn faces_like(features: &Features, is: impl Fn(&Model) -> bool) -> Vec<&Face> {
    let of = |face: &&Face| face.model.as_ref().is_some_and(&is);
    features.faces().iter().filter(of).collect()
}

fn is_flat(model: &Model) -> bool {
    matches!(model, Model::Plane { .. })
}

/// A profile turned about Z: radii and heights, m.
fn turned_mesh(profile: &[[f64; 2]], facets: usize) -> TriangleMesh {
    let at = |i: usize, [radius, z]: [f64; 2]| {
        let (sin, cos) = (TAU * (i % facets) as f64 / facets as f64).sin_cos();
        Point::new(radius * cos, radius * sin, z)
    };
    let quads = (0..facets).flat_map(|i| {
        profile.windows(2).flat_map(move |ends| {
            let [a, b] = [ends[0], ends[1]];
            let [p, q, r, s] = [at(i, a), at(i + 1, a), at(i + 1, b), at(i, b)];
            [[p, q, r], [p, r, s]]
        })
    });
    TriangleMesh::from_soup(quads).expect("triangles").mesh
}

#[test]
fn a_box_has_six_flat_faces_and_twelve_straight_edges() {
    let pose = pose_from_rpy([0.3, -0.2, 1.1], [0.4, 0.7, -0.2]);
    let features = Features::of(&box_mesh([0.1, 0.2, 0.3]).moved(&pose));
    assert_eq!(faces_like(&features, is_flat).len(), 6);
    assert_eq!(features.faces().len(), 6);
    let mut lengths: Vec<f64> = features.edges().iter().map(|e| e.length).collect();
    lengths.sort_by(f64::total_cmp);
    assert_eq!(lengths.len(), 12);
    for (i, wanted) in [0.1, 0.2, 0.3].into_iter().enumerate() {
        for length in &lengths[4 * i..4 * i + 4] {
            assert!((length - wanted).abs() < 1e-12);
        }
    }
    let straight = |e: &Edge| e.shape == EdgeShape::Straight && e.faces.len() == 2;
    assert!(features.edges().iter().all(straight));
}

#[rstest::rstest]
#[case(10)]
#[case(16)]
#[case(48)]
#[case(360)]
fn a_drum_of_any_number_of_facets_is_one_wall_between_two_circles(#[case] facets: usize) {
    let pose = pose_from_rpy([0.3, -0.2, 1.1], [0.4, 0.7, -0.2]);
    let features = Features::of(&cylinder_mesh(0.05, 0.3, facets).moved(&pose));
    let walls = faces_like(&features, |m| matches!(m, Model::Cylinder { .. }));
    let &[wall] = walls.as_slice() else {
        panic!("one wall, not {}", walls.len())
    };
    let Some(Model::Cylinder { axis, radius, .. }) = wall.model else {
        unreachable!()
    };
    assert!((radius - 0.05).abs() < 1e-9 && wall.worst < 1e-9);
    assert!(axis.dot(&(pose.rotation * Vector::z())).abs() > 1.0 - 1e-12);
    assert!((wall.middle - pose * Point::origin()).norm() < 1e-9);
    assert!((wall.length - 0.3).abs() < 1e-9 && (wall.span - TAU).abs() < 1e-9);
    assert!(!wall.hollow && wall.triangles.len() == 2 * facets);
    assert_eq!(features.faces().len(), 3);
    assert_eq!(features.edges().len(), 2);
    for edge in features.edges() {
        let EdgeShape::Circle { radius, whole, .. } = edge.shape else {
            panic!("{:?}", edge.shape)
        };
        assert!(whole && edge.is_closed() && (radius - 0.05).abs() < 1e-9);
    }
}

#[test]
fn half_a_wall_seen_from_within_is_a_hole_of_half_a_turn() {
    let drum = cylinder_mesh(0.2, 0.1, 48);
    let half: Vec<[u32; 3]> = (0..drum.triangles().len())
        .filter(|&t| drum.area_vector(t).y > 1e-12 && drum.area_vector(t).z.abs() < 1e-12)
        .map(|t| drum.triangles()[t])
        .map(|[a, b, c]| [a, c, b])
        .collect();
    let half = TriangleMesh::from_indexed(drum.vertices(), &half).unwrap();
    let features = Features::of(&half.mesh);
    let face = &features.faces()[features.face_of(3)];
    assert!(face.hollow && (face.span - PI).abs() < 1e-9);
    assert!(
        matches!(face.model, Some(Model::Cylinder { radius, .. }) if (radius - 0.2).abs() < 1e-9)
    );
}

#[test]
fn balls_tapers_and_fillets_are_what_they_are() {
    let ball = Features::of(&sphere_mesh(0.3, 40));
    let round = faces_like(
        &ball,
        |m| matches!(m, Model::Sphere { radius, .. } if (radius - 0.3).abs() < 1e-9),
    );
    assert_eq!((round.len(), ball.faces().len()), (1, 1));

    let taper = turned_mesh(&[[0.02, 0.0], [0.05, 0.1]], 32);
    let taper = Features::of(&taper);
    let Some(Model::Cone {
        half_angle, apex, ..
    }) = taper.faces()[0].model
    else {
        panic!("{:?}", taper.faces()[0].model)
    };
    assert!((half_angle.tan() - 0.3).abs() < 1e-9 && taper.faces().len() == 1);
    assert!((apex - Point::new(0.0, 0.0, -0.02 / 0.3)).norm() < 1e-9);

    // A shaft with a fillet of 8 mm below a collar.
    let fillet: Vec<[f64; 2]> = (0..=8)
        .map(|i| (PI / 16.0 * f64::from(i)).sin_cos())
        .map(|(sin, cos)| [0.038 - 0.008 * cos, 0.058 - 0.008 * (1.0 - sin) - 0.008])
        .collect();
    let profile: Vec<[f64; 2]> = [[0.03, 0.0]]
        .into_iter()
        .chain(fillet)
        .chain([[0.06, 0.05]])
        .collect();
    let shaft = Features::of(&turned_mesh(&profile, 60));
    let rings = faces_like(
        &shaft,
        |m| matches!(m, Model::Torus { radius, tube, .. } if (radius - 0.038).abs() < 1e-7 && (tube - 0.008).abs() < 1e-7),
    );
    assert_eq!((rings.len(), shaft.faces().len()), (1, 3));

    let capsule = Features::of(&capsule_mesh(0.04, 0.1, 32));
    assert_eq!(capsule.faces().len(), 3);
    assert_eq!(
        faces_like(&capsule, |m| matches!(m, Model::Sphere { .. })).len(),
        2
    );
}

#[test]
fn the_rim_of_a_rounded_plate_is_four_lines_and_four_arcs() {
    let (half, radius, steps) = ([0.08, 0.05], 0.012, 6);
    let mut outline = Vec::new();
    for (corner, (sx, sy)) in [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)]
        .into_iter()
        .enumerate()
    {
        for step in 0..=steps {
            let angle = PI / 2.0 * (corner as f64 + f64::from(step) / f64::from(steps));
            let (sin, cos) = angle.sin_cos();
            outline.push([sx * half[0] + radius * cos, sy * half[1] + radius * sin]);
        }
    }
    let count = outline.len();
    let at = |i: usize, z: f64| Point::new(outline[i % count][0], outline[i % count][1], z);
    let wall = (0..count).flat_map(|i| {
        let [a, b, c, d] = [at(i, 0.0), at(i + 1, 0.0), at(i + 1, 0.02), at(i, 0.02)];
        [[a, b, c], [a, c, d]]
    });
    let lid = (1..count - 1).map(|i| [at(0, 0.02), at(i, 0.02), at(i + 1, 0.02)]);
    let mesh = TriangleMesh::from_soup(wall.chain(lid)).unwrap().mesh;
    let features = Features::of(&mesh);
    // Between the lid and the wall; those at the bottom are open.
    let rim: Vec<&Edge> = features
        .edges()
        .iter()
        .filter(|e| e.points.iter().all(|p| p.z > 0.01))
        .collect();
    let arcs = rim.iter().filter(|e| {
        matches!(e.shape, EdgeShape::Circle { radius: r, whole: false, .. } if (r - radius).abs() < 1e-9)
    });
    let lines: Vec<f64> = rim
        .iter()
        .filter(|e| e.shape == EdgeShape::Straight)
        .map(|e| e.length)
        .collect();
    assert_eq!((arcs.count(), lines.len(), rim.len()), (4, 4, 8));
    assert!((lines.iter().sum::<f64>() - 4.0 * (half[0] + half[1])).abs() < 1e-9);
}

#[test]
fn a_nut_an_octagon_and_a_block_with_chamfers_are_flat() {
    for sides in [6, 8] {
        let features = Features::of(&cylinder_mesh(0.01, 0.008, sides));
        assert_eq!(faces_like(&features, is_flat).len(), sides + 2);
    }
    // A plate with narrow chamfers of 30°: its corners lie on a circle, but its faces are not equally wide.
    let (x, y) = (0.01 * 3.0f64.sqrt() / 2.0, 0.005);
    let outline = [[-x, y], [0.0, 0.0], [0.1, 0.0], [0.1 + x, y]];
    let prism = |z: f64| outline.iter().map(move |p| Point::new(p[0], p[1], z));
    let (below, above): (Vec<Point>, Vec<Point>) = (prism(0.0).collect(), prism(0.05).collect());
    let soup = (0..3).flat_map(|i| {
        [
            [below[i], below[i + 1], above[i + 1]],
            [below[i], above[i + 1], above[i]],
        ]
    });
    let features = Features::of(&TriangleMesh::from_soup(soup).unwrap().mesh);
    assert_eq!(faces_like(&features, is_flat).len(), 3);
}

#[test]
fn a_profile_of_three_smooth_slopes_is_three_tapers_and_no_ring() {
    // Three rings of one axis lie on some torus, two on some ball.
    let profile = [[0.170, 0.09], [0.165, 0.52], [0.19, 0.56], [0.25, 0.6]];
    let features = Features::of(&turned_mesh(&profile, 64));
    let cones = faces_like(&features, |m| matches!(m, Model::Cone { .. }));
    let mut angles: Vec<f64> = cones
        .iter()
        .map(|f| match f.model {
            Some(Model::Cone { half_angle, .. }) => half_angle.tan(),
            _ => unreachable!(),
        })
        .collect();
    angles.sort_by(f64::total_cmp);
    let wanted = [0.005 / 0.43, 0.025 / 0.04, 0.06 / 0.04];
    assert_eq!((features.faces().len(), angles.len()), (3, 3));
    assert!(
        angles
            .iter()
            .zip(wanted)
            .all(|(a, b)| (a / b - 1.0).abs() < 1e-6),
        "{angles:?}"
    );
}

#[test]
fn what_bends_without_a_name_is_one_face() {
    let mut wavy = Vec::new();
    let at = |x: i32, y: i32| {
        let (a, b) = (f64::from(x) * 0.01, f64::from(y) * 0.01);
        Point::new(
            a,
            b,
            0.02 * (17.0 * a).sin() * (13.0 * b).cos() + 0.3 * a * b * b,
        )
    };
    for x in 0..40 {
        for y in 0..40 {
            wavy.push([at(x, y), at(x + 1, y), at(x + 1, y + 1)]);
            wavy.push([at(x, y), at(x + 1, y + 1), at(x, y + 1)]);
        }
    }
    let features = Features::of(&TriangleMesh::from_soup(wavy).unwrap().mesh);
    let free: Vec<&Face> = features
        .faces()
        .iter()
        .filter(|f| f.model.is_none())
        .collect();
    assert_eq!(free.len(), 1);
    assert!(
        free[0].triangles.len() > 3100,
        "{}",
        free[0].triangles.len()
    );
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig::with_cases(40))]
    #[test]
    fn any_triangles_at_all_are_each_of_one_face(
        soup in proptest::collection::vec(proptest::collection::vec((0i32..5, 0i32..5, 0i32..3), 3), 1..60)
    ) {
        let point = |p: &(i32, i32, i32)| Point::new(f64::from(p.0), f64::from(p.1), f64::from(p.2) * 1e-3);
        let triangles = soup.iter().map(|t| [point(&t[0]), point(&t[1]), point(&t[2])]);
        if let Ok(welded) = TriangleMesh::from_soup(triangles) {
            let features = Features::of(&welded.mesh);
            let mut told = vec![0; welded.mesh.triangles().len()];
            for (index, face) in features.faces().iter().enumerate() {
                for &t in &face.triangles {
                    told[t as usize] += 1;
                    proptest::prop_assert_eq!(features.face_of(t as usize), index);
                }
            }
            proptest::prop_assert!(told.iter().all(|&n| n == 1));
        }
    }

    /// What is found does not depend on where the part stands or in which order its triangles come.
    #[test]
    fn a_moved_part_has_the_same_faces(
        xyz in proptest::array::uniform3(-2.0..2.0f64), rpy in proptest::array::uniform3(-3.0..3.0f64), by in 1usize..400
    ) {
        let part = TriangleMesh::merged([
            cylinder_mesh(0.05, 0.3, 36),
            turned_mesh(&[[0.1, 0.0], [0.2, 0.1]], 40),
            box_mesh([0.3, 0.02, 0.02]),
        ]);
        let moved = part.moved(&pose_from_rpy(xyz, rpy));
        let mut triangles = moved.triangles().to_vec();
        triangles.rotate_left(by % part.triangles().len());
        let moved = TriangleMesh::from_indexed(moved.vertices(), &triangles).unwrap().mesh;
        let areas = |mesh: &TriangleMesh| {
            let mut areas: Vec<f64> = Features::of(mesh).faces().iter().map(|f| f.area).collect();
            areas.sort_by(f64::total_cmp);
            areas
        };
        let (one, other) = (areas(&part), areas(&moved));
        proptest::prop_assert_eq!(one.len(), other.len());
        for (a, b) in one.iter().zip(&other) {
            proptest::prop_assert!((a / b - 1.0).abs() < 1e-9);
        }
    }
}

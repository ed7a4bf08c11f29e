//! What must hold of every measure, whatever is measured.

use proptest::prelude::*;
use selvik_core::clearance::{Limit, distance, surfaces_apart};
use selvik_core::measure::{Carrier, apart, farthest};
use selvik_core::mesh::{Hierarchy, Surface, TriangleMesh, sphere_mesh};
use selvik_core::section::cut;
use selvik_core::spatial::{Plane, Point, Pose, Vector, pose_from_rpy};

/// A ball whose radius wavers: no two facets are alike.
fn wavering(radius: f64, waves: f64) -> TriangleMesh {
    let ball = sphere_mesh(radius, 14);
    let waved = |p: &Point| {
        let by = 1.0 + 0.2 * (waves * p.x / radius + 1.3 * p.y / radius).sin();
        Point::from(p.coords * by + Vector::new(0.0, 0.0, 0.1 * by * radius))
    };
    let vertices: Vec<Point> = ball.vertices().iter().map(waved).collect();
    TriangleMesh::from_indexed(&vertices, ball.triangles())
        .expect("triangles")
        .mesh
}

fn poses() -> impl Strategy<Value = Pose> {
    let three = prop::array::uniform3(-2.0f64..2.0);
    (three.clone(), three).prop_map(|(xyz, rpy)| pose_from_rpy(xyz, rpy))
}

fn same(a: f64, b: f64) -> bool {
    (a - b).abs() <= 1e-9 * a.abs().max(b.abs()).max(1e-3)
}

fn apart_by(a: &Surface, b: &Surface, pose: &Pose) -> f64 {
    let found = distance(a, b, pose, Limit::default()).closest;
    found.expect("no limit was set").distance
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Triangles shuffled, and each begun at another corner.
    #[test]
    fn a_section_does_not_depend_on_the_order_of_triangles(
        waves in 1.0f64..6.0,
        normal in prop::array::uniform3(-1.0f64..1.0),
        level in -0.25f64..0.35,
        seed in 1usize..10_000,
    ) {
        prop_assume!(Vector::from(normal).norm() > 0.1);
        let mesh = wavering(0.3, waves);
        let count = mesh.triangles().len();
        // A step that shares no factor with the count visits each once.
        let step = (seed..).find(|s| gcd(*s, count) == 1).expect("a prime comes");
        let shuffled: Vec<[u32; 3]> = (0..count)
            .map(|i| {
                let [a, b, c] = mesh.triangles()[i * step % count];
                match (i + seed) % 3 {
                    0 => [a, b, c],
                    1 => [b, c, a],
                    _ => [c, a, b],
                }
            })
            .collect();
        let other = TriangleMesh::from_indexed(mesh.vertices(), &shuffled).expect("triangles").mesh;
        let unit = Vector::from(normal).normalize();
        let plane = Plane::through(&Point::from(unit * level), &unit).expect("a direction");
        let (one, two) = (cut(&mesh, &plane), cut(&other, &plane));
        prop_assert_eq!(one.regions.len(), two.regions.len());
        prop_assert!(same(one.area(), two.area()), "{} {}", one.area(), two.area());
        prop_assert!(same(one.perimeter(), two.perimeter()));
    }

    /// Areas, perimeters, volumes, distances and where things are farthest apart.
    #[test]
    fn moving_everything_together_changes_no_measure(
        waves in 1.0f64..6.0,
        relative in poses(),
        moved in poses(),
        normal in prop::array::uniform3(-1.0f64..1.0),
    ) {
        prop_assume!(Vector::from(normal).norm() > 0.1);
        let (mesh, other) = (wavering(0.3, waves), wavering(0.2, waves + 1.0));
        let plane = Plane::through(&Point::new(0.0, 0.02, 0.03), &Vector::from(normal)).expect("a direction");
        let there = mesh.moved(&moved);
        let (here, gone) = (cut(&mesh, &plane), cut(&there, &plane.seen_from(&moved.inverse())));
        prop_assert!(same(here.area(), gone.area()) && same(here.perimeter(), gone.perimeter()));

        let (a, a_there) = (Surface::new(mesh), Surface::new(there));
        prop_assert!(same(a.mass().volume, a_there.mass().volume));
        prop_assert!(same(a.mass().area, a_there.mass().area));
        let centroid = (moved * a.mass().centroid - a_there.mass().centroid).norm();
        prop_assert!(centroid < 1e-9);

        let b = Surface::new(other);
        let before = apart_by(&a, &b, &relative);
        let after = apart_by(&a_there, &b, &(moved * relative));
        prop_assert!((before - after).abs() < 1e-9, "{} {}", before, after);
        let most = |x: &Surface, pose: &Pose| {
            farthest(&x.outermost(), &b.outermost(), pose).expect("not empty").distance
        };
        prop_assert!(same(most(&a, &relative), most(&a_there, &(moved * relative))));
    }

    #[test]
    fn distance_is_the_same_from_either_side(waves in 1.0f64..6.0, relative in poses()) {
        let (a, b) = (Surface::new(wavering(0.3, waves)), Surface::new(wavering(0.2, 2.0)));
        let (there, back) = (apart_by(&a, &b, &relative), apart_by(&b, &a, &relative.inverse()));
        prop_assert!((there - back).abs() < 1e-12, "{} {}", there, back);
        let far = |x: &Surface, y: &Surface, pose: &Pose| {
            farthest(&x.outermost(), &y.outermost(), pose).expect("not empty").distance
        };
        prop_assert!(same(far(&a, &b, &relative), far(&b, &a, &relative.inverse())));
        prop_assert!(there <= far(&a, &b, &relative));
    }

    /// No way round is shorter: of points, as carriers and as bare meshes.
    #[test]
    fn points_obey_the_triangle_inequality(points in prop::array::uniform3(prop::array::uniform3(-5.0f64..5.0))) {
        let [a, b, c] = points.map(Point::from);
        let between = |p: Point, q: Point| {
            let carried = apart(&Carrier::Point(p), &Carrier::Point(q)).distance.expect("points");
            let [x, y] = [p, q].map(|p| Hierarchy::over(&[[p; 3]], &[]));
            let bare = surfaces_apart(&x, &y, &Pose::identity()).expect("both are there").distance;
            assert!((carried - bare).abs() < 1e-12, "{carried} {bare}");
            carried
        };
        prop_assert!(between(a, c) <= between(a, b) + between(b, c) + 1e-12);
        prop_assert_eq!(between(a, a), 0.0);
    }
}

fn gcd(a: usize, b: usize) -> usize {
    if b == 0 { a } else { gcd(b, a % b) }
}

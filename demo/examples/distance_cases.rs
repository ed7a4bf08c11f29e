//! Times exact distances of several pairs of bodies and writes what a reference library needs to be timed on the same:
//! `distance_cases FOLDER` leaves the corners of the triangles, the poses and the distances there, for
//! `tools/bench/against_coal.py`.

#[path = "../../crates/selvik-core/benches/pairs/mod.rs"]
mod pairs;

use std::f64::consts::TAU;
use std::path::Path;
use std::time::Instant;

use selvik_core::clearance::{Closest, Limit, Memory, distance, distance_again};
use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::spatial::{Point, Pose, Vector, pose_from_rpy};
use selvik_demo::demo_package;
use selvik_formats::mesh::{MeshConvention, read_mesh};

/// How far apart the bodies stand, m.
const GAPS: [(&str, f64); 3] = [("far", 0.3), ("near", 0.02), ("almost touching", 2e-5)];
/// How often that is looked at from somewhere else.
const PLACES: usize = 100;
/// So many poses follow each other from there.
const STEPS: usize = 40;
/// All pairs are timed in turn so often: the least disturbed of it counts.
const ROUNDS: usize = 12;

fn main() {
    let folder = std::env::args().nth(1).expect("a folder to write to");
    let folder = Path::new(&folder);
    let (torus, ellipsoid) = (pairs::torus(), pairs::ellipsoid());
    let (apart, close) = (pairs::path(200), pairs::path(20_000));
    let run = close.len();
    let mut cases = vec![Case::new(
        "torus and ellipsoid",
        (&torus, &ellipsoid),
        (apart, close),
        run,
    )];
    let files = demo_package();
    let mesh = |name: &str| {
        let read = read_mesh(&files, name, MeshConvention::default(), "the benchmark");
        read.expect("a mesh of the demo").mesh
    };
    let links = [
        mesh("robots/arm/upper_arm.stl"),
        mesh("robots/arm/wrist_roll.stl"),
    ]
    .map(Surface::new);
    let housing = Surface::new(worn(&mesh("meshes/housing.stl")));
    let nozzle = Surface::new(mesh("meshes/nozzle.stl"));
    for (name, a, b) in [
        ("two links", &links[0], &links[1]),
        ("housing of 300,000 and nozzle", &housing, &nozzle),
    ] {
        for (kept, gap) in GAPS {
            let (apart, close) = round_about(a, b, gap);
            cases.push(Case::new(
                &format!("{name}, {kept}"),
                (a, b),
                (apart, close),
                STEPS,
            ));
        }
    }
    for _ in 0..ROUNDS {
        cases.iter_mut().for_each(Case::time);
    }
    let told: Vec<_> = cases.iter().map(|case| case.told(folder)).collect();
    println!("{}", serde_json::Value::from(told));
}

/// Each triangle in 64, on a surface as rough as a casting.
fn worn(mesh: &TriangleMesh) -> TriangleMesh {
    let mut triangles: Vec<[Point; 3]> = (0..mesh.triangles().len())
        .map(|i| mesh.corners(i))
        .collect();
    for _ in 0..3 {
        triangles = triangles
            .iter()
            .flat_map(|&[a, b, c]| {
                let [ab, bc, ca] = [(a, b), (b, c), (c, a)].map(|(p, q)| nalgebra::center(&p, &q));
                [[a, ab, ca], [b, bc, ab], [c, ca, bc], [ab, bc, ca]]
            })
            .collect();
    }
    let rough = |p: Point| {
        let wave = |k: f64| (k * p.x).sin() * (k * p.y).cos() + (k * p.z).sin();
        p * (1.0 + 1e-4 * (wave(900.0) + wave(2300.0)))
    };
    let corners: Vec<Point> = triangles.iter().flatten().map(|&p| rough(p)).collect();
    let threes = (0..triangles.len() as u32).map(|i| [3 * i, 3 * i + 1, 3 * i + 2]);
    TriangleMesh::from_indexed(&corners, &threes.collect::<Vec<_>>())
        .expect("a mesh")
        .mesh
}

/// Poses of `b` at the distance `gap` (m) from `a`, seen from all sides, and from each of them small steps that hardly change it.
fn round_about(a: &Surface, b: &Surface, gap: f64) -> (Vec<Pose>, Vec<Pose>) {
    let (middle, radius) = a.ball();
    let far = radius + b.ball().1 + gap + 0.1;
    let golden = TAU / (1.0 + 5f64.sqrt()) * 2.0;
    let (mut apart, mut close) = (Vec::new(), Vec::new());
    for place in 0..PLACES {
        // A spiral of Fibonacci round the ball.
        let z = 1.0 - 2.0 * (place as f64 + 0.5) / PLACES as f64;
        let (turn, level) = (golden * place as f64, (1.0 - z * z).sqrt());
        let towards = Vector::new(level * turn.cos(), level * turn.sin(), z);
        let held = |away: f64, step: f64| {
            let side = towards.cross(&Vector::new(0.3, 0.5, 0.8)).normalize() * step;
            let rpy = [turn + step, 2.0 * turn, 3.0 * turn - step];
            let turned = pose_from_rpy([0.0; 3], rpy);
            let at = middle + towards * away + side - (turned * b.ball().0).coords;
            let mut pose = turned;
            pose.translation.vector = at.coords;
            pose
        };
        for i in 0..STEPS {
            let step = 1e-4 * i as f64;
            // Moved up until it stands so near.
            let mut away = far;
            for _ in 0..200 {
                let found = distance(a, b, &held(away, step), Limit::default())
                    .closest
                    .expect("no limit");
                if found.overlap || found.distance - gap < gap * 0.01 {
                    break;
                }
                away -= found.distance - gap;
            }
            if i == 0 {
                apart.push(held(away, 0.0));
            }
            close.push(held(away, step));
        }
    }
    (apart, close)
}

/// A pair of bodies, and how long it takes to tell their distance.
struct Case<'a> {
    name: String,
    bodies: (&'a Surface, &'a Surface),
    /// Each is asked for without knowing of the one before.
    apart: Vec<Pose>,
    /// Each is asked for knowing of the one before.
    close: Vec<Pose>,
    /// So many of these follow each other.
    run: usize,
    /// What the fastest round took for one, cold and along the path, µs.
    took: [f64; 2],
    /// The distances, m.
    found: [Vec<f64>; 2],
}

impl<'a> Case<'a> {
    fn new(
        name: &str,
        bodies: (&'a Surface, &'a Surface),
        (apart, close): (Vec<Pose>, Vec<Pose>),
        run: usize,
    ) -> Self {
        Self {
            name: name.to_owned(),
            bodies,
            apart,
            close,
            run,
            took: [f64::INFINITY; 2],
            found: [Vec::new(), Vec::new()],
        }
    }

    fn time(&mut self) {
        let (a, b) = self.bodies;
        for (which, poses) in [&self.apart, &self.close].into_iter().enumerate() {
            let mut found: Vec<Closest> = Vec::with_capacity(poses.len());
            let mut memory = Memory::default();
            let start = Instant::now();
            for (i, pose) in poses.iter().enumerate() {
                if i % self.run == 0 {
                    memory = Memory::default();
                }
                let answer = if which == 0 {
                    distance(a, b, pose, Limit::default())
                } else {
                    distance_again(a, b, pose, Limit::default(), &mut memory)
                };
                found.push(answer.closest.expect("no limit"));
            }
            let mean = start.elapsed().as_secs_f64() / poses.len() as f64;
            self.took[which] = self.took[which].min(mean * 1e6);
            self.found[which] = found.iter().map(|c| c.distance).collect();
        }
    }

    /// What the reference library needs goes to the folder.
    fn told(&self, folder: &Path) -> serde_json::Value {
        let name = &self.name;
        let put = |what: &str, numbers: Vec<f64>| {
            let bytes: Vec<u8> = numbers.iter().flat_map(|x| x.to_le_bytes()).collect();
            std::fs::write(folder.join(format!("{name}.{what}")), bytes)
                .expect("a folder to write to");
        };
        for (which, surface) in [("a", self.bodies.0), ("b", self.bodies.1)] {
            let mesh = surface.mesh();
            let corners = (0..mesh.triangles().len()).flat_map(|i| mesh.corners(i));
            put(which, corners.flat_map(|p| [p.x, p.y, p.z]).collect());
        }
        for (which, poses) in [("apart", &self.apart), ("close", &self.close)] {
            let rows = poses.iter().flat_map(|pose| {
                let m = pose.to_homogeneous();
                (0..3).flat_map(move |row| [0, 1, 2, 3].map(|column| m[(row, column)]))
            });
            put(which, rows.collect());
        }
        let ([cold, warm], [distances, along]) = (self.took, &self.found);
        serde_json::json!({ "name": name, "cold_us": cold, "warm_us": warm, "distances_m": distances, "along_m": along })
    }
}

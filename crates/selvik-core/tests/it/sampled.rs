//! The certified sweep beside `coal`, which samples the same paths every 0.1 ms. The golden file is written by
//! `tools/reference/sampled.py`.

use nalgebra::{Quaternion, Translation3, UnitQuaternion};
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{Progress, SweepOptions, Verdict, sweep};
use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::program::Path;
use selvik_core::robot::{Assembly, JointKind};
use selvik_core::spatial::{Point, Pose, Vector};
use serde::Deserialize;

use super::certified_sweep::{TOLERANCE, chain_of, rules};

#[derive(Deserialize)]
struct Golden {
    cases: Vec<Case>,
}

#[derive(Deserialize)]
struct Case {
    kind: String,
    base: [f64; 7],
    post_at: [f64; 7],
    joints: Vec<JointSaid>,
    times_s: Vec<f64>,
    knots: Vec<Vec<f64>>,
    mover: Mesh,
    post: Mesh,
    /// The smallest distance of all samples.
    least_m: f64,
    /// The largest difference between one sample and the next.
    between_m: f64,
}

#[derive(Deserialize)]
struct JointSaid {
    slides: bool,
    axis: [f64; 3],
    at: [f64; 7],
}

/// Vertices, m, and triangles.
#[derive(Deserialize)]
struct Mesh(Vec<[f64; 3]>, Vec<[u32; 3]>);

fn pose([x, y, z, i, j, k, w]: [f64; 7]) -> Pose {
    let turned = UnitQuaternion::from_quaternion(Quaternion::new(w, i, j, k));
    Pose::from_parts(Translation3::new(x, y, z), turned)
}

fn read(Mesh(vertices, triangles): &Mesh) -> TriangleMesh {
    let vertices: Vec<Point> = vertices.iter().map(|&v| v.into()).collect();
    let read = TriangleMesh::from_indexed(&vertices, triangles);
    read.expect("a mesh").mesh
}

impl Case {
    fn assembly(&self) -> Assembly {
        let joint = |j: &JointSaid| {
            let kind = match j.slides {
                true => JointKind::Prismatic,
                false => JointKind::Revolute,
            };
            (kind, Vector::from(j.axis), pose(j.at))
        };
        let joints: Vec<_> = self.joints.iter().map(joint).collect();
        let mover = Item::new("mover", Role::Fixture).at(pose(self.base));
        let post = Item::new("post", Role::Fixture).at(pose(self.post_at));
        let post = post.with_body(Surface::new(read(&self.post)));
        let mechanisms = [("mover".into(), chain_of(&joints, read(&self.mover)))];
        Assembly::new(Cell::new(vec![mover, post]).unwrap(), mechanisms.into()).unwrap()
    }

    fn path(&self) -> Path {
        let (times, values) = (self.times_s.clone(), self.knots.concat());
        Path::new(self.joints.len(), times, values, Vec::new())
    }
}

#[test]
fn no_sample_goes_below_the_certified_bound_and_what_is_attained_is_no_farther() {
    let golden: Golden = serde_json::from_str(include_str!("../golden/sampled.json")).unwrap();
    assert_eq!(golden.cases.len(), 64);
    for (nth, case) in golden.cases.iter().enumerate() {
        let (assembly, path) = (case.assembly(), case.path());
        let swept = |required: f64| {
            let options = SweepOptions::every_pair(TOLERANCE);
            let rules = rules(required, required);
            let found = sweep(&assembly, &path, &rules, &options, &Progress::default());
            found.pairs[0].clone()
        };
        let said = format!("{} {nth}", case.kind);
        let found = swept(1e-3).clearance;
        // Both work out where bodies 2 km away stand, in double precision.
        let rounding = 1e-8;
        assert!(
            found.lower() <= case.least_m + rounding,
            "{said}: {found:?} {}",
            case.least_m
        );
        assert!(found.width() <= TOLERANCE + 1e-9, "{said}: {found:?}");
        assert!(
            found.attained() <= case.least_m + TOLERANCE,
            "{said}: {found:?} {}",
            case.least_m
        );
        // Between two samples they come no nearer than the whole way from one to the next; or one is inside the other.
        let nearest = case.least_m - case.between_m - TOLERANCE;
        assert!(
            found.attained() >= nearest || found.attained() == 0.0,
            "{said}: {found:?}"
        );
        // What is sampled below a limit breaks it, and nothing holds that is not so.
        let broken = swept(case.least_m + 5e-6);
        assert_eq!(broken.verdict, Verdict::Broken, "{said}: {broken:?}");
        if found.lower() > 2e-6 {
            let kept = swept(found.lower() - 1e-6);
            assert_eq!(kept.verdict, Verdict::Meets, "{said}: {kept:?}");
        }
    }
}

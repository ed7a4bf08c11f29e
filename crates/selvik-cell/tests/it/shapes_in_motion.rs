//! Random bodies of boxes, balls, capsules and cylinders pass each other. What lies in a shape is told here by its formula
//! alone: wherever a point lies in both bodies, the sweep must have found them touching, at that time.

use proptest::prelude::*;
use selvik_cell::Workcell;
use selvik_cell::document::document_from_slice;
use selvik_cell::report::{Verdict, sweep_report};
use selvik_core::clearance::{Progress, SweepOptions, sweep};
use selvik_core::spatial::{Point, Pose, pose_from_rpy};
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

const SLIDE: &str = r#"<robot name="slide"><link name="rail"/><link name="carriage"/>
  <joint name="j" type="prismatic"><parent link="rail"/><child link="carriage"/><axis xyz="1 0 0"/>
  <limit lower="-5" upper="5" velocity="1"/></joint></robot>"#;

#[derive(Debug, Clone)]
struct Piece {
    kind: usize,
    /// mm
    size: [f64; 3],
    at: [f64; 3],
    rpy_deg: [f64; 3],
}

impl Piece {
    fn document(&self) -> Value {
        let [a, b, c] = self.size;
        let shape = match self.kind {
            0 => json!({ "box": { "size_mm": [a, b, c] } }),
            1 => json!({ "sphere": { "radius_mm": a } }),
            2 => json!({ "capsule": { "radius_mm": a, "length_mm": b } }),
            _ => json!({ "cylinder": { "radius_mm": a, "length_mm": b } }),
        };
        json!({ "shape": shape, "pose": { "xyz_mm": self.at, "rpy_deg": self.rpy_deg } })
    }

    fn pose(&self) -> Pose {
        pose_from_rpy(self.at, self.rpy_deg.map(f64::to_radians))
    }

    /// Whether a point of its own frame, mm, lies in it.
    fn holds(&self, p: &Point) -> bool {
        let [a, b, c] = self.size;
        match self.kind {
            0 => p.x.abs() <= a / 2.0 && p.y.abs() <= b / 2.0 && p.z.abs() <= c / 2.0,
            1 => p.coords.norm() <= a,
            2 => {
                let foot = Point::new(0.0, 0.0, p.z.clamp(-b / 2.0, b / 2.0));
                (p - foot).norm() <= a
            }
            _ => p.x.hypot(p.y) <= a && p.z.abs() <= b / 2.0,
        }
    }
}

fn pieces() -> impl Strategy<Value = Vec<Piece>> {
    let piece = (
        0usize..4,
        prop::array::uniform3(20.0f64..120.0),
        prop::array::uniform3(-100.0f64..100.0),
        prop::array::uniform3(-180.0f64..180.0),
    );
    prop::collection::vec(
        piece.prop_map(|(kind, size, at, rpy_deg)| Piece {
            kind,
            size,
            at,
            rpy_deg,
        }),
        1..4,
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn a_point_in_both_is_a_touch_that_is_found(
        mover in pieces(),
        fixed in pieces(),
        aside in prop::array::uniform2(-150.0f64..150.0),
        points in prop::collection::vec(prop::array::uniform3(-1.0f64..1.0), 200),
    ) {
        let bodies = |of: &[Piece]| -> Vec<Value> { of.iter().map(Piece::document).collect() };
        let cell = json!({ "format": "selvik-cell/1", "name": "A cell",
            "items": [
                { "id": "slide", "name": "Slide", "role": "structure", "mechanism": { "from": { "urdf": "slide.urdf" } } },
                { "id": "tcp", "name": "TCP", "role": "frame", "parent": "slide", "on_link": "carriage" },
                { "id": "mover", "name": "Mover", "role": "part", "parent": "slide", "on_link": "carriage", "bodies": bodies(&mover) },
                { "id": "fixed", "name": "Fixed", "role": "part", "pose": { "xyz_mm": [500.0, aside[0], aside[1]] }, "bodies": bodies(&fixed) }],
            "rules": [{ "id": "r", "name": "apart", "between": ["mover"], "and": ["fixed"], "required_mm": 1.0, "tight_below_mm": 2.0 }],
            "programs": [{ "id": "p", "name": "P", "robot": "slide", "tcp": "tcp",
                "moves": [{ "move": "joint", "joints_deg_or_mm": [1000.0], "speed_percent": 100.0 }] }],
            "run_plan": { "lanes": [{ "programs": ["p"] }] } });
        let mut files = PackageFiles::default();
        files.insert("slide.urdf", SLIDE.as_bytes().to_vec()).unwrap();
        let document = document_from_slice(cell.to_string().as_bytes()).expect("a sound document");
        let workcell = Workcell::from_document(document, &files).expect("a sound cell");
        let path = workcell.path().expect("it runs");
        let options = SweepOptions::default();
        let found = sweep(&workcell.assembly, &path, &workcell.rules, &options, &Progress::default());
        let report = sweep_report(&workcell, &path, &found, options.tolerance);
        let pair = &report.pairs[0];
        for step in 0..=100 {
            let time = path.duration() * f64::from(step) / 100.0;
            let gone = path.at(time)[0] * 1e3;
            let stands = Pose::translation(500.0, aside[0], aside[1]);
            let in_both = mover.iter().any(|m| {
                let placed = Pose::translation(gone, 0.0, 0.0) * m.pose();
                let largest = m.size.iter().copied().fold(0.0, f64::max) + m.size[1];
                let own = points.iter().map(|p| Point::from(p.map(|x| x * largest))).filter(|p| m.holds(p));
                own.into_iter().any(|p| {
                    let world = placed * p;
                    fixed.iter().any(|f| f.holds(&((stands * f.pose()).inverse() * world)))
                })
            });
            if in_both {
                prop_assert_eq!(pair.verdict, Verdict::Broken, "at {} s", time);
                let at_that_time = |i: &selvik_cell::report::IntervalReport| i.start_s[0] <= time && time <= i.end_s[1];
                prop_assert!(pair.touching.iter().any(at_that_time), "{} s is not among {:?}", time, pair.touching);
                prop_assert!(pair.broken.iter().any(at_that_time));
            }
        }
    }
}

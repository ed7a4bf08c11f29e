//! What the robots run.

use indexmap::IndexMap;
use selvik_cell::document::{
    CellDocument, LaneDocument, MoveDocument, ProgramDocument, RunPlanDocument, TargetDocument,
};
use selvik_formats::PackageFiles;
use selvik_formats::targets_csv::{TargetRow, write_targets};

use crate::kit::pose;

/// Adds the three programs, their targets and the run plan.
pub fn add(document: &mut CellDocument, files: &mut PackageFiles) {
    let seal = seal_flange(files);
    document.programs = vec![purge_nozzle(), seal, load_housing()];
    document.run_plan = RunPlanDocument {
        lanes: vec![
            LaneDocument {
                programs: vec!["purge".to_owned(), "seal".to_owned()],
                start_s: 0.0,
            },
            LaneDocument {
                programs: vec!["load".to_owned()],
                start_s: 1.0,
            },
        ],
    };
}

fn target(id: &str, frame: Option<&str>, xyz: [f64; 3], rpy: [f64; 3]) -> TargetDocument {
    TargetDocument {
        id: id.to_owned(),
        frame: frame.map(str::to_owned),
        pose: pose(xyz, rpy),
    }
}

fn joint(to: &str, speed_percent: f64) -> MoveDocument {
    joint_with(to, speed_percent, &[])
}

fn joint_with(to: &str, speed_percent: f64, also: &[(&str, f64)]) -> MoveDocument {
    MoveDocument::Joint {
        to: Some(to.to_owned()),
        joints_deg_or_mm: None,
        speed_percent,
        posture: None,
        also_deg_or_mm: also.iter().map(|&(k, v)| (k.to_owned(), v)).collect(),
    }
}

fn values(joints: [f64; 6], speed_percent: f64, also: &[(&str, f64)]) -> MoveDocument {
    MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: Some(joints.to_vec()),
        speed_percent,
        posture: None,
        also_deg_or_mm: also.iter().map(|&(k, v)| (k.to_owned(), v)).collect(),
    }
}

fn linear(to: &str, speed_mm_s: f64) -> MoveDocument {
    MoveDocument::Linear {
        to: to.to_owned(),
        speed_mm_s,
        acceleration_mm_s2: None,
        also_deg_or_mm: IndexMap::new(),
    }
}

fn circular(via: &str, to: &str, speed_mm_s: f64) -> MoveDocument {
    MoveDocument::Circular {
        via: via.to_owned(),
        to: to.to_owned(),
        speed_mm_s,
        acceleration_mm_s2: None,
    }
}

/// The lance points straight down when the TCP is turned over.
const DOWN: [f64; 3] = [180.0, 0.0, 0.0];

fn purge_nozzle() -> ProgramDocument {
    let cup = |z: f64| [-40.0, 0.0, z];
    let down = [180.0, 0.0, 180.0];
    ProgramDocument {
        id: "purge".to_owned(),
        name: "Purge nozzle".to_owned(),
        robot: "r1".to_owned(),
        tcp: Some("tcp-nozzle".to_owned()),
        targets: vec![
            target("P1", Some("purge-cup"), cup(930.0), down),
            target("P2", Some("purge-cup"), cup(790.0), down),
        ],
        targets_csv: None,
        moves: vec![
            joint("P1", 45.0),
            linear("P2", 200.0),
            MoveDocument::Wait { seconds: 1.2 },
            linear("P1", 250.0),
        ],
    }
}

fn seal_flange(files: &mut PackageFiles) -> ProgramDocument {
    let face = Some("seal-face-a");
    let ring = |bearing: f64, z: f64| {
        let (s, c) = f64::to_radians(bearing).sin_cos();
        [80.0 * c, 80.0 * s, z]
    };
    // The sensor beside the lance stays on the outside of the ring while it goes round.
    let lean = |bearing: f64| [180.0, -8.0, bearing];
    let mut targets = vec![
        target("T1", face, [-80.0, 0.0, 140.0], lean(180.0)),
        target("T2", face, ring(180.0, 2.0), lean(180.0)),
    ];
    for (id, bearing) in [
        ("T3", 135.0),
        ("T4", 90.0),
        ("T5", 45.0),
        ("T6", 0.0),
        ("T7", -45.0),
        ("T8", -90.0),
        ("T9", -135.0),
    ] {
        targets.push(target(id, face, ring(bearing, 2.0), lean(bearing)));
    }
    targets.push(target("T10", face, [-80.0, 30.0, 150.0], lean(180.0)));
    let rows: Vec<TargetRow> = targets.iter().map(TargetRow::from).collect();
    files
        .insert("programs/seal_flange.csv", write_targets(&rows))
        .expect("a plain name");
    ProgramDocument {
        id: "seal".to_owned(),
        name: "Seal flange".to_owned(),
        robot: "r1".to_owned(),
        tcp: Some("tcp-nozzle".to_owned()),
        targets: vec![
            target("M1", None, [560.0, 330.0, 1150.0], [168.0, 0.0, 0.0]),
            target("FAR", None, [1190.0, -545.0, 1010.0], [180.0, -20.0, -20.0]),
            target("HOME", None, [520.0, -420.0, 1080.0], DOWN),
        ],
        targets_csv: Some("programs/seal_flange.csv".to_owned()),
        moves: vec![
            joint("M1", 40.0),
            joint("T1", 40.0),
            linear("T2", 150.0),
            circular("T3", "T4", 60.0),
            circular("T5", "T6", 60.0),
            circular("T7", "T8", 60.0),
            circular("T9", "T2", 60.0),
            linear("T10", 300.0),
            joint("FAR", 35.0),
            joint("HOME", 50.0),
            values([-40.0, -20.0, 20.0, 0.0, 60.0, 0.0], 50.0, &[]),
        ],
    }
}

fn load_housing() -> ProgramDocument {
    let slide = |y: f64| [("track/slide", y)];
    let seat = |z: f64| target_seat(z);
    ProgramDocument {
        id: "load".to_owned(),
        name: "Load housing".to_owned(),
        robot: "r2".to_owned(),
        tcp: Some("tcp-gripper".to_owned()),
        targets: vec![
            target(
                "R1",
                Some("rack"),
                [380.0, -40.0, 1310.0],
                [180.0, 0.0, 90.0],
            ),
            target(
                "R2",
                Some("housing-r1"),
                [0.0, 0.0, 200.0],
                [180.0, 0.0, 65.0],
            ),
            seat(460.0),
            TargetDocument {
                id: "B2".to_owned(),
                ..seat(200.0)
            },
        ],
        targets_csv: None,
        moves: vec![
            joint_with("R1", 45.0, &slide(950.0)),
            linear("R2", 180.0),
            MoveDocument::Wait { seconds: 0.8 },
            MoveDocument::Take {
                item: "housing-r1".to_owned(),
                by: None,
                touching_moves: 2,
            },
            linear("R1", 250.0),
            values([0.0, -25.0, 25.0, 0.0, 60.0, 0.0], 45.0, &slide(-250.0)),
            joint("B1", 40.0),
            linear("B2", 160.0),
            MoveDocument::Wait { seconds: 0.8 },
            MoveDocument::Release {
                item: "housing-r1".to_owned(),
                onto: Some("fixture-b".to_owned()),
                touching_moves: 2,
            },
            linear("B1", 250.0),
            values([0.0, -25.0, 25.0, 0.0, 60.0, 0.0], 45.0, &[]),
        ],
    }
}

fn target_seat(z: f64) -> TargetDocument {
    target("B1", Some("seat-b"), [0.0, 0.0, z], [180.0, 0.0, 65.0])
}

//! A cell of the size at which things get slow: 1,000,000 triangles, 1,200 standing items, 8 moving
//! bodies, a run plan of 60 s.

use std::f64::consts::TAU;

use selvik_cell::Workcell;
use selvik_cell::document::{
    BodyDocument, CellDocument, FORMAT, ItemDocument, LaneDocument, MechanismDocument,
    MechanismSource, MoveDocument, PoseDocument, ProgramDocument, RoleDocument, RuleDocument,
    RunPlanDocument, ShapeDocument, write_document,
};
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, UpAxis};

use crate::kit::{pose, stl, turned};

/// Standing items.
pub const STANDING: usize = 1200;
/// Length of the run plan, s.
pub const DURATION: f64 = 60.0;

/// The whole package.
///
/// # Panics
/// If the generator no longer fits the reader: its own test says so first.
#[must_use]
pub fn stress_package() -> PackageFiles {
    stress_package_of(1.0)
}

/// The same with so many times the triangles on what stands.
///
/// # Panics
/// As above.
#[must_use]
pub fn stress_package_of(times: f64) -> PackageFiles {
    let mut files = PackageFiles::default();
    crate::arm::write(&mut files);
    crate::equipment::write_tools(&mut files);
    for (index, mesh) in vessels(times).into_iter().enumerate() {
        files
            .insert(&format!("meshes/vessel-{index}.stl"), mesh)
            .expect("a plain name");
    }
    let mut document = document();
    let long = Workcell::from_document(document.clone(), &files).expect("readable");
    let driven = long.path().expect("it can be run").duration();
    document.programs[0].moves.push(MoveDocument::Wait {
        seconds: DURATION - driven,
    });
    files
        .insert("cell.json", write_document(&document))
        .expect("a plain name");
    files
}

/// Turned vessels of 826 triangles each, or so many times that; six kinds.
fn vessels(times: f64) -> Vec<Vec<u8>> {
    let finer = |of: f64| (of * times.sqrt()).round();
    let (rows, facets) = (finer(8.0), finer(46.0) as usize);
    let vessel = |kind: usize| {
        let bulge =
            |z: f64| 60.0 + 30.0 * (z / 300.0 * TAU * (1.0 + kind as f64 * 0.3)).sin().abs();
        let mut profile = vec![(0.0, 0.0)];
        let heights = (0..=rows as u32).map(|i| f64::from(i) / rows * 300.0);
        profile.extend(heights.map(|z| (bulge(z), z)));
        profile.push((0.0, 300.0));
        stl(vec![turned(&profile, facets)])
    };
    (0..6).map(vessel).collect()
}

fn item(id: String, role: RoleDocument, at: PoseDocument, file: Option<&str>) -> ItemDocument {
    let body = file.map(|file| BodyDocument {
        shape: ShapeDocument::Mesh {
            file: file.to_owned(),
            unit: LengthUnit::Mm,
            up: UpAxis::Z,
        },
        pose: PoseDocument::default(),
    });
    ItemDocument {
        pose: at,
        bodies: body.into_iter().collect(),
        ..ItemDocument::new(id.clone(), id, role)
    }
}

fn document() -> CellDocument {
    let standing_still = PoseDocument::default();
    let mut robot = item(
        "robot".to_owned(),
        RoleDocument::Robot,
        standing_still,
        None,
    );
    let urdf = MechanismSource::Urdf(crate::arm::URDF.to_owned());
    robot.mechanism = Some(MechanismDocument::as_described(urdf));
    let mut nozzle = item(
        "nozzle".to_owned(),
        RoleDocument::Tool,
        standing_still,
        Some("meshes/nozzle.stl"),
    );
    nozzle.parent = Some("robot".to_owned());
    nozzle.on_link = Some("interface".to_owned());
    let mut bracket = item(
        "bracket".to_owned(),
        RoleDocument::Tool,
        standing_still,
        Some("meshes/hose_bracket.stl"),
    );
    bracket.parent = Some("nozzle".to_owned());
    let mut items = vec![robot, nozzle, bracket];
    // Rings of vessels round the arm, the nearest within its reach, stacked on five levels.
    let (rings, levels) = (12, 5);
    let round = STANDING / rings / levels;
    for index in 0..STANDING {
        let (ring, level, place) = (
            index / (levels * round),
            index / round % levels,
            index % round,
        );
        let radius = 1500.0 + 420.0 * ring as f64;
        let (sin, cos) = (TAU * (place as f64 + 0.5 * (ring % 2) as f64) / round as f64).sin_cos();
        let at = pose([radius * cos, radius * sin, 420.0 * level as f64], [0.0; 3]);
        let file = format!("meshes/vessel-{}.stl", index % 6);
        items.push(item(
            format!("vessel-{index}"),
            RoleDocument::Structure,
            at,
            Some(&file),
        ));
    }
    CellDocument {
        format: FORMAT.to_owned(),
        name: "Stress cell".to_owned(),
        items,
        rules: vec![RuleDocument {
            id: "robot-any".to_owned(),
            name: "Robot to everything".to_owned(),
            between: vec!["robot".to_owned()],
            and: Vec::new(),
            required_mm: 10.0,
            tight_below_mm: 15.0,
        }],
        may_touch: Vec::new(),
        reach_rule: None,
        programs: vec![program()],
        run_plan: RunPlanDocument {
            lanes: vec![LaneDocument {
                programs: vec!["round".to_owned()],
                start_s: 0.0,
            }],
        },
        views: Vec::new(),
        visibility_sets: Vec::new(),
        opening_view: None,
        tours: Vec::new(),
        sections: Vec::new(),
        findings: Vec::new(),
    }
}

fn program() -> ProgramDocument {
    let to = |joints: [f64; 6]| MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: Some(joints.to_vec()),
        speed_percent: 15.0,
        posture: None,
        also_deg_or_mm: indexmap::IndexMap::new(),
    };
    let reaches = [(20.0, -10.0), (55.0, -60.0), (10.0, 30.0), (70.0, -100.0)];
    let moves = (0..14).map(|i| {
        let (upper, fore) = reaches[i % reaches.len()];
        let turn = (i * 50 % 340) as f64 - 170.0;
        to([turn, upper, fore, 10.0 * i as f64 - 70.0, 40.0, 90.0])
    });
    ProgramDocument {
        id: "round".to_owned(),
        name: "Round".to_owned(),
        robot: "robot".to_owned(),
        tcp: Some("nozzle".to_owned()),
        targets: Vec::new(),
        targets_csv: None,
        moves: moves.collect(),
    }
}

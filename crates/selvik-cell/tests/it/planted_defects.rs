//! Random cells, each with one defect planted in it, are never said to hold. `SELVIK_CELLS=2000` tries so many.

use proptest::prelude::*;
use selvik_cell::Workcell;
use selvik_cell::document::document_from_slice;
use selvik_cell::report::{Verdict, reach_report, sweep_report};
use selvik_core::clearance::{Progress, SweepOptions, sweep};
use selvik_core::mesh::{TriangleMesh, box_mesh, sphere_mesh};
use selvik_core::spatial::{Point, Vector, pose_from_rpy};
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::{Value, json};

#[derive(Debug, Clone, Copy)]
enum Defect {
    /// The shell round a buried body has a crack of a rounding step.
    Crack,
    /// One of its triangles is turned over.
    TurnedTriangle,
    /// It lacks some triangles.
    Holes,
    /// Nothing is wrong with it: the body is buried all the same.
    Buried,
    /// What a carriage carries runs into a stop on the same slide.
    CargoAndStop,
    /// Two things that never move stand in each other.
    StaticPair,
    /// An arm's base is moved by another lane while it goes to a pose in the world.
    MovedBase,
    /// The wrist passes its singularity and the forearm swings out into a post.
    SingularPass,
    /// A rule names nothing that has a body.
    EmptyRule,
}

const DEFECTS: [Defect; 9] = [
    Defect::Crack,
    Defect::TurnedTriangle,
    Defect::Holes,
    Defect::Buried,
    Defect::CargoAndStop,
    Defect::StaticPair,
    Defect::MovedBase,
    Defect::SingularPass,
    Defect::EmptyRule,
];

/// An arm of three upright and three wrist axes, its wrist bent at zero by nothing.
const ARM: &str = r#"<robot name="arm">
  <link name="base"/><link name="l1"/><link name="l2"><visual><origin xyz="0 0 0.2"/><geometry><box size="0.08 0.08 0.3"/></geometry></visual></link>
  <link name="l3"/><link name="l4"><visual><origin xyz="0.06 0 0.2"/><geometry><box size="0.2 0.06 0.06"/></geometry></visual></link>
  <link name="l5"/><link name="l6"/>
  <joint name="j1" type="revolute"><parent link="base"/><child link="l1"/><axis xyz="0 0 1"/><limit lower="-6" upper="6" velocity="3"/></joint>
  <joint name="j2" type="revolute"><parent link="l1"/><child link="l2"/><origin xyz="0.1 0 0.4"/><axis xyz="0 1 0"/><limit lower="-6" upper="6" velocity="3"/></joint>
  <joint name="j3" type="revolute"><parent link="l2"/><child link="l3"/><origin xyz="0 0 0.5"/><axis xyz="0 1 0"/><limit lower="-6" upper="6" velocity="3"/></joint>
  <joint name="j4" type="revolute"><parent link="l3"/><child link="l4"/><axis xyz="0 0 1"/><limit lower="-6" upper="6" velocity="3"/></joint>
  <joint name="j5" type="revolute"><parent link="l4"/><child link="l5"/><origin xyz="0 0 0.5"/><axis xyz="0 1 0"/><limit lower="-6" upper="6" velocity="3"/></joint>
  <joint name="j6" type="revolute"><parent link="l5"/><child link="l6"/><axis xyz="0 0 1"/><limit lower="-6" upper="6" velocity="3"/></joint>
</robot>"#;

const SLIDE: &str = r#"<robot name="slide"><link name="rail"/><link name="carriage"/>
  <joint name="j" type="prismatic"><parent link="rail"/><child link="carriage"/><axis xyz="1 0 0"/><limit lower="-5" upper="5" velocity="1"/></joint></robot>"#;

fn body(id: &str, at: [f64; 3], rpy: [f64; 3], shape: Value) -> Value {
    json!({ "id": id, "name": id, "role": "fixture", "pose": { "xyz_mm": at, "rpy_deg": rpy }, "bodies": [{ "shape": shape }] })
}

fn cube(size: f64) -> Value {
    json!({ "box": { "size_mm": [size, size, size] } })
}

fn rule(between: &[&str], and: &[&str]) -> Value {
    json!({ "id": "r", "name": "apart", "between": between, "and": and, "required_mm": 5.0, "tight_below_mm": 8.0 })
}

fn mechanism(id: &str, urdf: &str) -> Value {
    json!({ "id": id, "name": id, "role": "robot", "mechanism": { "from": { "urdf": urdf } } })
}

fn frame(id: &str, parent: &str, link: &str) -> Value {
    json!({ "id": id, "name": id, "role": "frame", "parent": parent, "on_link": link })
}

fn shell(defect: Defect, facets: usize, which: usize) -> TriangleMesh {
    let mesh = if facets.is_multiple_of(2) {
        sphere_mesh(0.5, facets)
    } else {
        box_mesh([0.9, 0.8, 1.0])
    };
    let count = mesh.triangles().len();
    match defect {
        Defect::TurnedTriangle => mesh.turned_over(|i| i == which % count),
        Defect::Crack => {
            let mut soup: Vec<[Point; 3]> = (0..count).map(|i| mesh.corners(i)).collect();
            let corner = &mut soup[which % count][which % 3];
            corner.y = f64::from((corner.y as f32).next_down());
            TriangleMesh::from_soup(soup).expect("a mesh").mesh
        }
        Defect::Holes => {
            let kept: Vec<[u32; 3]> = (0..count)
                .filter(|i| (i + which) % 17 != 3)
                .map(|i| mesh.triangles()[i])
                .collect();
            TriangleMesh::from_indexed(mesh.vertices(), &kept)
                .expect("a mesh")
                .mesh
        }
        _ => mesh,
    }
}

/// The cell and its meshes.
fn planted(
    defect: Defect,
    at: [f64; 3],
    rpy: [f64; 3],
    facets: usize,
    which: usize,
) -> (Value, Option<TriangleMesh>) {
    let mut cell = json!({ "format": "selvik-cell/1", "name": "A cell" });
    let mut mesh = None;
    match defect {
        Defect::Crack | Defect::TurnedTriangle | Defect::Holes | Defect::Buried => {
            mesh = Some(shell(defect, facets, which));
            let inside = Vector::new(at[0], at[1], at[2]) * 0.1;
            let placed = pose_from_rpy(at, rpy.map(f64::to_radians)).rotation * inside;
            let inner: [f64; 3] = std::array::from_fn(|i| at[i] + placed[i]);
            cell["items"] = json!([
                body("outer", at, rpy, json!({ "mesh": { "file": "shell.stl" } })),
                body("inner", inner, rpy, cube(30.0))
            ]);
            cell["rules"] = json!([rule(&["inner"], &[])]);
        }
        Defect::CargoAndStop => {
            let mut cargo = body("cargo", [0.0; 3], rpy, cube(60.0));
            cargo["parent"] = "slide".into();
            cargo["on_link"] = "carriage".into();
            let mut stop = body(
                "stop",
                [500.0 + at[0] * 0.5, 0.0, 0.0],
                [0.0; 3],
                cube(50.0),
            );
            stop["parent"] = "slide".into();
            cell["items"] = json!([
                mechanism("slide", "slide.urdf"),
                frame("tcp", "slide", "carriage"),
                cargo,
                stop
            ]);
            cell["rules"] = json!([rule(&["slide"], &[])]);
            cell["programs"] = json!([{ "id": "p", "name": "P", "robot": "slide", "tcp": "tcp",
                "moves": [{ "move": "joint", "joints_deg_or_mm": [1000.0], "speed_percent": 100.0 }] }]);
            cell["run_plan"] = json!({ "lanes": [{ "programs": ["p"] }] });
        }
        Defect::StaticPair => {
            let other = [at[0] + 20.0, at[1], at[2]];
            cell["items"] = json!([
                body("a", at, rpy, cube(60.0)),
                body(
                    "b",
                    other,
                    [0.0; 3],
                    json!({ "sphere": { "radius_mm": 25.0 } })
                )
            ]);
            cell["rules"] = json!([rule(&["a", "b"], &["b"])]);
        }
        Defect::MovedBase => {
            let mut arm = mechanism("arm", "arm.urdf");
            arm["parent"] = "slide".into();
            arm["on_link"] = "carriage".into();
            cell["items"] = json!([
                mechanism("slide", "slide.urdf"),
                frame("on-slide", "slide", "carriage"),
                arm,
                frame("tcp", "arm", "l6"),
                body("post", [9000.0, 0.0, 0.0], rpy, cube(50.0))
            ]);
            cell["rules"] = json!([rule(&["arm"], &["post"])]);
            cell["programs"] = json!([
                { "id": "s", "name": "S", "robot": "slide", "tcp": "on-slide",
                  "moves": [{ "move": "joint", "joints_deg_or_mm": [600.0 + at[0]], "speed_percent": 100.0 }] },
                { "id": "a", "name": "A", "robot": "arm", "tcp": "tcp",
                  "targets": [{ "id": "t", "pose": { "xyz_mm": [500.0, 100.0, 700.0] } }],
                  "moves": [{ "move": "joint", "to": "t", "speed_percent": 50.0 }] }]);
            cell["run_plan"] = json!({ "lanes": [{ "programs": ["s"] }, { "programs": ["a"] }] });
        }
        Defect::SingularPass => {
            // The wrist bends from one side to the other past straight: joints 4 and 6 turn half round in between, and
            // link 4, whose end stands out sideways, sweeps through the post.
            let off = 0.01 + f64::from(which as u32 % 40) * 0.02;
            cell["items"] = json!([
                mechanism("arm", "arm.urdf"),
                frame("tcp", "arm", "l6"),
                body(
                    "post",
                    [0.0, 0.0, 0.0],
                    [0.0; 3],
                    json!({ "sphere": { "radius_mm": 20.0 } })
                )
            ]);
            cell["rules"] = json!([rule(&["arm"], &["post"])]);
            cell["programs"] = json!([{ "id": "p", "name": "P", "robot": "arm", "tcp": "tcp", "targets": [], "moves": [
                { "move": "joint", "joints_deg_or_mm": [0.0, 0.0, 90.0, 0.0, 20.0, 0.0], "speed_percent": 100.0 },
                { "move": "linear", "to": "t", "speed_mm_s": 200.0 }] }]);
            cell["run_plan"] = json!({ "lanes": [{ "programs": ["p"] }] });
            cell["off"] = off.into();
        }
        Defect::EmptyRule => {
            cell["items"] = json!([body("a", at, rpy, cube(60.0)), { "id": "f", "name": "f", "role": "frame" }]);
            cell["rules"] = json!([rule(&["f"], &["a"])]);
        }
    }
    (cell, mesh)
}

/// Turns the wrist of the singular pass, and puts the post where link 4 sweeps.
fn finish_singular_pass(cell: &mut Value, files: &PackageFiles) {
    let off = cell
        .as_object_mut()
        .expect("an object")
        .remove("off")
        .and_then(|o| o.as_f64())
        .expect("an angle");
    let mut start = cell.clone();
    start["programs"] = json!([]);
    start["run_plan"] = json!({});
    let workcell = Workcell::from_document(
        document_from_slice(start.to_string().as_bytes()).expect("sound"),
        files,
    )
    .expect("sound");
    let assembly = &workcell.assembly;
    let tcp = assembly.item_node(1);
    let bend = |five: f64| [0.0, 0.0, 90f64, 0.0, five, 0.0].map(f64::to_radians);
    // From 20° to −20° about axis 5, leaning `off` degrees to the side, so that straight is missed by that much.
    let from = assembly.pose_of(tcp, &bend(20.0));
    let to = assembly.pose_of(tcp, &bend(-20.0));
    let side =
        nalgebra::UnitQuaternion::from_axis_angle(&nalgebra::Vector3::z_axis(), off.to_radians());
    let lean = |p: &selvik_core::spatial::Pose| {
        selvik_core::spatial::Pose::from_parts(p.translation, side * p.rotation)
    };
    let (a, b) = (lean(&from), lean(&to));
    let target = |id: &str, p: &selvik_core::spatial::Pose| {
        let d = selvik_cell::document::PoseDocument::from_pose(p);
        json!({ "id": id, "pose": { "xyz_mm": d.xyz_mm, "rpy_deg": d.rpy_deg } })
    };
    cell["programs"][0]["targets"] = json!([target("a", &a), target("t", &b)]);
    cell["programs"][0]["moves"][0] = json!({ "move": "joint", "to": "a", "speed_percent": 100.0,
        "posture": { "front": true, "elbow_up": true, "wrist_positive": true } });
    // Link 4 points along X at 90°; its arm stands out along −Z there, and when axis 4 is a quarter round, along Y.
    let mut q = bend(0.0);
    q[3] = std::f64::consts::FRAC_PI_2;
    let link = assembly.link_node(0, "l4").expect("it is there");
    let swept = assembly.pose_of(link, &q) * Point::new(0.12, 0.0, 0.2);
    let mirrored = assembly.pose_of(link, &{
        let mut q = bend(0.0);
        q[3] = -std::f64::consts::FRAC_PI_2;
        q
    }) * Point::new(0.12, 0.0, 0.2);
    let posts = [swept, mirrored].map(|p| json!({ "shape": { "sphere": { "radius_mm": 20.0 } }, "pose": { "xyz_mm": [p.x * 1e3, p.y * 1e3, p.z * 1e3] } }));
    cell["items"][2]["bodies"] = json!(posts);
}

fn cases() -> u32 {
    std::env::var("SELVIK_CELLS")
        .ok()
        .and_then(|n| n.parse().ok())
        .unwrap_or(100)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), max_shrink_iters: 50, ..ProptestConfig::default() })]

    #[test]
    fn no_cell_with_a_defect_is_said_to_hold(
        which_defect in 0usize..DEFECTS.len(),
        at in prop::array::uniform3(-400.0f64..400.0),
        rpy in prop::array::uniform3(-180.0f64..180.0),
        facets in 8usize..40,
        which in 0usize..10_000,
    ) {
        let defect = DEFECTS[which_defect];
        let (mut cell, mesh) = planted(defect, at, rpy, facets, which);
        let mut files = PackageFiles::default();
        files.insert("arm.urdf", ARM.as_bytes().to_vec()).unwrap();
        files.insert("slide.urdf", SLIDE.as_bytes().to_vec()).unwrap();
        if let Some(mesh) = &mesh {
            files.insert("shell.stl", write_stl(mesh, LengthUnit::Mm)).unwrap();
        }
        if matches!(defect, Defect::SingularPass) {
            finish_singular_pass(&mut cell, &files);
        }
        let document = document_from_slice(cell.to_string().as_bytes()).expect("a sound document");
        let workcell = Workcell::from_document(document, &files).expect("a sound cell");
        let path = match workcell.path() {
            // Refused in a sentence is as good.
            Err(error) => {
                prop_assert!(matches!(defect, Defect::MovedBase | Defect::SingularPass), "{error}");
                return Ok(());
            }
            Ok(path) => path,
        };
        prop_assert!(!matches!(defect, Defect::MovedBase), "planned as if the base stood still");
        let options = SweepOptions::default();
        let found = sweep(&workcell.assembly, &path, &workcell.rules, &options, &Progress::default());
        let report = sweep_report(&workcell, &path, &found, options.tolerance);
        let verdict = Verdict::of_all(&report, &reach_report(&workcell, &path));
        prop_assert!(verdict <= Verdict::NotCertified, "{defect:?} is said to be {verdict:?}: {:?}", report.pairs);
    }
}

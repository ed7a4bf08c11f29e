//! What a person brings: found among files, judged, and made into items.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::bring::{
    Choice, Found, FoundKind, RecordingChoice, brought_in, look_through, without_unused,
};
use selvik_cell::document::{
    CellDocument, ItemDocument, JointUnit, RecordedJointDocument, RoleDocument, TimeUnit,
    empty_cell,
};
use selvik_core::clearance::{LeftOutReason, Named, Requirement, Rule};
use selvik_core::mesh::{TriangleMesh, box_mesh, mass_of};
use selvik_core::program::Path;
use selvik_core::spatial::pose_from_rpy;
use selvik_formats::mesh::{LengthUnit, UpAxis, write_stl};
use selvik_formats::{LinkGeometry, PackageFiles, Stop};

/// Three links in a row whose outer two may touch, says the SRDF.
const ARM: &str = r#"<robot name="arm">
  <link name="base"><visual><geometry><mesh filename="package://arm_description/meshes/base.stl"/></geometry></visual>
    <collision><geometry><mesh filename="package://arm_description/meshes/base_hull.stl"/></geometry></collision></link>
  <link name="middle"><visual><geometry><box size="0.1 0.1 0.3"/></geometry></visual></link>
  <link name="tip"><visual><geometry><box size="0.05 0.05 0.1"/></geometry></visual></link>
  <joint name="q1" type="revolute"><parent link="base"/><child link="middle"/><origin xyz="0 0 0.2"/><axis xyz="0 0 1"/><limit lower="-2" upper="2" velocity="1" effort="1"/></joint>
  <joint name="q2" type="revolute"><parent link="middle"/><child link="tip"/><origin xyz="0 0 0.2"/><axis xyz="0 1 0"/><limit lower="-2" upper="2" velocity="1" effort="1"/></joint>
</robot>"#;
const SRDF: &str =
    r#"<robot name="arm"><disable_collisions link1="base" link2="tip" reason="Never"/></robot>"#;

fn files(of: &[(&str, &[u8])]) -> PackageFiles {
    let mut files = PackageFiles::default();
    for (name, bytes) in of {
        files.insert(name, bytes.to_vec()).expect("a plain name");
    }
    files
}

fn stl(size: [f64; 3], unit: LengthUnit) -> Vec<u8> {
    write_stl(&box_mesh(size), unit)
}

fn look(files: &PackageFiles) -> Vec<Found> {
    look_through(files, |_, _, _| ()).expect("something is found")
}

fn choice(found: &Found) -> Choice {
    Choice {
        file: found.file.clone(),
        name: found.name.clone(),
        role: found.role,
        unit: found.unit,
        up: found.up,
        parent: None,
        on_link: None,
        colour: found.colour.clone(),
        geometry: LinkGeometry::Visual,
        with_tcp: false,
        recording: None,
    }
}

fn cell_of(files: &PackageFiles, choices: &[Choice]) -> (CellDocument, PackageFiles) {
    let mut document = empty_cell("Brought");
    let brought = brought_in(files, choices, &document, "1").expect("items");
    let needed = brought.files.clone();
    brought.edit().apply(&mut document).expect("can be added");
    (document, needed)
}

#[test]
fn a_robot_is_found_whole_wherever_its_meshes_were_dropped() {
    let base = stl([0.2, 0.2, 0.2], LengthUnit::M);
    let dropped = files(&[
        ("robots/urdf/arm.urdf", ARM.as_bytes()),
        ("elsewhere/meshes/base.stl", &base),
        ("robots/arm.srdf", SRDF.as_bytes()),
        ("robots/read.me", b"hello"),
    ]);
    let found = look(&dropped);
    let [arm] = found.as_slice() else {
        panic!("{found:?}")
    };
    assert_eq!(
        (arm.kind, arm.links, arm.joints, arm.collisions),
        (FoundKind::Robot, 3, 2, 1)
    );
    assert_eq!(
        (arm.srdf.as_deref(), arm.missing.len()),
        (Some("robots/arm.srdf"), 0)
    );
    assert_eq!(
        arm.problem, None,
        "the collision shape of a link that is seen is not needed"
    );

    let (document, needed) = cell_of(&dropped, &[choice(arm)]);
    assert_eq!(
        needed.iter().count(),
        3,
        "nothing is stored that is not needed"
    );
    let mut workcell = Workcell::from_document(document, &needed).expect("a sound cell");
    let requirement = Requirement::new(0.01, 0.02).expect("a requirement");
    workcell.rules.rules.push(Rule {
        name: "all".into(),
        between: vec![Named::item(0)],
        and: None,
        requirement,
    });
    let scope = workcell
        .rules
        .scope(&workcell.assembly, &Path::standing(&workcell.rest));
    assert!(
        scope.pairs.is_empty() && scope.rules[0].has_gaps(),
        "{scope:?}"
    );
    let allowed: Vec<_> = scope
        .left_out
        .iter()
        .filter(|l| l.reason == LeftOutReason::Allowed("Never".to_owned()))
        .collect();
    assert_eq!(allowed.len(), 1);
}

#[test]
fn meshes_that_are_missing_are_named() {
    let found = look(&files(&[("arm.urdf", ARM.as_bytes())]));
    assert_eq!(
        found[0].missing,
        ["package://arm_description/meshes/base.stl"]
    );
    // It can be taken as it is; what is missing is not certified where a rule names it.
    assert!(found[0].problem.is_none());
    // Two that could be meant are as good as none.
    let base = stl([0.2; 3], LengthUnit::M);
    let two = files(&[
        ("arm.urdf", ARM.as_bytes()),
        ("a/base.stl", &base),
        ("b/base.stl", &base),
    ]);
    assert_eq!(
        look(&two)
            .iter()
            .find(|f| f.file == "arm.urdf")
            .expect("found")
            .missing
            .len(),
        1
    );
}

#[rstest]
#[case::millimetres(stl([0.3, 0.2, 0.1], LengthUnit::Mm), "a.stl", LengthUnit::Mm, UpAxis::Z)]
#[case::metres(stl([0.3, 0.2, 0.1], LengthUnit::M), "a.stl", LengthUnit::M, UpAxis::Z)]
#[case::obj(b"v 0 0 0\nv 300 0 0\nv 0 200 0\nv 0 0 100\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n".to_vec(), "a.obj", LengthUnit::Mm, UpAxis::Y)]
fn unit_and_axes_are_guessed_from_format_and_size(
    #[case] bytes: Vec<u8>,
    #[case] name: &str,
    #[case] unit: LengthUnit,
    #[case] up: UpAxis,
) {
    let found = &look(&files(&[(name, &bytes)]))[0];
    assert_eq!((found.unit, found.up, found.says_itself), (unit, up, false));
    // As chosen, whichever unit was meant, the longest edge is 300 mm.
    let (document, needed) = cell_of(&files(&[(name, &bytes)]), &[choice(found)]);
    let workcell = Workcell::from_document(document, &needed).expect("a sound cell");
    let surface = workcell.assembly.bodies()[0]
        .surface
        .bounds()
        .half_extents()
        * 2.0;
    assert!((surface.max() - 0.3).abs() < 1e-6, "{surface:?}");
    let height = if up == UpAxis::Y { 0.2 } else { 0.1 };
    assert!((surface.z - height).abs() < 1e-6, "{surface:?}");
}

#[test]
fn what_is_wrong_with_a_mesh_is_counted_and_mended() {
    let beside = box_mesh([0.1; 3]).moved(&pose_from_rpy([1.0, 0.0, 0.0], [0.0; 3]));
    let mesh = TriangleMesh::merged([box_mesh([0.2; 3]), beside.turned_over(|_| true)]);
    let mut bytes = write_stl(&mesh, LengthUnit::Mm);
    // The first triangle once more, and one without an area.
    let first = bytes[84..134].to_vec();
    bytes.extend(&first);
    bytes.extend(&first[..24]);
    bytes.extend(&first[12..24]);
    bytes.extend(&first[12..26]);
    bytes[80..84].copy_from_slice(&26u32.to_le_bytes());
    let dropped = files(&[("block.stl", &bytes)]);
    let found = &look(&dropped)[0];
    let flaws = found.flaws;
    assert_eq!(
        (
            flaws.duplicate,
            flaws.degenerate,
            flaws.turned_shells,
            flaws.open_edges
        ),
        (1, 1, 1, 0)
    );
    let (document, needed) = cell_of(&dropped, &[choice(found)]);
    let workcell = Workcell::from_document(document, &needed).expect("a sound cell");
    let volume = mass_of(workcell.assembly.bodies()[0].surface.mesh()).volume;
    assert!((volume - 0.009).abs() < 1e-9, "{volume}");
}

#[test]
fn an_obj_brings_the_colour_of_its_material() {
    let obj = "mtllib m.mtl\nusemtl red\nv 0 0 0\nv 300 0 0\nv 0 200 0\nf 1 2 3\n";
    let mtl = "newmtl red\nKd 1 0.5 0\n";
    let found = &look(&files(&[
        ("p/a.obj", obj.as_bytes()),
        ("p/m.mtl", mtl.as_bytes()),
    ]))[0];
    assert_eq!(found.colour.as_deref(), Some("#FF8000"));
    let without = &look(&files(&[("p/a.obj", obj.as_bytes())]))[0];
    assert_eq!(
        (without.colour.as_deref(), without.problem.as_deref()),
        (None, None)
    );
}

#[test]
fn names_become_ids_of_their_own_and_unused_files_are_left_behind() {
    let bytes = stl([0.3, 0.2, 0.1], LengthUnit::Mm);
    let dropped = files(&[("Clamp_left.stl", &bytes), ("b.stl", &bytes)]);
    let found = look(&dropped);
    let mut both: Vec<Choice> = found.iter().map(choice).collect();
    both.iter_mut()
        .for_each(|c| c.name = "Clamp, left".to_owned());
    let mut document = empty_cell("Cell");
    let known = ItemDocument::new("clamp-left", "Clamp", RoleDocument::Fixture);
    document.items.push(known);
    let brought = brought_in(&dropped, &both, &document, "7").expect("items");
    let (items, needed) = (brought.items, brought.files);
    assert_eq!(
        items.iter().map(|i| i.id.as_str()).collect::<Vec<_>>(),
        ["clamp-left-2", "clamp-left-3"]
    );
    assert!(
        needed
            .iter()
            .all(|(name, _)| name.starts_with("brought/7/"))
    );
    assert!(
        without_unused(&needed, &document).is_empty(),
        "an import that was undone leaves the package"
    );
    document.items = items;
    assert_eq!(without_unused(&needed, &document).iter().count(), 2);
}

#[test]
fn nothing_useful_and_a_stop_are_told_in_a_sentence() {
    let nothing =
        look_through(&files(&[("a.txt", b"hello")]), |_, _, _| ()).expect_err("nothing in it");
    assert!(
        nothing.to_string().contains("nothing that is read"),
        "{nothing}"
    );
    let bytes = stl([0.3, 0.2, 0.1], LengthUnit::Mm);
    let mut asked = 0;
    let flag = Arc::new(AtomicBool::new(false));
    let watched =
        files(&[("a.stl", &bytes), ("b.stl", &bytes)]).stopped_by(Stop::when(Arc::clone(&flag)));
    let stopped = look_through(&watched, |_, done, total| {
        asked += 1;
        assert_eq!(total, 2);
        flag.store(done == 1, Ordering::Relaxed);
    });
    assert!(
        stopped
            .expect_err("stopped")
            .to_string()
            .contains("stopped")
    );
    assert_eq!(asked, 2);
    assert_eq!(
        look(&files(&[("a.stl", b"solid but no")])).len(),
        1,
        "what is broken is listed with its problem"
    );
    assert_eq!(
        look(&files(&[("a.stl", &bytes)]))[0].role,
        RoleDocument::Fixture
    );
}

/// A robot whose second joint slides.
const SLIDER: &str = r#"<robot name="slider"><link name="base"/><link name="turning"/><link name="sliding"/>
  <joint name="turn" type="revolute"><parent link="base"/><child link="turning"/><axis xyz="0 0 1"/>
    <limit lower="-3" upper="3" velocity="2"/></joint>
  <joint name="slide" type="prismatic"><parent link="turning"/><child link="sliding"/><axis xyz="1 0 0"/>
    <limit lower="0" upper="0.5" velocity="1"/></joint></robot>"#;

#[rstest]
#[case::radians(
    "t,turn,slide\n0,0.1,0.2\n0.5,1.5,0.4\n",
    TimeUnit::S,
    JointUnit::Rad,
    JointUnit::M
)]
#[case::degrees(
    "time_ms,turn,slide\n0,5,200\n500,90,400\n",
    TimeUnit::Ms,
    JointUnit::Deg,
    JointUnit::Mm
)]
#[case::said(
    "time [s],turn [deg],slide [m]\n0,5,0.2\n0.5,6,0.4\n",
    TimeUnit::S,
    JointUnit::Deg,
    JointUnit::M
)]
#[case::time_elsewhere(
    "turn,slide,stamp\n5,200,0\n5,200,10\n",
    TimeUnit::Ms,
    JointUnit::Deg,
    JointUnit::Mm
)]
fn what_a_recording_holds_is_guessed(
    #[case] text: &str,
    #[case] time: TimeUnit,
    #[case] angle: JointUnit,
    #[case] length: JointUnit,
) {
    let found = look(&files(&[("run.csv", text.as_bytes())]));
    let holds = found[0].recording.as_ref().expect("a recording");
    assert_eq!(found[0].kind, FoundKind::Recording);
    assert_eq!((holds.rows, holds.columns.len()), (2, 3));
    assert_eq!(
        (holds.time_unit, holds.angle_unit, holds.length_unit),
        (time, angle, length)
    );
    assert_eq!(
        holds.time_column,
        if text.starts_with("turn") { 3 } else { 1 }
    );
}

fn played(robot: &str) -> RecordingChoice {
    let joint = |name: &str, column, unit| RecordedJointDocument {
        joint: name.to_owned(),
        column,
        unit,
    };
    RecordingChoice {
        robot: robot.to_owned(),
        time_column: 1,
        time_unit: TimeUnit::S,
        joints: vec![
            joint("turn", 2, JointUnit::Rad),
            joint("slide", 3, JointUnit::M),
        ],
    }
}

/// A robot with its recording on an empty page, and another recording after it.
#[test]
fn a_recording_becomes_a_program_of_the_robot_that_came_along() {
    let first = b"t,turn,slide\n10,0.5,0.2\n11,1.5,0.4\n";
    let dropped = files(&[("slider.urdf", SLIDER.as_bytes()), ("run.csv", first)]);
    let found = look(&dropped);
    let names: Vec<&str> = found[0]
        .joint_names
        .iter()
        .map(|j| j.name.as_str())
        .collect();
    assert_eq!(names, ["turn", "slide"]);
    let mut choices: Vec<Choice> = found.iter().map(choice).collect();
    choices[1].recording = Some(played("slider.urdf"));
    let (mut document, mut needed) = cell_of(&dropped, &choices);
    let path = |document: &CellDocument, files: &PackageFiles| {
        let workcell = Workcell::from_document(document.clone(), files).expect("a sound cell");
        workcell.path().expect("a path")
    };
    let played_once = path(&document, &needed);
    assert_eq!(played_once.duration(), 1.0);
    assert_eq!(
        [0.0, 0.5].map(|t| (played_once.at(t)[0] * 1e9).round()),
        [5e8, 1e9]
    );

    // Another one for the same robot: it is driven to where that begins.
    let second = files(&[("again.csv", b"t,turn,slide\n0,0,0\n2,1,0.5\n")]);
    let mut again: Vec<Choice> = look(&second).iter().map(choice).collect();
    again[0].recording = Some(played("slider"));
    let brought = brought_in(&second, &again, &document, "2").expect("a program");
    needed.extend(&brought.files);
    brought.edit().apply(&mut document).expect("can be added");
    let both = path(&document, &needed);
    assert!(both.duration() > 3.5, "{}", both.duration());
    let end = both.at(both.duration());
    assert!((end[0] - 1.0).abs() < 1e-9 && (end[1] - 0.5).abs() < 1e-9);
    assert_eq!(without_unused(&needed, &document).iter().count(), 3);
}

#[test]
fn a_recording_of_nothing_is_refused() {
    let dropped = files(&[("run.csv", b"t,turn\n0,0\n1,1\n")]);
    let choices: Vec<Choice> = look(&dropped).iter().map(choice).collect();
    let refused = brought_in(&dropped, &choices, &empty_cell("Cell"), "1").unwrap_err();
    assert_eq!(refused.to_string(), "run.csv: say which robot it moves");
}

/// A million rows are looked through within the three seconds people wait (in a release build; here within twenty).
#[test]
fn a_million_rows_are_a_recording() {
    use std::fmt::Write;
    let mut text = String::from("t,turn,slide,a,b,c,d\n");
    for row in 0..1_000_000 {
        let t = f64::from(row) * 1e-3;
        writeln!(text, "{t:.3},{:.6},0.1,0,0,0,0", (t * 0.1).sin()).expect("to memory");
    }
    let found = look(&files(&[("run.csv", text.as_bytes())]));
    assert_eq!(
        found[0].recording.as_ref().expect("a recording").rows,
        1_000_000
    );
}

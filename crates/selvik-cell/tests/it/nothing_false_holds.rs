//! Small cells in each of which something is wrong, or not known: none of them may be said to hold.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::document_from_slice;
use selvik_cell::report::{PairReport, SweepReport, Verdict, caveats, reach_report, sweep_report};
use selvik_core::clearance::{Progress, SweepOptions, sweep};
use selvik_core::mesh::{TriangleMesh, box_mesh, sphere_mesh};
use selvik_core::spatial::{Point, pose_from_rpy};
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::{Value, json};

/// What `selvik check` comes to.
struct Checked {
    verdict: Verdict,
    clearance: SweepReport,
    caveats: Vec<String>,
}

fn read(cell: &Value, meshes: &[(&str, &TriangleMesh)]) -> Result<Workcell, String> {
    let mut files = PackageFiles::default();
    files
        .insert("slide.urdf", slide("").into_bytes())
        .expect("a plain name");
    let boxed = "<visual><geometry><box size=\"0.05 0.05 0.05\"/></geometry></visual>";
    files
        .insert("boxes.urdf", slide(boxed).into_bytes())
        .expect("a plain name");
    for (name, mesh) in meshes {
        files
            .insert(name, write_stl(mesh, LengthUnit::Mm))
            .expect("a plain name");
    }
    let document = document_from_slice(cell.to_string().as_bytes()).map_err(|e| e.to_string())?;
    Workcell::from_document(document, &files).map_err(|e| e.to_string())
}

fn check(cell: &Value, meshes: &[(&str, &TriangleMesh)]) -> Checked {
    check_within(cell, meshes, SweepOptions::default())
}

fn check_within(cell: &Value, meshes: &[(&str, &TriangleMesh)], options: SweepOptions) -> Checked {
    let workcell = read(cell, meshes).expect("a sound cell");
    let path = workcell.path().expect("a path");
    let found = sweep(
        &workcell.assembly,
        &path,
        &workcell.rules,
        &options,
        &Progress::default(),
    );
    let clearance = sweep_report(&workcell, &path, &found, options.tolerance);
    let verdict = Verdict::of_all(&clearance, &reach_report(&workcell, &path));
    let caveats = caveats(&workcell, &path)
        .into_iter()
        .map(|c| c.text)
        .collect();
    Checked {
        verdict,
        clearance,
        caveats,
    }
}

fn only(checked: &Checked) -> &PairReport {
    assert_eq!(
        checked.clearance.pairs.len(),
        1,
        "{:?}",
        checked.clearance.rules
    );
    &checked.clearance.pairs[0]
}

fn item(id: &str, at: [f64; 3], shape: Value) -> Value {
    json!({ "id": id, "name": id, "role": "fixture", "pose": { "xyz_mm": at }, "bodies": [{ "shape": shape }] })
}

fn cube(size: f64) -> Value {
    json!({ "box": { "size_mm": [size, size, size] } })
}

fn ball(radius: f64) -> Value {
    json!({ "sphere": { "radius_mm": radius } })
}

fn rule(between: &[&str], and: &[&str], required: f64) -> Value {
    json!({ "id": format!("{between:?}{and:?}"), "name": "apart", "between": between, "and": and,
        "required_mm": required, "tight_below_mm": required * 1.5 })
}

fn cell(items: &[Value], rules: &[Value]) -> Value {
    json!({ "format": "selvik-cell/1", "name": "A cell", "items": items, "rules": rules })
}

/// A slide along X, its links with or without geometry.
fn slide(geometry: &str) -> String {
    format!(
        r#"<robot name="slide"><link name="rail">{geometry}</link><link name="carriage">{geometry}</link>
        <joint name="j" type="prismatic"><parent link="rail"/><child link="carriage"/><axis xyz="1 0 0"/>
        <limit lower="-5" upper="5" velocity="1"/></joint></robot>"#
    )
}

/// With a slide whose carriage goes from 0 to `to` mm, after a wait.
fn with_slide(mut cell: Value, to: f64, wait_s: f64) -> Value {
    let slide = json!({ "id": "slide", "name": "Slide", "role": "structure", "mechanism": { "from": { "urdf": "slide.urdf" } } });
    let tcp = json!({ "id": "tcp", "name": "TCP", "role": "frame", "parent": "slide", "on_link": "carriage" });
    let items = cell["items"].as_array_mut().expect("items");
    items.insert(0, slide);
    items.insert(1, tcp);
    let mut moves = vec![];
    if wait_s > 0.0 {
        moves.push(json!({ "move": "wait", "seconds": wait_s }));
    }
    moves.push(json!({ "move": "joint", "joints_deg_or_mm": [to], "speed_percent": 100.0 }));
    cell["programs"] =
        json!([{ "id": "p", "name": "P", "robot": "slide", "tcp": "tcp", "moves": moves }]);
    cell["run_plan"] = json!({ "lanes": [{ "programs": ["p"] }] });
    cell
}

fn on_carriage(mut item: Value) -> Value {
    item["parent"] = "slide".into();
    item["on_link"] = "carriage".into();
    item
}

fn mesh(file: &str) -> Value {
    json!({ "mesh": { "file": file } })
}

fn without(mesh: &TriangleMesh, gone: impl Fn(usize) -> bool) -> TriangleMesh {
    let kept: Vec<[u32; 3]> = mesh
        .triangles()
        .iter()
        .enumerate()
        .filter(|(i, _)| !gone(*i))
        .map(|(_, t)| *t)
        .collect();
    TriangleMesh::from_indexed(mesh.vertices(), &kept)
        .expect("something is left")
        .mesh
}

/// Every triangle a hundredth of a millimetre apart from the next, every other turned over.
fn loose(mesh: &TriangleMesh) -> TriangleMesh {
    let apart = (0..mesh.triangles().len()).map(|i| {
        let [a, b, c] = mesh.corners(i);
        let middle = a + ((b - a) + (c - a)) / 3.0;
        let [a, b, c] = [a, b, c].map(|p| p + (middle - p) * 1e-4);
        if i % 2 == 0 { [a, b, c] } else { [a, c, b] }
    });
    TriangleMesh::from_soup(apart.collect::<Vec<_>>())
        .expect("a mesh")
        .mesh
}

/// One corner of one triangle a float step aside.
fn cracked(mesh: &TriangleMesh) -> TriangleMesh {
    let mut soup: Vec<[Point; 3]> = (0..mesh.triangles().len())
        .map(|i| mesh.corners(i))
        .collect();
    let corner = &mut soup[5][1];
    corner.x = f64::from((corner.x as f32).next_up());
    TriangleMesh::from_soup(soup).expect("a mesh").mesh
}

#[rstest]
#[case::whole(box_mesh([1.0; 3]), Verdict::Broken)]
#[case::of_two_shells_that_overlap(TriangleMesh::merged([box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&pose_from_rpy([0.6, 0.0, 0.0], [0.0; 3]))]), Verdict::Broken)]
#[case::cracked_by_a_float_step(cracked(&sphere_mesh(0.6, 24)), Verdict::Broken)]
#[case::with_a_triangle_turned_over(box_mesh([1.0; 3]).turned_over(|i| i == 7), Verdict::Broken)]
#[case::inside_out(box_mesh([1.0; 3]).turned_over(|_| true), Verdict::Broken)]
#[case::open_here_and_there(without(&sphere_mesh(0.6, 48), |i| i % 97 == 5), Verdict::Broken)]
#[case::half_a_shell(without(&sphere_mesh(0.6, 24), |i| i % 2 == 0), Verdict::NotCertified)]
#[case::of_loose_triangles_turned_any_way(loose(&box_mesh([1.0; 3])), Verdict::NotCertified)]
#[case::beside_a_sheet(TriangleMesh::merged([box_mesh([1.0; 3]), without(&box_mesh([9.0; 3]), |i| i > 1)]), Verdict::Broken)]
fn a_body_buried_in_another_is_an_overlap_or_not_certified(
    #[case] outer: TriangleMesh,
    #[case] expected: Verdict,
) {
    let buried = cell(
        &[
            item("outer", [0.0; 3], mesh("outer.stl")),
            item("inner", [20.0, 10.0, -30.0], cube(40.0)),
        ],
        &[rule(&["outer"], &["inner"], 10.0)],
    );
    let found = check(&buried, &[("outer.stl", &outer)]);
    assert_eq!(found.verdict, expected, "{:?}", only(&found).reasons);
    if expected == Verdict::NotCertified {
        assert!(
            only(&found).reasons[0].contains("outer is open here"),
            "{:?}",
            only(&found).reasons
        );
        let mut declared = buried.clone();
        declared["items"][0]["surface_only"] = true.into();
        assert_eq!(
            check(&declared, &[("outer.stl", &outer)]).verdict,
            Verdict::Meets
        );
    }
}

#[rstest]
#[case::balls(ball(500.0), ball(500.0), [1099.9, 0.0, 0.0], 100.0, Verdict::Broken)]
#[case::balls_far_enough(ball(500.0), ball(500.0), [1160.1, 0.0, 0.0], 100.0, Verdict::Meets)]
#[case::a_ball_between_its_facets(ball(500.0), cube(100.0), [405.0, 405.0, 0.0], 1.3, Verdict::Meets)]
#[case::a_ball_in_a_ball(ball(500.0), ball(10.0), [100.0, 0.0, 0.0], 1.0, Verdict::Broken)]
#[case::cylinders(json!({ "cylinder": { "radius_mm": 500.0, "length_mm": 100.0 } }), json!({ "cylinder": { "radius_mm": 500.0, "length_mm": 100.0 } }), [1070.63, 827.47, 0.0], 353.2, Verdict::Broken)]
#[case::capsules(json!({ "capsule": { "radius_mm": 50.0, "length_mm": 100.0 } }), json!({ "capsule": { "radius_mm": 50.0, "length_mm": 100.0 } }), [0.0, 0.0, 209.9], 10.0, Verdict::Broken)]
fn round_shapes_are_what_they_are(
    #[case] a: Value,
    #[case] b: Value,
    #[case] at: [f64; 3],
    #[case] required: f64,
    #[case] expected: Verdict,
) {
    let found = check(
        &cell(
            &[item("a", [0.0; 3], a), item("b", at, b)],
            &[rule(&["a"], &["b"], required)],
        ),
        &[],
    );
    let pair = only(&found);
    assert_eq!(
        pair.verdict, expected,
        "{} to {}",
        pair.lower_mm, pair.attained_mm
    );
}

#[test]
fn at_a_standstill_the_bound_is_a_distance_that_is_known() {
    let items = [
        item("a", [0.0; 3], cube(100.0)),
        item("b", [600.0, 0.0, 0.0], cube(100.0)),
    ];
    let found = check(&cell(&items, &[rule(&["a"], &["b"], 480.0)]), &[]);
    let pair = only(&found);
    assert!(
        pair.lower_mm <= 500.0 && pair.lower_mm > 499.9 && (pair.attained_mm - 500.0).abs() < 1e-6,
        "{pair:?}"
    );
}

/// Exactly as far apart as required: rounding forbids to say which side it lies on.
#[test]
fn what_rounding_cannot_tell_apart_is_not_certified() {
    let items = [
        item("a", [0.0; 3], cube(100.0)),
        item("b", [200.0, 0.0, 0.0], cube(100.0)),
    ];
    let found = check(&cell(&items, &[rule(&["a"], &["b"], 100.0)]), &[]);
    assert_eq!(found.verdict, Verdict::NotCertified);
    assert!(
        only(&found).reasons[0].contains("within 0.001 mm"),
        "{:?}",
        only(&found).reasons
    );
    let found = check(&cell(&items, &[rule(&["a"], &["b"], 99.99)]), &[]);
    assert_eq!(only(&found).verdict, Verdict::Tight);
}

#[rstest]
#[case::cargo_and_stop(&["cargo"], &["stop"])]
#[case::the_slide_and_all_else(&["slide"], &[])]
#[case::the_carriage_itself(&["cargo"], &["slide"])]
fn what_stands_on_one_mechanism_is_measured(#[case] between: &[&str], #[case] and: &[&str]) {
    let mut stop = item("stop", [900.0, 0.0, 0.0], cube(100.0));
    stop["parent"] = "slide".into();
    let items = [on_carriage(item("cargo", [0.0; 3], cube(100.0))), stop];
    let mut run = with_slide(cell(&items, &[rule(between, and, 10.0)]), 850.0, 0.0);
    // The slide has geometry of its own at its end.
    run["items"][0]["bodies"] =
        json!([{ "shape": cube(100.0), "pose": { "xyz_mm": [900.0, 0.0, 0.0] } }]);
    assert_eq!(check(&run, &[]).verdict, Verdict::Broken);
}

#[test]
fn two_static_things_are_measured() {
    let items = [
        item("a", [0.0; 3], cube(100.0)),
        item("b", [50.0, 0.0, 0.0], cube(100.0)),
    ];
    assert_eq!(
        check(&cell(&items, &[rule(&["a"], &[], 10.0)]), &[]).verdict,
        Verdict::Broken
    );
}

#[rstest]
#[case::no_rule(vec![], "")]
#[case::a_frame_only(vec![rule(&["frame"], &["a"], 10.0)], "names no pair")]
#[case::itself(vec![rule(&["a"], &["a"], 10.0)], "names no pair")]
#[case::overruled(vec![rule(&["a"], &["b"], 10.0), rule(&["b"], &[], 10.0)], "other rules decide")]
fn a_rule_that_measures_nothing_is_not_certified(#[case] rules: Vec<Value>, #[case] reason: &str) {
    let frame = json!({ "id": "frame", "name": "Frame", "role": "frame" });
    let items = [
        item("a", [0.0; 3], cube(100.0)),
        item("b", [900.0, 0.0, 0.0], cube(100.0)),
        frame,
    ];
    let found = check(&cell(&items, &rules), &[]);
    assert_eq!(found.verdict, Verdict::NotCertified);
    let said: Vec<_> = found
        .clearance
        .rules
        .iter()
        .flat_map(|r| &r.reasons)
        .collect();
    assert!(
        reason.is_empty() || said.iter().any(|s| s.contains(reason)),
        "{said:?}"
    );
}

#[test]
fn neighbours_are_left_out_unless_a_rule_names_them_by_themselves() {
    let mut run = with_slide(cell(&[], &[rule(&["slide"], &[], 10.0)]), 100.0, 0.0);
    run["items"][0]["mechanism"]["from"]["urdf"] = "boxes.urdf".into();
    let found = check(&run, &[]);
    assert_eq!(
        (found.verdict, found.clearance.left_out.len()),
        (Verdict::NotCertified, 1)
    );
    assert!(found.clearance.rules[0].reasons[0].contains("every pair it names is left out"));
    run["rules"] = json!([rule(&["slide/rail"], &["slide/carriage"], 10.0)]);
    assert_eq!(check(&run, &[]).verdict, Verdict::Broken);
}

/// A cargo that may touch one post while it stands there runs through another of the same item.
#[rstest]
#[case::without_bounds(None, None, Verdict::NotCertified)]
#[case::during_all_of_it(Some(json!([{ "program": "p" }])), None, Verdict::NotCertified)]
#[case::only_while_it_waits(Some(json!([{ "program": "p", "to_move": 1 }])), None, Verdict::Broken)]
#[case::not_so_deep(None, Some(2.0), Verdict::Broken)]
#[case::as_deep_as_it_is(None, Some(60.0), Verdict::Meets)]
fn an_allowed_touch_hides_no_crash_elsewhere(
    #[case] during: Option<Value>,
    #[case] depth: Option<f64>,
    #[case] expected: Verdict,
) {
    let mut posts = item("posts", [50.0, 0.0, 0.0], cube(52.0));
    let second = json!({ "shape": cube(50.0), "pose": { "xyz_mm": [600.0, 0.0, 0.0] } });
    posts["bodies"].as_array_mut().expect("bodies").push(second);
    let items = [on_carriage(item("cargo", [0.0; 3], cube(50.0))), posts];
    let mut run = with_slide(
        cell(&items, &[rule(&["cargo"], &["posts"], 10.0)]),
        1000.0,
        0.5,
    );
    let mut allowance = json!({ "a": "cargo", "b": "posts", "reason": "it rests there" });
    if let Some(during) = during {
        allowance["during"] = during;
    }
    if let Some(depth) = depth {
        allowance["max_depth_mm"] = depth.into();
    }
    run["may_touch"] = json!([allowance]);
    let found = check(&run, &[]);
    assert_eq!(
        found.verdict,
        expected,
        "{:?}",
        found.clearance.pairs.first().map(|p| &p.reasons)
    );
    assert!(found.clearance.left_out.len() + found.clearance.pairs.len() == 1);
}

/// However long it waits before, between and after, the cargo is near the post for as long.
#[rstest]
#[case(0.0)]
#[case(1.2)]
#[case(60.0)]
#[case(3600.0)]
fn how_long_it_lasts_does_not_change_with_a_wait(#[case] wait: f64) {
    let items = [
        on_carriage(item("cargo", [0.0; 3], cube(50.0))),
        item("post", [500.0, 60.0, 0.0], cube(50.0)),
    ];
    let run = with_slide(
        cell(&items, &[rule(&["cargo"], &["post"], 15.0)]),
        1000.0,
        wait,
    );
    let found = check(&run, &[]);
    let broken = &only(&found).broken;
    assert_eq!(broken.len(), 1);
    // 10 mm beside it; nearer than 15 mm while less than √(15² − 10²) mm past its ends, at 1 m/s.
    let exact = 2.0 * (0.05 + (225.0f64 - 100.0).sqrt() * 1e-3);
    let (certain, at_most) = (
        broken[0].end_s[0] - broken[0].start_s[1],
        broken[0].end_s[1] - broken[0].start_s[0],
    );
    assert!(
        certain <= exact + 1e-6 && exact <= at_most + 1e-6,
        "{certain} {exact} {at_most}"
    );
    assert!(at_most - certain < 1e-3, "{:?}", broken[0]);
}

/// It passes at exactly what is required, and stands there for a while: one stretch, honestly bracketed.
#[test]
fn what_grazes_its_rule_is_one_stretch() {
    let items = [
        on_carriage(item("cargo", [0.0; 3], cube(50.0))),
        item(
            "rail",
            [500.0, 60.0, 0.0],
            json!({ "box": { "size_mm": [400.0, 50.0, 50.0] } }),
        ),
    ];
    let run = with_slide(
        cell(&items, &[rule(&["cargo"], &["rail"], 10.0)]),
        1000.0,
        0.0,
    );
    let found = check(&run, &[]);
    assert_eq!(found.verdict, Verdict::NotCertified);
    assert_eq!(only(&found).broken.len(), 1, "{:?}", only(&found).broken);
}

#[rstest]
#[case::a_thing_stands_in_it(json!({ "sphere": { "radius_mm": 400.0 } }), 10.0)]
#[case::a_hundred_metres_required(cube(50.0), 100_000.0)]
#[case::left_in_metres(json!({ "box": { "size_mm": [100_000.0, 100_000.0, 100_000.0] } }), 10.0)]
fn the_work_stays_bounded(#[case] shape: Value, #[case] required: f64) {
    let items = [
        on_carriage(item("cargo", [0.0; 3], ball(40.0))),
        item("thing", [500.0, 60.0, 0.0], shape),
    ];
    let run = with_slide(
        cell(&items, &[rule(&["cargo"], &["thing"], required)]),
        1000.0,
        10.0,
    );
    for tolerance in [1e-4, 1e-15] {
        let start = std::time::Instant::now();
        let options = SweepOptions {
            tolerance,
            ..SweepOptions::default()
        };
        assert_eq!(check_within(&run, &[], options).verdict, Verdict::Broken);
        assert!(
            start.elapsed().as_secs_f64() < 20.0,
            "{:?}",
            start.elapsed()
        );
    }
}

#[rstest]
#[case::a_wait_of_ages(json!([{ "move": "wait", "seconds": 1e11 }]), "waiting time")]
#[case::a_speed_of_nothing(json!([{ "move": "linear", "to": "t", "speed_mm_s": 1e-320 }]), "speed")]
#[case::beyond_all_haste(json!([{ "move": "linear", "to": "t", "speed_mm_s": 100.0, "acceleration_mm_s2": 1e300 }]), "acceleration")]
#[case::hardly_at_all(json!([{ "move": "joint", "joints_deg_or_mm": [5.0], "speed_percent": 1e-9 }]), "speed")]
fn numbers_beyond_reason_are_refused(#[case] moves: Value, #[case] what: &str) {
    let mut run = with_slide(cell(&[item("a", [0.0; 3], cube(9.0))], &[]), 10.0, 0.0);
    run["programs"][0]["moves"] = moves;
    run["programs"][0]["targets"] = json!([{ "id": "t", "pose": { "xyz_mm": [10.0, 0.0, 0.0] } }]);
    let said = match read(&run, &[]) {
        Err(said) => said,
        Ok(workcell) => workcell.path().expect_err("it can't be run").to_string(),
    };
    assert!(said.contains(what), "{said}");
}

#[test]
fn a_chain_of_sixty_thousand_frames_is_read() {
    let mut items: Vec<Value> = vec![json!({ "id": "f0", "name": "f", "role": "frame" })];
    items.extend((1..60_000).map(|i| {
        json!({ "id": format!("f{i}"), "name": "f", "role": "frame", "parent": format!("f{}", i - 1),
            "pose": { "xyz_mm": [0.01, 0.0, 0.0] } })
    }));
    let deep = cell(&items, &[]);
    let start = std::time::Instant::now();
    let workcell = read(&deep, &[]).expect("it is only deep");
    let last = workcell
        .assembly
        .pose_of(workcell.assembly.item_node(59_999), &[]);
    assert!((last.translation.x - 0.599_99).abs() < 1e-9);
    assert!(
        start.elapsed().as_secs_f64() < 20.0,
        "{:?}",
        start.elapsed()
    );
}

#[test]
fn what_was_not_looked_at_is_said() {
    let mut run = with_slide(
        cell(
            &[
                on_carriage(item("cargo", [0.0; 3], cube(50.0))),
                item("hall", [0.0, 900_000.0, 0.0], cube(120_000.0)),
                item("alone", [0.0, -900_000.0, 0.0], mesh("open.stl")),
            ],
            &[rule(&["cargo"], &["hall"], 10.0)],
        ),
        100.0,
        0.0,
    );
    let program = run["programs"][0].clone();
    let mut idle = program.clone();
    idle["id"] = "idle".into();
    idle["name"] = "Idle".into();
    run["programs"].as_array_mut().expect("programs").push(idle);
    run["programs"][0]["moves"]
        .as_array_mut()
        .expect("moves")
        .push(json!({ "move": "sync", "mark": "Ready" }));
    let open = without(&box_mesh([0.1; 3]), |i| i > 9);
    let said = check(&run, &[("open.stl", &open)]).caveats.join("\n");
    for part in [
        "\"Idle\" is in no lane",
        "\"Ready\" is in one lane only",
        "No rule names Slide, alone",
        "hall is 120 m long",
        "alone is open",
        "no stated acceleration",
    ] {
        assert!(
            said.contains(part) || part.starts_with("No rule"),
            "{part}: {said}"
        );
    }
    assert!(said.contains("No rule names alone"), "{said}");
}

/// An arm of two axes has no closed form: its reach is bracketed, and judged all along the move.
#[rstest]
#[case(45.0, 5.0, Verdict::Meets)]
#[case(170.0, 5.0, Verdict::Broken)]
fn reach_without_a_closed_form_is_judged_all_along(
    #[case] from: f64,
    #[case] spare: f64,
    #[case] expected: Verdict,
) {
    // Links of 400 mm: at 90° between them 566 of 800 mm are used, stretched all.
    let row = |joint: &str, a: f64| json!({ "joint": joint, "a_mm": a, "limits_deg_or_mm": [-180.0, 180.0], "velocity_deg_or_mm_s": 90.0 });
    let mut arm = cell(
        &[
            item("post", [5000.0, 0.0, 0.0], cube(50.0)),
            item("stand", [-900.0, 0.0, 0.0], cube(50.0)),
        ],
        &[rule(&["post"], &["stand"], 10.0)],
    );
    let items = arm["items"].as_array_mut().expect("items");
    items.push(json!({ "id": "arm", "name": "Arm", "role": "robot", "mechanism": { "from": { "dh": { "convention": "standard",
        "rows": [row("a", 400.0), row("b", 400.0)] } }, "rest_deg_or_mm": { "b": from } } }));
    items.push(json!({ "id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "flange" }));
    let to = if from > 90.0 { -from } else { 120.0 };
    arm["programs"] = json!([{ "id": "p", "name": "P", "robot": "arm", "tcp": "tcp",
        "moves": [{ "move": "joint", "joints_deg_or_mm": [10.0, to], "speed_percent": 100.0 }] }]);
    arm["run_plan"] = json!({ "lanes": [{ "programs": ["p"] }] });
    arm["reach_rule"] = json!({ "spare_percent": spare });
    assert_eq!(check(&arm, &[]).verdict, expected);
}

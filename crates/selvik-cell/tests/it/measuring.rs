//! What is known of what is picked, and what lies between two: closed forms.

use indexmap::IndexMap;
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{
    Amount, FindingDocument, KnownKind, KnownValue, PickDocument, PickKind, PoseDocument, ValueKind,
};
use selvik_cell::edit::{Edit, Placement};
use selvik_cell::measuring::{
    CarrierKind, Known, Measured, Measuring, Picked, findings_csv, kept_findings, measure, nearest,
    snap,
};
use selvik_cell::questions::Asked;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

/// A block of 200 × 100 × 60 standing on the floor, one like it 500 mm along X and leaning by `lean_deg` about Y, a pin Ø 40
/// of 100 through the height of 300, another beside it lying along Y, a frame on the second block, all of them in a group.
fn workcell(lean_deg: f64) -> Workcell {
    let item = |id: &str, xyz: [f64; 3], rpy: [f64; 3], shape: Value| {
        json!({"id": id, "name": id, "role": "part", "parent": "all", "pose": {"xyz_mm": xyz, "rpy_deg": rpy},
            "bodies": [{"shape": shape}]})
    };
    let block = json!({"box": {"size_mm": [200, 100, 60]}});
    let pin = json!({"cylinder": {"radius_mm": 20, "length_mm": 100}});
    let text = json!({"format": "selvik-cell/1", "name": "Measured", "items": [
        {"id": "all", "name": "All", "role": "group"},
        item("block", [0.0, 0.0, 30.0], [0.0; 3], block.clone()),
        item("other", [500.0, 0.0, 30.0], [0.0, lean_deg, 0.0], block),
        item("pin", [0.0, 0.0, 300.0], [0.0; 3], pin.clone()),
        item("lying", [70.0, 20.0, 300.0], [90.0, 0.0, 0.0], pin),
        {"id": "tip", "name": "Tip", "role": "frame", "parent": "other", "pose": {"xyz_mm": [0, 0, 30], "rpy_deg": [0, 0, 90]}},
    ]});
    let mut files = PackageFiles::default();
    files
        .insert("cell.json", text.to_string().into_bytes())
        .expect("a plain name");
    Workcell::read(&files).expect("readable")
}

fn pick(on: &str, kind: PickKind, at_mm: [f64; 3]) -> PickDocument {
    let at_mm = (!matches!(kind, PickKind::Item | PickKind::Frame)).then_some(at_mm);
    PickDocument {
        on: on.to_owned(),
        kind,
        is: None,
        at_mm,
    }
}

fn measured(workcell: &Workcell, picks: &[PickDocument], frame: Option<&str>) -> Measured {
    let wanted = Measuring {
        picks: picks.to_vec(),
        frame: frame.map(str::to_owned),
        volumes: true,
    };
    measure(&Asked::at_rest(workcell), &wanted).expect("measured")
}

fn value(known: &Known, what: ValueKind) -> Amount {
    let found = known.values.iter().find(|v| v.what == what);
    found
        .unwrap_or_else(|| panic!("{what:?} in {:?}", known.values))
        .amount
}

fn numbers_of(amount: Amount) -> Vec<f64> {
    match amount {
        Amount::LengthMm(x) | Amount::AngleDeg(x) | Amount::AreaMm2(x) | Amount::VolumeMm3(x) => {
            vec![x]
        }
        Amount::Percent(x) | Amount::Plain(x) => vec![x],
        Amount::PointMm(p) | Amount::Direction(p) | Amount::SizeMm(p) => p.to_vec(),
    }
}

fn is_near(amount: Amount, wanted: Amount) -> bool {
    let near = |(x, y): (f64, f64)| (x - y).abs() <= 1e-9 * y.abs().max(100.0);
    let same = std::mem::discriminant(&amount) == std::mem::discriminant(&wanted);
    same && numbers_of(amount)
        .into_iter()
        .zip(numbers_of(wanted))
        .all(near)
}

#[rstest]
#[case::a_corner(pick("block", PickKind::Corner, [99.0, 49.0, 29.0]), None, KnownKind::Corner, &[(ValueKind::At, Amount::PointMm([100.0, 50.0, 60.0]))])]
#[case::in_a_frame(pick("block", PickKind::Corner, [99.0, 49.0, 29.0]), Some("tip"), KnownKind::Corner, &[(ValueKind::At, Amount::PointMm([50.0, 400.0, 0.0]))])]
#[case::an_edge(pick("block", PickKind::Edge, [100.0, 3.0, 30.0]), None, KnownKind::Edge, &[(ValueKind::Length, Amount::LengthMm(100.0)), (ValueKind::Size, Amount::SizeMm([0.0, 100.0, 0.0]))])]
#[case::a_face(pick("block", PickKind::Face, [100.0, 3.0, 4.0]), None, KnownKind::Plane, &[(ValueKind::Area, Amount::AreaMm2(6000.0)), (ValueKind::Normal, Amount::Direction([1.0, 0.0, 0.0])), (ValueKind::Centroid, Amount::PointMm([100.0, 0.0, 30.0]))])]
#[case::a_wall(pick("pin", PickKind::Face, [20.0, 0.0, 4.0]), None, KnownKind::Cylinder, &[(ValueKind::Diameter, Amount::LengthMm(40.0)), (ValueKind::Length, Amount::LengthMm(100.0)), (ValueKind::Centre, Amount::PointMm([0.0, 0.0, 300.0]))])]
#[case::a_rim(pick("pin", PickKind::Edge, [20.0, 0.0, 50.0]), None, KnownKind::Circle, &[(ValueKind::Diameter, Amount::LengthMm(40.0)), (ValueKind::Length, Amount::LengthMm(40.0 * std::f64::consts::PI)), (ValueKind::Centre, Amount::PointMm([0.0, 0.0, 350.0]))])]
#[case::an_item(pick("block", PickKind::Item, [0.0; 3]), None, KnownKind::Item, &[(ValueKind::Volume, Amount::VolumeMm3(1_200_000.0)), (ValueKind::Area, Amount::AreaMm2(76_000.0)), (ValueKind::Size, Amount::SizeMm([200.0, 100.0, 60.0]))])]
#[case::turned(pick("block", PickKind::Item, [0.0; 3]), Some("tip"), KnownKind::Item, &[(ValueKind::Size, Amount::SizeMm([100.0, 200.0, 60.0]))])]
#[case::a_frame(pick("tip", PickKind::Frame, [0.0; 3]), None, KnownKind::Frame, &[(ValueKind::At, Amount::PointMm([500.0, 0.0, 60.0]))])]
fn all_that_is_known_of_one_thing_is_told(
    #[case] picked: PickDocument,
    #[case] frame: Option<&str>,
    #[case] is: KnownKind,
    #[case] wanted: &[(ValueKind, Amount)],
) {
    let found = measured(&workcell(0.0), &[picked], frame);
    let known = &found.known[0];
    assert_eq!(known.is, is);
    for (what, wanted) in wanted {
        let found = value(known, *what);
        assert!(
            is_near(found, *wanted),
            "{what:?} {found:?}, not {wanted:?}"
        );
    }
    assert!(found.between.is_none());
}

#[test]
fn between_two_parallel_faces_lies_one_distance_and_between_leaning_ones_an_angle() {
    let faces = [
        pick("block", PickKind::Face, [100.0, 0.0, 0.0]),
        pick("other", PickKind::Face, [-100.0, 0.0, 0.0]),
    ];
    let between = measured(&workcell(0.0), &faces, None).between.unwrap();
    let carriers = between.carriers.unwrap();
    let distance = carriers.distance.unwrap();
    assert!((distance.length_mm - 300.0).abs() < 1e-9);
    assert!((between.smallest.length_mm - 300.0).abs() < 1e-9);
    let farthest = (300.0f64.powi(2) + 100.0f64.powi(2) + 60.0f64.powi(2)).sqrt();
    assert!((between.largest.unwrap().length_mm - farthest).abs() < 1e-9);

    let between = measured(&workcell(0.3), &faces, None).between.unwrap();
    let carriers = between.carriers.unwrap();
    assert_eq!(carriers.distance, None);
    assert!((carriers.angle_deg.unwrap() - 0.3).abs() < 1e-9);
    // The upper edge leans towards the block: 100 back, 30 up, turned by 0.3°.
    let (sin, cos) = 0.3f64.to_radians().sin_cos();
    let nearest = 500.0 - 100.0 * cos - 30.0 * sin - 100.0;
    let upper = 500.0 - 100.0 * cos + 30.0 * sin - 100.0;
    assert!((between.smallest.length_mm - nearest.min(upper)).abs() < 1.0);
}

#[test]
fn axes_that_pass_each_other_are_as_far_apart_as_their_common_perpendicular() {
    let walls = [
        pick("pin", PickKind::Face, [20.0, 0.0, 0.0]),
        pick("lying", PickKind::Face, [20.0, 0.0, 0.0]),
    ];
    let between = measured(&workcell(0.0), &walls, Some("tip"))
        .between
        .unwrap();
    let carriers = between.carriers.unwrap();
    assert_eq!(
        (carriers.of_a, carriers.of_b),
        (CarrierKind::Axis, CarrierKind::Axis)
    );
    let distance = carriers.distance.unwrap();
    assert!((distance.length_mm - 70.0).abs() < 1e-9);
    // Along X of the world, which is −Y of the frame.
    assert!((distance.along_mm[1] + 70.0).abs() < 1e-9, "{distance:?}");
    assert!((carriers.angle_deg.unwrap() - 90.0).abs() < 1e-9);
    let centres = between.middles.unwrap();
    assert!((centres.length_mm - 70.0f64.hypot(20.0)).abs() < 1e-9);
}

#[rstest]
#[case::bodies("block", "other", 300.0, false)]
#[case::round_ones("pin", "lying", 30.0, false)]
#[case::a_group("all", "block", 0.0, true)]
fn items_are_as_far_apart_as_their_bodies(
    #[case] a: &str,
    #[case] b: &str,
    #[case] wanted: f64,
    #[case] overlap: bool,
) {
    let picks = [a, b].map(|id| pick(id, PickKind::Item, [0.0; 3]));
    let between = measured(&workcell(0.0), &picks, None).between.unwrap();
    assert!(
        (between.smallest.length_mm - wanted).abs() < 2e-3,
        "{between:?}"
    );
    assert_eq!(between.overlap, overlap);
    let [b, a] = picks;
    let back = measured(&workcell(0.0), &[a, b], None).between.unwrap();
    assert!((back.smallest.length_mm - between.smallest.length_mm).abs() < 1e-9);
    let far = |m: &selvik_cell::measuring::Between| m.largest.as_ref().unwrap().length_mm;
    assert!((far(&back) - far(&between)).abs() < 1e-6);
}

#[test]
fn a_frame_inside_a_body_is_no_distance_away_and_one_on_it_neither() {
    let workcell = workcell(0.0);
    let inside = [
        pick("block", PickKind::Item, [0.0; 3]),
        pick("block", PickKind::Frame, [0.0; 3]),
    ];
    let between = measured(&workcell, &inside, None).between.unwrap();
    assert!(between.overlap && between.smallest.length_mm == 0.0);
    let on = [
        pick("other", PickKind::Item, [0.0; 3]),
        pick("tip", PickKind::Frame, [0.0; 3]),
    ];
    let between = measured(&workcell, &on, None).between.unwrap();
    assert!(between.smallest.length_mm < 1e-9);
}

#[rstest]
#[case::a_corner([101.0, 49.0, 60.0], PickKind::Corner)]
#[case::an_edge([99.5, 3.0, 60.0], PickKind::Edge)]
#[case::the_face([60.0, 3.0, 60.0], PickKind::Face)]
fn what_is_near_the_pointer_is_meant(#[case] at_mm: [f64; 3], #[case] kind: PickKind) {
    let workcell = workcell(0.0);
    let block = workcell.assembly.bodies()[0].surface.mesh();
    let upwards = |&t: &usize| block.area_vector(t).z > 0.0;
    let asked = Asked::at_rest(&workcell);
    let picked = Picked {
        body: 0,
        triangle: (0..block.triangles().len()).find(upwards).unwrap(),
        at_mm,
        near_mm: 5.0,
    };
    let meant = snap(&asked, &picked).unwrap();
    assert_eq!((meant.on.as_str(), meant.kind), ("block", kind));
}

#[rstest]
#[case::nothing(&[], "one to 50")]
#[case::more_than_a_chain_has(&["block"; 51], "one to 50")]
#[case::an_item_that_is_not_there(&["nobody"], "no item \"nobody\"")]
#[case::an_item_without_a_body(&["tip"], "no geometry")]
fn what_cant_be_measured_is_refused(#[case] ids: &[&str], #[case] says: &str) {
    let workcell = workcell(0.0);
    let wanted = Measuring {
        picks: ids
            .iter()
            .map(|id| pick(id, PickKind::Item, [0.0; 3]))
            .collect(),
        frame: None,
        volumes: false,
    };
    let refused = measure(&Asked::at_rest(&workcell), &wanted).unwrap_err();
    assert!(refused.to_string().contains(says), "{refused}");
}

#[test]
fn a_corner_that_went_elsewhere_is_gone() {
    let workcell = workcell(0.0);
    let wanted = Measuring {
        picks: vec![pick("block", PickKind::Corner, [900.0, 0.0, 0.0])],
        frame: None,
        volumes: false,
    };
    let refused = measure(&Asked::at_rest(&workcell), &wanted).unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("the corner of block is no longer there")
    );
}

#[test]
fn what_is_nearest_comes_first_and_nothing_of_its_own() {
    let workcell = workcell(0.0);
    let asked = Asked::at_rest(&workcell);
    let near = nearest(&asked, &pick("block", PickKind::Item, [0.0; 3]), 2).unwrap();
    let told: Vec<(&str, f64)> = near
        .iter()
        .map(|n| (n.name.as_str(), n.distance_mm))
        .collect();
    assert_eq!(told.len(), 2);
    // The pin stands from 250 up, the block ends at 60; the other one lies at 280.
    assert_eq!((told[0].0, told[1].0), ("pin", "lying"));
    assert!(
        (told[0].1 - 190.0).abs() < 2e-3 && (told[1].1 - 220.0).abs() < 2e-3,
        "{told:?}"
    );
    let corner = pick("other", PickKind::Corner, [-100.0, 50.0, 30.0]);
    let near = nearest(&asked, &corner, 6).unwrap();
    assert!(near.iter().all(|n| n.name != "other") && near[0].name == "block");
}

fn finding(id: &str, picks: &[PickDocument]) -> FindingDocument {
    FindingDocument {
        id: id.to_owned(),
        name: format!("Finding {id}"),
        note: None,
        picks: picks.to_vec(),
        frame: None,
        time_s: None,
        joints_deg_or_mm: IndexMap::new(),
        view: None,
        was: Vec::new(),
    }
}

/// The cell after edits, as a server would build it.
fn edited(workcell: &Workcell, edits: &[Edit]) -> Workcell {
    let mut document = workcell.document.clone();
    for edit in edits {
        edit.apply(&mut document).expect("done");
    }
    let mut files = PackageFiles::default();
    let text = serde_json::to_vec(&document).expect("plain data");
    files.insert("cell.json", text).expect("a plain name");
    Workcell::read(&files).expect("readable")
}

#[test]
fn a_kept_finding_is_worked_out_anew_and_says_what_it_was_and_when_its_body_is_gone() {
    let first = workcell(0.0);
    let picks = ["block", "other"].map(|id| pick(id, PickKind::Item, [0.0; 3]));
    let mut kept = finding("gap", &picks);
    kept.was = measured(&first, &picks, None).numbers;
    let save = Edit::SaveFinding {
        finding: Box::new(kept.clone()),
    };
    let here = edited(&first, std::slice::from_ref(&save));
    let told = &kept_findings(&here, &here.path().expect("it runs"))[0];
    assert!(!told.changed && told.gone.is_none() && told.now == kept.was);
    // What more can be told today is no change of it.
    let mut older = kept.clone();
    older.was.truncate(1);
    let older = Edit::SaveFinding {
        finding: Box::new(older),
    };
    let before = edited(&first, &[older]);
    let told = &kept_findings(&before, &before.path().expect("it runs"))[0];
    assert!(!told.changed && told.now == kept.was);

    let shift = Edit::PlaceItems {
        places: vec![Placement {
            item: "other".to_owned(),
            pose: PoseDocument {
                xyz_mm: [512.0, 0.0, 30.0],
                rpy_deg: [0.0; 3],
            },
        }],
    };
    let moved = edited(&here, &[shift]);
    let told = &kept_findings(&moved, &moved.path().expect("it runs"))[0];
    assert!(told.changed);
    let nearest = |values: &[KnownValue]| {
        let value = values.iter().find(|v| v.what == ValueKind::Nearest);
        numbers_of(value.expect("the nearest").amount)[0]
    };
    assert!((nearest(&told.now) - 312.0).abs() < 1e-9);
    assert!((nearest(&moved.document.findings[0].was) - 300.0).abs() < 1e-9);

    let gone = Edit::DeleteItems {
        items: vec!["other".to_owned()],
    };
    let without = edited(&here, &[gone]);
    let told = &kept_findings(&without, &without.path().expect("it runs"))[0];
    assert!(told.now.is_empty() && told.gone.as_ref().unwrap().contains("no item \"other\""));
    assert!((nearest(&without.document.findings[0].was) - 300.0).abs() < 1e-9);
    let csv = String::from_utf8(findings_csv(&without, &without.path().expect("it runs")).unwrap())
        .unwrap();
    let row = csv.lines().nth(1).unwrap();
    assert!(
        row.starts_with("Finding gap,,,item block,item other,nearest,300"),
        "{row}"
    );

    // A path that no longer lasts so long is a reason, too.
    let mut late = kept.clone();
    late.time_s = Some(5.0);
    let save = Edit::SaveFinding {
        finding: Box::new(late),
    };
    let late = edited(&here, &[save]);
    let told = &kept_findings(&late, &late.path().expect("it runs"))[0];
    assert!(
        told.gone.as_ref().unwrap().contains("there is no 5 s"),
        "{told:?}"
    );

    let deleted = Edit::DeleteFinding {
        finding: "gap".to_owned(),
    };
    assert!(edited(&here, &[deleted]).document.findings.is_empty());
}

#[rstest]
#[case::of_nothing(json!([]), "one to 50 things")]
#[case::of_too_many(json!(vec![json!({"on": "a", "kind": "item"}); 51]), "one to 50 things")]
#[case::of_an_unknown_kind(json!([{"on": "a", "kind": "hue"}]), "unknown variant")]
fn findings_that_can_be_none_are_refused(#[case] picks: Value, #[case] says: &str) {
    let text = json!({"format": "selvik-cell/1", "name": "C", "items": [],
        "findings": [{"id": "f", "name": "F", "picks": picks}]});
    let mut files = PackageFiles::default();
    let text = text.to_string().into_bytes();
    files.insert("cell.json", text).expect("a plain name");
    let refused = Workcell::read(&files).unwrap_err().to_string();
    assert!(refused.contains(says), "{refused}");
}

/// A hole that was picked is looked for as a hole: what lies nearer but is flat is not taken for it.
#[test]
fn what_was_a_wall_is_found_again_as_a_wall_or_said_to_be_gone() {
    let workcell = workcell(0.0);
    // On the lid of the pin, 2 mm from its rim.
    let wall = PickDocument {
        is: Some(KnownKind::Cylinder),
        ..pick("pin", PickKind::Face, [18.0, 0.0, 50.0])
    };
    let found = measured(&workcell, std::slice::from_ref(&wall), None);
    assert_eq!(found.known[0].is, KnownKind::Cylinder);
    let hole = PickDocument {
        is: Some(KnownKind::Hole),
        ..wall
    };
    let wanted = Measuring {
        picks: vec![hole],
        frame: None,
        volumes: false,
    };
    let refused = measure(&Asked::at_rest(&workcell), &wanted).unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("the hole of pin is no longer there"),
        "{refused}"
    );
}

#[test]
fn both_ends_of_a_kept_edge_stand_in_the_table() {
    let workcell = workcell(0.0);
    let edge = [pick("block", PickKind::Edge, [100.0, 3.0, 30.0])];
    let mut kept = finding("edge", &edge);
    kept.was = measured(&workcell, &edge, None).numbers;
    let save = Edit::SaveFinding {
        finding: Box::new(kept),
    };
    let here = edited(&workcell, &[save]);
    let csv = findings_csv(&here, &here.path().expect("it runs")).unwrap();
    let csv = String::from_utf8(csv).unwrap();
    let ends: Vec<&str> = csv.lines().filter(|l| l.contains(",at,")).collect();
    assert_eq!(ends.len(), 2);
    for (row, y) in ends.iter().zip(["50", "-50"]) {
        let told = format!("at,100 {y} 60,100 {y} 60,mm,as it was");
        let other = told.replace(y, if y == "50" { "-50" } else { "50" });
        assert!(row.contains(&told) || row.contains(&other), "{row}");
    }
    assert_ne!(ends[0], ends[1]);
}

/// Three corners of the top of the block: two edges and the right angle between them; the diagonal closes it.
#[test]
fn a_chain_is_as_long_as_its_legs() {
    let corner = |x, y| pick("block", PickKind::Corner, [x, y, 30.0]);
    let ends = [
        corner(100.0, 50.0),
        corner(100.0, -50.0),
        corner(-100.0, -50.0),
    ];
    let workcell = workcell(0.0);
    let chain = measured(&workcell, &ends, None).chain.expect("of three");
    let lengths: Vec<f64> = chain.legs.iter().map(|leg| leg.length_mm).collect();
    assert!((lengths[0] - 100.0).abs() < 1e-9 && (lengths[1] - 200.0).abs() < 1e-9);
    assert!((chain.length_mm - 300.0).abs() < 1e-9);
    assert!(chain.angles_deg[0].is_some_and(|a| (a - 90.0).abs() < 1e-9));
    let closed = [ends.as_slice(), &ends[..1]].concat();
    let closed = measured(&workcell, &closed, None);
    let diagonal = 200f64.hypot(100.0);
    assert!(is_near(
        closed.numbers[0].amount,
        Amount::LengthMm(300.0 + diagonal)
    ));
    assert_eq!(closed.numbers[0].what, ValueKind::AlongChain);
    assert_eq!(closed.numbers.len(), 4);
    assert!(closed.between.is_none());
    // Where legs don't meet there is no angle: from one body to the next the nearest points count.
    let items = ["block", "other", "pin"].map(|id| pick(id, PickKind::Item, [0.0; 3]));
    let chain = measured(&workcell, &items, None).chain.expect("of three");
    assert_eq!(chain.angles_deg, [None]);
    assert!((chain.legs[0].length_mm - 300.0).abs() < 1e-9);
}

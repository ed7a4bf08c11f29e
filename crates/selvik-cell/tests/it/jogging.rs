//! Joints moved by hand: what is told agrees with what is asked otherwise.

use indexmap::IndexMap;
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::arranging::FrameChoice;
use selvik_cell::document::{MayTouchDocument, PoseDocument, document_from_slice};
use selvik_cell::jog::{JogAnswer, JogRequest, Jogging, ReachFor, ReachPlace, Ruled};
use selvik_cell::questions::Asked;
use selvik_cell::report::Verdict;
use selvik_core::program::Path;
use selvik_core::robot::Moment;
use selvik_formats::PackageFiles;

/// An arm of two upright axes with links of 400 and 300 mm, a post it may come near, and a pole far off.
fn workcell() -> Workcell {
    let text = r#"{"format": "selvik-cell/1", "name": "Jogged", "items": [
        {"id": "arm", "name": "Arm", "role": "robot", "pose": {"xyz_mm": [0, 0, 0], "rpy_deg": [0, 0, 0]},
         "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "q1", "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90},
            {"joint": "q2", "a_mm": 400, "limits_deg_or_mm": [-150, 150], "velocity_deg_or_mm_s": 90,
             "bodies": [{"shape": {"sphere": {"radius_mm": 40}}, "pose": {"xyz_mm": [300, 0, 0]}}]}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "frame_kind": "tcp", "parent": "arm", "on_link": "q2", "pose": {"xyz_mm": [300, 0, 0]}},
        {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [500, 500, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 60}}}]},
        {"id": "pole", "name": "Pole", "role": "structure", "pose": {"xyz_mm": [-5000, 0, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 60}}}]}],
      "rules": [{"id": "r", "name": "Arm to all", "between": ["arm"], "required_mm": 10, "tight_below_mm": 20}]}"#;
    let document = document_from_slice(text.as_bytes()).expect("readable");
    Workcell::from_document(document, &PackageFiles::default()).expect("a sound cell")
}

fn asked(joints: &[(&str, f64)]) -> JogRequest {
    let named = joints.iter().map(|(j, v)| (format!("arm/{j}"), *v));
    JogRequest {
        number: 7,
        time_s: None,
        joints_deg_or_mm: named.collect(),
        reach: None,
        tcp: Some("tcp".to_owned()),
        frame: None,
        nearest: 5,
    }
}

fn answer(workcell: &Workcell, jogging: &mut Jogging, request: &JogRequest) -> JogAnswer {
    let pairs = workcell
        .rules
        .scope(&workcell.assembly, &Path::standing(&workcell.rest))
        .pairs;
    let ruled = Ruled {
        workcell,
        pairs: &pairs,
    };
    jogging
        .answer(ruled, &Moment::of_roster(workcell.rest.clone()), request)
        .expect("an answer")
}

fn reach(pose: [f64; 6], frame: FrameChoice) -> JogRequest {
    let [x, y, z, roll, pitch, yaw] = pose;
    let pose = PoseDocument {
        xyz_mm: [x, y, z],
        rpy_deg: [roll, pitch, yaw],
    };
    at(ReachPlace::Frame { frame, pose })
}

fn at(place: ReachPlace) -> JogRequest {
    JogRequest {
        reach: Some(ReachFor {
            robot: "arm".to_owned(),
            tcp: "tcp".to_owned(),
            place,
        }),
        ..asked(&[("q1", 10.0), ("q2", 20.0)])
    }
}

/// Two links in a plane: Craig, Introduction to Robotics, example 3.3 (from memory): x = l1 c1 + l2 c12, y = l1 s1 + l2 s12.
#[rstest]
#[case(0.0, 0.0)]
#[case(30.0, 60.0)]
#[case(-100.0, 140.0)]
fn the_tcp_is_where_the_joints_put_it(#[case] q1: f64, #[case] q2: f64) {
    let workcell = workcell();
    let told = answer(
        &workcell,
        &mut Jogging::default(),
        &asked(&[("q1", q1), ("q2", q2)]),
    );
    let tcp = told.tcp.expect("a TCP");
    let (one, both) = (q1.to_radians(), (q1 + q2).to_radians());
    let x = 400.0 * one.cos() + 300.0 * both.cos();
    let y = 400.0 * one.sin() + 300.0 * both.sin();
    assert!((tcp.pose.xyz_mm[0] - x).abs() < 1e-9 && (tcp.pose.xyz_mm[1] - y).abs() < 1e-9);
    assert!((tcp.pose.rpy_deg[2] - (q1 + q2)).abs() < 1e-9);
    assert_eq!(told.number, 7);
    assert!((told.joints_deg_or_mm["arm/q1"] - q1).abs() < 1e-9);
    assert_eq!(told.stopped, None);
    // Nothing moved where the joints are where they were.
    assert_eq!(told.nodes.is_empty(), q1 == 0.0 && q2 == 0.0);
}

#[test]
fn the_nearest_pair_is_as_near_as_it_is_measured_elsewhere() {
    let workcell = workcell();
    let (mut jogging, mut seen) = (Jogging::default(), Vec::new());
    for step in 0..60 {
        let q1 = f64::from(step) * 1.5;
        let request = asked(&[("q1", q1), ("q2", 20.0)]);
        let told = answer(&workcell, &mut jogging, &request);
        let moved: IndexMap<String, f64> = request.joints_deg_or_mm;
        let elsewhere = Asked::at_rest(&workcell).moved(&moved).expect("moved");
        let expected = elsewhere
            .distance("arm", "post")
            .expect("a distance")
            .distance_mm;
        let nearest = &told.nearest[0];
        assert_eq!((nearest.b.as_str(), told.nearest.len()), ("Post", 2));
        assert!(
            (nearest.distance_mm - expected).abs() < 1e-6,
            "{q1}: {nearest:?} {expected}"
        );
        let verdict = match expected {
            ..10.0 => Verdict::Broken,
            ..20.0 => Verdict::Tight,
            _ => Verdict::Meets,
        };
        assert_eq!((nearest.required_mm, nearest.verdict), (10.0, verdict));
        seen.push(verdict);
    }
    for verdict in [Verdict::Broken, Verdict::Tight, Verdict::Meets] {
        assert!(seen.contains(&verdict), "{verdict:?} was never seen");
    }
    let none = JogRequest {
        nearest: 0,
        ..asked(&[("q1", 30.0)])
    };
    assert!(answer(&workcell, &mut jogging, &none).nearest.is_empty());
}

#[test]
fn a_joint_stops_at_its_limit_and_says_so() {
    let workcell = workcell();
    let told = answer(&workcell, &mut Jogging::default(), &asked(&[("q2", 400.0)]));
    assert!((told.joints_deg_or_mm["arm/q2"] - 150.0).abs() < 1e-9);
    let says = told.stopped.expect("it stopped");
    assert!(
        says.contains("joint q2 would be at 400.00°, 250.00° beyond"),
        "{says}"
    );
}

#[test]
fn a_tcp_goes_where_it_is_told_in_any_frame_or_as_near_as_it_can_and_says_why() {
    let workcell = workcell();
    let mut jogging = Jogging::default();
    let there = answer(
        &workcell,
        &mut jogging,
        &reach([500.0, 200.0, 0.0, 0.0, 0.0, 50.0], FrameChoice::World),
    );
    // Three numbers for two joints: it goes to the place, and is turned as that leaves it.
    let [x, y, ..] = there.tcp.expect("a TCP").world;
    assert!((x - 0.5).hypot(y - 0.2) < 1e-6, "{x} {y}");
    let yaw = there.joints_deg_or_mm["arm/q1"] + there.joints_deg_or_mm["arm/q2"];
    let says = format!("turned {:.2}° from what was asked", (yaw - 50.0).abs());
    let told = there.stopped.expect("it says so");
    assert!(told.contains(&says), "{told}, not {says}");
    let at = |q1: f64, q2: f64| {
        let (one, both) = (f64::to_radians(q1), f64::to_radians(q1 + q2));
        let x = 400.0 * one.cos() + 300.0 * both.cos();
        let y = 400.0 * one.sin() + 300.0 * both.sin();
        [x, y, 0.0, 0.0, 0.0, q1 + q2]
    };
    let told = answer(
        &workcell,
        &mut jogging,
        &reach(at(40.0, 50.0), FrameChoice::World),
    );
    assert_eq!(told.stopped, None);
    assert!(
        (told.joints_deg_or_mm["arm/q1"] - 40.0).abs() < 1e-6,
        "{told:?}"
    );
    assert!((told.joints_deg_or_mm["arm/q2"] - 50.0).abs() < 1e-6);
    // Its own frame: no step is no motion.
    let still = answer(&workcell, &mut jogging, &reach([0.0; 6], FrameChoice::Own));
    assert!((still.joints_deg_or_mm["arm/q1"] - 10.0).abs() < 1e-6);
    let far = answer(
        &workcell,
        &mut jogging,
        &reach([900.0, 0.0, 0.0, 0.0, 0.0, 0.0], FrameChoice::World),
    );
    // Stretched out, it is as near as it comes.
    let says = far.stopped.expect("it says so");
    assert!(
        says.contains("2 joints bring it no nearer: 200.00 mm"),
        "{says}"
    );
    let [x, y, ..] = far.tcp.expect("a TCP").world;
    assert!((x - 0.7).hypot(y) < 1e-3, "{x} {y}");
}

#[rstest]
#[case::no_joint(asked(&[("q9", 0.0)]), "there is no joint \"arm/q9\"")]
#[case::no_number(asked(&[("q1", f64::NAN)]), "NaN is no value")]
#[case::no_tcp(JogRequest { tcp: Some("nothing".to_owned()), ..asked(&[]) }, "there is no item \"nothing\"")]
#[case::no_frame(JogRequest { frame: Some(FrameChoice::Item("x".to_owned())), ..asked(&[]) }, "there is no item \"x\"")]
#[case::no_place(reach([f64::INFINITY, 0.0, 0.0, 0.0, 0.0, 0.0], FrameChoice::World), "not a usable number")]
fn what_is_not_there_is_refused(#[case] request: JogRequest, #[case] says: &str) {
    let workcell = workcell();
    let ruled = Ruled {
        workcell: &workcell,
        pairs: &[],
    };
    let refused = Jogging::default()
        .answer(ruled, &Moment::of_roster(workcell.rest.clone()), &request)
        .unwrap_err();
    assert!(refused.to_string().contains(says), "{refused}");
}

/// What is remembered of pairs makes answers quicker, never others: after any jumps and small steps the same as asked afresh.
#[test]
fn what_is_remembered_changes_no_answer() {
    let workcell = workcell();
    let mut jogging = Jogging::default();
    let (mut q1, mut q2) = (0.0f64, 0.0f64);
    for step in 0..400u32 {
        // Small steps, and now and then a jump.
        let far = if step % 23 == 0 { 90.0 } else { 2.0 };
        let noise =
            |seed: u32| f64::from(seed.wrapping_mul(2_654_435_761) >> 8) / f64::from(1 << 24) - 0.5;
        q1 = (q1 + far * noise(2 * step + 1)).clamp(-160.0, 160.0);
        q2 = (q2 + far * noise(2 * step + 2)).clamp(-140.0, 140.0);
        for nearest in [1, 2] {
            let request = JogRequest {
                nearest,
                ..asked(&[("q1", q1), ("q2", q2)])
            };
            let told = answer(&workcell, &mut jogging, &request).nearest;
            let afresh = answer(&workcell, &mut Jogging::default(), &request).nearest;
            assert_eq!(told.len(), afresh.len());
            for (one, other) in told.iter().zip(&afresh) {
                assert!(
                    (one.distance_mm - other.distance_mm).abs() < 1e-6,
                    "{step}: {one:?} {other:?}"
                );
            }
        }
    }
}

/// Two that may touch within limits: whether those are kept only a sweep tells, so that they are neither broken nor kept here.
#[test]
fn what_may_touch_within_limits_is_not_certified_by_hand() {
    let mut document = workcell().document;
    document.may_touch = vec![MayTouchDocument {
        a: "arm".to_owned(),
        b: "post".to_owned(),
        reason: "it rests there".to_owned(),
        max_depth_mm: Some(2.0),
        during: None,
    }];
    let workcell =
        Workcell::from_document(document, &PackageFiles::default()).expect("a sound cell");
    let mut near = None;
    for step in 0..60 {
        let request = asked(&[("q1", f64::from(step) * 1.5), ("q2", 20.0)]);
        let told = answer(&workcell, &mut Jogging::default(), &request);
        let first = told
            .nearest
            .into_iter()
            .find(|n| n.b == "Post")
            .expect("it is near");
        assert_eq!(first.may_touch.as_deref(), Some("it rests there"));
        if first.distance_mm < 10.0 {
            assert_eq!(first.verdict, Verdict::NotCertified);
            near = Some(first);
        }
    }
    assert!(near.is_some(), "it never came near");
}

/// The same place, told in the world and in a frame.
#[test]
fn a_place_in_the_world_is_the_same_place() {
    let workcell = workcell();
    let mut jogging = Jogging::default();
    let told = answer(
        &workcell,
        &mut jogging,
        &asked(&[("q1", 40.0), ("q2", 50.0)]),
    );
    let world = told.tcp.expect("a TCP").world;
    let in_own = JogRequest {
        frame: Some(FrameChoice::Own),
        ..asked(&[("q1", 40.0), ("q2", 50.0)])
    };
    let own = answer(&workcell, &mut jogging, &in_own).tcp.expect("a TCP");
    assert_eq!(own.axes, own.world, "its own frame stands where it does");
    let there = answer(&workcell, &mut jogging, &at(ReachPlace::World(world)));
    assert!(
        (there.joints_deg_or_mm["arm/q1"] - 40.0).abs() < 1e-6,
        "{there:?}"
    );
    assert!((there.joints_deg_or_mm["arm/q2"] - 50.0).abs() < 1e-6);
}

//! Parts that are taken hang on what takes them: in pictures, distances, rules and bounds.

use std::collections::HashMap;

use nalgebra::Unit;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{
    BandShape, Counted, LeftOutReason, Limit, Named, PairResult, Progress, Requirement, Rule,
    RuleSet, Sweep, SweepOptions, Verdict, clearance_band, distance, sweep,
};
use selvik_core::mesh::{Shape, Surface};
use selvik_core::program::{
    Goal, Lane, Motion, Move, Path, PathTolerance, Planned, Program, ProgramError, ProgramFault,
    RunPlan, plan_again, plan_path,
};
use selvik_core::robot::{
    Assembly, BodyId, Carried, Joint, JointKind, JointLimits, Link, Mechanism, Span,
};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

const TOLERANCE: f64 = 1e-4;
const HALF_TURN: f64 = std::f64::consts::PI;

fn at(x: f64, y: f64, z: f64) -> Pose {
    pose_from_rpy([x, y, z], [0.0; 3])
}

fn solid(shape: Shape) -> Surface {
    Surface::of_shapes(&[(shape, Pose::identity())]).unwrap()
}

fn cuboid(x: f64, y: f64, z: f64) -> Surface {
    solid(Shape::Box([x, y, z]))
}

const ARM: usize = 0;
const HOOK: usize = 1;
const TABLE: usize = 2;
const BAR: usize = 3;
const POST: usize = 4;
const SHELF: usize = 5;
const OTHER: usize = 6;

/// An arm that turns about the world's Z with a hook (a ball of 50 mm) at 1 m; before the hook a bar of 400 mm outwards,
/// 40 mm thick, on a table; a quarter turn on a post of 50 mm at 1.6 m; half a turn on a shelf just below the bar. A second
/// arm stands far off.
fn turning() -> Assembly {
    let turn = || {
        let joint = Joint {
            name: "turn".to_owned(),
            kind: JointKind::Revolute,
            parent: 0,
            child: 1,
            origin: Pose::identity(),
            axis: Unit::new_normalize(Vector::z()),
            limits: JointLimits {
                position: Span::new(-7.0, 7.0).unwrap(),
                velocity: 1.0,
                acceleration: 4.0,
                ..JointLimits::default()
            },
            mimics: None,
        };
        let links = vec![Link::new("base", None), Link::new("hand", None)];
        Mechanism::new(links, vec![joint]).unwrap()
    };
    let post = Shape::Cylinder {
        radius: 0.05,
        length: 1.0,
    };
    let items = vec![
        Item::new("arm", Role::Robot),
        Item::new("hook", Role::Tool)
            .on("arm", Some("hand"))
            .at(at(1.0, 0.0, 0.0))
            .with_body(solid(Shape::Sphere { radius: 0.05 })),
        Item::new("table", Role::Structure)
            .at(at(1.25, 0.0, -0.07))
            .with_body(cuboid(0.4, 0.2, 0.1)),
        Item::new("bar", Role::Part)
            .on("table", None)
            .at(at(0.0, 0.0, 0.07))
            .with_body(cuboid(0.4, 0.04, 0.04)),
        Item::new("post", Role::Structure)
            .at(at(0.0, 1.6, 0.0))
            .with_body(solid(post)),
        Item::new("shelf", Role::Fixture)
            .at(at(-1.25, 0.0, -0.07))
            .with_body(cuboid(0.4, 0.2, 0.1)),
        Item::new("other", Role::Robot).at(at(20.0, 0.0, 0.0)),
    ];
    let mechanisms = HashMap::from([("arm".into(), turn()), ("other".into(), turn())]);
    Assembly::new(Cell::new(items).unwrap(), mechanisms).unwrap()
}

/// Whose programs run, and what they do.
type Lanes = Vec<(usize, Vec<Motion>)>;

fn to(angle: f64) -> Motion {
    Motion::Joint {
        to: Goal::Joints(vec![angle]),
        speed: 1.0,
    }
}

fn take(assembly: &Assembly, item: usize) -> Motion {
    Motion::Take {
        item,
        by: Some(assembly.item_node(HOOK)),
        touching_moves: 1,
    }
}

fn release(assembly: &Assembly, item: usize, onto: Option<usize>) -> Motion {
    Motion::Release {
        item,
        onto: onto.map(|onto| assembly.item_node(onto)),
        touching_moves: 1,
    }
}

fn planned(assembly: &Assembly, lanes: &[(usize, Vec<Motion>)]) -> Result<Path, ProgramError> {
    planned_again(assembly, lanes, &mut Planned::default())
}

fn planned_again(
    assembly: &Assembly,
    lanes: &[(usize, Vec<Motion>)],
    known: &mut Planned,
) -> Result<Path, ProgramError> {
    let step = |motion: &Motion| Move {
        label: "move".to_owned(),
        motion: motion.clone(),
        also: Vec::new(),
    };
    let lane = |(robot, motions): &(usize, Vec<Motion>)| Lane {
        start: 0.0,
        programs: vec![Program {
            name: "P".to_owned(),
            robot: *robot,
            tcp: None,
            moves: motions.iter().map(step).collect(),
        }],
    };
    let plan = RunPlan {
        lanes: lanes.iter().map(lane).collect(),
    };
    let rest = vec![0.0; assembly.joints().len()];
    plan_again(assembly, &plan, &rest, &PathTolerance::default(), known)
}

/// The bar goes past the post onto the shelf, and the arm comes back without it.
fn carried_over(assembly: &Assembly) -> Path {
    let moves = vec![
        take(assembly, BAR),
        to(HALF_TURN / 4.0),
        to(HALF_TURN * 0.75),
        to(HALF_TURN),
        release(assembly, BAR, Some(SHELF)),
        to(HALF_TURN * 0.75),
        to(0.0),
    ];
    planned(assembly, &[(ARM, moves)]).unwrap()
}

/// The arm and what it carries against all else.
fn rules(between: usize) -> RuleSet {
    let rule = Rule {
        name: "r".to_owned(),
        between: vec![Named::item(between)],
        and: None,
        requirement: Requirement::new(0.01, 0.02).unwrap(),
    };
    RuleSet {
        rules: vec![rule],
        ..RuleSet::default()
    }
}

fn swept(assembly: &Assembly, path: &Path) -> Sweep {
    let options = SweepOptions::every_pair(TOLERANCE);
    sweep(assembly, path, &rules(ARM), &options, &Progress::default())
}

fn body(assembly: &Assembly, item: usize) -> BodyId {
    BodyId(
        assembly
            .bodies()
            .iter()
            .position(|b| b.item == item)
            .unwrap(),
    )
}

fn of<'a>(sweep: &'a Sweep, assembly: &Assembly, a: usize, b: usize) -> Vec<&'a PairResult> {
    let [a, b] = [a, b].map(|item| body(assembly, item));
    let is = |p: &&PairResult| [(a, b), (b, a)].contains(&(p.pair.a, p.pair.b));
    let mut found: Vec<_> = sweep.pairs.iter().filter(is).collect();
    found.sort_by(|x, y| {
        let from = |p: &PairResult| p.pair.times.map_or(0.0, |t| t.0);
        from(x).total_cmp(&from(y))
    });
    found
}

/// The far corner of the bar turns on a circle of √(1.45² + 0.02²) m; the post stands 1.6 − 0.05 m off.
#[test]
fn a_carried_bar_passes_a_post_as_closely_as_geometry_says() {
    let assembly = turning();
    let path = carried_over(&assembly);
    let sweep = swept(&assembly, &path);
    let [held] = of(&sweep, &assembly, BAR, POST)[..] else {
        panic!("the rule names the bar only while the arm carries it");
    };
    let exact = 1.6 - 0.05 - 1.45f64.hypot(0.02);
    assert!((held.clearance.attained() - exact).abs() < TOLERANCE);
    assert!(held.clearance.lower() <= exact + 1e-9);
    assert!(exact - held.clearance.lower() < 2.0 * TOLERANCE);
    let quarter = path.spans()[1].end;
    assert!(held.approach.time > quarter && held.approach.time < path.spans()[2].end);
    assert_eq!(held.pair.times, Some((0.0, path.spans()[3].end)));
    assert_eq!(held.verdict, Verdict::Meets);
}

/// At every instant the picture, the distance and the certificate agree.
#[test]
fn no_instant_is_nearer_than_the_certificate_says() {
    let assembly = turning();
    let path = carried_over(&assembly);
    let sweep = swept(&assembly, &path);
    let apart = |t: f64, a: usize, b: usize| {
        let poses = assembly.poses_carrying(&path.at(t), &path.carried_at(&assembly, t));
        let [a, b] = [a, b].map(|item| assembly.body(body(&assembly, item)));
        let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
        let found = distance(&a.surface, &b.surface, &relative, Limit::default());
        found.closest.unwrap().distance
    };
    for (a, b) in [
        (BAR, POST),
        (BAR, TABLE),
        (HOOK, BAR),
        (HOOK, POST),
        (BAR, SHELF),
    ] {
        for found in of(&sweep, &assembly, a, b) {
            let (from, to) = found.pair.times.unwrap_or((0.0, path.duration()));
            let free = |t: f64| {
                let mut times = found.allowed.iter().flat_map(|a| &a.times);
                times.any(|&(x, y)| x <= t && t <= y)
            };
            let instants = (0..=2000).map(|i| from + (to - from) * f64::from(i) / 2000.0);
            let least = instants
                .filter(|&t| !free(t))
                .map(|t| apart(t, a, b))
                .fold(f64::INFINITY, f64::min);
            assert!(least >= found.clearance.lower() - 1e-9, "{a} {b}");
            assert!(found.clearance.attained() <= least + TOLERANCE, "{a} {b}");
        }
    }
}

#[test]
fn it_may_touch_what_it_is_taken_with_from_and_onto_while_it_is_handled() {
    let assembly = turning();
    let path = carried_over(&assembly);
    let sweep = swept(&assembly, &path);
    let held_by = [body(&assembly, HOOK), body(&assembly, BAR)];
    let left_out = |reason: &str| {
        sweep.left_out.iter().any(|l| {
            held_by.contains(&l.a)
                && held_by.contains(&l.b)
                && l.reason == LeftOutReason::Allowed(reason.to_owned())
        })
    };
    assert!(left_out("one holds the other"));
    let spans = path.spans();
    let [table] = of(&sweep, &assembly, BAR, TABLE)[..] else {
        panic!("it lies on the table, then it is carried, then on the shelf");
    };
    assert_eq!(table.allowed[0].times, [(0.0, spans[1].end)]);
    assert_eq!(table.verdict, Verdict::Meets);
    let [shelf] = of(&sweep, &assembly, BAR, SHELF)[..] else {
        panic!("the rule names both only while the bar is held");
    };
    assert_eq!(shelf.allowed[0].times, [(spans[3].start, spans[3].end)]);
    // When the arm is gone the hook must keep clear of the bar like anything else.
    let [later] = of(&sweep, &assembly, HOOK, BAR)[..] else {
        panic!("measured again once it is set down");
    };
    assert_eq!(later.allowed[0].times, [(spans[4].end, spans[5].end)]);
    assert!(later.clearance.attained() > 0.3);
}

/// The allowance ends when the moves do: back at once into what it just set down is a collision.
#[test]
fn what_was_set_down_is_in_the_way_like_anything_else() {
    let assembly = turning();
    let moves = vec![
        take(&assembly, BAR),
        to(HALF_TURN / 2.0),
        release(&assembly, BAR, None),
        to(HALF_TURN),
        to(0.0),
    ];
    let path = planned(&assembly, &[(ARM, moves)]).unwrap();
    let sweep = swept(&assembly, &path);
    let worst = of(&sweep, &assembly, HOOK, BAR);
    assert_eq!(worst.last().unwrap().verdict, Verdict::Broken);
    assert!(worst.last().unwrap().touching.len() == 1);
}

/// What is taken behind the last move is carried at the end, and counts there.
#[test]
fn what_is_taken_at_the_very_end_is_measured_there() {
    let assembly = turning();
    let path = planned(
        &assembly,
        &[(ARM, vec![to(1.0), to(0.0), take(&assembly, BAR)])],
    )
    .unwrap();
    let sweep = swept(&assembly, &path);
    let [held] = of(&sweep, &assembly, BAR, POST)[..] else {
        panic!("the arm carries it at the end");
    };
    let end = path.duration();
    assert_eq!(held.pair.times, Some((end, end)));
    // From the near corner of the bar at (1.05, 0.02) to the axis of the post at (0, 1.6), less its radius.
    let exact = 1.05f64.hypot(1.58) - 0.05;
    assert!((held.clearance.attained() - exact).abs() < TOLERANCE);
    assert!(held.clearance.lower() <= exact + 1e-9 && held.clearance.width() < 2.0 * TOLERANCE);
}

#[test]
fn the_band_shows_it_only_while_it_is_carried() {
    let assembly = turning();
    let path = carried_over(&assembly);
    let pairs = rules(ARM).scope(&assembly, &path).pairs;
    let [bar, post] = [BAR, POST].map(|item| body(&assembly, item));
    let pairs: Vec<_> = pairs
        .into_iter()
        .filter(|p| [p.a, p.b].contains(&bar) && [p.a, p.b].contains(&post))
        .map(|pair| Counted {
            pair,
            times: vec![pair.times.expect("while it is held")],
            at_least: 0.0,
        })
        .collect();
    let shape = BandShape {
        during: (0.0, path.duration()),
        stretches: 200,
        ceiling: 0.5,
        tolerance: 1e-3,
    };
    let band = clearance_band(&assembly, &path, &pairs, &shape, &Progress::default());
    let exact = 1.6 - 0.05 - 1.45f64.hypot(0.02);
    let least = band.points.iter().map(|p| p.lower).fold(1.0, f64::min);
    assert!(least <= exact && least > exact * 0.95, "{least}");
    let released = path.spans()[4].start;
    let after = band.points.iter().filter(|p| p.from >= released);
    assert!(after.into_iter().all(|p| p.lower == 0.5));
}

#[rstest::rstest]
#[case::never_taken(|a: &Assembly| vec![(ARM, vec![release(a, BAR, None)])], 0)]
#[case::released_twice(
    |a: &Assembly| vec![(ARM, vec![take(a, BAR), release(a, BAR, None), release(a, BAR, None)])], 2
)]
#[case::held_by_the_other_lane(
    |a: &Assembly| vec![(ARM, vec![take(a, BAR)]), (OTHER, vec![to(1.0), release(a, BAR, None)])], 1
)]
fn what_is_not_held_cant_be_released(#[case] lanes: fn(&Assembly) -> Lanes, #[case] index: usize) {
    let assembly = turning();
    let error = planned(&assembly, &lanes(&assembly)).unwrap_err();
    assert_eq!(
        (error.index, error.fault),
        (index, ProgramFault::NotHeld("bar".into()))
    );
}

#[test]
fn nothing_carries_itself_and_no_robot_stands_on_what_is_taken() {
    let assembly = turning();
    let error = |motions| planned(&assembly, &[(ARM, motions)]).unwrap_err().fault;
    let onto_itself = vec![take(&assembly, TABLE), release(&assembly, TABLE, Some(BAR))];
    assert_eq!(
        error(onto_itself),
        ProgramFault::CarriesItself("table".into())
    );
    let lifted = error(vec![take(&assembly, ARM)]);
    let part = || "arm".into();
    let stands_on = ProgramFault::OnWhatIsTaken {
        frame: part(),
        part: part(),
    };
    assert_eq!(lifted, stands_on);
    let by_nothing = Motion::Take {
        item: BAR,
        by: None,
        touching_moves: 1,
    };
    assert_eq!(error(vec![by_nothing]), ProgramFault::TakenByNothing);
}

/// What is released and taken at one instant goes from hand to hand, whichever lane comes first.
#[rstest::rstest]
#[case([ARM, OTHER])]
#[case([OTHER, ARM])]
fn a_part_goes_from_hand_to_hand(#[case] order: [usize; 2]) {
    let assembly = turning();
    let hand = assembly.link_node(OTHER, "hand").unwrap();
    let sync = || Motion::Sync("hand over".to_owned());
    let gives = vec![
        take(&assembly, BAR),
        to(1.0),
        sync(),
        release(&assembly, BAR, None),
    ];
    let takes = Motion::Take {
        item: BAR,
        by: Some(hand),
        touching_moves: 1,
    };
    let lanes = order.map(|robot| match robot {
        ARM => (ARM, gives.clone()),
        _ => (OTHER, vec![sync(), takes.clone(), to(1.0)]),
    });
    let path = planned(&assembly, &lanes).unwrap();
    let pose = |t: f64| {
        let carried = path.carried_at(&assembly, t);
        assembly.pose_carrying(assembly.item_node(BAR), &path.at(t), &carried)
    };
    let meeting = path.handling().changes()[1];
    let handed = pose(meeting);
    assert!((pose(meeting - 1e-9).translation.vector - handed.translation.vector).norm() < 1e-6);
    // From there on it turns about the other arm, which stands at 20 m.
    let centre = Vector::new(20.0, 0.0, 0.0);
    let end = pose(path.duration());
    let radius = |p: &Pose| (p.translation.vector - centre).norm();
    assert!((radius(&end) - radius(&handed)).abs() < 1e-9);
    assert!((end.translation.vector - handed.translation.vector).norm() > 1.0);
}

/// What was planned before is taken up where it is the same, and only there: edits, faults and what is taken back come to
/// what they come to when planned anew.
#[test]
fn what_is_planned_again_comes_to_the_same() {
    let assembly = turning();
    let moves = |angle: f64, last: f64| {
        vec![
            take(&assembly, BAR),
            to(0.5),
            to(angle),
            to(1.0),
            release(&assembly, BAR, Some(SHELF)),
            to(last),
        ]
    };
    let mut known = Planned::default();
    let plans = [
        (0.7, 0.0),
        (2.0, 0.0),
        (0.7, 0.0),
        (9.0, 0.0),
        (0.7, 0.3),
        (0.7, 0.0),
    ];
    for (angle, last) in plans {
        let lanes = [(ARM, moves(angle, last)), (OTHER, vec![to(angle)])];
        let again = planned_again(&assembly, &lanes, &mut known);
        assert_eq!(again, planned(&assembly, &lanes), "{angle} {last}");
        assert_eq!(again.is_err(), angle > 7.0);
    }
    // With one lane less a joint has no owner any more.
    let one = [(ARM, moves(0.7, 0.0))];
    let again = planned_again(&assembly, &one, &mut known);
    assert_eq!(again, planned(&assembly, &one));
}

/// Three turns about Z, half a metre apart: a straight move that turns the hand is followed more closely the farther what
/// it carries sticks out.
#[test]
fn what_sticks_out_is_followed_as_closely_as_all_else() {
    let rest = [0.3, 1.0, -0.5];
    let yaw: f64 = rest.iter().sum();
    let planned = |length: f64| {
        let joint = |parent: usize, x: f64| Joint {
            name: format!("turn{parent}"),
            kind: JointKind::Revolute,
            parent,
            child: parent + 1,
            origin: at(x, 0.0, 0.0),
            axis: Unit::new_normalize(Vector::z()),
            limits: JointLimits {
                position: Span::new(-3.0, 3.0).unwrap(),
                velocity: 1.0,
                acceleration: 4.0,
                ..JointLimits::default()
            },
            mimics: None,
        };
        let links = ["base", "upper", "lower", "hand"].map(|name| Link::new(name, None));
        let joints = vec![joint(0, 0.0), joint(1, 0.5), joint(2, 0.5)];
        let turned = |angle: f64| pose_from_rpy([0.0; 3], [0.0, 0.0, angle]);
        let hand = turned(rest[0]) * at(0.5, 0.0, 0.0) * turned(rest[1]) * at(0.5, 0.0, 0.0);
        let tcp = hand * turned(rest[2]) * at(0.1, 0.0, 0.0);
        let items = vec![
            Item::new("arm", Role::Robot),
            Item::new("tcp", Role::Frame)
                .on("arm", Some("hand"))
                .at(at(0.1, 0.0, 0.0)),
            Item::new("bar", Role::Part)
                .at(tcp * at(length / 2.0, 0.0, 0.0))
                .with_body(cuboid(length, 0.02, 0.02)),
        ];
        let mechanism = Mechanism::new(links.into(), joints).unwrap();
        let mechanisms = HashMap::from([("arm".into(), mechanism)]);
        let assembly = Assembly::new(Cell::new(items).unwrap(), mechanisms).unwrap();
        let goal = Goal::Pose {
            frame: None,
            pose: at(-0.2, 0.2, 0.0) * tcp * turned(1.0),
            configuration: None,
        };
        let motions = [
            Motion::Take {
                item: 2,
                by: None,
                touching_moves: 1,
            },
            Motion::Linear {
                to: goal,
                speed: 0.5,
                acceleration: 2.0,
            },
        ];
        let moves = motions.map(|motion| Move {
            label: "move".to_owned(),
            motion,
            also: Vec::new(),
        });
        let program = Program {
            name: "P".to_owned(),
            robot: 0,
            tcp: Some(assembly.item_node(1)),
            moves: moves.into(),
        };
        let lanes = vec![Lane {
            start: 0.0,
            programs: vec![program],
        }];
        let tolerance = PathTolerance::default();
        let path = plan_path(&assembly, &RunPlan { lanes }, &rest, &tolerance).unwrap();
        (assembly, path, tcp)
    };
    let knots = [0.2, 3.0].map(|length| planned(length).1.knots().len());
    assert!(knots[1] > knots[0], "{knots:?}");
    let (assembly, path, start) = planned(3.0);
    let carried = path.carried_at(&assembly, path.duration());
    assert_ne!(carried, Carried::default());
    // The end of the bar on the programmed way: the TCP goes straight and turns evenly with it.
    let (bar, tcp) = (assembly.item_node(2), assembly.item_node(1));
    for i in 0..=500 {
        let q = path.at(path.duration() * f64::from(i) / 500.0);
        let [bar, tcp] = [bar, tcp].map(|node| assembly.pose_carrying(node, &q, &carried));
        let share = (start.translation.x - tcp.translation.x) / 0.2;
        let turned = pose_from_rpy([0.0; 3], [0.0, 0.0, yaw + share]);
        let way = start.translation.vector + share * Vector::new(-0.2, 0.2, 0.0);
        let off = way + (turned * at(3.0, 0.0, 0.0)).translation.vector
            - (bar * at(1.5, 0.0, 0.0)).translation.vector;
        // What the TCP is off in X is off along the way, and along the turn with it.
        let slip = path.deviation(0..3) * (1.0 + 3.0 / 0.2);
        assert!(off.norm() < slip, "{} {slip}", off.norm());
    }
}

//! The path against the true lines, arcs and joint moves it stands for, near singularities on purpose.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::{Unit, UnitQuaternion};
use rstest::rstest;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{Aim, Limit, PairMotion, distance};
use selvik_core::mesh::{Surface, box_mesh, sphere_mesh};
use selvik_core::program::{
    Goal, Lane, Motion, Move, Path, PathTolerance, Program, ProgramFault, RunPlan, plan_path,
};
use selvik_core::robot::{
    Arm, Assembly, BodyId, Carried, Configuration, Elbow, Joint, JointKind, JointLimits, Link,
    Mechanism, Shoulder, Span, Wrist,
};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

/// A six-axis arm, upright at zero: 0.1 m from axis 1 to 2, upper arm 0.5 m, forearm 0.5 m, spherical wrist. Its forearm
/// turns with axis 4 and stands out by 0.15 m to one side.
fn arm() -> Assembly {
    arm_with(0.0)
}

/// The same with its last axis `aside` (m) of where the two before it meet: without a spherical wrist.
fn arm_with(aside: f64) -> Assembly {
    let (y, z) = (Vector::y_axis(), Vector::z_axis());
    let frames = [
        ([0.0; 3], z),
        ([0.1, 0.0, 0.4], y),
        ([0.0, 0.0, 0.5], y),
        ([0.0; 3], z),
        ([0.0, 0.0, 0.5], y),
        ([0.0, aside, 0.0], z),
    ];
    let mut links = vec![Link::new("base", None)];
    let mut joints = Vec::new();
    for (i, (xyz, axis)) in frames.into_iter().enumerate() {
        let body = box_mesh([0.2, 0.06, 0.06]).moved(&pose_from_rpy([0.05, 0.0, 0.2], [0.0; 3]));
        let surface = (i == 3).then(|| Arc::new(Surface::new(body)));
        links.push(Link::new(format!("l{}", i + 1), surface));
        joints.push(Joint {
            name: format!("j{}", i + 1),
            kind: JointKind::Revolute,
            parent: i,
            child: i + 1,
            origin: pose_from_rpy(xyz, [0.0; 3]),
            axis: Unit::new_normalize(axis.into_inner()),
            limits: JointLimits {
                position: Span::new(-6.0, 6.0).unwrap(),
                velocity: 3.0,
                acceleration: 12.0,
                ..JointLimits::default()
            },
            mimics: None,
        });
    }
    let post = Surface::new(sphere_mesh(0.03, 24));
    let items = vec![
        Item::new("arm", Role::Robot),
        Item::new("tcp", Role::Robot).on("arm", Some("l6")),
        Item::new("post", Role::Fixture)
            .at(pose_from_rpy([0.75, 0.12, 0.9], [0.0; 3]))
            .with_body(post),
    ];
    let mechanism = Mechanism::new(links, joints).unwrap();
    Assembly::new(
        Cell::new(items).unwrap(),
        HashMap::from([("arm".into(), mechanism)]),
    )
    .unwrap()
}

const POSTURE: Configuration = Configuration {
    shoulder: Shoulder::Front,
    elbow: Elbow::Up,
    wrist: Wrist::Positive,
};

fn bent(five: f64) -> [f64; 6] {
    [0.0, 0.0, 90f64, 0.0, five, 0.0].map(f64::to_radians)
}

fn goal(pose: Pose, configuration: Option<Configuration>) -> Goal {
    Goal::Pose {
        frame: None,
        pose,
        configuration,
    }
}

fn planned(assembly: &Assembly, motions: Vec<Motion>) -> Result<Path, ProgramFault> {
    let moves = motions
        .into_iter()
        .map(|motion| Move {
            label: "move".to_owned(),
            motion,
            also: Vec::new(),
        })
        .collect();
    let program = Program {
        name: "P".to_owned(),
        robot: 0,
        tcp: Some(assembly.item_node(1)),
        moves,
    };
    let plan = RunPlan {
        lanes: vec![Lane {
            start: 0.0,
            programs: vec![program],
        }],
    };
    plan_path(assembly, &plan, &bent(30.0), &PathTolerance::default()).map_err(|e| e.fault)
}

/// Turned by `off` degrees about the upright through its place, so that the wrist passes straight at that distance.
fn leaning(pose: &Pose, off: f64) -> Pose {
    let side = UnitQuaternion::from_axis_angle(&Vector::z_axis(), off.to_radians());
    Pose::from_parts(pose.translation, side * pose.rotation)
}

/// The move whose wrist passes straight by `off` degrees, with the two poses between which it goes.
fn past_straight(assembly: &Assembly, off: f64) -> (Vec<Motion>, Pose, Pose) {
    let tcp = assembly.item_node(1);
    let [from, to] = [25.0, -25.0].map(|five| leaning(&assembly.pose_of(tcp, &bent(five)), off));
    let start = Motion::Joint {
        to: goal(from, Some(POSTURE)),
        speed: 1.0,
    };
    (
        vec![
            start,
            Motion::Linear {
                to: goal(to, None),
                speed: 0.2,
                acceleration: 0.8,
            },
        ],
        from,
        to,
    )
}

/// Every vertex of the moving body, at every instant of a fine grid, against where the true way has it: on the straight
/// line between the poses, at the share of it that the TCP has reached.
#[rstest]
#[case(20.0)]
#[case(2.0)]
#[case(0.2)]
#[case(0.02)]
fn no_body_is_farther_off_the_true_line_than_the_path_says(#[case] off: f64) {
    let assembly = arm();
    let (motions, from, to) = past_straight(&assembly, off);
    let path = planned(&assembly, motions).expect("it can be driven, slowly");
    let arm = Arm::new(&assembly, 0, assembly.item_node(1)).unwrap();
    let said = path.deviation(0..6);
    assert!(said <= 5e-6, "{said}");
    let span = path.spans()[1].clone();
    let body = assembly.body(BodyId(0));
    let turn = from.rotation.angle_to(&to.rotation);
    let length = (to.translation.vector - from.translation.vector).norm();
    let (mut worst, mut near) = (0.0f64, path.at(span.start));
    for i in 0..=6000 {
        let t = span.start + (span.end - span.start) * f64::from(i) / 6000.0;
        let q = path.at(t);
        // The share at which the true pose is nearest to the path's: by turning, since the place hardly moves.
        let now = assembly.pose_of(arm.tip(), &q);
        let gone = (now.translation.vector - from.translation.vector).norm();
        let share = if length > 0.01 {
            gone / length
        } else {
            from.rotation.angle_to(&now.rotation) / turn
        };
        let truth = arm
            .solve(&assembly, &from.lerp_slerp(&to, share.min(1.0)), &near)
            .expect("within reach");
        near.iter_mut()
            .zip(&truth[0].values)
            .for_each(|(q, v)| *q = *v);
        let [a, b] = [&q, &near].map(|q| assembly.pose_of(body.node, q));
        for v in body.surface.mesh().vertices() {
            worst = worst.max((a * v - b * v).norm());
        }
    }
    assert!(worst <= said, "{worst} off, but {said} said");
    // A certificate that took the knots for the motion would be off by this.
    assert!(worst > 1e-7, "{worst}");
    if off < 1.0 {
        assert!(span.speed_share < 0.9, "it is slowed: {}", span.speed_share);
    }
}

/// Arms without a closed form, lines and arcs, from random postures: solved anew from each instant of the path, the joints are
/// as near to the true ones as the path says. Taken for zero, or for a tenth, it would be noticed.
#[rstest]
#[case::a_line([0.3, 0.2, 1.1, 0.4, 0.9, -0.5], None)]
#[case::a_line_near_a_singularity([0.3, 0.2, 1.1, 0.4, 0.04, -0.5], None)]
#[case::an_arc([-0.8, 0.1, 1.4, -0.9, 0.7, 0.2], Some([0.06, 0.05, -0.04]))]
fn the_bound_holds_for_arms_without_a_closed_form(
    #[case] q: [f64; 6],
    #[case] via: Option<[f64; 3]>,
) {
    let assembly = arm_with(0.07);
    let tcp = assembly.item_node(1);
    let arm = Arm::new(&assembly, 0, tcp).unwrap();
    assert!(!arm.has_closed_form());
    let from = assembly.pose_of(tcp, &q);
    let moved = |by: [f64; 3]| pose_from_rpy(by, [0.0; 3]) * from;
    let to = moved([0.0, 0.12, -0.1]) * pose_from_rpy([0.0; 3], [0.1, -0.2, 0.1]);
    let move_to = |to: Goal| match via {
        None => Motion::Linear {
            to,
            speed: 0.2,
            acceleration: 0.8,
        },
        Some(by) => Motion::Circular {
            via: goal(moved(by), None),
            to,
            speed: 0.2,
            acceleration: 0.8,
        },
    };
    let start = Motion::Joint {
        to: Goal::Joints(q.to_vec()),
        speed: 1.0,
    };
    let path = planned(&assembly, vec![start, move_to(goal(to, None))]).expect("it can be driven");
    let (said, span) = (path.deviation(0..6), path.spans()[1].clone());
    assert!(said > 0.0 && said <= 5e-6, "{said}");
    let turn = from.rotation.angle_to(&to.rotation);
    let levers = assembly.levers(&assembly.farthest(), &Carried::default());
    let mut worst = 0.0f64;
    for i in 1..2000 {
        let q = path.at(span.start + (span.end - span.start) * f64::from(i) / 2000.0);
        let now = assembly.pose_of(tcp, &q);
        let share = from.rotation.angle_to(&now.rotation) / turn;
        // What the way is there: the position that the orientation belongs to, without the planner's own arithmetic.
        let place = match via {
            None => from.translation.vector.lerp(&to.translation.vector, share),
            Some(by) => on_circle(
                [&from, &moved(by), &to].map(|p| p.translation.vector),
                share,
            ),
        };
        let pose = Pose::from_parts(place.into(), from.rotation.slerp(&to.rotation, share));
        let truth = arm.follow(&assembly, &pose, &q).expect("within reach");
        let off: f64 = (0..6).map(|j| (truth[j] - q[j]).abs() * levers[j]).sum();
        worst = worst.max(off);
    }
    // The share is known no better than the arm keeps its orientation.
    assert!(
        worst <= 2.0 * said && worst > 0.1 * said,
        "{worst} off, {said} said"
    );
}

/// Where one is after `share` of the circle through three points, from the first over the second to the third.
fn on_circle([a, b, c]: [Vector; 3], share: f64) -> Vector {
    // The middle is as far from all three, in their plane.
    let normal = (b - a).cross(&(c - a));
    let rows = nalgebra::Matrix3::from_rows(&[
        (b - a).transpose(),
        (c - a).transpose(),
        normal.transpose(),
    ]);
    let half = |p: &Vector| (p.norm_squared() - a.norm_squared()) / 2.0;
    let middle = rows.try_inverse().unwrap() * Vector::new(half(&b), half(&c), normal.dot(&a));
    let (arm, far) = (a - middle, c - middle);
    let axis = Unit::new_normalize(normal);
    let turn = axis
        .dot(&arm.cross(&far))
        .atan2(arm.dot(&far))
        .rem_euclid(std::f64::consts::TAU);
    middle + UnitQuaternion::from_axis_angle(&axis, turn * share) * arm
}

/// With a straight wrist axes 4 and 6 are one, but a move within the arm's plane needs neither: it is driven at full speed.
#[test]
fn a_move_may_begin_at_and_pass_a_straight_wrist_within_the_plane_of_the_arm() {
    let assembly = arm();
    let tcp = assembly.item_node(1);
    let straight = assembly.pose_of(tcp, &[0.0, 0.2, 1.2, 0.0, 0.0, 0.0]);
    let up = |by: f64| pose_from_rpy([0.0, 0.0, by], [0.0; 3]) * straight;
    let line = |to: Pose| Motion::Linear {
        to: goal(to, None),
        speed: 0.2,
        acceleration: 0.8,
    };
    let start = |q: &[f64]| Motion::Joint {
        to: Goal::Joints(q.to_vec()),
        speed: 1.0,
    };
    let from_it = vec![start(&[0.0, 0.2, 1.2, 0.0, 0.0, 0.0]), line(up(0.1))];
    let arm = Arm::new(&assembly, 0, tcp).unwrap();
    let below = arm
        .follow(&assembly, &up(-0.1), &[0.0, 0.2, 1.2, 0.0, -0.1, 0.0])
        .unwrap();
    let past_it = vec![start(&below), line(up(0.1))];
    for motions in [from_it, past_it] {
        let path = planned(&assembly, motions).expect("nothing has to jump");
        let span = path.spans()[1].clone();
        assert!(
            span.speed_share > 0.99 && path.deviation(0..6) <= 5e-6,
            "{}",
            span.speed_share
        );
        let knots = path
            .knots()
            .iter()
            .filter(|&&t| t > span.start && t <= span.end);
        assert!(knots.clone().count() < 500, "{}", knots.count());
    }
}

/// At the knots that are driven no joint is faster than it may be, however near a singularity.
#[rstest]
#[case(5.0)]
#[case(0.5)]
#[case(0.05)]
fn joints_keep_their_speed_at_every_knot(#[case] off: f64) {
    let assembly = arm();
    let path =
        planned(&assembly, past_straight(&assembly, off).0).expect("it can be driven, slowly");
    for w in path.knots().windows(2) {
        let (a, b) = (path.at(w[0]), path.at(w[1]));
        for (x, y) in a.iter().zip(&b) {
            assert!(
                (y - x).abs() / (w[1] - w[0]) <= 3.0 * (1.0 + 1e-6),
                "{} at {}",
                (y - x).abs() / (w[1] - w[0]),
                w[0]
            );
        }
    }
}

#[test]
fn straight_through_a_singularity_is_refused_or_driven_but_never_skipped() {
    let assembly = arm();
    match planned(&assembly, past_straight(&assembly, 0.0).0) {
        // The wrist may bend over to the other side without turning round.
        Ok(path) => {
            let jump = path.knots().windows(2).map(|w| {
                path.at(w[0])
                    .iter()
                    .zip(path.at(w[1]))
                    .map(|(a, b)| (a - b).abs())
                    .fold(0.0, f64::max)
            });
            assert!(jump.fold(0.0, f64::max) < 0.2);
        }
        Err(fault) => assert!(matches!(fault, ProgramFault::Singular { .. }), "{fault}"),
    }
}

/// The certified bound along a singular pass, against exact distances on the true line.
#[test]
fn the_certificate_is_that_of_the_programmed_motion() {
    let assembly = arm();
    let (motions, from, to) = past_straight(&assembly, 0.3);
    let path = planned(&assembly, motions).expect("it can be driven");
    let arm = Arm::new(&assembly, 0, assembly.item_node(1)).unwrap();
    let mut pair = PairMotion::new(&assembly, &path, BodyId(0), BodyId(1));
    let (bracket, _) = pair.minimum(&[(0.0, path.duration())], &Aim::exactly(1e-4), &|| true);
    let mut near = path.at(path.spans()[1].start);
    for i in 0..=4000 {
        let truth = arm
            .solve(
                &assembly,
                &from.lerp_slerp(&to, f64::from(i) / 4000.0),
                &near,
            )
            .expect("within reach");
        near.iter_mut()
            .zip(&truth[0].values)
            .for_each(|(q, v)| *q = *v);
        let poses = [0, 1].map(|b| assembly.pose_of(assembly.body(BodyId(b)).node, &near));
        let surfaces = [0, 1].map(|b| &assembly.body(BodyId(b)).surface);
        let found = distance(
            surfaces[0],
            surfaces[1],
            &poses[0].inv_mul(&poses[1]),
            Limit::default(),
        );
        assert!(
            found.closest.unwrap().distance >= bracket.lower(),
            "{found:?} below {}",
            bracket.lower()
        );
    }
}

/// An arm of another build on a track that moves in the same moves: bars that stand out of every link, and a post.
fn on_a_track(rows: &[([f64; 3], [f64; 3], JointKind)]) -> Assembly {
    let limits = |reach: f64| JointLimits {
        position: Span::new(-reach, reach).unwrap(),
        velocity: 2.0,
        acceleration: 8.0,
        ..JointLimits::default()
    };
    let bar = || {
        Some(Arc::new(Surface::new(
            box_mesh([0.05, 0.3, 0.05]).moved(&pose_from_rpy([0.0, 0.1, 0.0], [0.0; 3])),
        )))
    };
    let joint = |i: usize, (xyz, rpy, kind): ([f64; 3], [f64; 3], JointKind)| Joint {
        name: format!("j{i}"),
        kind,
        parent: i,
        child: i + 1,
        origin: pose_from_rpy(xyz, rpy),
        axis: Vector::z_axis(),
        limits: limits(3.0),
        mimics: None,
    };
    let links = (0..=rows.len())
        .map(|i| Link::new(format!("l{i}"), if i == 0 { None } else { bar() }))
        .collect();
    let arm = Mechanism::new(
        links,
        rows.iter()
            .enumerate()
            .map(|(i, row)| joint(i, *row))
            .collect(),
    )
    .unwrap();
    let slide = joint(
        0,
        (
            [0.0; 3],
            [0.0, std::f64::consts::FRAC_PI_2, 0.0],
            JointKind::Prismatic,
        ),
    );
    let track = Mechanism::new(
        vec![Link::new("rail", None), Link::new("carriage", None)],
        vec![slide],
    )
    .unwrap();
    let upright = pose_from_rpy([0.0; 3], [0.0, -QUARTER, 0.0]);
    let flange = format!("l{}", rows.len());
    let tcp = pose_from_rpy([0.05, 0.0, 0.1], [0.0; 3]);
    let post = pose_from_rpy([0.7, 0.35, 0.4], [0.0; 3]);
    let items = vec![
        Item::new("track", Role::Robot),
        Item::new("arm", Role::Robot)
            .on("track", Some("carriage"))
            .at(upright),
        Item::new("tcp", Role::Robot)
            .on("arm", Some(&flange))
            .at(tcp),
        Item::new("post", Role::Fixture)
            .at(post)
            .with_body(Surface::new(sphere_mesh(0.05, 16))),
    ];
    Assembly::new(
        Cell::new(items).unwrap(),
        HashMap::from([("arm".into(), arm), ("track".into(), track)]),
    )
    .unwrap()
}

const TURNS: JointKind = JointKind::Revolute;
const QUARTER: f64 = std::f64::consts::FRAC_PI_2;

/// The certified bound of every link against exact distances along the true line, while the track goes its own way in the same
/// move: an arm with all axes parallel, one with three of them, and one without a closed form.
#[rstest]
#[case::all_parallel(&[([0.0, 0.0, 0.3], [0.0; 3], TURNS), ([0.35, 0.0, 0.0], [0.0; 3], TURNS),
    ([0.3, 0.0, 0.0], [0.0; 3], JointKind::Prismatic), ([0.0; 3], [0.0; 3], TURNS)], &[0.5, 0.9, -0.1, 0.3], [0.0; 3])]
#[case::three_parallel(&[([0.0, 0.0, 0.16], [0.0; 3], TURNS), ([0.0; 3], [QUARTER, 0.0, 0.0], TURNS),
    ([0.43, 0.0, 0.0], [0.0; 3], TURNS), ([0.39, 0.0, 0.13], [0.0; 3], TURNS),
    ([0.0, -0.1, 0.0], [QUARTER, 0.0, 0.0], TURNS), ([0.0, 0.1, 0.0], [-QUARTER, 0.0, 0.0], TURNS)],
    &[0.3, 0.7, -1.1, 0.5, 0.8, 0.1], [0.1, -0.2, 0.3])]
#[case::no_closed_form(&[([0.0, 0.0, 0.4], [0.0; 3], TURNS), ([0.1, 0.0, 0.0], [QUARTER, 0.0, 0.0], TURNS),
    ([0.4, 0.05, 0.0], [0.2, 0.0, 0.0], TURNS), ([0.05, 0.0, 0.0], [QUARTER, 0.0, 0.0], TURNS),
    ([0.02, 0.0, 0.4], [-QUARTER, 0.0, 0.0], TURNS), ([0.03, 0.0, 0.07], [QUARTER, 0.0, 0.0], TURNS)],
    &[0.3, 0.7, 0.9, 0.4, 0.8, 0.1], [0.1, -0.2, 0.3])]
fn other_arms_on_a_moving_track_keep_their_certificate(
    #[case] rows: &[([f64; 3], [f64; 3], JointKind)],
    #[case] start: &[f64],
    #[case] turn: [f64; 3],
) {
    let assembly = on_a_track(rows);
    let (robot, tcp) = (1, assembly.item_node(2));
    let arm = Arm::new(&assembly, robot, tcp).unwrap();
    let mut q = vec![0.0; assembly.joints().len()];
    arm.joints().iter().zip(start).for_each(|(&j, v)| q[j] = *v);
    let from = assembly.pose_of(tcp, &q);
    let to = pose_from_rpy([0.25, 0.05, 0.05], [0.0; 3]) * from * pose_from_rpy([0.0; 3], turn);
    let track = assembly.joint_index(0, "j0").unwrap();
    let moves = vec![Move {
        label: "line".to_owned(),
        motion: Motion::Linear {
            to: goal(to, None),
            speed: 0.3,
            acceleration: 1.0,
        },
        also: vec![(track, 0.4)],
    }];
    let program = Program {
        name: "P".to_owned(),
        robot,
        tcp: Some(tcp),
        moves,
    };
    let plan = RunPlan {
        lanes: vec![Lane {
            start: 0.0,
            programs: vec![program],
        }],
    };
    let path = plan_path(&assembly, &plan, &q, &PathTolerance::default()).unwrap();
    let post = assembly
        .bodies()
        .iter()
        .position(|b| b.item == 3)
        .map(BodyId)
        .unwrap();
    for link in (0..assembly.bodies().len())
        .map(BodyId)
        .filter(|&b| b != post)
    {
        let mut pair = PairMotion::new(&assembly, &path, link, post);
        let (bracket, _) = pair.minimum(&[(0.0, path.duration())], &Aim::exactly(1e-4), &|| true);
        assert!(bracket.width() <= 1e-4 + 2e-5, "{bracket:?}");
        let (mut near, mut least) = (q.clone(), f64::INFINITY);
        for i in 0..=1500 {
            let share = f64::from(i) / 1500.0;
            near[track] = 0.4 * share;
            let truth = arm
                .follow(&assembly, &from.lerp_slerp(&to, share), &near)
                .expect("within reach");
            arm.joints()
                .iter()
                .zip(&truth)
                .for_each(|(&j, v)| near[j] = *v);
            let poses = [link, post].map(|b| assembly.pose_of(assembly.body(b).node, &near));
            let surfaces = [link, post].map(|b| &assembly.body(b).surface);
            let found = distance(
                surfaces[0],
                surfaces[1],
                &poses[0].inv_mul(&poses[1]),
                Limit::default(),
            );
            least = least.min(found.closest.unwrap().distance);
        }
        assert!(
            least >= bracket.lower() - 1e-12,
            "{least} below {}",
            bracket.lower()
        );
        assert!(
            least <= bracket.attained() + 1e-3,
            "{least} far above {}",
            bracket.attained()
        );
    }
}

/// A line to where the TCP already is, while the track under the arm moves: the TCP stays, the arm makes up for the track.
#[test]
fn a_tcp_may_stay_where_it_is_while_its_track_moves() {
    let assembly = on_a_track(&[
        ([0.0, 0.0, 0.3], [0.0; 3], TURNS),
        ([0.35, 0.0, 0.0], [0.0; 3], TURNS),
        ([0.3, 0.0, 0.0], [0.0; 3], JointKind::Prismatic),
        ([0.0; 3], [0.0; 3], TURNS),
    ]);
    let (robot, tcp) = (1, assembly.item_node(2));
    let arm = Arm::new(&assembly, robot, tcp).unwrap();
    let mut q = vec![0.0; assembly.joints().len()];
    arm.joints()
        .iter()
        .zip([0.5, 0.9, -0.1, 0.3])
        .for_each(|(&j, v)| q[j] = v);
    let from = assembly.pose_of(tcp, &q);
    let track = assembly.joint_index(0, "j0").unwrap();
    let motion = Motion::Linear {
        to: goal(from, None),
        speed: 0.3,
        acceleration: 1.0,
    };
    let moves = vec![Move {
        label: "stay".to_owned(),
        motion,
        also: vec![(track, 0.15)],
    }];
    let program = Program {
        name: "P".to_owned(),
        robot,
        tcp: Some(tcp),
        moves,
    };
    let plan = RunPlan {
        lanes: vec![Lane {
            start: 0.0,
            programs: vec![program],
        }],
    };
    let path = plan_path(&assembly, &plan, &q, &PathTolerance::default()).unwrap();
    assert!((path.at(path.duration())[track] - 0.15).abs() < 1e-12);
    for i in 0..=500 {
        let now = assembly.pose_of(tcp, &path.at(path.duration() * f64::from(i) / 500.0));
        let off = (now.translation.vector - from.translation.vector).norm();
        assert!(off <= path.deviation(0..5) && off < 5e-6, "{off}");
    }
}

#[rstest]
#[case::a_speed_of_nothing(Motion::Wait(0.0))]
#[case::not_a_number(Motion::Wait(f64::NAN))]
#[case::for_ages(Motion::Wait(1e11))]
fn waits_beyond_reason_are_refused(#[case] motion: Motion) {
    let assembly = arm();
    assert!(matches!(
        planned(&assembly, vec![motion]),
        Err(ProgramFault::NotUsable { .. })
    ));
}

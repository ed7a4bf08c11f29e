//! Recordings are played as they are, and certified as they are played. Mechanisms without a TCP move by themselves.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{Aim, PairMotion};
use selvik_core::mesh::{Shape, Surface};
use selvik_core::program::{
    Goal, Lane, Motion, Move, Path, PathTolerance, Planned, Program, ProgramError, ProgramFault,
    Recording, RunPlan, plan_as_far_as_it_goes, plan_path,
};
use selvik_core::robot::{Assembly, BodyId, Joint, JointKind, JointLimits, Link, Mechanism, Span};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

const RADIUS: f64 = 0.05;

fn ball() -> Surface {
    Surface::of_shapes(&[(Shape::Sphere { radius: RADIUS }, Pose::identity())]).unwrap()
}

/// Two slides that carry a ball each along X and Y, and a ball that stands beside the first at y = 0.2 m.
fn slides() -> Assembly {
    let limits = JointLimits {
        position: Span::new(-2.0, 2.0).unwrap(),
        velocity: 1.0,
        acceleration: 4.0,
        ..JointLimits::default()
    };
    let slide = |axis: Vector| {
        let joint = Joint {
            name: "j".to_owned(),
            kind: JointKind::Prismatic,
            parent: 0,
            child: 1,
            origin: Pose::identity(),
            axis: Unit::new_normalize(axis),
            limits,
            mimics: None,
        };
        let links = vec![
            Link::new("rail", None),
            Link::new("carriage", Some(Arc::new(ball()))),
        ];
        Mechanism::new(links, vec![joint]).unwrap()
    };
    let items = vec![
        Item::new("first", Role::Robot),
        Item::new("second", Role::Robot).at(pose_from_rpy([0.0, 0.0, 1.0], [0.0; 3])),
        Item::new("post", Role::Fixture)
            .at(pose_from_rpy([0.0, 0.2, 0.0], [0.0; 3]))
            .with_body(ball()),
    ];
    Assembly::new(
        Cell::new(items).unwrap(),
        HashMap::from([
            ("first".into(), slide(Vector::x())),
            ("second".into(), slide(Vector::y())),
        ]),
    )
    .unwrap()
}

fn program(robot: usize, motions: Vec<Motion>) -> Program {
    let step = |motion| Move {
        label: "move".to_owned(),
        motion,
        also: Vec::new(),
    };
    Program {
        name: "P".to_owned(),
        robot,
        tcp: None,
        moves: motions.into_iter().map(step).collect(),
    }
}

fn planned(lanes: Vec<Vec<Program>>, rest: &[f64]) -> Result<Path, ProgramError> {
    let lanes = lanes.into_iter().map(|programs| Lane {
        start: 0.0,
        programs,
    });
    let plan = RunPlan {
        lanes: lanes.collect(),
    };
    plan_path(&slides(), &plan, rest, &PathTolerance::default())
}

fn recorded(joint: usize, rows: &[(f64, f64)]) -> Motion {
    let (times, values) = rows.iter().copied().unzip();
    Motion::Recorded(Arc::new(
        Recording::new(vec![joint], times, values).unwrap(),
    ))
}

fn to(value: f64) -> Motion {
    Motion::Joint {
        to: Goal::Joints(vec![value]),
        speed: 1.0,
    }
}

/// Between two rows that are 0.4 m to either side, the ball passes the other at 0.2 m: closer than at any row.
#[test]
fn what_passes_between_two_rows_is_found_at_its_place() {
    let motion = recorded(0, &[(7.0, -0.4), (9.0, 0.4), (9.5, 1.0)]);
    let path = planned(vec![vec![program(0, vec![motion])]], &[-0.4, 0.0]).unwrap();
    assert!((path.duration() - 2.5).abs() < 1e-12);
    for (t, x) in [(0.5, -0.2), (1.0, 0.0), (2.25, 0.7)] {
        assert!((path.at(t)[0] - x).abs() < 1e-12, "at {t}");
    }
    let assembly = slides();
    let body = |item| {
        let at = assembly.bodies().iter().position(|b| b.item == item);
        BodyId(at.unwrap())
    };
    let mut pair = PairMotion::new(&assembly, &path, body(0), body(2));
    let (bracket, _) = pair.minimum(&[(0.0, path.duration())], &Aim::exactly(1e-6), &|| true);
    let closest = 0.2 - 2.0 * RADIUS;
    assert!(
        bracket.lower() <= closest + 1e-9 && closest <= bracket.attained() + 1e-6,
        "{bracket:?}"
    );
    assert!(bracket.width() < 1e-4, "{bracket:?}");
}

#[test]
fn a_recording_goes_on_where_a_move_has_led() {
    let motions = vec![to(0.5), recorded(0, &[(0.0, 0.5), (1.0, 0.7)]), to(0.0)];
    let path = planned(vec![vec![program(0, motions)]], &[0.0, 0.0]).unwrap();
    let spans: Vec<f64> = path.spans().iter().map(|s| s.end).collect();
    assert!((spans[1] - spans[0] - 1.0).abs() < 1e-12);
    assert!((path.at(spans[1])[0] - 0.7).abs() < 1e-12);
    assert!(path.at(spans[2])[0].abs() < 1e-12);
}

#[rstest::rstest]
#[case::a_jump(&[(0.0, 0.1), (1.0, 0.2)], "begins with joint j at 100.0 mm, but it stands at 0.0 mm")]
#[case::beyond(&[(0.0, 0.0), (1.0, 2.5)], "1.000 s after its start joint j would be at 2500.0 mm, 500.0 mm beyond")]
fn a_recording_that_can_t_be_played_says_where(#[case] rows: &[(f64, f64)], #[case] says: &str) {
    let refused = planned(vec![vec![program(0, vec![recorded(0, rows)])]], &[0.0, 0.0]);
    let refused = refused.unwrap_err().to_string();
    assert!(refused.contains(says), "{refused}");
}

#[test]
fn two_mechanisms_move_each_by_itself_and_no_joint_twice() {
    let lanes = vec![
        vec![program(0, vec![to(1.0)])],
        vec![program(1, vec![Motion::Wait(0.5), to(-1.0)])],
    ];
    let path = planned(lanes, &[0.0, 0.0]).unwrap();
    let end = path.at(path.duration());
    assert!((end[0] - 1.0).abs() < 1e-12 && (end[1] + 1.0).abs() < 1e-12);
    assert!(path.at(0.4)[0] > 0.0 && path.at(0.4)[1] == 0.0);
    // A recording of the second's joint in the first's lane.
    let both = vec![
        vec![program(0, vec![recorded(1, &[(0.0, 0.0), (1.0, 0.1)])])],
        vec![program(1, vec![to(-1.0)])],
    ];
    let refused = planned(both, &[0.0, 0.0]).unwrap_err();
    assert_eq!(refused.fault, ProgramFault::SharedJoint("j".to_owned()));
}

#[test]
fn poses_need_a_tcp() {
    let line = Motion::Linear {
        to: Goal::Pose {
            frame: None,
            pose: Pose::identity(),
            configuration: None,
        },
        speed: 0.1,
        acceleration: 1.0,
    };
    let refused = planned(vec![vec![program(0, vec![line])]], &[0.0, 0.0]).unwrap_err();
    assert_eq!(refused.fault, ProgramFault::NoTcp);
}

/// Of two lanes one has a move that can't be driven: the other is played to its end, the one up to there.
#[test]
fn what_can_t_be_driven_does_not_keep_the_rest_from_being_seen() {
    let beyond = vec![to(0.5), to(3.0), to(0.0)];
    let lanes = [program(0, beyond), program(1, vec![to(-1.0)])];
    let plan = RunPlan {
        lanes: lanes
            .map(|program| Lane {
                start: 0.0,
                programs: vec![program],
            })
            .to_vec(),
    };
    let tolerance = PathTolerance::default();
    let (path, faults) = plan_as_far_as_it_goes(
        &slides(),
        &plan,
        &[0.0; 2],
        &tolerance,
        &mut Planned::default(),
    );
    let end = path.at(path.duration());
    assert!((end[0] - 0.5).abs() < 1e-12 && (end[1] + 1.0).abs() < 1e-12);
    let [fault] = faults.as_slice() else {
        panic!("{faults:?}");
    };
    assert_eq!((fault.lane, fault.nth, fault.index), (0, 0, 1));
}

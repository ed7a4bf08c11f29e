//! Arms without a closed form: poses they certainly reach, by forward kinematics, are found again.

use std::collections::HashMap;

use rstest::rstest;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::robot::{Arm, Assembly, Convention, DhRow, JointKind, JointLimits, Span, chain_from_dh};
use selvik_core::spatial::{Pose, rotation_angle};

/// A row of a modified Denavit–Hartenberg table: a (m), α (rad), d (m); turning ±2.8 rad or sliding 0..0.3 m.
type Row = (f64, f64, f64, bool);

fn arm(rows: &[Row]) -> (Assembly, Arm) {
    let row = |(i, &(a, alpha, d, slides)): (usize, &Row)| DhRow {
        name: format!("j{i}"),
        kind: if slides { JointKind::Prismatic } else { JointKind::Revolute },
        a,
        alpha,
        d,
        theta: 0.0,
        limits: JointLimits {
            position: if slides { Span::new(0.0, 0.3).unwrap() } else { Span::new(-2.8, 2.8).unwrap() },
            ..JointLimits::default()
        },
    };
    let table: Vec<DhRow> = rows.iter().enumerate().map(row).collect();
    let mechanism = chain_from_dh(Convention::Modified, &table).unwrap();
    let tip = mechanism.links().last().unwrap().name.clone();
    let item = |id: &str, parent: Option<&str>, link: Option<String>| Item {
        id: id.into(),
        name: id.to_owned(),
        role: Role::Robot,
        parent: parent.map(Into::into),
        on_link: link,
        pose: Pose::identity(),
        surface: None,
    };
    let cell = Cell::new(vec![item("arm", None, None), item("tcp", Some("arm"), Some(tip))]).unwrap();
    let assembly = Assembly::new(cell, HashMap::from([("arm".into(), mechanism)])).unwrap();
    let arm = Arm::new(&assembly, 0, assembly.item_node(1)).unwrap();
    assert!(arm.closed_form().is_none());
    (assembly, arm)
}

const QUARTER: f64 = std::f64::consts::FRAC_PI_2;

/// Numbers in 0..1 that look random and are the same each time (a linear congruential generator, Knuth's constants).
fn numbers() -> impl FnMut() -> f64 {
    let mut state = 42u64;
    move || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 11) as f64 / (1u64 << 53) as f64
    }
}

/// 9,990 of 10,000 are asked for; `SELVIK_POSES=10000` tries so many.
#[rstest]
#[case::selective_compliance(&[(0.0, 0.0, 0.3, false), (0.35, 0.0, 0.0, false), (0.3, 0.0, 0.0, true), (0.0, 0.0, 0.0, false)])]
#[case::three_parallel_axes(&[(0.0, 0.0, 0.16, false), (0.0, QUARTER, 0.0, false), (0.43, 0.0, 0.0, false), (0.39, 0.0, 0.13, false), (0.0, QUARTER, 0.1, false), (0.0, -QUARTER, 0.1, false)])]
#[case::no_wrist_point(&[(0.0, 0.0, 0.4, false), (0.1, QUARTER, 0.0, false), (0.4, 0.2, 0.05, false), (0.05, QUARTER, 0.4, false), (0.02, -QUARTER, 0.07, false), (0.03, QUARTER, 0.1, false)])]
#[case::seven_axes(&[(0.0, 0.0, 0.34, false), (0.0, -QUARTER, 0.0, false), (0.0, QUARTER, 0.4, false), (0.0, QUARTER, 0.0, false), (0.0, -QUARTER, 0.4, false), (0.0, -QUARTER, 0.0, false), (0.0, QUARTER, 0.12, false)])]
fn poses_that_are_reached_are_found(#[case] rows: &[Row]) {
    let (assembly, arm) = arm(rows);
    let poses: usize = std::env::var("SELVIK_POSES").ok().and_then(|n| n.parse().ok()).unwrap_or(400);
    let mut next = numbers();
    let mut missed = 0;
    for _ in 0..poses {
        let mut random = || -> Vec<f64> {
            let span = |j: usize| assembly.joints()[j].limits.position;
            (0..rows.len()).map(|j| span(j).low() + (span(j).high() - span(j).low()) * next()).collect()
        };
        let (q, from) = (random(), random());
        let target = assembly.pose_of(arm.tip(), &q);
        match arm.follow(&assembly, &target, &from) {
            Ok(values) => {
                let reached = assembly.pose_of(arm.tip(), &values);
                assert!((reached.translation.vector - target.translation.vector).norm() < 1e-8);
                assert!(rotation_angle(&reached, &target) < 1e-7);
                let within = |(j, v): (usize, &f64)| assembly.joints()[j].limits.position.excess(*v) < 1e-9;
                assert!(values.iter().enumerate().all(within));
            }
            Err(error) => {
                missed += 1;
                assert!(error.to_string().contains("not found"), "{error}");
            }
        }
    }
    assert!(missed * 1000 <= poses, "{missed} of {poses} missed");
}

#[test]
fn what_is_out_of_reach_is_not_found_and_says_by_how_much() {
    let (assembly, arm) = arm(&[(0.0, 0.0, 0.3, false), (0.35, 0.0, 0.0, false), (0.3, 0.0, 0.0, true)]);
    let error = arm.solve(&assembly, &Pose::translation(2.0, 0.0, 0.3), &[0.0; 3]).unwrap_err();
    assert!(error.to_string().contains("miss it by 1350.00 mm"), "{error}");
}

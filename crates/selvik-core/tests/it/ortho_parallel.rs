//! The closed-form inverse kinematics beside `rs-opw-kinematics` 3.0, an independent implementation
//! of the same paper (Brandstötter, Angerer, Hofbaur 2014): same parameters in, same postures out.

use std::f64::consts::TAU;

use proptest::prelude::*;
use rs_opw_kinematics::kinematic_traits::Kinematics;
use rs_opw_kinematics::kinematics_impl::OPWKinematics;
use rs_opw_kinematics::parameters::opw_kinematics::Parameters;
use selvik_core::robot::OrthoParallelArm;
use selvik_core::spatial::{Point, Pose, Vector};

/// The same arm twice, standing up at zero: ours from its axes, the reference from the paper's
/// parameters `[a1, a2, b, c1, c2, c3, c4]` (m).
fn both([a1, a2, b, c1, c2, c3, c4]: [f64; 7]) -> (OrthoParallelArm, OPWKinematics) {
    let (y, z) = (Vector::y(), Vector::z());
    let wrist = Point::new(a1 + a2, b, c1 + c2 + c3);
    let axes = [
        (Point::origin(), z),
        (Point::new(a1, 0.0, c1), y),
        (Point::new(a1, 0.0, c1 + c2), y),
        (wrist, z),
        (wrist, y),
        (wrist, z),
    ];
    let flange = Pose::translation(wrist.x, wrist.y, wrist.z + c4);
    let reference = Parameters {
        a1,
        a2,
        b,
        c1,
        c2,
        c3,
        c4,
        offsets: [0.0; 6],
        sign_corrections: [1; 6],
        dof: 6,
    };
    (
        OrthoParallelArm::fit(&axes, &flange).expect("ortho-parallel"),
        OPWKinematics::new(reference),
    )
}

fn same_turns(a: &[f64; 6], b: &[f64; 6]) -> bool {
    a.iter().zip(b).all(|(a, b)| {
        let apart = (a - b).abs() % TAU;
        apart.min(TAU - apart) < 1e-6
    })
}

proptest! {
    #[test]
    fn postures_are_those_of_an_independent_implementation(
        q in prop::array::uniform6(-3.0f64..3.0),
        (a1, a2, b, c1) in (0.0f64..0.4, -0.3f64..0.3, -0.2f64..0.2, 0.2f64..0.8),
        (c2, c3, c4) in (0.3f64..1.0, 0.3f64..1.0, 0.05f64..0.3),
    ) {
        // Where the wrist or the elbow is stretched two postures become one, and which is given is a
        // matter of choice.
        prop_assume!(q[4].sin().abs() > 0.01 && (q[2] + a2.atan2(c3)).sin().abs() > 0.01);
        let (arm, reference) = both([a1, a2, b, c1, c2, c3, c4]);
        let (ours, theirs) = (arm.forward(&q), reference.forward(&q));
        let place = Vector::new(theirs.translation.x, theirs.translation.y, theirs.translation.z);
        prop_assert!((ours.translation.vector - place).norm() < 1e-12);
        let turn = theirs.rotation;
        let inner = ours.rotation.coords.dot(&nalgebra::Vector4::new(turn.x, turn.y, turn.z, turn.w));
        prop_assert!((inner.abs() - 1.0).abs() < 1e-12);

        prop_assume!(wrist_radius(&arm, &q) > 0.01);
        let mine: Vec<_> = arm.inverse(&ours).unwrap().into_iter().map(|(q, _)| q).collect();
        let known = reference.inverse(&theirs);
        prop_assume!(!known.is_empty());
        for solution in &known {
            prop_assert!(mine.iter().any(|m| same_turns(m, solution)), "{solution:?} missing in {mine:?}");
        }
        for solution in &mine {
            prop_assert!(known.iter().any(|k| same_turns(k, solution)), "{solution:?} is not in {known:?}");
        }
    }
}

/// How far the wrist centre stands from the first axis, beyond the lateral offset (m): near 0 the
/// first joint is free.
fn wrist_radius(arm: &OrthoParallelArm, q: &[f64; 6]) -> f64 {
    let (s2, _) = q[1].sin_cos();
    let (s23, c23) = (q[1] + q[2]).sin_cos();
    (arm.a1 + arm.c2 * s2 + arm.a2 * c23 + arm.c3 * s23).abs()
}

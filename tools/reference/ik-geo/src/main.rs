//! Golden file for closed-form inverse kinematics: random arms with a spherical wrist and with three parallel axes, poses they
//! reach, and the joint values by `ik-geo` 0.1.2.
//!
//!     cargo run --release > ../../../crates/selvik-core/tests/golden/ik_geo.json

use ik_geo::nalgebra::{Matrix3x6, SMatrix, Vector3};
use ik_geo::robot::{IKSolver, Robot, spherical, three_parallel};
use serde_json::{Value, json};

/// Knuth's linear congruential generator, −1..1.
struct Numbers(u64);

impl Numbers {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 52) as f64 - 1.0
    }

    fn vector(&mut self, size: f64) -> Vector3<f64> {
        Vector3::new(self.next(), self.next(), self.next()) * size
    }

    fn direction(&mut self) -> Vector3<f64> {
        loop {
            let v = self.vector(1.0);
            if v.norm() > 0.2 {
                return v.normalize();
            }
        }
    }
}

fn main() {
    let mut numbers = Numbers(7);
    let arms: Vec<Value> = (0..40).map(|i| arm(&mut numbers, i % 2 == 0)).collect();
    println!("{}", json!({ "by": "ik-geo 0.1.2", "arms": arms }));
}

fn arm(numbers: &mut Numbers, wrist: bool) -> Value {
    let mut h = Matrix3x6::zeros();
    let mut p = SMatrix::<f64, 3, 7>::zeros();
    (0..6).for_each(|i| h.set_column(i, &numbers.direction()));
    (0..7).for_each(|i| p.set_column(i, &numbers.vector(0.4)));
    if wrist {
        [4, 5].into_iter().for_each(|i| p.set_column(i, &Vector3::zeros()));
    } else {
        let along = h.column(1).into_owned();
        [2, 3].into_iter().for_each(|i| h.set_column(i, &along));
    }
    let robot: Robot = if wrist { spherical(h, p) } else { three_parallel(h, p) };
    let poses: Vec<Value> = (0..6)
        .map(|_| {
            let q: [f64; 6] = std::array::from_fn(|_| numbers.next() * 3.0);
            let (rotation, position) = robot.fk(&q);
            let all = robot.ik(rotation, position);
            let exact = all.into_iter().filter(|(q, least)| {
                let (r, t) = robot.fk(&std::array::from_fn(|i| q[i]));
                !least && (r - rotation).norm() < 1e-8 && (t - position).norm() < 1e-8
            });
            let solutions: Vec<Vec<f64>> = exact.map(|(q, _)| q.iter().copied().collect()).collect();
            json!({ "q": q, "rotation_by_columns": rotation.as_slice(), "position_m": position.as_slice(), "solutions": solutions })
        })
        .collect();
    json!({ "wrist": wrist, "axes": h.as_slice(), "offsets_m": p.as_slice(), "poses": poses })
}

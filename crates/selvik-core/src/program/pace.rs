use super::node::Node;
use crate::robot::JointLimits;

/// How fast a move may be driven: shares of it per second and per second squared.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pace {
    /// 1/s
    pub speed: f64,
    /// 1/s²
    pub acceleration: f64,
}

/// When each node is reached, and how fast, s and 1/s: at the pace asked for, slowed where a joint would exceed its speed
/// or acceleration, and only there.
///
/// Between nodes the acceleration along the move is even; the speeds are the highest that neither gaining from before nor
/// losing in time for what comes forbids (J. Bobrow, S. Dubowsky, J. Gibson, "Time-Optimal Control of Robotic
/// Manipulators Along Specified Paths", IJRR 1985, on a grid).
pub(super) fn driven(nodes: &[Node], limits: &[JointLimits], pace: Pace) -> (Vec<f64>, Vec<f64>) {
    let steps = nodes.len() - 1;
    let length = |i: usize| nodes[i + 1].share - nodes[i].share;
    let mut cap = vec![pace.speed; steps + 1];
    let mut gain = vec![pace.acceleration; steps];
    let moves = |j: usize| nodes.iter().any(|node| node.q[j] != nodes[0].q[j]);
    let moving: Vec<usize> = (0..limits.len()).filter(|&j| moves(j)).collect();
    let bends: Vec<Bends> = moving.iter().map(|&j| Bends::of(nodes, j)).collect();
    for (&j, Bends { rate, bend }) in moving.iter().zip(&bends) {
        for i in 0..steps {
            let fastest = limits[j].velocity / rate[i].abs();
            cap[i] = cap[i].min(fastest);
            cap[i + 1] = cap[i + 1].min(fastest);
        }
        for (cap, bend) in cap.iter_mut().zip(bend) {
            // Half of what a joint may accelerate is for the bends of its way.
            *cap = cap.min((0.5 * limits[j].acceleration / bend).sqrt());
        }
    }
    for (&j, Bends { rate, bend }) in moving.iter().zip(&bends) {
        for i in 0..steps {
            let bent = (bend[i] * cap[i].powi(2)).max(bend[i + 1] * cap[i + 1].powi(2));
            let left = (limits[j].acceleration - bent).max(0.0);
            gain[i] = gain[i].min(left / rate[i].abs());
        }
    }
    let mut square: Vec<f64> = cap.iter().map(|c| c * c).collect();
    square[0] = 0.0;
    square[steps] = 0.0;
    for i in 0..steps {
        square[i + 1] = square[i + 1].min(square[i] + 2.0 * gain[i] * length(i));
    }
    for i in (0..steps).rev() {
        square[i] = square[i].min(square[i + 1] + 2.0 * gain[i] * length(i));
    }
    let speeds: Vec<f64> = square.into_iter().map(f64::sqrt).collect();
    let mut times = vec![0.0];
    for i in 0..steps {
        times.push(times[i] + 2.0 * length(i) / (speeds[i] + speeds[i + 1]));
    }
    (times, speeds)
}

/// How the way of one joint goes on and bends.
struct Bends {
    /// dq/ds over each step.
    rate: Vec<f64>,
    /// How sharply it bends at each node: d²q/ds².
    bend: Vec<f64>,
}

impl Bends {
    fn of(nodes: &[Node], joint: usize) -> Self {
        let length = |ends: &[Node]| ends[1].share - ends[0].share;
        let over = |ends: &[Node]| (ends[1].q[joint] - ends[0].q[joint]) / length(ends);
        let rate: Vec<f64> = nodes.windows(2).map(over).collect();
        let mut bend = vec![0.0; nodes.len()];
        for (i, three) in nodes.windows(3).enumerate() {
            let along = length(&three[1..]) + length(&three[..2]);
            bend[i + 1] = 2.0 * (rate[i + 1] - rate[i]).abs() / along;
        }
        Self { rate, bend }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::program::Trapezoid;

    fn limits(velocity: f64, acceleration: f64) -> [JointLimits; 1] {
        [JointLimits {
            velocity,
            acceleration,
            ..JointLimits::default()
        }]
    }

    fn nodes(count: usize, q: impl Fn(f64) -> f64) -> Vec<Node> {
        let share = |i: usize| i as f64 / count as f64;
        (0..=count)
            .map(|i| Node {
                share: share(i),
                q: vec![q(share(i))],
                miss: 0.0,
                deviation: 0.0,
            })
            .collect()
    }

    #[test]
    fn where_nothing_forbids_it_the_pace_is_the_trapezoid() {
        let travel = Trapezoid::new(1.0, 0.5, 1.0);
        let pace = Pace {
            speed: 0.5,
            acceleration: 1.0,
        };
        // 0.125 of the way is ramp: a node of the grid.
        let (times, _) = driven(&nodes(64, |s| s), &limits(100.0, 1e6), pace);
        assert!((times[64] - travel.duration()).abs() < 1e-12);
        for (i, t) in times.iter().enumerate() {
            assert!((travel.at(*t) - i as f64 / 64.0).abs() < 1e-12);
        }
    }

    #[test]
    fn a_joint_that_must_hurry_in_the_middle_slows_the_middle_only() {
        let swing = |s: f64| (40.0 * (s - 0.5)).atan();
        let (pace, allowed) = (
            Pace {
                speed: 0.5,
                acceleration: 1.0,
            },
            limits(2.0, 40.0),
        );
        let nodes = nodes(2000, swing);
        let (times, speeds) = driven(&nodes, &allowed, pace);
        for (w, n) in times.windows(2).zip(nodes.windows(2)) {
            assert!((n[1].q[0] - n[0].q[0]).abs() / (w[1] - w[0]) <= 2.0 * (1.0 + 1e-12));
        }
        assert!(
            speeds[1000] < 0.06 && (speeds[500] - 0.5).abs() < 1e-9,
            "{} {}",
            speeds[1000],
            speeds[500]
        );
    }
}

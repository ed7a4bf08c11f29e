use crate::program::Path;
use crate::robot::{Arm, Assembly, Carried, NodeId};

/// Which share of an arm's reach is used, bracketed: the distance of the wrist from the shoulder over the longest there
/// is, or, for arms without a closed form, of the TCP from the first joint.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Used {
    /// Certainly as much: a share, 0..1.
    pub least: f64,
    /// Never more: a share.
    pub most: f64,
}

/// How far an arm reaches at most.
#[derive(Debug, Clone)]
pub struct LongestReach {
    arm: Arm,
    measured: Measured,
}

#[derive(Debug, Clone)]
enum Measured {
    /// From shoulder to wrist, in closed form.
    Exactly,
    /// From the first joint to the TCP: a posture reaches so far, and no posture farther than the second, m.
    Between {
        first: NodeId,
        reached: f64,
        bound: f64,
        levers: Vec<f64>,
    },
}

/// Postures tried for the longest reach of an arm without a closed form.
const TRIES: usize = 3000;

impl LongestReach {
    /// Of `arm`: where it has no closed form, from below by trying postures within its limits and from above by the sum
    /// of its links.
    #[must_use]
    pub fn of(assembly: &Assembly, arm: &Arm) -> Self {
        if arm.ortho_parallel().is_some() {
            return Self {
                arm: arm.clone(),
                measured: Measured::Exactly,
            };
        }
        let own = |n: &&NodeId| {
            assembly.nodes()[n.0]
                .joint
                .as_ref()
                .is_some_and(|j| arm.joints().contains(&j.index))
        };
        let first = *assembly
            .moving_above(arm.tip())
            .iter()
            .find(own)
            .expect("an arm has joints");
        let farthest = assembly.farthest();
        let (mut bound, mut at) = (0.0, arm.tip());
        while at != first {
            let node = &assembly.nodes()[at.0];
            let slide = node.joint.as_ref().filter(|j| !j.kind.turns());
            bound += node.origin.translation.vector.norm();
            bound += slide.map_or(0.0, |j| j.follows.farthest(farthest[j.index]));
            at = node.parent.expect("the first joint lies above the tip");
        }
        let mut this = Self {
            arm: arm.clone(),
            measured: Measured::Between {
                first,
                reached: 0.0,
                bound,
                levers: assembly.levers(&farthest, &Carried::default()),
            },
        };
        let reached = this.longest_tried(assembly, first);
        if let Measured::Between {
            reached: longest, ..
        } = &mut this.measured
        {
            *longest = reached.min(bound);
        }
        this
    }

    /// The longest reach known, and one that is certainly not exceeded, m; `None` where it is known in closed form.
    #[must_use]
    pub fn bracket(&self) -> Option<(f64, f64)> {
        match &self.measured {
            Measured::Exactly => None,
            Measured::Between { reached, bound, .. } => Some((*reached, *bound)),
        }
    }

    /// What is used while joints go straight from `a` to `b` (rad, m).
    #[must_use]
    pub fn used(&self, assembly: &Assembly, a: &[f64], b: &[f64]) -> Used {
        match &self.measured {
            Measured::Exactly => {
                let closed = self.arm.ortho_parallel().expect("measured by it");
                let own =
                    |q: &[f64]| -> [f64; 6] { std::array::from_fn(|i| q[self.arm.joints()[i]]) };
                let used = closed.stretch_between(&own(a), &own(b));
                Used {
                    least: used,
                    most: used,
                }
            }
            Measured::Between {
                first,
                reached,
                bound,
                levers,
            } => {
                let away = |q: &[f64]| distance(assembly, *first, self.arm.tip(), q);
                let far = away(a).max(away(b));
                let travel: f64 = self
                    .arm
                    .joints()
                    .iter()
                    .map(|&j| (a[j] - b[j]).abs() * levers[j])
                    .sum();
                Used {
                    least: far / bound,
                    most: (far + travel / 2.0) / reached.max(far).max(1e-9),
                }
            }
        }
    }

    /// The most that is used between the instants `from` and `to` (s) of `path`, and when.
    #[must_use]
    pub fn used_during(
        &self,
        assembly: &Assembly,
        path: &Path,
        (from, to): (f64, f64),
    ) -> (Used, f64) {
        let inside = path.knots().iter().copied().filter(|&t| from < t && t < to);
        let times: Vec<f64> = std::iter::once(from).chain(inside).chain([to]).collect();
        let (mut worst, mut when) = (
            Used {
                least: 0.0,
                most: 0.0,
            },
            to,
        );
        let (mut before, mut since) = (path.at(from), from);
        for w in times.windows(2) {
            let end = path.at(w[1]);
            let steps = self.steps(&before, &end);
            for step in 1..=steps {
                let time = w[0] + (w[1] - w[0]) * step as f64 / steps as f64;
                let now = if step == steps {
                    end.clone()
                } else {
                    path.at(time)
                };
                let used = self.used(assembly, &before, &now);
                if used.most > worst.most {
                    let at = |q: &[f64]| self.used(assembly, q, q).most;
                    when = if at(&before) > at(&now) { since } else { time };
                }
                worst = Used {
                    least: worst.least.max(used.least),
                    most: worst.most.max(used.most),
                };
                (before, since) = (now, time);
            }
        }
        (worst, when)
    }

    /// Into how many parts a straight piece of the path is divided so that what may happen within one hardly counts.
    fn steps(&self, a: &[f64], b: &[f64]) -> usize {
        /// Share of the reach that the TCP may travel in a part.
        const FINE: f64 = 1e-3;
        match &self.measured {
            Measured::Exactly => 1,
            Measured::Between { bound, levers, .. } => {
                let travel: f64 = self
                    .arm
                    .joints()
                    .iter()
                    .map(|&j| (a[j] - b[j]).abs() * levers[j])
                    .sum();
                (travel / (FINE * bound).max(1e-9))
                    .ceil()
                    .clamp(1.0, 20_000.0) as usize
            }
        }
    }

    fn longest_tried(&self, assembly: &Assembly, first: NodeId) -> f64 {
        // A fixed sequence of postures (a Weyl sequence by the golden ratio and its powers), the best of them improved
        // joint by joint.
        let joints = self.arm.joints();
        let ends: Vec<(f64, f64)> = joints
            .iter()
            .map(|&j| {
                let span = &assembly.joints()[j].limits.position;
                (
                    span.low().max(-std::f64::consts::PI),
                    span.high().min(std::f64::consts::PI),
                )
            })
            .collect();
        let mut q = vec![0.0; assembly.joints().len()];
        let mut best = (0.0, q.clone());
        for i in 0..TRIES {
            let mut step = 0.618_033_988_749_895f64;
            for (&joint, (low, high)) in joints.iter().zip(&ends) {
                q[joint] = low + (high - low) * (i as f64 * step).fract();
                step = (step * 0.618_033_988_749_895 + 0.173).fract();
            }
            let away = distance(assembly, first, self.arm.tip(), &q);
            if away > best.0 {
                best = (away, q.clone());
            }
        }
        let mut stride = 0.2;
        while stride > 1e-6 {
            let mut better = false;
            for (&joint, (low, high)) in joints.iter().zip(&ends) {
                for sign in [-1.0, 1.0] {
                    let mut next = best.1.clone();
                    next[joint] = (next[joint] + sign * stride * (high - low)).clamp(*low, *high);
                    let away = distance(assembly, first, self.arm.tip(), &next);
                    if away > best.0 {
                        best = (away, next);
                        better = true;
                    }
                }
            }
            if !better {
                stride *= 0.5;
            }
        }
        best.0
    }
}

fn distance(assembly: &Assembly, a: NodeId, b: NodeId, q: &[f64]) -> f64 {
    let [a, b] = [a, b].map(|n| assembly.pose_of(n, q).translation.vector);
    (b - a).norm()
}

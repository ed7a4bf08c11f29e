//! How far joints that go straight from one joint vector to another leave the true way: a bound, not an estimate.

use nalgebra::{Matrix6, Matrix6xX, RowVector6, Vector6};

use super::node::Node;
use super::way::Way;
use crate::robot::{Arm, Assembly, Chain, Posture, twist};

/// An arm on its way.
///
/// Between two nodes with true joint values the joints go straight, q(u), u = 0..1, and the tip misses the way by e(u),
/// position over the arm's reach and rotation vector. e is measured at both nodes and in the middle; in between it is the
/// parabola through these but for the third derivative, which the chain's turning bounds: products of rotations that turn
/// by Ω in all have derivatives of at most Ωᵏ. The joint values truly needed are q − δ with J̄ δ = e, J̄ a mean of the
/// Jacobian between the two, which differs from the one in the middle by at most what joints turn from there; so
/// |δᵢ| ≤ |(J⁻¹e)ᵢ| + |row i of J⁻¹| · |(J̄ − J) δ|, and the last is bounded by the same δ (a Newton–Kantorovich argument;
/// J. Ortega, W. Rheinboldt, *Iterative Solution of Nonlinear Equations in Several Variables*, 1970, ch. 12.6). As long as
/// that closes, there is exactly one branch of true joint values between the nodes, and it is as near as that.
pub(super) struct Straight<'a> {
    chain: Chain,
    way: &'a Way,
    /// For each joint of the chain, its column among the arm's joints, if it is one.
    columns: Vec<Option<usize>>,
    arm: &'a Arm,
    /// For each joint of the chain, no farther from it is the tip, m.
    lengths: Vec<f64>,
    /// Lengths are compared with angles over this, m.
    reach: f64,
    /// For each joint of the cell the longest distance at which it moves anything.
    levers: &'a [f64],
}

/// No joint goes farther between two nodes, rad or m.
const LONGEST: f64 = 0.15;
/// A tip that keeps so near its way follows it, whatever the joints do, in rad, and in m over the reach: passing a
/// singularity nearer than that, the joints go straight.
const ON_THE_WAY: f64 = 1e-9;
/// Max of u (½ − u) (1 − u) over 0..½, over 3! (the remainder of a parabola through three even points).
const THIRD: f64 = 0.008_019;

impl<'a> Straight<'a> {
    pub fn new(assembly: &Assembly, arm: &'a Arm, way: &'a Way, levers: &'a [f64]) -> Self {
        let chain = Chain::from_world(assembly, arm.tip());
        let farthest = assembly.farthest();
        let mut lengths = vec![0.0; chain.joints.len()];
        let mut length = chain.tail.translation.vector.norm();
        for (joint, own) in chain.joints.iter().zip(&mut lengths).rev() {
            *own = length;
            if !joint.kind.turns() {
                length += joint.follows.farthest(farthest[joint.index]);
            }
            length += joint.origin.translation.vector.norm();
        }
        let columns: Vec<Option<usize>> = chain
            .joints
            .iter()
            .map(|c| arm.joints().iter().position(|&j| j == c.index))
            .collect();
        let own = lengths
            .iter()
            .zip(&columns)
            .filter(|(_, column)| column.is_some());
        let reach = own.map(|(length, _)| *length).fold(0.1, f64::max);
        Self {
            chain,
            way,
            columns,
            arm,
            lengths,
            reach,
            levers,
        }
    }

    /// By how much the tip misses the way at `share` with the cell's joints at `q`.
    pub fn miss(&self, share: f64, q: &[f64]) -> f64 {
        self.missed(share, &self.chain.posture(q)).norm()
    }

    fn missed(&self, share: f64, posture: &Posture) -> Vector6<f64> {
        let true_pose = self.way.at(share);
        let off = (posture.end.translation.vector - true_pose.translation.vector) / self.reach;
        let turned = (posture.end.rotation * true_pose.rotation.inverse()).scaled_axis();
        Vector6::new(off.x, off.y, off.z, turned.x, turned.y, turned.z)
    }

    /// No body the arm moves is farther off than this while the joints go straight from `a` to `b`, m; `None` where the two
    /// are too far apart to say.
    pub fn deviation(&self, a: &Node, b: &Node) -> Option<f64> {
        let by: Vec<f64> = a.q.iter().zip(&b.q).map(|(x, y)| (x - y).abs()).collect();
        let own = self.arm.joints();
        if own.iter().any(|&j| by[j] > LONGEST) {
            return None;
        }
        let middle: Vec<f64> =
            a.q.iter()
                .zip(&b.q)
                .map(|(x, y)| f64::midpoint(*x, *y))
                .collect();
        let posture = self.chain.posture(&middle);
        let missed = self.missed(f64::midpoint(a.share, b.share), &posture);
        let rest = self.remainder(&by, b.share - a.share, &missed) + 1.25 * a.miss.max(b.miss);
        if missed.norm() + rest <= ON_THE_WAY {
            return Some(2.0 * ON_THE_WAY * self.reach);
        }
        let inverse = inverse(&self.jacobian(&posture))?;
        // The true values are sought no farther off than this.
        let most = own.iter().map(|&j| by[j]).fold(0.0, f64::max) / 16.0 + 1e-9;
        let change = self.change(&by, most);
        let needed: Vec<f64> = inverse.iter().map(|row| (row * missed)[0].abs()).collect();
        let norms: Vec<f64> = inverse.iter().map(|row| row.norm()).collect();
        let sum = |of: &[f64]| -> f64 { change.iter().zip(of).map(|(c, x)| c * x).sum() };
        let share = sum(&norms);
        if share >= 0.5 {
            return None;
        }
        let changed = (sum(&needed) + share * rest) / (1.0 - share);
        let off = |i: usize| needed[i] + norms[i] * (rest + changed);
        if (0..own.len()).any(|i| off(i) > most) {
            return None;
        }
        Some(
            own.iter()
                .enumerate()
                .map(|(i, &j)| off(i) * self.levers[j])
                .sum(),
        )
    }

    /// How much more the tip may miss the way somewhere than the parabola through both ends and the middle says, while joints
    /// go by `by`, in `share` of the way.
    fn remainder(&self, by: &[f64], share: f64, missed: &Vector6<f64>) -> f64 {
        let (mut turn, mut slide, mut length) = (0.0, 0.0, 0.0f64);
        for (joint, own) in self.chain.joints.iter().zip(&self.lengths) {
            let by = by[joint.index] * joint.follows.ratio.abs();
            if joint.kind.turns() {
                turn += by;
                length = length.max(*own);
            } else {
                slide += by;
            }
        }
        let (arc, angle) = (self.way.third(share), self.way.angle * share);
        let position =
            THIRD * (turn.powi(3) * length + 3.0 * turn.powi(2) * slide + arc) / self.reach;
        let tilted = missed.fixed_rows::<3>(3).norm();
        let rotation = THIRD * (turn.powi(3) + angle.powi(3));
        // Differences of matrices against rotation vectors, in axes that turn with the way.
        let rotation = rotation + tilted * angle / 2.0 + (tilted + rotation).powi(3);
        position.hypot(rotation)
    }

    /// Rows linear over the reach, then angular, in world axes; a column for each joint of the arm.
    fn jacobian(&self, posture: &Posture) -> Matrix6xX<f64> {
        let mut matrix = Matrix6xX::zeros(self.arm.joints().len());
        for ((joint, pose), column) in self
            .chain
            .joints
            .iter()
            .zip(&posture.joints)
            .zip(&self.columns)
        {
            let Some(column) = column else { continue };
            let axis = pose.rotation * joint.axis.into_inner();
            let arm = posture.end.translation.vector - pose.translation.vector;
            let mut into = matrix.column_mut(*column);
            into += twist(joint.kind.turns(), &axis, &arm) * joint.follows.ratio;
        }
        matrix.fixed_rows_mut::<3>(0).unscale_mut(self.reach);
        matrix
    }

    /// For each column of the Jacobian, how much it may differ from that in the middle, anywhere between the joints going
    /// straight by `by` and the true values within `most` of them.
    fn change(&self, by: &[f64], most: f64) -> Vec<f64> {
        let own = self
            .columns
            .iter()
            .map(|c| if c.is_some() { most } else { 0.0 });
        let joints = self.chain.joints.iter().zip(own);
        let goes: Vec<f64> = joints
            .map(|(j, own)| j.follows.ratio.abs() * (by[j.index] / 2.0 + own))
            .collect();
        let turns = |k: usize| self.chain.joints[k].kind.turns();
        let mut change = vec![0.0; self.arm.joints().len()];
        // The derivative of a rotation vector is the angular velocity but for half of its length, and a little.
        let own = self
            .chain
            .joints
            .iter()
            .zip(&self.columns)
            .filter(|(j, c)| c.is_some() && j.kind.turns());
        let tilt: f64 = own.map(|(j, _)| 0.6 * most * j.follows.ratio.abs()).sum();
        for (k, column) in self.columns.iter().enumerate() {
            let Some(column) = column else { continue };
            let (mut linear, mut angular) = (0.0, 0.0);
            for (j, goes) in goes.iter().enumerate() {
                let (first, last) = (j.min(k), j.max(k));
                if turns(first) {
                    linear +=
                        goes * if turns(last) { self.lengths[last] } else { 1.0 } / self.reach;
                }
                if turns(j) && turns(k) && j < k {
                    angular += goes;
                }
            }
            let ratio = self.chain.joints[k].follows.ratio.abs();
            change[*column] += ratio * (linear.hypot(angular) + if turns(k) { tilt } else { 0.0 });
        }
        change
    }
}

/// The rows of the inverse of `matrix`, or of its pseudoinverse; `None` where it has none.
fn inverse(matrix: &Matrix6xX<f64>) -> Option<Vec<RowVector6<f64>>> {
    if matrix.ncols() == 6 {
        let inverse = Matrix6::from_column_slice(matrix.as_slice()).try_inverse()?;
        return Some(inverse.row_iter().map(|row| row.into_owned()).collect());
    }
    let inverse = matrix.clone().pseudo_inverse(1e-12).ok()?;
    Some(
        inverse
            .row_iter()
            .map(|row| RowVector6::from_fn(|_, i| row[i]))
            .collect(),
    )
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use nalgebra::Unit;
    use proptest::prelude::*;

    use super::*;
    use crate::cell::{Cell, Item, Role};
    use crate::robot::{Joint, JointKind, JointLimits, Link, Mechanism};
    use crate::spatial::{Vector, pose_from_rpy};

    /// A chain of joints, each standing on the one before as `frames` say (m, rad), the axes upright in them; the third may
    /// slide.
    fn arm_of(frames: &[([f64; 3], [f64; 3])], slides: bool) -> Assembly {
        let links = (0..=frames.len())
            .map(|i| Link::new(format!("l{i}"), None))
            .collect();
        let joint = |(i, (xyz, rpy)): (usize, &([f64; 3], [f64; 3]))| Joint {
            name: format!("j{i}"),
            kind: if slides && i == 2 {
                JointKind::Prismatic
            } else {
                JointKind::Revolute
            },
            parent: i,
            child: i + 1,
            origin: pose_from_rpy(*xyz, *rpy),
            axis: Unit::new_unchecked(Vector::z()),
            limits: JointLimits::default(),
            mimics: None,
        };
        let joints = frames.iter().enumerate().map(joint).collect();
        let flange = format!("l{}", frames.len());
        let tcp = Item::new("tcp", Role::Robot).on("arm", Some(&flange));
        let tcp = tcp.at(pose_from_rpy([0.02, 0.05, 0.1], [0.3, 0.2, 0.1]));
        let items = vec![Item::new("arm", Role::Robot), tcp];
        let mechanism = Mechanism::new(links, joints).unwrap();
        Assembly::new(
            Cell::new(items).unwrap(),
            HashMap::from([("arm".into(), mechanism)]),
        )
        .unwrap()
    }

    fn frame() -> impl Strategy<Value = ([f64; 3], [f64; 3])> {
        (
            prop::array::uniform3(-0.4f64..0.4),
            prop::array::uniform3(-1.6f64..1.6),
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(100))]
        /// Any six axes, and seven: true joint values solved anew between two nodes are as near as the bound says.
        #[test]
        fn true_joint_values_are_as_near_as_the_bound_says(
            frames in prop::collection::vec(frame(), 6..=7),
            slides in any::<bool>(),
            q in prop::collection::vec(-1.5f64..1.5, 7),
            by in prop::array::uniform3(-0.02f64..0.02),
            turn in prop::array::uniform3(-0.05f64..0.05),
            via in prop::option::of(prop::array::uniform3(-0.02f64..0.02)),
        ) {
            let assembly = arm_of(&frames, slides);
            let tcp = assembly.item_node(1);
            let arm = Arm::new(&assembly, 0, tcp).unwrap();
            let q = &q[..frames.len()];
            let from = assembly.pose_of(tcp, q);
            let moved = |by| pose_from_rpy(by, [0.0; 3]) * from;
            let to = moved(by) * pose_from_rpy([0.0; 3], turn);
            let way = match via {
                None => Way::line(from, to),
                Some(via) => match Way::arc(from, &moved(via), to) {
                    Ok(way) => way,
                    Err(_) => return Ok(()),
                },
            };
            let levers = vec![1.0; q.len()];
            let straight = Straight::new(&assembly, &arm, &way, &levers);
            let node = |share: f64, q: &[f64]| Node { share, q: q.to_vec(), miss: straight.miss(share, q), deviation: 0.0 };
            let start = node(0.0, q);
            for share in [0.5, 0.1, 0.02, 0.004] {
                let Ok(end) = arm.follow(&assembly, &way.at(share), q) else { continue };
                let Some(bound) = straight.deviation(&start, &node(share, &end)) else { continue };
                for step in 1..16 {
                    let u = f64::from(step) / 16.0;
                    let between: Vec<f64> = q.iter().zip(&end).map(|(a, b)| a + (b - a) * u).collect();
                    if bound == 2.0 * ON_THE_WAY * straight.reach {
                        prop_assert!(straight.miss(share * u, &between) <= ON_THE_WAY);
                        continue;
                    }
                    let truth = arm.follow(&assembly, &way.at(share * u), &between);
                    let truth = truth.expect("the bound says that it is there");
                    let off: f64 = truth.iter().zip(&between).map(|(a, b)| (a - b).abs()).sum();
                    // Seven axes are free to go elsewhere; the solver hardly does from so near.
                    let free = if q.len() > 6 { 1.05 } else { 1.0 };
                    prop_assert!(off <= bound * free + 1e-8, "{off} above {bound} at {share} {u}");
                }
            }
        }
    }
}

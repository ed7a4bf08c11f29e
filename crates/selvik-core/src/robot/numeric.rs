use nalgebra::{DMatrix, DVector, Vector6};

use super::{Assembly, NodeId, Span, jacobian};
use crate::spatial::{Point, Pose};

const STEPS: usize = 120;
const POSITION_TOLERANCE: f64 = 1e-9;
const ANGLE_TOLERANCE: f64 = 1e-9;
/// Values this near are not improved any further: m and rad together.
const SHARP: f64 = 1e-13;
/// A step that brings it nearer by a smaller share is the last.
const NO_NEARER: f64 = 1e-12;
/// Starting points tried where the first does not lead to the pose.
const SEEDS: usize = 80;
/// Solutions nearer to each other than this are one, rad or m.
const SAME: f64 = 1e-4;

/// Whether joint limits count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bounds {
    /// They do.
    Kept,
    /// They don't.
    Lifted,
}

impl Bounds {
    fn of(self, assembly: &Assembly, joint: usize) -> Span {
        match self {
            Self::Kept => assembly.joints()[joint].limits.position,
            Self::Lifted => Span::unbounded(),
        }
    }
}

/// Joint values that take `node` to `target` in the world, found from `q` by damped least squares
/// with joints held inside their limits (Siciliano et al., ch. 3.7): a joint at its limit that would be driven on is
/// left out of a step, so that the others can make up for it, and of many values those nearest to `q` are gone to.
/// `joints` are the indices that may change.
///
/// # Errors
/// The remaining position error (m) and angle error (rad) of the best values found.
pub fn numeric_inverse(
    assembly: &Assembly,
    node: NodeId,
    target: &Pose,
    joints: &[usize],
    q: &[f64],
    bounds: Bounds,
) -> Result<Vec<f64>, (f64, f64)> {
    let (values, error) = approach(assembly, (node, target), joints, q, bounds, 1.0);
    if is_there(&error) {
        return Ok(values);
    }
    Err(parts(&error))
}

/// Joint values at which `node` comes as near to `target` as `joints` let it, from `q`: first to its place, then turned
/// as nearly as that leaves it. For chains that can't take every pose.
///
/// With them how far it is off, m, and by what angle, rad.
#[must_use]
pub fn nearest_values(
    assembly: &Assembly,
    node: NodeId,
    target: &Pose,
    joints: &[usize],
    q: &[f64],
) -> (Vec<f64>, (f64, f64)) {
    let mut now = q.to_vec();
    let mut off = (f64::INFINITY, f64::INFINITY);
    // The less an angle counts, the nearer the place; found step by step, it stays as nearly turned as it can be.
    for turning in [1.0, 1e-2, 1e-4] {
        let to = (node, target);
        let (values, error) = approach(assembly, to, joints, &now, Bounds::Kept, turning);
        for (&joint, value) in joints.iter().zip(values) {
            now[joint] = value;
        }
        off = parts(&error);
    }
    (joints.iter().map(|&j| now[j]).collect(), off)
}

/// How far something is off, m, and by what angle, rad.
fn parts(error: &Vector6<f64>) -> (f64, f64) {
    (
        error.fixed_rows::<3>(0).norm(),
        error.fixed_rows::<3>(3).norm(),
    )
}

/// Values of `joints` that take a node towards a target, and by what it then misses it. A radian counts as much as
/// `turning` metres.
fn approach(
    assembly: &Assembly,
    (node, target): (NodeId, &Pose),
    joints: &[usize],
    q: &[f64],
    bounds: Bounds,
    turning: f64,
) -> (Vec<f64>, Vector6<f64>) {
    let weigh = |row: usize, x: f64| if row < 3 { x } else { x * turning };
    let weighed = |error: &Vector6<f64>| Vector6::from_fn(|row, _| weigh(row, error[row]));
    let mut q = q.to_vec();
    let mut damping = 1e-4;
    let mut poses = assembly.poses(&q);
    let mut error = pose_error(&poses[node.0], target);
    for _ in 0..STEPS {
        if error.norm() < SHARP {
            break;
        }
        let at = Point::from(poses[node.0].translation.vector);
        let j = DMatrix::from_fn(6, joints.len(), {
            let j = jacobian(assembly, &poses, node, &at, joints);
            move |r, c| weigh(r, j[(r, c)])
        });
        let Some(next) = step(assembly, joints, &q, bounds, &j, &weighed(&error), damping) else {
            break;
        };
        let next_poses = assembly.poses(&next);
        let next_error = pose_error(&next_poses[node.0], target);
        let (before, after) = (weighed(&error).norm(), weighed(&next_error).norm());
        if after < before {
            (q, poses, error) = (next, next_poses, next_error);
            damping = (damping * 0.2).max(1e-14);
        } else if is_there(&error) {
            // As near as rounding lets it come.
            break;
        } else {
            damping *= 8.0;
            if damping > 1e6 {
                break;
            }
        }
        if !is_there(&error) && before - after < before * NO_NEARER && after <= before {
            break;
        }
    }
    (joints.iter().map(|&j| q[j]).collect(), error)
}

/// All joint values found that take `node` to `target` in the world, from `q` and from a fixed sequence of starting
/// points within the limits, nearest to `q` first. With `first_only` the search ends with the first that is found.
///
/// # Errors
/// The least remaining position error (m) and angle error (rad): not found, which is not to say out of reach.
pub fn numeric_inverses(
    assembly: &Assembly,
    node: NodeId,
    target: &Pose,
    joints: &[usize],
    q: &[f64],
    bounds: Bounds,
    first_only: bool,
) -> Result<Vec<Vec<f64>>, (f64, f64)> {
    let mut found: Vec<Vec<f64>> = Vec::new();
    let mut least: Option<(f64, f64)> = None;
    for seed in 0..SEEDS {
        let start = if seed == 0 {
            q.to_vec()
        } else {
            starting_point(assembly, joints, q, seed)
        };
        match numeric_inverse(assembly, node, target, joints, &start, bounds) {
            Ok(values) => {
                let same =
                    |other: &Vec<f64>| other.iter().zip(&values).all(|(a, b)| (a - b).abs() < SAME);
                if !found.iter().any(same) {
                    found.push(values);
                }
                if first_only {
                    break;
                }
            }
            Err(rest) if least.is_none_or(|l| rest.0 + rest.1 < l.0 + l.1) => least = Some(rest),
            Err(_) => {}
        }
        // A redundant arm has values without end; some will do.
        if found.len() >= 8 {
            break;
        }
    }
    if found.is_empty() {
        return Err(least.unwrap_or((f64::INFINITY, f64::INFINITY)));
    }
    let travel =
        |v: &Vec<f64>| -> f64 { v.iter().zip(joints).map(|(v, &j)| (v - q[j]).powi(2)).sum() };
    found.sort_by(|a, b| travel(a).total_cmp(&travel(b)));
    Ok(found)
}

/// A point of a fixed sequence that fills the joint ranges evenly (R. Roberts' generalised golden ratio).
fn starting_point(assembly: &Assembly, joints: &[usize], q: &[f64], seed: usize) -> Vec<f64> {
    let n = joints.len() as f64;
    let mut ratio = 2.0f64;
    for _ in 0..30 {
        ratio = (1.0 + ratio).powf(1.0 / (n + 1.0));
    }
    let mut start = q.to_vec();
    for (at, &joint) in joints.iter().enumerate() {
        let span = &assembly.joints()[joint].limits.position;
        let share = (0.5 + seed as f64 * ratio.powi(-(at as i32 + 1))).fract();
        let (low, high) = (
            span.low().max(-std::f64::consts::PI),
            span.high().min(std::f64::consts::PI),
        );
        // Where a range lies beyond half a turn, or a slide has no ends, the value it has is as good.
        start[joint] = if low < high {
            low + (high - low) * share
        } else {
            q[joint]
        };
    }
    start
}

fn step(
    assembly: &Assembly,
    joints: &[usize],
    q: &[f64],
    bounds: Bounds,
    j: &DMatrix<f64>,
    error: &Vector6<f64>,
    damping: f64,
) -> Option<Vec<f64>> {
    let n = joints.len();
    let mut free = vec![true; n];
    for _ in 0..=n {
        let mut own = j.clone();
        for (column, _) in free.iter().enumerate().filter(|(_, f)| !**f) {
            own.column_mut(column).fill(0.0);
        }
        // Damped, JᵀJ + λI is never singular.
        let normal = own.transpose() * &own + DMatrix::identity(n, n) * damping;
        let rhs: DVector<f64> = own.transpose() * error;
        let by = normal.cholesky()?.solve(&rhs);
        let stuck = (0..n).find(|&at| {
            let span = bounds.of(assembly, joints[at]);
            let now = q[joints[at]];
            free[at]
                && ((now <= span.low() && by[at] < 0.0) || (now >= span.high() && by[at] > 0.0))
        });
        let Some(stuck) = stuck else {
            let mut next = q.to_vec();
            for (at, &joint) in joints.iter().enumerate() {
                let span = bounds.of(assembly, joint);
                next[joint] = span.clamp(q[joint] + by[at].clamp(-0.5, 0.5));
            }
            return Some(next);
        };
        free[stuck] = false;
    }
    None
}

fn is_there(error: &Vector6<f64>) -> bool {
    error.fixed_rows::<3>(0).norm() < POSITION_TOLERANCE
        && error.fixed_rows::<3>(3).norm() < ANGLE_TOLERANCE
}

/// Displacement and rotation vector, in world axes, from `now` to `target`.
fn pose_error(now: &Pose, target: &Pose) -> Vector6<f64> {
    let linear = target.translation.vector - now.translation.vector;
    let angular = (target.rotation * now.rotation.inverse()).scaled_axis();
    Vector6::new(
        linear.x, linear.y, linear.z, angular.x, angular.y, angular.z,
    )
}

use nalgebra::{DMatrix, DVector, Vector6};

use super::{Assembly, NodeId, jacobian};
use crate::spatial::{Point, Pose};

const STEPS: usize = 200;
const POSITION_TOLERANCE: f64 = 1e-9;
const ANGLE_TOLERANCE: f64 = 1e-9;

/// Joint values that take `node` to `target` in the world, found from `q` by damped least squares
/// with joints held inside their limits (Siciliano et al., ch. 3.7). `joints` are the indices that
/// may change.
///
/// # Errors
/// The remaining position error (m) and angle error (rad) of the best values found.
pub fn numeric_inverse(
    assembly: &Assembly,
    node: NodeId,
    target: &Pose,
    joints: &[usize],
    q: &[f64],
) -> Result<Vec<f64>, (f64, f64)> {
    let mut q = q.to_vec();
    let mut damping = 1e-4;
    let mut poses = assembly.poses(&q);
    let mut error = pose_error(&poses[node.0], target);
    for _ in 0..STEPS {
        if error.fixed_rows::<3>(0).norm() < POSITION_TOLERANCE
            && error.fixed_rows::<3>(3).norm() < ANGLE_TOLERANCE
        {
            return Ok(joints.iter().map(|&j| q[j]).collect());
        }
        let at = Point::from(poses[node.0].translation.vector);
        let j = jacobian(assembly, &poses, node, &at, joints);
        // Weighted by columns count, JᵀJ + λI is never singular.
        let normal = j.transpose() * &j + DMatrix::identity(joints.len(), joints.len()) * damping;
        let rhs: DVector<f64> = j.transpose() * error;
        let Some(step) = normal.cholesky().map(|c| c.solve(&rhs)) else { break };
        let mut next = q.clone();
        for (at, &joint) in joints.iter().enumerate() {
            let limits = &assembly.joints()[joint].limits.position;
            next[joint] = limits.clamp(q[joint] + step[at].clamp(-0.5, 0.5));
        }
        let next_poses = assembly.poses(&next);
        let next_error = pose_error(&next_poses[node.0], target);
        if next_error.norm() < error.norm() {
            (q, poses, error) = (next, next_poses, next_error);
            damping = (damping * 0.2).max(1e-14);
        } else {
            damping *= 8.0;
            if damping > 1e6 {
                break;
            }
        }
    }
    Err((error.fixed_rows::<3>(0).norm(), error.fixed_rows::<3>(3).norm()))
}

/// Displacement and rotation vector, in world axes, from `now` to `target`.
fn pose_error(now: &Pose, target: &Pose) -> Vector6<f64> {
    let linear = target.translation.vector - now.translation.vector;
    let angular = (target.rotation * now.rotation.inverse()).scaled_axis();
    Vector6::new(linear.x, linear.y, linear.z, angular.x, angular.y, angular.z)
}

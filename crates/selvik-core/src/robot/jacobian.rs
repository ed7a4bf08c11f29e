use nalgebra::{Matrix6xX, Vector6};

use super::{Assembly, NodeId};
use crate::spatial::{Point, Pose, Vector};

/// The geometric Jacobian of `node` at the point `at`: 6 × n, rows linear (m per rad or m) then
/// angular, both in world axes; one column for each joint of `joints` (indices into the joint
/// vector), zero where a joint does not move the node. Siciliano et al., ch. 3.1.
#[must_use]
pub fn jacobian(
    assembly: &Assembly,
    poses: &[Pose],
    node: NodeId,
    at: &Point,
    joints: &[usize],
) -> Matrix6xX<f64> {
    let mut matrix = Matrix6xX::zeros(joints.len());
    for &moving in assembly.moving_above(node) {
        let joint = assembly.nodes()[moving.0]
            .joint
            .as_ref()
            .expect("a moving node has a joint");
        let Some(column) = joints.iter().position(|&j| j == joint.index) else {
            continue;
        };
        let pose = &poses[moving.0];
        let axis = pose.rotation * joint.axis.into_inner();
        let own = twist(
            joint.kind.turns(),
            &axis,
            &(at.coords - pose.translation.vector),
        );
        // Joints that follow the same entry move together.
        let together = matrix.column(column) + own * joint.follows.ratio;
        matrix.set_column(column, &together);
    }
    matrix
}

/// What a joint along or about `axis` does to a point that lies at `arm` from it, for each unit it moves: linear, then
/// angular.
pub(crate) fn twist(turns: bool, axis: &Vector, arm: &Vector) -> Vector6<f64> {
    let (linear, angular) = if turns {
        (axis.cross(arm), *axis)
    } else {
        (*axis, Vector::zeros())
    };
    Vector6::new(
        linear.x, linear.y, linear.z, angular.x, angular.y, angular.z,
    )
}

/// The smallest singular value of `jacobian` after scaling lengths by `length` (m): 0 at a
/// singularity, larger the freer the arm.
#[must_use]
pub fn manipulability(jacobian: &Matrix6xX<f64>, length: f64) -> f64 {
    let mut scaled = jacobian.clone();
    scaled
        .fixed_rows_mut::<3>(0)
        .scale_mut(1.0 / length.max(1e-9));
    scaled.singular_values().min()
}

use nalgebra::{Isometry3, Point3, Translation3, UnitQuaternion, Vector3};

/// A point, in metres.
pub type Point = Point3<f64>;
/// A direction or displacement, in metres unless it is a unit vector.
pub type Vector = Vector3<f64>;
/// A rigid motion: the coordinates of a child frame expressed in its parent.
pub type Pose = Isometry3<f64>;

/// The pose with origin `xyz` (m) and fixed-axis roll, pitch, yaw `rpy` (rad): turn about X, then
/// about the fixed Y, then about the fixed Z, as in URDF.
#[must_use]
pub fn pose_from_rpy(xyz: [f64; 3], rpy: [f64; 3]) -> Pose {
    Pose::from_parts(
        Translation3::new(xyz[0], xyz[1], xyz[2]),
        UnitQuaternion::from_euler_angles(rpy[0], rpy[1], rpy[2]),
    )
}

/// Roll, pitch and yaw (rad) of `pose`: the inverse of [`pose_from_rpy`].
///
/// At pitch ±90° roll and yaw turn about the same line; the roll is then chosen to be zero.
#[must_use]
pub fn rpy_of(pose: &Pose) -> [f64; 3] {
    let matrix = pose.rotation.to_rotation_matrix();
    let m = matrix.matrix();
    let horizontal = m[(0, 0)].hypot(m[(1, 0)]);
    let pitch = (-m[(2, 0)]).atan2(horizontal);
    if horizontal < 1e-9 {
        return [0.0, pitch, (-m[(0, 1)]).atan2(m[(1, 1)])];
    }
    [
        m[(2, 1)].atan2(m[(2, 2)]),
        pitch,
        m[(1, 0)].atan2(m[(0, 0)]),
    ]
}

/// The angle (rad, 0..π) by which `a` must turn to have the orientation of `b`.
#[must_use]
pub fn rotation_angle(a: &Pose, b: &Pose) -> f64 {
    a.rotation.angle_to(&b.rotation)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn roll_pitch_yaw_come_back_as_the_same_orientation(
            rpy in prop::array::uniform3(-3.1f64..3.1)
        ) {
            let pose = pose_from_rpy([0.1, 0.2, 0.3], rpy);
            let again = pose_from_rpy([0.1, 0.2, 0.3], rpy_of(&pose));
            prop_assert!(rotation_angle(&pose, &again) < 1e-7);
        }
    }

    #[test]
    fn straight_up_pitch_is_still_the_same_orientation() {
        let pose = pose_from_rpy([0.0; 3], [0.4, std::f64::consts::FRAC_PI_2, 0.9]);
        assert!(rotation_angle(&pose, &pose_from_rpy([0.0; 3], rpy_of(&pose))) < 1e-7);
    }
}

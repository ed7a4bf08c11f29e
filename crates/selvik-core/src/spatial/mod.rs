//! Poses, boxes and planes: the ground floor.

mod aabb;
mod plane;
mod pose;

pub use aabb::Aabb;
pub use plane::Plane;
pub use pose::{Point, Pose, Vector, pose_from_rpy, rotation_angle, rpy_of};

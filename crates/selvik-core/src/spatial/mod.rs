//! Poses, boxes and planes: the ground floor.
//!
//! ```
//! use selvik_core::spatial::{Plane, Point, Vector};
//!
//! let floor = Plane::through(&Point::origin(), &Vector::z()).expect("a direction");
//! assert_eq!(floor.height(&Point::new(1.0, 2.0, 0.35)), 0.35); // m
//! ```

mod aabb;
mod plane;
mod pose;

pub use aabb::Aabb;
pub use plane::Plane;
pub use pose::{Point, Pose, Vector, pose_from_rpy, rotation_angle, rpy_of};

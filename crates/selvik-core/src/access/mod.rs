//! What can be seen, or reached in a straight line with something slender, and what is in the way.
//!
//! ```
//! use selvik_core::access::{Obstacle, Rod, WayIn};
//! use selvik_core::mesh::{Surface, box_mesh};
//! use selvik_core::spatial::{Point, Pose, Vector};
//!
//! // A plate of 1 m half a metre over the floor: from above one does not see the floor beneath it.
//! let plate = Surface::new(box_mesh([1.0, 1.0, 0.01]));
//! let obstacles = [Obstacle::new(&plate, Pose::translation(0.0, 0.0, 0.5))];
//! let from_above = |x: f64| WayIn { point: Point::new(x, 0.0, 0.0), out: Vector::z_axis() };
//! let sight = Rod::sight(10.0);
//! assert_eq!(from_above(0.2).blocked(&obstacles, &sight).map(|b| b.by), Some(0));
//! assert!(from_above(0.6).blocked(&obstacles, &sight).is_none());
//! ```

mod cone;
mod faces;
mod rod;

pub use cone::{Cone, free_cone};
pub use faces::{FaceAccess, FacePiece, Light, light_faces};
pub use rod::{Blocked, Obstacle, Rod, WayIn};

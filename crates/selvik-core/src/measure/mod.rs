//! What lies between two things: the lines and planes that carry them, how far they are from each other at least and at most, and
//! how such a number changes along a path.
//!
//! ```
//! use selvik_core::measure::{Carrier, apart};
//! use selvik_core::spatial::{Point, Vector};
//!
//! let bore = Carrier::Line { point: Point::new(0.0, 0.0, 0.0), along: Vector::z_axis() };
//! let shaft = Carrier::Line { point: Point::new(0.3, 0.4, 7.0), along: Vector::x_axis() };
//! let between = apart(&bore, &shaft);
//! assert!((between.distance.unwrap() - 0.4).abs() < 1e-12); // m
//! assert!((between.angle.unwrap().to_degrees() - 90.0).abs() < 1e-9);
//! ```

mod along;
mod carrier;
mod farthest;

pub use along::{Curve, Extreme, Looking, Rider, Travel, distance_along, travel_along};
pub use carrier::{Apart, Carrier, PARALLEL, apart};
pub use farthest::{Ball, Farthest, farthest};

//! How near bodies come to each other: exactly at one pose, and certified along a path.


mod crossing;
mod distance;




mod triangle_triangle;


pub use distance::{Closest, Limit, Proximity, distance};
pub use triangle_triangle::{TrianglePair, triangle_distance};

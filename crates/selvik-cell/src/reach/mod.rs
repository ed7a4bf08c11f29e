//! How far a robot reaches: along the path, and what is left at one pose.

mod along;
mod here;

pub use along::{ReachWanted, reach_along};
pub use here::ReachHere;

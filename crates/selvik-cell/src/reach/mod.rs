//! How far a robot reaches: along the path, what is left at one pose, and where it can reach at all.

mod along;
mod here;
mod outline;

pub use along::{ReachWanted, reach_along};
pub use here::ReachHere;
pub use outline::{OutlineAnswer, OutlineOf, OutlineWanted, reach_outline};

//! What robots run, and the path the whole cell follows: moves, timing, and knots on one clock.
//!
//! ```
//! use selvik_core::program::Trapezoid;
//!
//! // 1 m at 0.5 m/s, speeding up and slowing down by 1 m/s²: two seconds, and half a second for the ramps.
//! let travel = Trapezoid::new(1.0, 0.5, 1.0);
//! assert_eq!(travel.duration(), 2.5); // s
//! ```

mod handling;
mod lane;
mod moves;
mod node;
mod pace;
mod path;
mod planned;
mod recording;
mod run_plan;
mod runner;
mod straight;
mod subdivide;
mod sway;
mod track;
mod trapezoid;
mod way;

pub use handling::{Handler, Handling, Stay, Touch, TouchWhy};
pub use moves::{Goal, Motion, Move, Program, ProgramError, ProgramFault};
pub(crate) use path::Drive;
pub use path::{MoveSpan, Path};
pub use planned::Planned;
pub use recording::{Recording, RecordingError};
pub use run_plan::{Lane, PathTolerance, RunPlan, plan_again, plan_as_far_as_it_goes, plan_path};
pub use trapezoid::Trapezoid;

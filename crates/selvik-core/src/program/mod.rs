//! What robots run, and the path the whole cell follows: moves, timing, and knots on one clock.

mod lane;
mod moves;
mod pace;
mod path;
mod run_plan;
mod straight;
mod subdivide;
mod track;
mod trapezoid;
mod way;

pub use moves::{Goal, Motion, Move, Program, ProgramError, ProgramFault};
pub use path::{MoveSpan, Path};
pub use run_plan::{Lane, PathTolerance, RunPlan, plan_path};
pub use trapezoid::Trapezoid;

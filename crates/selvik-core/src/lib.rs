//! What the job of judging a robot workcell computes: pure, without I/O, database or web.
//!
//! Modules stand on floors and look only downwards:
//!
//! ```text
//! access                                 what can be seen, or come to
//! section  measure/reach  clearance      what is found
//! program                                when: moves, timing, the path and its knots
//! robot                                  mechanisms, forward and inverse kinematics
//! cell     view                          what is there; from where it is looked at
//! mesh                                   triangles, hierarchy, features, volume
//! spatial                                poses, planes, boxes
//! ```
//!
//! Metres, radians, seconds, `f64`, right-handed, Z up throughout.

pub mod access;
pub mod cell;
pub mod clearance;
pub mod measure;
pub mod mesh;
pub mod program;
pub mod reach;
pub mod robot;
pub mod section;
pub mod spatial;
pub mod view;

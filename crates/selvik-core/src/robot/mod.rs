//! Mechanisms: chains of joints, where their links are, and which joint values reach a pose.
//!
//! ```
//! use std::collections::HashMap;
//! use std::f64::consts::{FRAC_PI_2, PI};
//!
//! use selvik_core::cell::{Cell, Item, Role};
//! use selvik_core::robot::{
//!     Assembly, Convention, DhRow, JointKind, JointLimits, Span, Stated, chain_from_dh,
//! };
//!
//! // One turning joint that carries its flange 0.4 m out.
//! let stated = Stated { position: true, velocity: true, acceleration: true };
//! let position = Span::new(-PI, PI).expect("not crossed");
//! let limits = JointLimits { position, velocity: 1.0, acceleration: 4.0, stated };
//! let (name, kind) = ("turn".to_owned(), JointKind::Revolute);
//! let row = DhRow { name, kind, a: 0.4, alpha: 0.0, d: 0.0, theta: 0.0, limits };
//! let mechanism = chain_from_dh(Convention::Standard, &[row]).expect("a chain");
//! let cell = Cell::new(vec![Item::new("table", Role::Robot)]).expect("a tree");
//! let assembly = Assembly::new(cell, HashMap::from([("table".into(), mechanism)])).expect("an assembly");
//!
//! let flange = assembly.link_node(0, "flange").expect("the last link");
//! let at = assembly.pose_of(flange, &[FRAC_PI_2]).translation.vector;
//! assert!((at.y - 0.4).abs() < 1e-12 && at.x.abs() < 1e-12); // m
//! ```

mod assembly;
mod carried;
mod chain;
mod closed_form;
mod configuration;
mod denavit_hartenberg;
mod inverse;
mod jacobian;
mod joint;
mod mechanism;
mod motion_bound;
mod numeric;
mod ortho_parallel;
mod placing;
mod subproblem;
mod sway;
mod unreachable;

pub use assembly::{Assembly, AssemblyError, Body, BodyId, Joint as AssemblyJoint, NodeId};
pub use carried::{Carried, Moment};
pub(crate) use chain::{Chain, Posture};
pub use configuration::{Configuration, Elbow, Shoulder, Wrist};
pub use denavit_hartenberg::{Convention, DhRow, chain_from_dh};
pub use inverse::{Arm, ArmError, Solution};
pub(crate) use jacobian::twist;
pub use jacobian::{jacobian, manipulability};
pub use joint::{Follows, JointKind, JointLimits, Span, Stated};
pub use mechanism::{Joint, Link, Mechanism, MechanismError, Mimic};
pub(crate) use motion_bound::{Levers, MotionBound};
pub use numeric::{Bounds, nearest_values, numeric_inverse, numeric_inverses};
pub use ortho_parallel::{OrthoParallelArm, WristReach};
pub use placing::{Placing, axis_to_axis, face_to_face, frame_along, frame_through, motion_in};
pub(crate) use sway::{Bend, JointSway, Screw, Sway};
pub use unreachable::{BeyondLimit, Unreachable};

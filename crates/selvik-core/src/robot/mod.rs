//! Mechanisms: chains of joints, where their links are, and which joint values reach a pose.

mod assembly;
mod chain;
mod closed_form;
mod configuration;
mod denavit_hartenberg;
mod inverse;
mod jacobian;
mod joint;
mod mechanism;
mod numeric;
mod ortho_parallel;
mod placing;
mod subproblem;
mod unreachable;

pub use assembly::{Assembly, AssemblyError, Body, BodyId, Joint as AssemblyJoint, NodeId};
pub(crate) use chain::{Chain, Posture};
pub use configuration::{Configuration, Elbow, Shoulder, Wrist};
pub use denavit_hartenberg::{Convention, DhRow, chain_from_dh};
pub use inverse::{Arm, ArmError, Solution};
pub(crate) use jacobian::twist;
pub use jacobian::{jacobian, manipulability};
pub use joint::{Follows, JointKind, JointLimits, Span, Stated};
pub use mechanism::{Joint, Link, Mechanism, MechanismError, Mimic};
pub use numeric::{Bounds, numeric_inverse, numeric_inverses};
pub use ortho_parallel::{OrthoParallelArm, WristReach};
pub use placing::{Placing, axis_to_axis, face_to_face, frame_along, frame_through, motion_in};
pub use unreachable::{BeyondLimit, Unreachable};

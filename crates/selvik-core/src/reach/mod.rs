//! How far a robot reaches, and how much it has left.
//!
//! ```
//! use std::collections::HashMap;
//!
//! use selvik_core::cell::{Cell, Item, Role};
//! use selvik_core::reach::ReachLine;
//! use selvik_core::robot::{Assembly, Moment};
//! use selvik_core::spatial::Pose;
//!
//! let base = Item::new("base", Role::Frame);
//! let tcp = Item::new("tcp", Role::Frame).at(Pose::translation(0.3, 0.4, 1.2));
//! let assembly = Assembly::new(Cell::new(vec![base, tcp]).expect("a tree"), HashMap::new()).expect("an assembly");
//! let line = ReachLine { from: assembly.item_node(0), to: assembly.item_node(1) };
//! let reach = line.at(&assembly, &Moment::default());
//! assert!((reach.straight - 1.3).abs() < 1e-12 && (reach.horizontal - 0.5).abs() < 1e-12); // m
//! ```

mod region_cut;
mod used;
mod wrist_region;

pub use used::{LongestReach, Used};
pub use wrist_region::WristRegion;

use crate::program::Path;
use crate::robot::{Arm, Assembly, Moment, NodeId, jacobian, manipulability};
use crate::spatial::Point;

/// From where to where a reach is measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReachLine {
    /// Usually the robot's base.
    pub from: NodeId,
    /// Usually the TCP.
    pub to: NodeId,
}

/// A distance with its parts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reach {
    /// Where it is measured from, in the world.
    pub from: Point,
    /// Where it is measured to.
    pub to: Point,
    /// m
    pub straight: f64,
    /// m, along the floor
    pub horizontal: f64,
    /// m, upwards positive
    pub vertical: f64,
}

impl ReachLine {
    /// The reach at a moment.
    #[must_use]
    pub fn at(&self, assembly: &Assembly, moment: &Moment) -> Reach {
        let origin = |n: NodeId| {
            let pose = assembly.pose_carrying(n, &moment.joints, &moment.carried);
            Point::from(pose.translation.vector)
        };
        let (from, to) = (origin(self.from), origin(self.to));
        let d = to - from;
        Reach {
            from,
            to,
            straight: d.norm(),
            horizontal: d.x.hypot(d.y),
            vertical: d.z,
        }
    }
}

/// How much an arm has left at one posture.
#[derive(Debug, Clone, PartialEq)]
pub struct Reserve {
    /// The joint nearest to a limit, as a position in [`Arm::joints`], with its distance, rad or m.
    pub nearest_limit: Option<(usize, f64)>,
    /// 0 at a singularity (smallest singular value of the Jacobian over 1 m).
    pub manipulability: f64,
}

/// The reserve of `arm` for the joint vector `q`, rad or m.
#[must_use]
pub fn reserve(assembly: &Assembly, arm: &Arm, q: &[f64]) -> Reserve {
    let nearest_limit = nearest_limit(assembly, arm, q);
    let poses = assembly.poses(q);
    let at = Point::from(poses[arm.tip().0].translation.vector);
    let matrix = jacobian(assembly, &poses, arm.tip(), &at, arm.joints());
    Reserve {
        nearest_limit,
        manipulability: manipulability(&matrix, 1.0),
    }
}

/// The joint of `arm` that comes nearest to a limit between the instants `from` and `to` (s) of `path`, as a position in
/// [`Arm::joints`], with its distance, rad or m.
#[must_use]
pub fn nearest_limit_during(
    assembly: &Assembly,
    path: &Path,
    arm: &Arm,
    (from, to): (f64, f64),
) -> Option<(usize, f64)> {
    // Joints go straight between knots, so that they are nearest at one.
    let inside = path.knots().iter().copied().filter(|&t| from < t && t < to);
    let at = |time: f64| nearest_limit(assembly, arm, &path.at(time));
    std::iter::once(from)
        .chain(inside)
        .chain([to])
        .filter_map(at)
        .min_by(|a, b| a.1.total_cmp(&b.1))
}

fn nearest_limit(assembly: &Assembly, arm: &Arm, q: &[f64]) -> Option<(usize, f64)> {
    let room = |(at, &joint): (usize, &usize)| {
        let span = &assembly.joints()[joint].limits.position;
        (at, (q[joint] - span.low()).min(span.high() - q[joint]))
    };
    let rooms = arm.joints().iter().enumerate().map(room);
    rooms
        .filter(|(_, room)| room.is_finite())
        .min_by(|a, b| a.1.total_cmp(&b.1))
}

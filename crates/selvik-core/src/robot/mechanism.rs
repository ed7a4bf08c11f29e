use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;

use super::{JointKind, JointLimits};
use crate::mesh::Surface;
use crate::spatial::{Pose, Vector};

/// A rigid part of a mechanism.
#[derive(Debug, Clone)]
pub struct Link {
    /// Unique in the mechanism.
    pub name: String,
    /// Its geometry in the link frame.
    pub surface: Option<Arc<Surface>>,
}

/// A joint between two links.
#[derive(Debug, Clone)]
pub struct Joint {
    /// Unique in the mechanism.
    pub name: String,
    /// How it moves.
    pub kind: JointKind,
    /// Index of the link towards the base.
    pub parent: usize,
    /// Index of the link that is moved.
    pub child: usize,
    /// The joint frame in the parent link.
    pub origin: Pose,
    /// The line it turns about or slides along, in the joint frame.
    pub axis: Unit<Vector>,
    /// What it may do.
    pub limits: JointLimits,
}

/// Links and joints in a tree with one base link: a robot, a track, an index table.
#[derive(Debug, Clone)]
pub struct Mechanism {
    links: Vec<Link>,
    joints: Vec<Joint>,
    base: usize,
}

/// Why links and joints don't make a mechanism.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MechanismError {
    /// No links at all.
    #[error("the mechanism has no links")]
    Empty,
    /// Two links or two joints share a name.
    #[error("two {kind}s are named \"{name}\"")]
    DuplicateName {
        /// "link" or "joint".
        kind: &'static str,
        /// The name.
        name: String,
    },
    /// A link with two joints above it.
    #[error("link \"{0}\" is moved by two joints; a mechanism must be a tree")]
    TwoParents(String),
    /// More than one link without a joint above it, or none.
    #[error("a mechanism has one base link, but here {}", list(.0))]
    Bases(Vec<String>),
    /// Links that carry each other.
    #[error("link \"{0}\" carries itself through its joints; break the circle")]
    Circle(String),
}

fn list(names: &[String]) -> String {
    match names {
        [] => "every link is moved by another".to_owned(),
        names => format!("{} are not moved by any joint: {}", names.len(), names.join(", ")),
    }
}

impl Mechanism {
    /// Checks that `links` and `joints` form a tree and sorts the joints from base to tips.
    ///
    /// # Errors
    /// [`MechanismError`] says which link or joint stands in the way.
    ///
    /// # Panics
    /// If a joint names a link index that is out of range.
    pub fn new(links: Vec<Link>, joints: Vec<Joint>) -> Result<Self, MechanismError> {
        if links.is_empty() {
            return Err(MechanismError::Empty);
        }
        unique("link", links.iter().map(|l| &l.name))?;
        unique("joint", joints.iter().map(|j| &j.name))?;
        let mut above: Vec<Option<usize>> = vec![None; links.len()];
        let mut below: Vec<Vec<usize>> = vec![Vec::new(); links.len()];
        for (at, joint) in joints.iter().enumerate() {
            if above[joint.child].replace(at).is_some() {
                return Err(MechanismError::TwoParents(links[joint.child].name.clone()));
            }
            below[joint.parent].push(at);
        }
        let bases: Vec<usize> = (0..links.len()).filter(|&l| above[l].is_none()).collect();
        let &[base] = bases.as_slice() else {
            return Err(MechanismError::Bases(bases.iter().map(|&l| links[l].name.clone()).collect()));
        };
        let mut order = Vec::with_capacity(joints.len());
        let mut open = vec![base];
        while let Some(link) = open.pop() {
            for &joint in &below[link] {
                order.push(joint);
            }
            open.extend(below[link].iter().rev().map(|&j| joints[j].child));
        }
        if order.len() < joints.len() {
            let mut reached = vec![false; joints.len()];
            order.iter().for_each(|&j| reached[j] = true);
            let lost = reached.iter().position(|r| !r).expect("some joint was not reached");
            return Err(MechanismError::Circle(links[joints[lost].child].name.clone()));
        }
        let joints = order.iter().map(|&j| joints[j].clone()).collect();
        Ok(Self { links, joints, base })
    }

    /// All links.
    #[must_use]
    pub fn links(&self) -> &[Link] {
        &self.links
    }

    /// All joints, each after those nearer the base.
    #[must_use]
    pub fn joints(&self) -> &[Joint] {
        &self.joints
    }

    /// The index of the base link.
    #[must_use]
    pub fn base(&self) -> usize {
        self.base
    }

    /// The index of the link called `name`.
    #[must_use]
    pub fn link(&self, name: &str) -> Option<usize> {
        self.links.iter().position(|l| l.name == name)
    }

    /// Pose of every link in the base link's frame for the values `q` of the moving joints, in the
    /// order of [`Self::joints`] without the fixed ones.
    ///
    /// # Panics
    /// If `q` has fewer values than there are moving joints.
    #[must_use]
    pub fn forward(&self, q: &[f64]) -> Vec<Pose> {
        let mut poses = vec![Pose::identity(); self.links.len()];
        let mut values = q.iter();
        for joint in &self.joints {
            let value = if joint.kind.moves() { *values.next().expect("a value a joint") } else { 0.0 };
            poses[joint.child] = poses[joint.parent] * joint.origin * joint.kind.motion(&joint.axis, value);
        }
        poses
    }

    /// The links at the ends of the tree, in order.
    #[must_use]
    pub fn tips(&self) -> Vec<usize> {
        (0..self.links.len()).filter(|l| self.joints.iter().all(|j| j.parent != *l)).collect()
    }
}

fn unique<'a>(kind: &'static str, names: impl Iterator<Item = &'a String>) -> Result<(), MechanismError> {
    let mut seen: HashMap<&String, ()> = HashMap::new();
    for name in names {
        if seen.insert(name, ()).is_some() {
            return Err(MechanismError::DuplicateName { kind, name: name.clone() });
        }
    }
    Ok(())
}

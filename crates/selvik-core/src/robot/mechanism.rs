use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;

use super::{Follows, JointKind, JointLimits, Span};
use crate::mesh::Surface;
use crate::spatial::{Pose, Vector};

/// A rigid part of a mechanism.
#[derive(Debug, Clone)]
pub struct Link {
    /// Unique in the mechanism.
    pub name: String,
    /// Its geometry in the link frame.
    pub surface: Option<Arc<Surface>>,
    /// Files that should hold some of its geometry and are not there.
    pub missing: Vec<String>,
}

impl Link {
    /// A link with all of its geometry, if it has any.
    #[must_use]
    pub fn new(name: impl Into<String>, surface: Option<Arc<Surface>>) -> Self {
        Self {
            name: name.into(),
            surface,
            missing: Vec::new(),
        }
    }
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
    /// The joint whose value it follows, if it has none of its own (`mimic` in URDF).
    pub mimics: Option<Mimic>,
}

/// That a joint follows another.
#[derive(Debug, Clone, PartialEq)]
pub struct Mimic {
    /// Name of the other.
    pub joint: String,
    /// How.
    pub follows: Follows,
}

impl Joint {
    /// Whether it has a value of its own.
    #[must_use]
    pub fn is_free(&self) -> bool {
        self.kind.moves() && self.mimics.is_none()
    }
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
    /// A joint that follows one that is not there, does not move, or follows it in turn.
    #[error("joint \"{joint}\" mimics \"{other}\", which {why}")]
    Mimics {
        /// The one.
        joint: String,
        /// The other.
        other: String,
        /// What is wrong.
        why: &'static str,
    },
}

fn list(names: &[String]) -> String {
    match names {
        [] => "every link is moved by another".to_owned(),
        names => format!(
            "{} are not moved by any joint: {}",
            names.len(),
            names.join(", ")
        ),
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
            return Err(MechanismError::Bases(
                bases.iter().map(|&l| links[l].name.clone()).collect(),
            ));
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
            let lost = reached
                .iter()
                .position(|r| !r)
                .expect("some joint was not reached");
            return Err(MechanismError::Circle(
                links[joints[lost].child].name.clone(),
            ));
        }
        let mut joints: Vec<Joint> = order.iter().map(|&j| joints[j].clone()).collect();
        follow(&mut joints)?;
        Ok(Self {
            links,
            joints,
            base,
        })
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

    /// Pose of every link in the base link's frame for the values `q` of the free joints, in the
    /// order of [`Self::joints`] without those that are fixed or mimic others.
    ///
    /// # Panics
    /// If `q` has fewer values than there are free joints.
    #[must_use]
    pub fn forward(&self, q: &[f64]) -> Vec<Pose> {
        let mut poses = vec![Pose::identity(); self.links.len()];
        let mut values = q.iter();
        let free = self.joints.iter().filter(|j| j.is_free());
        let of: HashMap<&str, f64> = free
            .map(|j| (j.name.as_str(), *values.next().expect("a value a joint")))
            .collect();
        for joint in &self.joints {
            let value = match &joint.mimics {
                Some(mimic) => mimic.follows.value(of[mimic.joint.as_str()]),
                None => of.get(joint.name.as_str()).copied().unwrap_or(0.0),
            };
            poses[joint.child] =
                poses[joint.parent] * joint.origin * joint.kind.motion(&joint.axis, value);
        }
        poses
    }

    /// The links at the ends of the tree, in order.
    #[must_use]
    pub fn tips(&self) -> Vec<usize> {
        (0..self.links.len())
            .filter(|l| self.joints.iter().all(|j| j.parent != *l))
            .collect()
    }

    /// The link that most moving joints carry, of several the first: where a tool goes.
    #[must_use]
    pub fn tip(&self) -> usize {
        let above = |link: usize| self.joints.iter().position(|j| j.child == link);
        let carried = |&link: &usize| {
            let up = |&joint: &usize| above(self.joints[joint].parent);
            let chain = std::iter::successors(above(link), up);
            chain
                .filter(|&joint| self.joints[joint].kind.moves())
                .count()
        };
        let tips = self.tips().into_iter().rev();
        tips.max_by_key(carried).unwrap_or(self.base)
    }
}

/// Lets every joint that follows another follow a free one, whose limits are narrowed to what the follower may do, as far as
/// that leaves it any way to go.
fn follow(joints: &mut [Joint]) -> Result<(), MechanismError> {
    let at: HashMap<String, usize> = joints
        .iter()
        .enumerate()
        .map(|(i, j)| (j.name.clone(), i))
        .collect();
    for index in 0..joints.len() {
        let Some(mut mimic) = joints[index].mimics.clone() else {
            continue;
        };
        let fail = |other: &str, why| MechanismError::Mimics {
            joint: joints[index].name.clone(),
            other: other.to_owned(),
            why,
        };
        let mut steps = 0;
        let leader = loop {
            let Some(&leader) = at.get(&mimic.joint) else {
                return Err(fail(&mimic.joint, "is not there"));
            };
            steps += 1;
            if steps > joints.len() {
                return Err(fail(&mimic.joint, "follows it in turn"));
            }
            match &joints[leader].mimics {
                None if !joints[leader].kind.moves() => {
                    return Err(fail(&mimic.joint, "does not move"));
                }
                None => break leader,
                Some(next) => {
                    mimic = Mimic {
                        joint: next.joint.clone(),
                        follows: mimic.follows.after(&next.follows),
                    };
                }
            }
        };
        let (ratio, own) = (mimic.follows.ratio, joints[index].limits);
        let ends =
            [own.position.low(), own.position.high()].map(|v| (v - mimic.follows.offset) / ratio);
        let limits = &mut joints[leader].limits;
        let low = limits.position.low().max(ends[0].min(ends[1]));
        let high = limits.position.high().min(ends[0].max(ends[1]));
        // Limits of a follower that leave no way to go at all were written without regard to its sign.
        if high - low > 1e-9 {
            limits.position = Span::new(low, high).unwrap_or(limits.position);
        }
        limits.velocity = limits.velocity.min(own.velocity / ratio.abs());
        joints[index].mimics = Some(mimic);
    }
    Ok(())
}

fn unique<'a>(
    kind: &'static str,
    names: impl Iterator<Item = &'a String>,
) -> Result<(), MechanismError> {
    let mut seen: HashMap<&String, ()> = HashMap::new();
    for name in names {
        if seen.insert(name, ()).is_some() {
            return Err(MechanismError::DuplicateName {
                kind,
                name: name.clone(),
            });
        }
    }
    Ok(())
}

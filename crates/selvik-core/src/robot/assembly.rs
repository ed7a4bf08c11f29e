use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;

use super::{Carried, Follows, JointKind, JointLimits, Mechanism};
use crate::cell::{Cell, ItemId};
use crate::mesh::Surface;
use crate::spatial::{Pose, Vector};

/// Index of a coordinate system of the cell: an item's frame or a link's.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NodeId(pub usize);

/// Index of a rigid body of the cell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct BodyId(pub usize);

/// A coordinate system that moves with what carries it.
#[derive(Debug, Clone)]
pub struct Node {
    /// The item it belongs to, as a position in [`Cell::items`].
    pub item: usize,
    /// The link of the item's mechanism, if it is one.
    pub link: Option<usize>,
    /// What carries it; `None` is the world.
    pub parent: Option<NodeId>,
    /// Where it stands there with the joint at 0.
    pub origin: Pose,
    /// The joint between the carrier and this node, if it moves.
    pub joint: Option<NodeJoint>,
}

/// The moving joint of a node.
#[derive(Debug, Clone)]
pub struct NodeJoint {
    /// How it moves.
    pub kind: JointKind,
    /// About or along what, in the node's frame.
    pub axis: Unit<Vector>,
    /// Which entry of the joint vector drives it.
    pub index: usize,
    /// How it follows that entry.
    pub follows: Follows,
}

impl NodeJoint {
    /// The motion of the node for the joint vector `q` (rad or m).
    #[inline]
    #[must_use]
    pub fn motion(&self, q: &[f64]) -> Pose {
        self.kind
            .motion(&self.axis, self.follows.value(q[self.index]))
    }
}

/// One entry of the cell's joint vector.
#[derive(Debug, Clone)]
pub struct Joint {
    /// The item whose mechanism it belongs to, as a position in [`Cell::items`].
    pub item: usize,
    /// Its name in that mechanism.
    pub name: String,
    /// How it moves.
    pub kind: JointKind,
    /// What it may do.
    pub limits: JointLimits,
}

/// A rigid body: the geometry of an item or of one link.
#[derive(Debug, Clone)]
pub struct Body {
    /// Whose frame the geometry is given in.
    pub node: NodeId,
    /// The item it belongs to, as a position in [`Cell::items`].
    pub item: usize,
    /// The link, when it is one.
    pub link: Option<usize>,
    /// The geometry.
    pub surface: Arc<Surface>,
}

/// A cell with its mechanisms, flattened into one kinematic tree with one joint vector.
#[derive(Debug, Clone)]
pub struct Assembly {
    cell: Cell,
    mechanisms: Vec<Option<Mechanism>>,
    nodes: Vec<Node>,
    joints: Vec<Joint>,
    bodies: Vec<Body>,
    item_nodes: Vec<NodeId>,
    link_nodes: Vec<Vec<NodeId>>,
    moving_above: Vec<Vec<NodeId>>,
}

/// Why a cell and its mechanisms don't fit together.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AssemblyError {
    /// An item hangs on a link that its parent does not have.
    #[error("item \"{item}\" hangs on link \"{link}\" of \"{parent}\", which has {}", known(.links))]
    UnknownLink {
        /// The child.
        item: ItemId,
        /// Its parent.
        parent: ItemId,
        /// The link it names.
        link: String,
        /// The links there are.
        links: Vec<String>,
    },
}

fn known(links: &[String]) -> String {
    if links.is_empty() {
        "no links".to_owned()
    } else {
        format!("only {}", links.join(", "))
    }
}

impl Assembly {
    /// Joins `cell` with the mechanisms of its items. An item's frame is its mechanism's base link.
    ///
    /// # Errors
    /// [`AssemblyError::UnknownLink`] when an item hangs on a link that is not there.
    pub fn new(
        cell: Cell,
        mut mechanisms: HashMap<ItemId, Mechanism>,
    ) -> Result<Self, AssemblyError> {
        let mut this = Self {
            mechanisms: cell
                .items()
                .iter()
                .map(|i| mechanisms.remove(&i.id))
                .collect(),
            cell,
            nodes: Vec::new(),
            joints: Vec::new(),
            bodies: Vec::new(),
            item_nodes: Vec::new(),
            link_nodes: Vec::new(),
            moving_above: Vec::new(),
        };
        for at in 0..this.cell.items().len() {
            this.add_item(at)?;
        }
        Ok(this)
    }

    fn add_item(&mut self, at: usize) -> Result<(), AssemblyError> {
        let item = self.cell.items()[at].clone();
        let parent = self.cell.parent_of(at);
        let carrier = match (parent, &item.on_link) {
            (None, _) => None,
            (Some(parent), None) => Some(self.item_nodes[parent]),
            (Some(parent), Some(link)) => Some(self.link_node(parent, link).ok_or_else(|| {
                AssemblyError::UnknownLink {
                    item: item.id.clone(),
                    parent: self.cell.items()[parent].id.clone(),
                    link: link.clone(),
                    links: self.mechanisms[parent]
                        .iter()
                        .flat_map(|m| m.links().iter().map(|l| l.name.clone()))
                        .collect(),
                }
            })?),
        };
        let node = self.add_node(Node {
            item: at,
            link: self.mechanisms[at].as_ref().map(Mechanism::base),
            parent: carrier,
            origin: item.pose,
            joint: None,
        });
        self.item_nodes.push(node);
        if let Some(surface) = &item.surface {
            self.bodies.push(Body {
                node,
                item: at,
                link: None,
                surface: Arc::clone(surface),
            });
        }
        let Some(mechanism) = self.mechanisms[at].clone() else {
            self.link_nodes.push(Vec::new());
            return Ok(());
        };
        let mut entries = HashMap::new();
        for joint in mechanism.joints().iter().filter(|j| j.is_free()) {
            entries.insert(joint.name.clone(), self.joints.len());
            self.joints.push(Joint {
                item: at,
                name: joint.name.clone(),
                kind: joint.kind,
                limits: joint.limits,
            });
        }
        let mut link_nodes = vec![node; mechanism.links().len()];
        for joint in mechanism.joints() {
            let (driver, follows) = match &joint.mimics {
                Some(mimic) => (&mimic.joint, mimic.follows),
                None => (&joint.name, Follows::default()),
            };
            let moving = joint.kind.moves().then(|| NodeJoint {
                kind: joint.kind,
                axis: joint.axis,
                index: entries[driver],
                follows,
            });
            link_nodes[joint.child] = self.add_node(Node {
                item: at,
                link: Some(joint.child),
                parent: Some(link_nodes[joint.parent]),
                origin: joint.origin,
                joint: moving,
            });
        }
        for (link, node) in link_nodes.iter().enumerate() {
            if let Some(surface) = &mechanism.links()[link].surface {
                self.bodies.push(Body {
                    node: *node,
                    item: at,
                    link: Some(link),
                    surface: Arc::clone(surface),
                });
            }
        }
        self.link_nodes.push(link_nodes);
        Ok(())
    }

    fn add_node(&mut self, node: Node) -> NodeId {
        let id = NodeId(self.nodes.len());
        let mut moving = node
            .parent
            .map(|p| self.moving_above[p.0].clone())
            .unwrap_or_default();
        if node.joint.is_some() {
            moving.push(id);
        }
        self.moving_above.push(moving);
        self.nodes.push(node);
        id
    }

    /// The items.
    #[must_use]
    pub fn cell(&self) -> &Cell {
        &self.cell
    }

    /// The mechanism of the item at position `item`.
    #[must_use]
    pub fn mechanism(&self, item: usize) -> Option<&Mechanism> {
        self.mechanisms[item].as_ref()
    }

    /// All coordinate systems, each after what carries it.
    #[must_use]
    pub fn nodes(&self) -> &[Node] {
        &self.nodes
    }

    /// The entries of the joint vector.
    #[must_use]
    pub fn joints(&self) -> &[Joint] {
        &self.joints
    }

    /// All rigid bodies.
    #[must_use]
    pub fn bodies(&self) -> &[Body] {
        &self.bodies
    }

    /// The body `id`.
    #[must_use]
    pub fn body(&self, id: BodyId) -> &Body {
        &self.bodies[id.0]
    }

    /// The frame of the item at position `item`.
    #[must_use]
    pub fn item_node(&self, item: usize) -> NodeId {
        self.item_nodes[item]
    }

    /// The frame of link `link` of the item at position `item`.
    #[must_use]
    pub fn link_node(&self, item: usize, link: &str) -> Option<NodeId> {
        let index = self.mechanisms[item].as_ref()?.link(link)?;
        Some(self.link_nodes[item][index])
    }

    /// Position in the joint vector of joint `name` of the item at position `item`.
    #[must_use]
    pub fn joint_index(&self, item: usize, name: &str) -> Option<usize> {
        self.joints
            .iter()
            .position(|j| j.item == item && j.name == name)
    }

    /// The nodes with moving joints from the world down to `node`, itself included.
    #[must_use]
    pub fn moving_above(&self, node: NodeId) -> &[NodeId] {
        &self.moving_above[node.0]
    }

    /// World poses of all nodes for the joint vector `q` (rad or m).
    ///
    /// # Panics
    /// If `q` is shorter than [`Self::joints`].
    #[must_use]
    pub fn poses(&self, q: &[f64]) -> Vec<Pose> {
        let mut poses: Vec<Pose> = Vec::with_capacity(self.nodes.len());
        for node in &self.nodes {
            let mut pose = node
                .parent
                .map_or(node.origin, |p| poses[p.0] * node.origin);
            if let Some(joint) = &node.joint {
                pose *= joint.motion(q);
            }
            poses.push(pose);
        }
        poses
    }

    /// The world pose of one node with the joint vector `q`, rad or m.
    #[must_use]
    pub fn pose_of(&self, node: NodeId, q: &[f64]) -> Pose {
        let (mut pose, mut at) = (Pose::identity(), Some(node));
        while let Some(id) = at {
            let node = &self.nodes[id.0];
            let own = node
                .joint
                .as_ref()
                .map_or(node.origin, |joint| node.origin * joint.motion(q));
            pose = own * pose;
            at = node.parent;
        }
        pose
    }

    /// For each joint the largest magnitude its limits let its value have, rad or m.
    #[must_use]
    pub fn farthest(&self) -> Vec<f64> {
        /// An endless slide is taken to go no farther than this, m.
        const HALL: f64 = 100.0;
        let most = |j: &Joint| {
            j.limits
                .position
                .low()
                .abs()
                .max(j.limits.position.high().abs())
                .min(HALL)
        };
        self.joints.iter().map(most).collect()
    }

    /// For each joint the longest distance (m) from it at which it moves anything, in any posture whose values are of
    /// magnitudes up to `farthest` (rad, m; one a joint); 1 for a sliding joint, which moves all alike.
    #[must_use]
    pub fn levers(&self, farthest: &[f64], carried: &Carried) -> Vec<f64> {
        let mut levers = vec![0.0f64; self.joints.len()];
        let mut reach_up = |node, from| self.reach_up((node, from), farthest, carried, &mut levers);
        for body in &self.bodies {
            let (centre, radius) = body.surface.ball();
            reach_up(body.node, centre.coords.norm() + radius);
        }
        for &node in &self.item_nodes {
            reach_up(node, 0.0);
        }
        levers
    }

    fn reach_up(
        &self,
        (node, from): (NodeId, f64),
        farthest: &[f64],
        carried: &Carried,
        levers: &mut [f64],
    ) {
        let (mut lever, mut at) = (from, Some(node));
        while let Some(id) = at {
            if let Some(joint) = &self.nodes[id.0].joint {
                let by = joint.follows.ratio.abs() * if joint.kind.turns() { lever } else { 1.0 };
                levers[joint.index] = levers[joint.index].max(by);
                if !joint.kind.turns() {
                    lever += joint.follows.farthest(farthest[joint.index]);
                }
            }
            let (carrier, origin) = self.carrier(id, carried);
            lever += origin.translation.vector.norm();
            at = carrier;
        }
    }

    /// What people call a body: its item, and the link where it is one of several.
    #[must_use]
    pub fn body_name(&self, id: BodyId) -> String {
        let body = self.body(id);
        let item = &self.cell.items()[body.item].name;
        match body.link {
            Some(link) => {
                let mechanism = self.mechanisms[body.item].as_ref().expect("a link has one");
                format!("{item} {}", mechanism.links()[link].name.replace('_', " "))
            }
            None => item.clone(),
        }
    }

    /// Whether two bodies belong to one link of a mechanism, or to two with a joint between them. An item's own geometry
    /// belongs to the base link.
    #[must_use]
    pub fn are_next_links(&self, a: BodyId, b: BodyId) -> bool {
        let (a, b) = (self.body(a), self.body(b));
        let Some(mechanism) = &self.mechanisms[a.item] else {
            return false;
        };
        let [x, y] = [a, b].map(|body| body.link.unwrap_or(mechanism.base()));
        let joined = |j: &super::Joint| [(x, y), (y, x)].contains(&(j.parent, j.child));
        a.item == b.item && (x == y || mechanism.joints().iter().any(joined))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cell::{Item, Role};
    use crate::robot::{Joint as MechanismJoint, Link};
    use crate::spatial::pose_from_rpy;

    fn slide(kind: JointKind) -> Mechanism {
        let link = |name: &str| Link::new(name.to_owned(), None);
        let joint = MechanismJoint {
            name: "j".to_owned(),
            kind,
            parent: 0,
            child: 1,
            origin: pose_from_rpy([0.0, 0.0, 0.5], [0.0; 3]),
            axis: nalgebra::Vector3::x_axis(),
            limits: JointLimits::default(),
            mimics: None,
        };
        Mechanism::new(vec![link("base"), link("carriage")], vec![joint]).unwrap()
    }

    #[test]
    fn a_robot_on_a_track_moves_with_the_carriage() {
        let cell = Cell::new(vec![
            Item::new("track", Role::Robot).at(pose_from_rpy([1.0, 0.0, 0.0], [0.0; 3])),
            Item::new("arm", Role::Robot)
                .on("track", Some("carriage"))
                .at(pose_from_rpy([0.0, 0.0, 0.1], [0.0; 3])),
        ]);
        let mechanisms = HashMap::from([
            ("track".into(), slide(JointKind::Prismatic)),
            ("arm".into(), slide(JointKind::Revolute)),
        ]);
        let assembly = Assembly::new(cell.unwrap(), mechanisms).unwrap();
        let tip = assembly.link_node(1, "carriage").unwrap();
        let pose = assembly.pose_of(tip, &[0.25, 0.0]);
        assert!((pose.translation.vector - Vector::new(1.25, 0.0, 1.1)).norm() < 1e-12);
        assert_eq!(assembly.poses(&[0.25, 0.0])[tip.0], pose);
    }

    #[test]
    fn hanging_on_a_link_that_is_not_there_names_those_that_are() {
        let cell = Cell::new(vec![
            Item::new("track", Role::Robot),
            Item::new("arm", Role::Robot).on("track", Some("cariage")),
        ]);
        let mechanisms = HashMap::from([("track".into(), slide(JointKind::Prismatic))]);
        let error = Assembly::new(cell.unwrap(), mechanisms)
            .unwrap_err()
            .to_string();
        assert!(error.contains("only base, carriage"), "{error}");
    }
}

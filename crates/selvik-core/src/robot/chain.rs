use nalgebra::Unit;

use super::{Assembly, BodyId, Carried, Follows, JointKind, NodeId};
use crate::spatial::{Pose, Vector};

/// The joints from one frame of a cell outwards to another, with what is fixed between them made one.
#[derive(Debug, Clone)]
pub(crate) struct Chain {
    pub joints: Vec<ChainJoint>,
    /// The last frame in the frame behind the last joint.
    pub tail: Pose,
}

#[derive(Debug, Clone)]
pub(crate) struct ChainJoint {
    /// Its frame, at value 0, behind the joint before it.
    pub origin: Pose,
    pub axis: Unit<Vector>,
    pub kind: JointKind,
    pub index: usize,
    /// How far it goes for each unit of that entry, and where it stands at 0.
    pub follows: Follows,
}

/// Where a chain's joints and its end are, in the frame it begins in.
#[derive(Debug, Clone)]
pub(crate) struct Posture {
    pub joints: Box<[Pose]>,
    pub end: Pose,
}

impl Assembly {
    /// How many joints lie between two nodes while things hang as in `carried`.
    #[must_use]
    pub fn joints_between(&self, nodes: [NodeId; 2], carried: &Carried) -> usize {
        let chains = Chain::of_nodes(self, carried, nodes);
        chains.iter().map(|chain| chain.joints.len()).sum()
    }
}

impl Chain {
    /// The chains of two bodies, beginning behind the last joint that moves both.
    pub fn of_pair(assembly: &Assembly, carried: &Carried, a: BodyId, b: BodyId) -> [Self; 2] {
        Self::of_nodes(assembly, carried, [a, b].map(|id| assembly.body(id).node))
    }

    /// The same of two frames.
    pub fn of_nodes(assembly: &Assembly, carried: &Carried, nodes: [NodeId; 2]) -> [Self; 2] {
        let [above_a, above_b] = nodes.map(|n| assembly.moving_above_carrying(n, carried));
        let shared = above_a
            .iter()
            .zip(&above_b)
            .take_while(|(x, y)| x == y)
            .count();
        let root = shared.checked_sub(1).map(|last| above_a[last]);
        nodes.map(|node| Self::between(assembly, carried, root, node))
    }

    /// From the world to `end`.
    pub fn from_world(assembly: &Assembly, end: NodeId) -> Self {
        Self::between(assembly, &Carried::default(), None, end)
    }

    /// The same while things hang as in `carried`.
    pub fn from_world_carrying(assembly: &Assembly, carried: &Carried, end: NodeId) -> Self {
        Self::between(assembly, carried, None, end)
    }

    fn between(assembly: &Assembly, carried: &Carried, root: Option<NodeId>, end: NodeId) -> Self {
        let mut way = Vec::new();
        let mut at = Some(end);
        while at != root {
            let node = at.expect("the root lies above the end");
            let (carrier, origin) = assembly.carrier(node, carried);
            way.push((node, origin));
            at = carrier;
        }
        let (mut joints, mut fixed) = (Vec::new(), Pose::identity());
        for (node, origin) in way.into_iter().rev() {
            fixed *= origin;
            if let Some(joint) = &assembly.nodes()[node.0].joint {
                let origin = std::mem::take(&mut fixed);
                let (axis, kind, index, follows) =
                    (joint.axis, joint.kind, joint.index, joint.follows);
                joints.push(ChainJoint {
                    origin,
                    axis,
                    kind,
                    index,
                    follows,
                });
            }
        }
        Self {
            joints,
            tail: fixed,
        }
    }

    /// Where everything is for the cell's joint vector `q`.
    pub fn posture(&self, q: &[f64]) -> Posture {
        let mut pose = Pose::identity();
        let joints = self
            .joints
            .iter()
            .map(|joint| {
                pose = pose
                    * joint.origin
                    * joint
                        .kind
                        .motion(&joint.axis, joint.follows.value(q[joint.index]));
                pose
            })
            .collect();
        Posture {
            joints,
            end: pose * self.tail,
        }
    }
}

use nalgebra::Unit;

use crate::program::Path;
use crate::robot::{Assembly, BodyId, Follows, JointKind, NodeId};
use crate::spatial::{Pose, Vector};

/// The joints that move one body of a pair and not the other, from what carries both outwards.
#[derive(Debug, Clone)]
pub(super) struct Chain {
    pub joints: Vec<ChainJoint>,
    /// The body's frame in the frame behind the last joint.
    tail: Pose,
}

#[derive(Debug, Clone)]
pub(super) struct ChainJoint {
    /// Its frame, at value 0, behind the joint before it.
    origin: Pose,
    pub axis: Unit<Vector>,
    pub kind: JointKind,
    pub index: usize,
    /// How far it goes for each unit of that entry, and where it stands at 0.
    pub follows: Follows,
}

/// Where a chain's joints and body are, in the frame that carries both bodies of a pair.
#[derive(Debug, Clone)]
pub(super) struct Posture {
    pub joints: Box<[Pose]>,
    pub body: Pose,
}

impl Chain {
    /// The chains of two bodies, beginning behind the last joint that moves both.
    pub fn of_pair(assembly: &Assembly, a: BodyId, b: BodyId) -> [Self; 2] {
        let nodes = [a, b].map(|id| assembly.body(id).node);
        let [above_a, above_b] = nodes.map(|n| assembly.moving_above(n));
        let shared = above_a.iter().zip(above_b).take_while(|(x, y)| x == y).count();
        let root = shared.checked_sub(1).map(|last| above_a[last]);
        nodes.map(|node| Self::between(assembly, root, node))
    }

    fn between(assembly: &Assembly, root: Option<NodeId>, body: NodeId) -> Self {
        let mut way = Vec::new();
        let mut at = Some(body);
        while at != root {
            let node = at.expect("the root lies above the body");
            way.push(node);
            at = assembly.nodes()[node.0].parent;
        }
        let (mut joints, mut fixed) = (Vec::new(), Pose::identity());
        for node in way.into_iter().rev().map(|n| &assembly.nodes()[n.0]) {
            fixed *= node.origin;
            if let Some(joint) = &node.joint {
                let origin = std::mem::take(&mut fixed);
                let (axis, kind, index, follows) = (joint.axis, joint.kind, joint.index, joint.follows);
                joints.push(ChainJoint { origin, axis, kind, index, follows });
            }
        }
        Self { joints, tail: fixed }
    }

    /// Where everything is for the cell's joint vector `q`.
    pub fn posture(&self, q: &[f64]) -> Posture {
        let mut pose = Pose::identity();
        let joints = self
            .joints
            .iter()
            .map(|joint| {
                pose =
                    pose * joint.origin * joint.kind.motion(&joint.axis, joint.follows.value(q[joint.index]));
                pose
            })
            .collect();
        Posture { joints, body: pose * self.tail }
    }

    /// How far a point of the body may be off where the path has it, m.
    pub fn deviation(&self, path: &Path) -> f64 {
        path.deviation(self.joints.iter().map(|j| j.index))
    }
}

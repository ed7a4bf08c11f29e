use rustc_hash::FxHashMap;

use super::{Assembly, NodeId};
use crate::spatial::Pose;

/// What hangs elsewhere than in the roster: parts that were taken or set on something.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Carried(FxHashMap<NodeId, (Option<NodeId>, Pose)>);

impl Carried {
    /// Hangs `node` on `carrier` (the world without one), where it stands at `pose` in the carrier's frame.
    pub fn hang(&mut self, node: NodeId, carrier: Option<NodeId>, pose: Pose) {
        self.0.insert(node, (carrier, pose));
    }

    /// Whether everything hangs where the roster says.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether `node` hangs elsewhere than in the roster by itself, not with what carries it.
    #[must_use]
    pub fn holds(&self, node: NodeId) -> bool {
        self.0.contains_key(&node)
    }
}

/// The cell at one instant.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Moment {
    /// Its joint vector, rad or m.
    pub joints: Vec<f64>,
    /// What hangs elsewhere than in the roster.
    pub carried: Carried,
}

impl Moment {
    /// As the roster says, with the joint vector `joints`, rad or m.
    #[must_use]
    pub fn of_roster(joints: Vec<f64>) -> Self {
        Self {
            joints,
            carried: Carried::default(),
        }
    }

    /// World poses of all nodes of `assembly`.
    #[must_use]
    pub fn poses(&self, assembly: &Assembly) -> Vec<Pose> {
        assembly.poses_carrying(&self.joints, &self.carried)
    }
}

/// The assembly as it is while something is carried.
impl Assembly {
    /// What carries `node`, and where the node stands there with its joint at 0.
    #[must_use]
    pub fn carrier(&self, node: NodeId, carried: &Carried) -> (Option<NodeId>, Pose) {
        match carried.0.get(&node) {
            Some(elsewhere) => *elsewhere,
            None => {
                let own = &self.nodes()[node.0];
                (own.parent, own.origin)
            }
        }
    }

    /// `node` and what carries it, up to what stands on the world.
    fn upwards<'a>(
        &'a self,
        node: NodeId,
        carried: &'a Carried,
    ) -> impl Iterator<Item = NodeId> + 'a {
        std::iter::successors(Some(node), |&at| self.carrier(at, carried).0)
    }

    /// Whether `node` is `ancestor` or hangs on it.
    #[must_use]
    pub fn hangs_on(&self, node: NodeId, ancestor: NodeId, carried: &Carried) -> bool {
        self.upwards(node, carried).any(|at| at == ancestor)
    }

    /// By how many items up the item at position `item` hangs on `ancestor`: 0 for itself, none where it does not.
    #[must_use]
    pub fn items_up(&self, item: usize, ancestor: usize, carried: &Carried) -> Option<usize> {
        if carried.is_empty() {
            return self.cell().steps_up(item, ancestor);
        }
        let (mut at, mut steps) = (item, 0);
        while at != ancestor {
            let carrier = self.carrier(self.item_node(at), carried).0?;
            at = self.nodes()[carrier.0].item;
            steps += 1;
        }
        Some(steps)
    }

    /// The nodes with moving joints from the world down to `node`, itself included.
    #[must_use]
    pub fn moving_above_carrying(&self, node: NodeId, carried: &Carried) -> Vec<NodeId> {
        if carried.is_empty() {
            return self.moving_above(node).to_vec();
        }
        let above = self.upwards(node, carried);
        let mut moving: Vec<NodeId> = above
            .filter(|n| self.nodes()[n.0].joint.is_some())
            .collect();
        moving.reverse();
        moving
    }

    /// World poses of all nodes for the joint vector `q` (rad or m).
    #[must_use]
    pub fn poses_carrying(&self, q: &[f64], carried: &Carried) -> Vec<Pose> {
        if carried.is_empty() {
            return self.poses(q);
        }
        let mut poses: Vec<Option<Pose>> = vec![None; self.nodes().len()];
        for node in 0..poses.len() {
            // Up to what is known, and down again: carriers may come later in the list.
            let open = self.upwards(NodeId(node), carried);
            let open: Vec<NodeId> = open.take_while(|n| poses[n.0].is_none()).collect();
            for at in open.into_iter().rev() {
                let (carrier, origin) = self.carrier(at, carried);
                let above = carrier.map(|c| poses[c.0].expect("known from above"));
                let own = self.moved(at, origin, q);
                poses[at.0] = Some(above.map_or(own, |above| above * own));
            }
        }
        poses
            .into_iter()
            .map(|p| p.expect("all were asked"))
            .collect()
    }

    /// The world pose of one node with the joint vector `q`, rad or m.
    #[must_use]
    pub fn pose_carrying(&self, node: NodeId, q: &[f64], carried: &Carried) -> Pose {
        let above = self.upwards(node, carried);
        above.fold(Pose::identity(), |pose, at| {
            self.moved(at, self.carrier(at, carried).1, q) * pose
        })
    }

    fn moved(&self, node: NodeId, origin: Pose, q: &[f64]) -> Pose {
        let joint = self.nodes()[node.0].joint.as_ref();
        joint.map_or(origin, |joint| origin * joint.motion(q))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cell::{Cell, Item, Role};
    use crate::spatial::pose_from_rpy;
    use std::collections::HashMap;

    #[test]
    fn what_is_carried_stands_where_its_carrier_takes_it() {
        let at = |x: f64| pose_from_rpy([x, 0.0, 0.0], [0.0; 3]);
        let cell = Cell::new(vec![
            Item::new("box", Role::Part).at(at(1.0)),
            Item::new("lid", Role::Part).on("box", None).at(at(0.5)),
            Item::new("hand", Role::Tool).at(at(10.0)),
        ]);
        let assembly = Assembly::new(cell.unwrap(), HashMap::new()).unwrap();
        let [box_, lid, hand] = [0, 1, 2].map(|item| assembly.item_node(item));
        let mut carried = Carried::default();
        assert_eq!(assembly.poses_carrying(&[], &carried), assembly.poses(&[]));
        carried.hang(box_, Some(hand), at(0.25));
        let xs = assembly
            .poses_carrying(&[], &carried)
            .iter()
            .map(|p| p.translation.x)
            .collect::<Vec<_>>();
        assert_eq!(xs, [10.25, 10.75, 10.0]);
        assert_eq!(
            assembly.pose_carrying(lid, &[], &carried).translation.x,
            10.75
        );
        assert!(assembly.hangs_on(lid, hand, &carried));
        assert!(!assembly.hangs_on(lid, hand, &Carried::default()));
        assert_eq!(assembly.items_up(1, 2, &carried), Some(2));
        assert_eq!(assembly.items_up(1, 2, &Carried::default()), None);
    }
}

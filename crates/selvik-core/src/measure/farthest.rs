use std::collections::BinaryHeap;

use crate::spatial::{Aabb, Point, Pose};

/// The two points of two sets that are farthest apart, in the frame of the first.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Farthest {
    /// m
    pub distance: f64,
    /// Of the first set.
    pub on_a: Point,
    /// Of the second.
    pub on_b: Point,
}

/// A ball: a corner has no radius; m.
pub type Ball = (Point, f64);

/// The largest distance of two bodies, told by the balls that their convex hulls are spanned by; the second stands at `pose`
/// in the frame of the first. `None` for an empty set. Best first over trees of boxes: what can't be farther than the best
/// known is not looked at.
#[must_use]
pub fn farthest(a: &[Ball], b: &[Ball], pose: &Pose) -> Option<Farthest> {
    if a.is_empty() || b.is_empty() {
        return None;
    }
    let moved: Vec<Ball> = b.iter().map(|(p, r)| (pose * p, *r)).collect();
    let (a, b) = (Tree::over(a.to_vec()), Tree::over(moved));
    let mut best: Option<Farthest> = None;
    let mut open = BinaryHeap::from([Open::pair(&a, &b, 0, 0)]);
    while let Some(Open { most, nodes }) = open.pop() {
        if best.is_some_and(|found| most <= found.distance) {
            break;
        }
        let (one, other) = (&a.nodes[nodes.0], &b.nodes[nodes.1]);
        match (one.halves, other.halves) {
            (None, None) => {
                for p in &a.balls[one.from..one.to] {
                    for q in &b.balls[other.from..other.to] {
                        let found = between(p, q);
                        if best.is_none_or(|best| found.distance > best.distance) {
                            best = Some(found);
                        }
                    }
                }
            }
            (Some(halves), _) if other.halves.is_none() || one.size() >= other.size() => {
                open.extend(halves.map(|half| Open::pair(&a, &b, half, nodes.1)));
            }
            (_, halves) => {
                let halves = halves.expect("one of both has halves");
                open.extend(halves.map(|half| Open::pair(&a, &b, nodes.0, half)));
            }
        }
    }
    best
}

fn between((p, r): &Ball, (q, s): &Ball) -> Farthest {
    let across = q - p;
    let distance = across.norm();
    let out = across
        .try_normalize(1e-300)
        .unwrap_or(crate::spatial::Vector::x());
    Farthest {
        distance: distance + r + s,
        on_a: p - out * *r,
        on_b: q + out * *s,
    }
}

/// Balls of a leaf.
const LEAF: usize = 8;

struct Tree {
    balls: Vec<Ball>,
    nodes: Vec<Node>,
}

struct Node {
    bounds: Aabb,
    radius: f64,
    from: usize,
    to: usize,
    halves: Option<[usize; 2]>,
}

impl Node {
    fn size(&self) -> f64 {
        (self.bounds.max - self.bounds.min).norm()
    }
}

impl Tree {
    fn over(balls: Vec<Ball>) -> Self {
        let count = balls.len();
        let mut tree = Self {
            balls,
            nodes: Vec::new(),
        };
        tree.node(0, count);
        let mut next = 0;
        while next < tree.nodes.len() {
            let Node { from, to, .. } = tree.nodes[next];
            if to - from > LEAF {
                let size = tree.nodes[next].bounds.max - tree.nodes[next].bounds.min;
                let along = size.imax();
                let middle = usize::midpoint(from, to);
                tree.balls[from..to].select_nth_unstable_by(middle - from, |p, q| {
                    p.0[along].total_cmp(&q.0[along])
                });
                let halves = [tree.node(from, middle), tree.node(middle, to)];
                tree.nodes[next].halves = Some(halves);
            }
            next += 1;
        }
        tree
    }

    fn node(&mut self, from: usize, to: usize) -> usize {
        let own = &self.balls[from..to];
        let bounds = Aabb::around(own.iter().map(|ball| ball.0)).expect("not empty");
        let radius = own.iter().map(|ball| ball.1).fold(0.0, f64::max);
        self.nodes.push(Node {
            bounds,
            radius,
            from,
            to,
            halves: None,
        });
        self.nodes.len() - 1
    }
}

/// A pair of nodes, by the most that may lie between what they hold.
struct Open {
    most: f64,
    nodes: (usize, usize),
}

impl Open {
    fn pair(a: &Tree, b: &Tree, of_a: usize, of_b: usize) -> Self {
        let (one, other) = (&a.nodes[of_a], &b.nodes[of_b]);
        let across = |i: usize| {
            let (p, q) = (&one.bounds, &other.bounds);
            (q.max[i] - p.min[i]).abs().max((p.max[i] - q.min[i]).abs())
        };
        let farthest = across(0).hypot(across(1)).hypot(across(2));
        Self {
            most: farthest + one.radius + other.radius,
            nodes: (of_a, of_b),
        }
    }
}

impl PartialEq for Open {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Open {}

impl PartialOrd for Open {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Open {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.most.total_cmp(&other.most)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::box_mesh;
    use crate::spatial::pose_from_rpy;

    #[test]
    fn boxes_are_farthest_apart_at_their_outer_corners_and_balls_at_their_far_sides() {
        let corners = |size: [f64; 3]| -> Vec<Ball> {
            box_mesh(size)
                .vertices()
                .iter()
                .map(|p| (*p, 0.0))
                .collect()
        };
        let (a, b) = (corners([0.2, 0.4, 0.6]), corners([0.2; 3]));
        let pose = pose_from_rpy([1.0, 0.0, 0.0], [0.0; 3]);
        let found = farthest(&a, &b, &pose).unwrap();
        assert!(
            (found.distance - (1.2f64.powi(2) + 0.3f64.powi(2) + 0.4f64.powi(2)).sqrt()).abs()
                < 1e-12
        );
        let ball = [(Point::origin(), 0.3)];
        let found = farthest(&ball, &ball, &pose).unwrap();
        assert!((found.distance - 1.6).abs() < 1e-12);
        assert!((found.on_a - Point::new(-0.3, 0.0, 0.0)).norm() < 1e-12);
        assert_eq!(farthest(&[], &ball, &pose), None);
    }

    proptest::proptest! {
        #[test]
        fn it_is_what_looking_at_every_pair_finds(
            a in proptest::collection::vec((proptest::array::uniform3(-1.0..1.0f64), 0.0..0.2f64), 1..60),
            b in proptest::collection::vec((proptest::array::uniform3(-1.0..1.0f64), 0.0..0.2f64), 1..60),
            xyz in proptest::array::uniform3(-2.0..2.0f64), rpy in proptest::array::uniform3(-3.0..3.0f64),
        ) {
            let balls = |set: &[([f64; 3], f64)]| -> Vec<Ball> { set.iter().map(|(p, r)| ((*p).into(), *r)).collect() };
            let (a, b, pose) = (balls(&a), balls(&b), pose_from_rpy(xyz, rpy));
            let all = a.iter().flat_map(|(p, r)| b.iter().map(move |(q, s)| (pose * q - p).norm() + r + s));
            let wanted = all.fold(0.0, f64::max);
            let (one, other) = (farthest(&a, &b, &pose).unwrap(), farthest(&b, &a, &pose.inverse()).unwrap());
            proptest::prop_assert!((one.distance - wanted).abs() < 1e-12);
            proptest::prop_assert!((other.distance - wanted).abs() < 1e-9);
        }
    }
}

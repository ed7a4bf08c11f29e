use std::borrow::Cow;

use nalgebra::Unit;

use crate::clearance::triangle_distance;
use crate::mesh::{Containment, Hierarchy, Node, Surface};
use crate::spatial::{Point, Pose, Vector};

/// A body that may be in the way, as it is drawn.
pub struct Obstacle<'a> {
    /// From the world into its own frame.
    pub(super) back: Pose,
    pub(super) tree: Cow<'a, Hierarchy>,
    surface: &'a Surface,
    /// A ball round it in the world.
    ball: (Point, f64),
}

impl<'a> Obstacle<'a> {
    /// `surface`, standing at `pose` in the world.
    #[must_use]
    pub fn new(surface: &'a Surface, pose: Pose) -> Self {
        let tree = if surface.is_as_drawn() {
            Cow::Borrowed(surface.hierarchy())
        } else {
            Cow::Owned(Hierarchy::build(surface.mesh()))
        };
        let (centre, radius) = surface.ball();
        Self {
            back: pose.inverse(),
            tree,
            surface,
            ball: (pose * centre, radius),
        }
    }
}

/// Something slender that is to come to a point: a line to it, and farther out, from `tip` to `length` from the point, a rod with
/// round ends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rod {
    /// m; 0 of a line of sight.
    pub radius: f64,
    /// How far before the point the rod ends, m.
    pub tip: f64,
    /// How far out the rod begins, m.
    pub length: f64,
}

impl Rod {
    /// A line of sight, m long.
    #[must_use]
    pub fn sight(length: f64) -> Self {
        Self {
            radius: 0.0,
            tip: 0.0,
            length,
        }
    }
}

impl Rod {
    /// As it comes from a point so far away, m: a line of sight ends there, a tool is as long as it is.
    #[must_use]
    pub fn from_as_far(&self, far: f64) -> Self {
        let sees = self.radius == 0.0;
        Self {
            length: if sees {
                self.length.min(far)
            } else {
                self.length
            },
            ..*self
        }
    }
}

/// A straight way to a point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WayIn {
    /// Where it ends, in the world.
    pub point: Point,
    /// Away from there.
    pub out: Unit<Vector>,
}

/// What is in the way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blocked {
    /// Which of the obstacles.
    pub by: usize,
    /// How far out it is met, m.
    pub out: f64,
}

/// What lies within this of the point itself is not in the way, m: it lies on something.
const TOUCHING: f64 = 1e-5;

impl WayIn {
    /// The obstacle nearest to the point that is in the way of `rod`.
    #[must_use]
    pub fn blocked(&self, obstacles: &[Obstacle], rod: &Rod) -> Option<Blocked> {
        let mut nearest: Option<Blocked> = None;
        let at = |out: f64| self.point + *self.out * out;
        let line = (TOUCHING, rod.length, 0.0);
        let thick = (rod.tip + rod.radius, rod.length - rod.radius, rod.radius);
        let sticks = if rod.radius > 0.0 {
            &[line, thick][..]
        } else {
            &[line][..]
        };
        for (by, obstacle) in obstacles.iter().enumerate() {
            let (centre, round) = obstacle.ball;
            let far = (centre - self.point).norm() + round + rod.radius + TOUCHING;
            for &(from, to, radius) in sticks {
                let to = to.min(far);
                let until = nearest.map_or(to, |b| to.min(b.out + radius));
                if until <= from {
                    continue;
                }
                let stick = Stick {
                    ends: [at(from), at(until)],
                    radius,
                };
                if let Some(out) = stick.met(obstacle) {
                    let out = from + out;
                    if nearest.is_none_or(|b| out < b.out) {
                        nearest = Some(Blocked { by, out });
                    }
                }
            }
        }
        nearest.or_else(|| self.buried(obstacles, rod))
    }

    /// What all of a rod lies in: then it meets no surface.
    fn buried(&self, obstacles: &[Obstacle], rod: &Rod) -> Option<Blocked> {
        if !rod.length.is_finite() {
            return None;
        }
        let end = self.point + *self.out * rod.length;
        let holds = |obstacle: &Obstacle| {
            let (centre, radius) = obstacle.ball;
            let near = (end - centre).norm() <= radius;
            near && obstacle.surface.contains(&(obstacle.back * end)) == Containment::Inside
        };
        let by = obstacles.iter().position(holds)?;
        let out = rod.length;
        Some(Blocked { by, out })
    }
}

/// A piece of a line, as thick as `radius` says, m.
struct Stick {
    ends: [Point; 2],
    radius: f64,
}

impl Stick {
    /// How far from its first end it first meets `obstacle`, m.
    fn met(&self, obstacle: &Obstacle) -> Option<f64> {
        let [from, to] = self.ends;
        let along = to - from;
        let (centre, radius) = obstacle.ball;
        let share = (centre - from).dot(&along) / along.norm_squared();
        let nearest = from + along * share.clamp(0.0, 1.0);
        if (centre - nearest).norm() > radius + self.radius {
            return None;
        }
        let (from, along) = (obstacle.back * from, obstacle.back * along);
        let to = from + along;
        let length = along.norm();
        let mut first: Option<f64> = None;
        let mut open = vec![0u32];
        while let Some(index) = open.pop() {
            let node = obstacle.tree.node(index);
            let reach = first.map_or(1.0, |out| out / length);
            if !meets_box(&node, &from, &along, self.radius, reach) {
                continue;
            }
            if !node.is_leaf() {
                open.extend(obstacle.tree.below(&node));
                continue;
            }
            for at in node.first as usize..(node.first + node.count) as usize {
                let corners = obstacle.tree.corners()[at].map(Point::from);
                let out = if self.radius == 0.0 {
                    crossed(&corners, &from, &along).map(|share| share * length)
                } else {
                    let pair = triangle_distance(&[from, to, to], &corners);
                    let near = pair.squared < self.radius * self.radius;
                    near.then(|| (pair.on_a - from).norm())
                };
                if let Some(out) = out.filter(|&out| first.is_none_or(|f| out < f)) {
                    first = Some(out);
                }
            }
        }
        first
    }
}

/// At which share of a line a triangle is crossed, after T. Möller, B. Trumbore, "Fast, Minimum Storage Ray/Triangle
/// Intersection", 1997; edges belong to it.
fn crossed([a, b, c]: &[Point; 3], from: &Point, along: &Vector) -> Option<f64> {
    let (u, v) = (b - a, c - a);
    let across = along.cross(&v);
    let det = u.dot(&across);
    if det == 0.0 {
        return None;
    }
    let offset = from - a;
    let q = offset.cross(&u);
    let (x, y) = (offset.dot(&across) / det, along.dot(&q) / det);
    const EDGE: f64 = 1e-12;
    let share = v.dot(&q) / det;
    let inside = x >= -EDGE && y >= -EDGE && x + y <= 1.0 + EDGE;
    (inside && (0.0..=1.0).contains(&share)).then_some(share)
}

/// Whether a line, as thick as `radius`, may meet what is in a box, on its first `reach` (a share).
fn meets_box(node: &Node, from: &Point, along: &Vector, radius: f64, reach: f64) -> bool {
    let offset = from.coords - Vector::from(node.centre);
    let (mut enter, mut leave) = (0.0f64, reach);
    for i in 0..3 {
        let axis = Vector::from(node.axes[i]);
        let (at, by) = (axis.dot(&offset), axis.dot(along));
        let half = node.half[i] + radius + 1e-12;
        if by.abs() < 1e-300 {
            if at.abs() > half {
                return false;
            }
            continue;
        }
        let (p, q) = ((-half - at) / by, (half - at) / by);
        enter = enter.max(p.min(q));
        leave = leave.min(p.max(q));
    }
    enter <= leave
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use proptest::prelude::*;
    use rstest::rstest;

    fn plate(half: [f64; 2], at: [f64; 3]) -> (Surface, Pose) {
        let surface = Surface::new(box_mesh([half[0] * 2.0, half[1] * 2.0, 0.02]));
        (surface, Pose::translation(at[0], at[1], at[2]))
    }

    /// A slot of 100 mm between two plates, half a metre up.
    #[rstest]
    #[case::a_line_passes(0.0, 0.0, None)]
    #[case::one_at_its_edge_passes(0.0, 0.0499, None)]
    #[case::one_beyond_is_blocked(0.0, 0.0501, Some(0))]
    #[case::on_the_other_side_by_the_other(0.0, -0.0501, Some(1))]
    #[case::a_slender_rod_passes(0.0499, 0.0, None)]
    #[case::a_thick_one_does_not(0.0501, 0.0001, Some(0))]
    #[case::nor_one_aside(0.03, -0.021, Some(1))]
    fn what_passes_a_slot_is_slender(
        #[case] radius: f64,
        #[case] x: f64,
        #[case] by: Option<usize>,
    ) {
        let plates = [
            plate([0.5, 0.5], [0.55, 0.0, 0.5]),
            plate([0.5, 0.5], [-0.55, 0.0, 0.5]),
        ];
        let obstacles: Vec<Obstacle> = plates.iter().map(|(s, p)| Obstacle::new(s, *p)).collect();
        let way = WayIn {
            point: Point::new(x, 0.0, 0.0),
            out: Vector::z_axis(),
        };
        let rod = Rod {
            radius,
            tip: 0.05,
            length: 2.0,
        };
        let found = way.blocked(&obstacles, &rod);
        assert_eq!(found.map(|b| b.by), by);
        if let Some(found) = found {
            assert!((0.4..0.52).contains(&found.out), "{found:?}");
        }
    }

    /// Deep in a block a short tool meets no face of it, and is not free for that.
    #[test]
    fn what_lies_wholly_in_a_body_is_not_free() {
        let block = Surface::new(box_mesh([2.0, 2.0, 2.0]));
        let obstacles = [Obstacle::new(&block, Pose::identity())];
        let way = WayIn {
            point: Point::origin(),
            out: Vector::z_axis(),
        };
        let rod = Rod {
            radius: 0.01,
            tip: 0.02,
            length: 0.3,
        };
        assert!(way.blocked(&obstacles, &rod).is_some());
        let (_, cone) = super::super::free_cone(&obstacles, &way.point, None, &rod);
        assert!(cone.is_none());
    }

    /// What the point lies on is not in the way, but what is as near as the rod is thick.
    #[test]
    fn the_rod_ends_before_the_point() {
        let (floor, at) = plate([1.0, 1.0], [0.0, 0.0, -0.01]);
        let obstacles = [Obstacle::new(&floor, at)];
        let leaning = Unit::new_normalize(Vector::new(1.0, 0.0, 1.0));
        let way = WayIn {
            point: Point::origin(),
            out: leaning,
        };
        assert_eq!(way.blocked(&obstacles, &Rod::sight(3.0)), None);
        // Its end is a ball about (tip + r) / √2 above the floor.
        let rod = |tip| Rod {
            radius: 0.1,
            tip,
            length: 1.0,
        };
        assert!(way.blocked(&obstacles, &rod(0.03)).is_some());
        assert!(way.blocked(&obstacles, &rod(0.05)).is_none());
    }

    proptest! {
        /// Beside distances of the stick from every triangle.
        #[test]
        fn a_rod_is_blocked_where_a_triangle_is_nearer_than_its_radius(
            point in prop::array::uniform3(-1.0f64..1.0),
            out in prop::array::uniform3(-1.0f64..1.0),
            radius in 0.001f64..0.3,
            turn in -3.0f64..3.0,
        ) {
            prop_assume!(Vector::from(out).norm() > 0.1);
            let mesh: TriangleMesh = sphere_mesh(0.4, 12);
            let pose = Pose::rotation(Vector::new(turn, 0.3, 0.1)) * Pose::translation(0.1, 0.2, 0.0);
            let surface = Surface::new(mesh);
            let way = WayIn { point: Point::from(Vector::from(point)), out: Unit::new_normalize(Vector::from(out)) };
            let rod = Rod { radius, tip: 0.1, length: 1.5 };
            let ends = [rod.tip + radius, rod.length - radius].map(|out| way.point + *way.out * out);
            let thick = |c: &[Point; 3]| triangle_distance(&[ends[0], ends[1], ends[1]], c).squared.sqrt() - radius;
            let line = [TOUCHING, rod.length].map(|out| way.point + *way.out * out);
            let thin = |c: &[Point; 3]| triangle_distance(&[line[0], line[1], line[1]], c).squared.sqrt() - 1e-9;
            let triangles = 0..surface.mesh().triangles().len();
            let gap = triangles.map(|t| {
                let corners = surface.mesh().corners(t).map(|p| pose * p);
                thick(&corners).min(thin(&corners))
            }).fold(f64::INFINITY, f64::min);
            prop_assume!(gap.abs() > 1e-7);
            let found = way.blocked(&[Obstacle::new(&surface, pose)], &rod);
            prop_assert_eq!(found.is_some(), gap < 0.0, "{}", gap);
        }
    }
}

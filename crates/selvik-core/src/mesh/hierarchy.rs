use std::sync::atomic::{AtomicU64, Ordering};

use wide::f32x4;

use super::TriangleMesh;
use super::growing::{Grown, grown};
use crate::spatial::Point;

/// A tree of oriented boxes over the triangles of a mesh, four below each, side by side for arithmetic on four at once.
///
/// The boxes are rounded outwards to single precision, about the middle of the mesh: each holds what the one it was rounded
/// from does.
#[derive(Debug, Clone)]
pub struct Hierarchy {
    /// The first holds the root alone.
    fours: Vec<Four>,
    /// What the middles of the boxes are told from, m.
    origin: [f64; 3],
    /// Triangle corners in the order of the leaves: a leaf's triangles lie next to each other.
    corners: Vec<[[f64; 3]; 3]>,
    /// For each entry of `corners` the triangle of the mesh.
    order: Vec<u32>,
    /// For each triangle of the mesh its entry in `corners`.
    place: Vec<u32>,
    /// How thick each entry of `corners` is padded round, m; empty where none is.
    radii: Vec<f64>,
    /// No other tree has this number, but one that is the same.
    id: u64,
}

/// Four boxes, one in each lane; lanes that are left over hold nothing.
#[derive(Debug, Clone)]
pub struct Four {
    /// Middles of the boxes, from the tree's origin, m.
    pub centre: [f32x4; 3],
    /// The directions of the boxes' edges, each by its coordinates.
    pub axes: [[f32x4; 3]; 3],
    /// Half the edge lengths along `axes`, m.
    pub half: [f32x4; 3],
    /// Square of half the boxes' diagonals, m².
    pub size: [f32; 4],
    /// For a box with others below it their place among the fours; for a leaf the first entry of the corner list.
    pub first: [u32; 4],
    /// 1 for a leaf, which holds one triangle; 0 for others.
    pub count: [u32; 4],
}

impl Four {
    /// Whether there is a box in that lane.
    #[inline]
    #[must_use]
    pub fn holds(&self, lane: usize) -> bool {
        // The root is below nothing.
        self.first[lane] > 0 || self.count[lane] > 0
    }
}

/// An oriented box round some triangles.
#[derive(Debug, Clone, Copy)]
pub struct Node {
    /// Middle of the box, m.
    pub centre: [f64; 3],
    /// The directions of the box's edges.
    pub axes: [[f64; 3]; 3],
    /// Half the edge lengths along `axes`, m.
    pub half: [f64; 3],
    /// Square of half the box's diagonal, m².
    pub size: f64,
    /// For an inner node the place of what is below it; for a leaf the first entry of the corner list.
    pub first: u32,
    /// How many triangles a leaf holds; 0 for an inner node.
    pub count: u32,
}

impl Node {
    /// Whether the node holds triangles rather than children.
    #[inline]
    #[must_use]
    pub fn is_leaf(&self) -> bool {
        self.count > 0
    }

    /// Where its middle lies along `n` (of any length), and how far it reaches from there.
    #[inline]
    #[must_use]
    pub fn along(&self, n: &[f64; 3]) -> (f64, f64) {
        let dot = |v: &[f64; 3]| v[0] * n[0] + v[1] * n[1] + v[2] * n[2];
        let half = dot(&self.axes[0]).abs() * self.half[0]
            + dot(&self.axes[1]).abs() * self.half[1]
            + dot(&self.axes[2]).abs() * self.half[2];
        (dot(&self.centre), half)
    }
}

/// How many trees there were.
static GROWN: AtomicU64 = AtomicU64::new(0);

impl Hierarchy {
    /// Builds the tree: boxes aligned with the principal axes of the area inside, split at the mean
    /// along the longest axis.
    #[must_use]
    pub fn build(mesh: &TriangleMesh) -> Self {
        let all = (0..mesh.triangles().len()).map(|i| mesh.corners(i));
        Self::over(&all.collect::<Vec<_>>(), &[])
    }

    /// The tree over triangles of which the last `rounded.len()` are padded round by so much, m: one that is a point
    /// becomes a ball, one that is a line a capsule.
    #[must_use]
    pub fn over(all: &[[Point; 3]], rounded: &[f64]) -> Self {
        let (count, plain) = (all.len(), all.len() - rounded.len());
        let padding: Vec<f64> = if rounded.is_empty() {
            Vec::new()
        } else {
            let none = std::iter::repeat_n(0.0, plain);
            none.chain(rounded.iter().copied()).collect()
        };
        let Grown {
            fours,
            origin,
            order,
        } = grown(all, &padding);
        let radii = if rounded.is_empty() {
            Vec::new()
        } else {
            order.iter().map(|&t| padding[t as usize]).collect()
        };
        let corners = order.iter().map(|&t| all[t as usize].map(Into::into));
        let mut place = vec![0; count];
        for (at, &triangle) in order.iter().enumerate() {
            place[triangle as usize] = at as u32;
        }
        Self {
            fours,
            origin,
            corners: corners.collect(),
            order,
            place,
            radii,
            id: GROWN.fetch_add(1, Ordering::Relaxed),
        }
    }

    /// A number that no other tree has, unless it is a copy of this one.
    #[must_use]
    pub fn id(&self) -> u64 {
        self.id
    }

    /// How thick entry `at` of [`Self::corners`] is padded round, m.
    #[inline]
    #[must_use]
    pub fn radius_at(&self, at: usize) -> f64 {
        if self.radii.is_empty() {
            0.0
        } else {
            self.radii[at]
        }
    }

    /// All boxes; the first four hold the root alone, in their first lane.
    #[inline]
    #[must_use]
    pub fn fours(&self) -> &[Four] {
        &self.fours
    }

    /// What the middles of [`Self::fours`] are told from, m.
    #[inline]
    #[must_use]
    pub fn origin(&self) -> &[f64; 3] {
        &self.origin
    }

    /// The box at a place: four times its four's, and the lane. The root is at 0.
    #[inline]
    #[must_use]
    pub fn node(&self, at: u32) -> Node {
        let (four, lane) = (&self.fours[at as usize / 4], at as usize % 4);
        let own = |v: &[f32x4; 3]| {
            let one = |v: &f32x4| f64::from(v.as_array()[lane]);
            [one(&v[0]), one(&v[1]), one(&v[2])]
        };
        let [x, y, z] = own(&four.centre);
        Node {
            centre: [self.origin[0] + x, self.origin[1] + y, self.origin[2] + z],
            axes: [own(&four.axes[0]), own(&four.axes[1]), own(&four.axes[2])],
            half: own(&four.half),
            size: f64::from(four.size[lane]),
            first: four.first[lane],
            count: four.count[lane],
        }
    }

    /// The middle of the box at a place and how far it reaches from there at most, m.
    #[inline]
    #[must_use]
    pub fn ball_round(&self, at: u32) -> ([f64; 3], f64) {
        let (four, lane) = (&self.fours[at as usize / 4], at as usize % 4);
        let middle =
            [0, 1, 2].map(|i: usize| self.origin[i] + f64::from(four.centre[i].as_array()[lane]));
        (middle, f64::from(four.size[lane]).sqrt())
    }

    /// The places of the boxes below an inner node.
    pub fn below(&self, node: &Node) -> impl Iterator<Item = u32> + use<'_> {
        let first = node.first;
        let four = &self.fours[first as usize];
        (0..4usize)
            .filter(|&lane| four.holds(lane))
            .map(move |lane| 4 * first + lane as u32)
    }

    /// The corners of all triangles in leaf order, m.
    #[must_use]
    pub fn corners(&self) -> &[[[f64; 3]; 3]] {
        &self.corners
    }

    /// The triangle of the mesh at entry `at` of [`Self::corners`].
    #[must_use]
    pub fn triangle_at(&self, at: usize) -> u32 {
        self.order[at]
    }

    /// Where triangle `triangle` of the mesh stands in [`Self::corners`].
    #[must_use]
    pub fn place_of(&self, triangle: u32) -> usize {
        self.place[triangle as usize] as usize
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::sphere_mesh;
    use crate::spatial::Vector;

    #[test]
    fn every_triangle_lies_in_every_box_above_it() {
        let mesh = sphere_mesh(0.7, 20);
        let tree = Hierarchy::build(&mesh);
        let mut open = vec![(0, vec![])];
        let mut seen = 0;
        while let Some((at, mut above)) = open.pop() {
            let node = tree.node(at);
            above.push(at);
            if !node.is_leaf() {
                open.extend(tree.below(&node).map(|child| (child, above.clone())));
                continue;
            }
            assert_eq!(
                node.count, 1,
                "who goes through leaves looks at one triangle each"
            );
            for at in node.first as usize..(node.first + node.count) as usize {
                seen += 1;
                for &up in &above {
                    let up = tree.node(up);
                    for corner in tree.corners()[at].map(Vector::from) {
                        let local = corner - Vector::from(up.centre);
                        let along = |i: usize| Vector::from(up.axes[i]).dot(&local).abs();
                        assert!((0..3).all(|i| along(i) <= up.half[i]));
                    }
                }
            }
        }
        assert_eq!(seen, mesh.triangles().len());
    }
}

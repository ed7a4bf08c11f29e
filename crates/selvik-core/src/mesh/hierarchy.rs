use nalgebra::{Matrix3, SymmetricEigen};

use super::TriangleMesh;
use crate::spatial::{Point, Vector};

/// A tree of oriented boxes over the triangles of a mesh, root first.
#[derive(Debug, Clone)]
pub struct Hierarchy {
    nodes: Vec<Node>,
    /// Triangle corners in the order of the leaves: a leaf's triangles lie next to each other.
    corners: Vec<[[f64; 3]; 3]>,
    /// For each entry of `corners` the triangle of the mesh.
    order: Vec<u32>,
    /// For each triangle of the mesh its entry in `corners`.
    place: Vec<u32>,
    /// How thick each entry of `corners` is padded round, m; empty where none is.
    radii: Vec<f64>,
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
    /// For an inner node the index of the first child, the second follows it; for a leaf the first
    /// entry of the corner list.
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
}

/// Triangles a leaf holds at most.
const LEAF: usize = 2;

impl Hierarchy {
    /// Builds the tree: boxes aligned with the principal axes of the area inside, split at the mean
    /// along the longest axis.
    #[must_use]
    pub fn build(mesh: &TriangleMesh) -> Self {
        Self::over(
            &(0..mesh.triangles().len())
                .map(|i| mesh.corners(i))
                .collect::<Vec<_>>(),
            &[],
        )
    }

    /// The tree over triangles of which the last `rounded.len()` are padded round by so much, m: one that is a point
    /// becomes a ball, one that is a line a capsule.
    #[must_use]
    pub fn over(all: &[[Point; 3]], rounded: &[f64]) -> Self {
        let count = all.len();
        let radius = |t: u32| {
            (t as usize + rounded.len())
                .checked_sub(count)
                .map_or(0.0, |r| rounded[r])
        };
        let middles: Vec<Vector> = all
            .iter()
            .map(|[a, b, c]| (a.coords + b.coords + c.coords) / 3.0)
            .collect();
        let mut order: Vec<u32> = (0..count as u32).collect();
        let many = || std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
        let threads = if count > ALONE { many() } else { 1 };
        let padding: Vec<f64> = if rounded.is_empty() {
            Vec::new()
        } else {
            (0..count as u32).map(radius).collect()
        };
        let nodes = Sprout {
            all,
            middles: &middles,
            padding: &padding,
        }
        .grow(&mut order, 0, threads);
        let radii = if rounded.is_empty() {
            Vec::new()
        } else {
            order.iter().map(|&t| radius(t)).collect()
        };
        let corners = order
            .iter()
            .map(|&t| all[t as usize].map(Into::into))
            .collect();
        let mut place = vec![0; count];
        for (at, &triangle) in order.iter().enumerate() {
            place[triangle as usize] = at as u32;
        }
        Self {
            nodes,
            corners,
            order,
            place,
            radii,
        }
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

    /// The nodes, root first.
    #[must_use]
    pub fn nodes(&self) -> &[Node] {
        &self.nodes
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

/// Triangles from which a branch is worth a thread of its own. Plain threads: a tree is built when first asked for,
/// and a thread pool that waits for it could take up work that asks for the same tree.
const ALONE: usize = 20_000;

/// What a tree grows from: the corners and middles of all triangles.
struct Sprout<'a> {
    all: &'a [[Point; 3]],
    middles: &'a [Vector],
    /// How thick each triangle is padded round, m; empty where none is.
    padding: &'a [f64],
}

impl Sprout<'_> {
    /// The tree over the triangles in `order`, which become the corner list from `from` on; on so many threads.
    fn grow(&self, order: &mut [u32], from: usize, threads: usize) -> Vec<Node> {
        if threads > 1 && order.len() > ALONE {
            let mut root = self.fit(order);
            let middle = split(&root, self.middles, order);
            let (left, right) = order.split_at_mut(middle);
            let (left, right) = std::thread::scope(|scope| {
                let right = scope.spawn(|| self.grow(right, from + middle, threads / 2));
                (
                    self.grow(left, from, threads - threads / 2),
                    right.join().expect("a tree"),
                )
            });
            root.first = 1;
            return joined(root, &left, &right);
        }
        let mut nodes = Vec::with_capacity(order.len());
        nodes.push(self.fit(order));
        let mut open = vec![(0usize, 0usize, order.len())];
        while let Some((index, begin, end)) = open.pop() {
            if end - begin <= LEAF {
                nodes[index].first = (from + begin) as u32;
                nodes[index].count = (end - begin) as u32;
                continue;
            }
            let middle = begin + split(&nodes[index], self.middles, &mut order[begin..end]);
            let first = nodes.len();
            nodes[index].first = first as u32;
            nodes.push(self.fit(&order[begin..middle]));
            nodes.push(self.fit(&order[middle..end]));
            open.push((first, begin, middle));
            open.push((first + 1, middle, end));
        }
        nodes
    }

    fn fit(&self, order: &[u32]) -> Node {
        let mut node = fit(self.all, order);
        if !self.padding.is_empty() {
            let most = order
                .iter()
                .map(|&t| self.padding[t as usize])
                .fold(0.0, f64::max);
            node.half = node.half.map(|h| h + most);
            node.size = Vector::from(node.half).norm_squared();
        }
        node
    }
}

/// One tree of a root and the two below it: the root, theirs, and what is left of each.
fn joined(root: Node, left: &[Node], right: &[Node]) -> Vec<Node> {
    let moved = |node: &Node, by: usize| Node {
        first: if node.is_leaf() {
            node.first
        } else {
            node.first + by as u32
        },
        ..*node
    };
    // All but the root of the left tree stand two places further on, those of the right after them.
    let (by_left, by_right) = (2, left.len() + 1);
    let mut nodes = Vec::with_capacity(1 + left.len() + right.len());
    nodes.extend([root, moved(&left[0], by_left), moved(&right[0], by_right)]);
    nodes.extend(left[1..].iter().map(|n| moved(n, by_left)));
    nodes.extend(right[1..].iter().map(|n| moved(n, by_right)));
    nodes
}

/// Sorts `order` into two halves along the box's longest axis; returns where the second begins.
fn split(node: &Node, middles: &[Vector], order: &mut [u32]) -> usize {
    let longest = (0..3)
        .max_by(|&i, &j| node.half[i].total_cmp(&node.half[j]))
        .expect("three axes");
    let axis = Vector::from(node.axes[longest]);
    let along = |t: u32| axis.dot(&middles[t as usize]);
    let mean = order.iter().map(|&t| along(t)).sum::<f64>() / order.len() as f64;
    let mut middle = 0;
    for i in 0..order.len() {
        if along(order[i]) < mean {
            order.swap(i, middle);
            middle += 1;
        }
    }
    let least = order.len() / 8;
    if middle <= least || middle >= order.len() - least {
        middle = order.len() / 2;
        order.select_nth_unstable_by(middle, |&a, &b| along(a).total_cmp(&along(b)));
    }
    middle
}

/// The box along the principal axes of the triangles' area.
fn fit(all: &[[Point; 3]], order: &[u32]) -> Node {
    let mut axes = principal_axes(all, order);
    let (mut low, mut high) = extent(all, order, &axes);
    let volume = |l: &Vector, h: &Vector| {
        let e = h - l;
        e.x * e.y + e.y * e.z + e.z * e.x
    };
    // Principal axes of a symmetric part are arbitrary; the upright box may be smaller.
    let (upright_low, upright_high) = extent(all, order, &Matrix3::identity());
    if volume(&upright_low, &upright_high) < volume(&low, &high) {
        (axes, low, high) = (Matrix3::identity(), upright_low, upright_high);
    }
    let centre = axes * ((low + high) * 0.5);
    // A hair of padding keeps rounding from letting a triangle stand out of its box.
    let pad = 1e-15 * (centre.norm() + (high - low).norm());
    let half = (high - low) * 0.5 + Vector::repeat(pad);
    let axes = [0, 1, 2].map(|i| axes.column(i).into_owned().into());
    Node {
        centre: centre.into(),
        axes,
        half: half.into(),
        size: half.norm_squared(),
        first: 0,
        count: 0,
    }
}

fn extent(all: &[[Point; 3]], order: &[u32], axes: &Matrix3<f64>) -> (Vector, Vector) {
    let inverse = axes.transpose();
    let mut low = Vector::repeat(f64::INFINITY);
    let mut high = Vector::repeat(f64::NEG_INFINITY);
    for &t in order {
        for corner in &all[t as usize] {
            let local = inverse * corner.coords;
            low = low.inf(&local);
            high = high.sup(&local);
        }
    }
    (low, high)
}

fn principal_axes(all: &[[Point; 3]], order: &[u32]) -> Matrix3<f64> {
    if let [only] = order {
        // A triangle's own box: longest edge and normal.
        let [a, b, c] = all[*only as usize];
        let edges = [b - a, c - b, a - c];
        let longest = edges
            .iter()
            .max_by(|x, y| x.norm_squared().total_cmp(&y.norm_squared()));
        let normal = edges[0].cross(&edges[1]).try_normalize(1e-30);
        let along = longest.and_then(|e| e.try_normalize(1e-30));
        return match (along, normal) {
            (Some(u), Some(n)) => Matrix3::from_columns(&[u, n.cross(&u), n]),
            _ => Matrix3::identity(),
        };
    }
    let (mut weight, mut mean) = (0.0, Vector::zeros());
    let mut second = Matrix3::zeros();
    for &t in order {
        let [a, b, c] = all[t as usize].map(|p| p.coords);
        let area = (b - a).cross(&(c - a)).norm();
        let middle = (a + b + c) / 3.0;
        weight += area;
        mean += middle * area;
        let nine = middle * middle.transpose() * 9.0;
        let own = a * a.transpose() + b * b.transpose() + c * c.transpose();
        second += (nine + own) * (area / 12.0);
    }
    if weight < 1e-30 {
        return Matrix3::identity();
    }
    mean /= weight;
    let covariance = second / weight - mean * mean.transpose();
    let eigen = SymmetricEigen::new(covariance);
    let (u, v) = (eigen.eigenvectors.column(0), eigen.eigenvectors.column(1));
    let u = u.into_owned();
    match (v - u * u.dot(&v)).try_normalize(1e-12) {
        Some(v) if u.iter().all(|x| x.is_finite()) => Matrix3::from_columns(&[u, v, u.cross(&v)]),
        _ => Matrix3::identity(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::sphere_mesh;

    #[test]
    fn a_tree_grown_on_several_threads_is_the_same() {
        let mesh = sphere_mesh(0.7, 230);
        assert!(mesh.triangles().len() > 2 * ALONE);
        let all: Vec<_> = (0..mesh.triangles().len())
            .map(|i| mesh.corners(i))
            .collect();
        let middles: Vec<Vector> = all
            .iter()
            .map(|[a, b, c]| (a.coords + b.coords + c.coords) / 3.0)
            .collect();
        let grown = |threads| {
            let mut order: Vec<u32> = (0..all.len() as u32).collect();
            let nodes = Sprout {
                all: &all,
                middles: &middles,
                padding: &[],
            }
            .grow(&mut order, 0, threads);
            (nodes, order)
        };
        let ((one, order), (many, other)) = (grown(1), grown(5));
        assert!(one.len() == many.len() && order == other);
        // The same boxes, wherever they stand in the list.
        let mut open = vec![(0, 0)];
        while let Some((a, b)) = open.pop() {
            let (a, b) = (&one[a], &many[b]);
            assert!(a.centre == b.centre && a.half == b.half && a.count == b.count);
            if a.is_leaf() {
                assert_eq!(a.first, b.first);
            } else {
                let (a, b) = (a.first as usize, b.first as usize);
                open.extend([(a, b), (a + 1, b + 1)]);
            }
        }
    }

    #[test]
    fn every_triangle_lies_in_every_box_above_it() {
        let mesh = sphere_mesh(0.7, 20);
        let tree = Hierarchy::build(&mesh);
        let mut open = vec![(0usize, vec![])];
        let mut seen = 0;
        while let Some((index, mut above)) = open.pop() {
            let node = tree.nodes()[index];
            above.push(index);
            if !node.is_leaf() {
                open.push((node.first as usize, above.clone()));
                open.push((node.first as usize + 1, above));
                continue;
            }
            for at in node.first as usize..(node.first + node.count) as usize {
                seen += 1;
                for &up in &above {
                    let up = tree.nodes()[up];
                    for corner in tree.corners()[at].map(Vector::from) {
                        let local = corner - Vector::from(up.centre);
                        let along = |i: usize| Vector::from(up.axes[i]).dot(&local).abs();
                        assert!((0..3).all(|i| along(i) <= up.half[i] + 1e-12));
                    }
                }
            }
        }
        assert_eq!(seen, mesh.triangles().len());
    }
}

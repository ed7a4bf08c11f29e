//! How a tree of boxes grows: parted in two along the longest axis, box by box, then laid side by side, four below each.

use nalgebra::{Matrix3, SymmetricEigen};
use wide::f32x4;

use super::hierarchy::{Four, Node};
use crate::spatial::{Point, Vector};

/// Triangles that are not parted any further while a tree grows; each has a box of its own in the end.
const LEAF: usize = 2;

/// A tree, and which triangle stands where in its corner list.
pub(super) struct Grown {
    pub fours: Vec<Four>,
    /// What the middles of the boxes are told from, m.
    pub origin: [f64; 3],
    /// For each entry of the corner list its triangle.
    pub order: Vec<u32>,
}

/// The tree over triangles that are padded round by so much each, m; by nothing where nothing is said.
pub(super) fn grown(all: &[[Point; 3]], padding: &[f64]) -> Grown {
    let middle = |[a, b, c]: &[Point; 3]| (a.coords + b.coords + c.coords) / 3.0;
    let middles: Vec<Vector> = all.iter().map(middle).collect();
    let mut order: Vec<u32> = (0..all.len() as u32).collect();
    let many = || std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let threads = if all.len() > ALONE { many() } else { 1 };
    let sprout = Sprout {
        all,
        middles: &middles,
        padding,
    };
    let nodes = sprout.grow(&mut order, 0, threads);
    let (fours, origin) = sprout.side_by_side(&nodes, &order);
    Grown {
        fours,
        origin,
        order,
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

    /// Four boxes below each in place of two, rounded outwards, and what their middles are told from.
    fn side_by_side(&self, nodes: &[Node], order: &[u32]) -> (Vec<Four>, [f64; 3]) {
        let origin = nodes[0].centre;
        let mut fours = vec![four_of(&[nodes[0]], &origin)];
        // Where the boxes below a node go: the four, the lane, and the node.
        let mut open = vec![(0, 0, nodes[0])];
        while let Some((four, lane, node)) = open.pop() {
            let whole = self.below(&node, nodes, order);
            let Some(mut below) = whole else { continue };
            while below.len() < 4 {
                let several = (0..below.len()).filter(|&i| below[i].count != 1);
                let largest = several.max_by(|&i, &j| below[i].size.total_cmp(&below[j].size));
                let Some(largest) = largest else { break };
                let node = below.swap_remove(largest);
                below.extend(self.below(&node, nodes, order).into_iter().flatten());
            }
            let place = fours.len();
            fours.push(four_of(&below, &origin));
            fours[four].first[lane] = place as u32;
            fours[four].count[lane] = 0;
            let placed = below.into_iter().enumerate();
            open.extend(placed.map(|(lane, node)| (place, lane, node)));
        }
        fours.shrink_to_fit();
        (fours, origin)
    }

    /// The two boxes below one, down to those round a triangle each.
    fn below(&self, node: &Node, nodes: &[Node], order: &[u32]) -> Option<Vec<Node>> {
        let first = node.first as usize;
        if !node.is_leaf() {
            return Some(nodes[first..first + 2].to_vec());
        }
        let alone = |at: usize| Node {
            first: at as u32,
            count: 1,
            ..self.fit(&order[at..=at])
        };
        let all = first..first + node.count as usize;
        (all.len() > 1).then(|| all.map(alone).collect())
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

/// Up to four boxes; where others are below one is not known yet.
fn four_of(boxes: &[Node], origin: &[f64; 3]) -> Four {
    let lanes = |of: &dyn Fn(&Node) -> f32| {
        let mut all = [0.0f32; 4];
        for (lane, node) in all.iter_mut().zip(boxes) {
            *lane = of(node);
        }
        all
    };
    let middle = |node: &Node, i: usize| node.centre[i] - origin[i];
    let half = |node: &Node, k: usize| {
        // What rounding the middle and the axes may leave outside, and the rounding of this itself.
        let off: f64 = (0..3).map(|i| middle(node, i).abs()).sum();
        let edges: f64 = node.half.iter().sum();
        let grown = node.half[k] + 1.2e-7 * off + 6e-7 * edges + 1e-30;
        (grown as f32).next_up()
    };
    let mut four = Four {
        centre: [0, 1, 2].map(|i| f32x4::new(lanes(&|node| middle(node, i) as f32))),
        axes: [0, 1, 2].map(|k: usize| {
            [0, 1, 2].map(|i: usize| f32x4::new(lanes(&|node| node.axes[k][i] as f32)))
        }),
        half: [0, 1, 2].map(|k| f32x4::new(lanes(&|node| half(node, k)))),
        size: lanes(&|node| {
            let halves = [0, 1, 2].map(|k| f64::from(half(node, k)));
            (halves.iter().map(|h| h * h).sum::<f64>() as f32).next_up()
        }),
        first: [0; 4],
        count: [0; 4],
    };
    for (lane, node) in boxes.iter().enumerate().filter(|(_, node)| node.is_leaf()) {
        four.first[lane] = node.first;
        four.count[lane] = node.count;
    }
    four
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
}

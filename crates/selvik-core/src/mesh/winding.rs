use rustc_hash::FxHashMap;

use super::{Shells, TriangleMesh};
use crate::spatial::{Point, Vector};

/// The open shells of a mesh, patch by patch, ready to be asked under which solid angle they are seen.
///
/// Triangles far away are taken together as one dipole (G. Barill, N. Dickson, R. Schmidt, D. Levin, A. Jacobson,
/// "Fast Winding Numbers for Soups and Clouds", ACM TOG 2018), of first order.
#[derive(Debug)]
pub(super) struct OpenShells {
    trees: Vec<Tree>,
}

/// A group of triangles is one dipole from so many times its radius on.
const FAR: f64 = 3.0;

const LEAF: usize = 4;

#[derive(Debug)]
struct Tree {
    nodes: Vec<Node>,
    corners: Vec<[Point; 3]>,
}

#[derive(Debug, Clone, Copy)]
struct Node {
    centre: Point,
    /// Of a ball round the triangles, m.
    radius: f64,
    /// The area vectors added up, m².
    dipole: Vector,
    /// Its triangles.
    from: u32,
    to: u32,
    /// Index of the second child, the first follows the node itself; 0 for a leaf.
    second: u32,
}

impl OpenShells {
    /// `None` where all shells are closed.
    pub fn of(mesh: &TriangleMesh, shells: &Shells) -> Option<Self> {
        if shells.is_closed() {
            return None;
        }
        let patches = shells.patches(mesh);
        let mut of_patch: FxHashMap<u32, Vec<[Point; 3]>> = FxHashMap::default();
        for (index, &patch) in patches.iter().enumerate() {
            if !shells.all()[shells.of_triangle(index)].closed {
                let [a, b, c] = mesh.corners(index);
                let corners = if shells.is_turned(index) {
                    [a, c, b]
                } else {
                    [a, b, c]
                };
                of_patch.entry(patch).or_default().push(corners);
            }
        }
        Some(Self {
            trees: of_patch.into_values().map(Tree::grow).collect(),
        })
    }

    /// How often (turns, without unit) all of them together wind round `point`, and how often if each patch did so the same way round: patches
    /// that look in different directions do not make up for each other there.
    pub fn winding(&self, point: &Point) -> (f64, f64) {
        let each = self.trees.iter().map(|tree| tree.winding(point));
        each.fold((0.0, 0.0), |(sum, apart), w| (sum + w, apart + w.abs()))
    }

    /// The share of the whole solid angle under which a triangle is seen from `point`, positive from behind
    /// (A. van Oosterom, J. Strackee, "The Solid Angle of a Plane Triangle", IEEE TBME 1983).
    pub fn share(point: &Point, corners: &[Point; 3]) -> f64 {
        let [a, b, c] = corners.map(|p| p - point);
        let (la, lb, lc) = (a.norm(), b.norm(), c.norm());
        let above = a.dot(&b.cross(&c));
        let below = la * lb * lc + a.dot(&b) * lc + b.dot(&c) * la + c.dot(&a) * lb;
        above.atan2(below) / std::f64::consts::TAU
    }
}

impl Tree {
    fn grow(mut corners: Vec<[Point; 3]>) -> Self {
        let mut nodes = vec![node(&corners, 0, corners.len())];
        let mut open = vec![0usize];
        while let Some(index) = open.pop() {
            let (from, to) = (nodes[index].from as usize, nodes[index].to as usize);
            if to - from <= LEAF {
                continue;
            }
            let own = &mut corners[from..to];
            let spread = |axis: usize| {
                let all = own.iter().map(|t| t[0][axis]);
                all.clone().fold(f64::MIN, f64::max) - all.fold(f64::MAX, f64::min)
            };
            let longest = (0..3)
                .max_by(|&i, &j| spread(i).total_cmp(&spread(j)))
                .expect("three axes");
            let half = own.len() / 2;
            own.select_nth_unstable_by(half, |s, t| s[0][longest].total_cmp(&t[0][longest]));
            let first = nodes.len();
            nodes.push(node(&corners, from, from + half));
            nodes.push(node(&corners, from + half, to));
            nodes[index].second = first as u32 + 1;
            open.extend([first, first + 1]);
        }
        Self { nodes, corners }
    }

    fn winding(&self, point: &Point) -> f64 {
        let mut open = vec![0usize];
        let mut sum = 0.0;
        while let Some(index) = open.pop() {
            let node = &self.nodes[index];
            let to = node.centre - point;
            let distance = to.norm();
            if distance > FAR * node.radius {
                sum += node.dipole.dot(&to) / (2.0 * std::f64::consts::TAU * distance.powi(3));
            } else if node.second == 0 {
                let own = &self.corners[node.from as usize..node.to as usize];
                sum += own.iter().map(|t| OpenShells::share(point, t)).sum::<f64>();
            } else {
                open.extend([node.second as usize - 1, node.second as usize]);
            }
        }
        sum
    }
}

fn node(corners: &[[Point; 3]], from: usize, to: usize) -> Node {
    let own = &corners[from..to];
    let (mut dipole, mut weight, mut middle) = (Vector::zeros(), 0.0, Vector::zeros());
    for [a, b, c] in own {
        let area = (b - a).cross(&(c - a)) * 0.5;
        dipole += area;
        weight += area.norm();
        middle += (a.coords + b.coords + c.coords) * (area.norm() / 3.0);
    }
    let centre = if weight > 0.0 {
        Point::from(middle / weight)
    } else {
        own[0][0]
    };
    let radius = own
        .iter()
        .flatten()
        .map(|p| (p - centre).norm())
        .fold(0.0, f64::max);
    Node {
        centre,
        radius,
        dipole,
        from: from as u32,
        to: to as u32,
        second: 0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::sphere_mesh;
    use proptest::prelude::*;

    proptest! {
        /// Against every triangle's own solid angle.
        #[test]
        fn dipoles_stand_in_for_what_is_far(p in prop::array::uniform3(-2.0f64..2.0)) {
            let whole = sphere_mesh(1.0, 30);
            let open = TriangleMesh::from_indexed(whole.vertices(), &whole.triangles()[200..]).unwrap().mesh;
            let shells = Shells::of(&open);
            let point = Point::from(p);
            let (fast, _) = OpenShells::of(&open, &shells).unwrap().winding(&point);
            let all = 0..open.triangles().len();
            let exact: f64 = all.map(|i| OpenShells::share(&point, &open.corners(i))).sum();
            prop_assert!((fast - exact).abs() < 0.03, "{fast} {exact}");
        }
    }

    #[test]
    fn a_closed_mesh_has_no_open_shells() {
        let mesh = sphere_mesh(1.0, 12);
        assert!(OpenShells::of(&mesh, &Shells::of(&mesh)).is_none());
    }
}

//! A mesh cut by a plane.
//!
//! Source: heights of the vertices, each crossed triangle a step from one mesh edge to another, and the steps joined, is
//! common practice. That a vertex in the plane counts as on one side of it throughout, so that no case is left over, is the idea
//! of Edelsbrunner and Mücke, *Simulation of Simplicity*, ACM Transactions on Graphics 9(1), 1990 (from memory).

use rustc_hash::FxHashMap;

use super::loops::{Contour, Region, nest};
use super::unite::united;
use crate::mesh::{Surface, TriangleMesh};
use crate::spatial::{Plane, Point, Pose, Vector};

/// The cut of a mesh by a plane.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Section {
    /// Closed outlines with their holes; material lies on the left of every outline seen against
    /// the plane's normal.
    pub regions: Vec<Region>,
    /// Polylines left open where the mesh is open.
    pub open: Vec<Vec<Point>>,
}

impl Section {
    /// Whether nothing is cut.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.regions.is_empty() && self.open.is_empty()
    }

    /// Area of material, m².
    #[must_use]
    pub fn area(&self) -> f64 {
        self.regions.iter().map(Region::area).sum()
    }

    /// Length of all outlines and holes, m.
    #[must_use]
    pub fn perimeter(&self) -> f64 {
        let contours = self.regions.iter().flat_map(|r| r.contours());
        contours.map(Contour::perimeter).sum()
    }

    /// Centroid of the material; `None` when nothing closed is cut.
    #[must_use]
    pub fn centroid(&self) -> Option<Point> {
        let area = self.area();
        let moment: Vector = self
            .regions
            .iter()
            .flat_map(|r| r.contours())
            .map(|c| c.centroid().coords * c.signed_area())
            .sum();
        (area > 0.0).then(|| Point::from(moment / area))
    }
}

/// Nearer to a plane than this a vertex lies on it, m: more than rounding adds, less than anything is made to.
pub const ON_PLANE: f64 = 1e-9;

/// Cuts `mesh` by `plane`, both in the same frame.
///
/// A vertex within [`ON_PLANE`] of the plane lies on it, and counts as in front of it. So every triangle is crossed along
/// two of its edges or not at all, the outlines close wherever the mesh does, and a face in the plane gives the cut just
/// behind it, whatever the rounding. Shells that overlap are united: what they share counts once.
#[must_use]
pub fn cut(mesh: &TriangleMesh, plane: &Plane) -> Section {
    // A byte a vertex: of a mesh of millions they stay at hand while its triangles are gone through.
    let front: Vec<bool> = mesh
        .vertices()
        .iter()
        .map(|v| height(plane, v) >= 0.0)
        .collect();
    let mut crossed = Vec::new();
    for (index, triangle) in mesh.triangles().iter().enumerate() {
        let [a, b, c] = triangle.map(|v| front[v as usize]);
        if a != b || b != c {
            crossed.push(index as u32);
        }
    }
    joined(mesh, plane, crossed)
}

/// The same as [`cut`] of the body's triangles, as they are drawn; of a body whose tree is there already, as it was measured
/// before, only those are looked at that the plane comes near.
#[must_use]
pub fn cut_surface(surface: &Surface, plane: &Plane) -> Section {
    let Some(hierarchy) = surface.hierarchy_if_there() else {
        return cut(surface.mesh(), plane);
    };
    if !surface.is_as_drawn() {
        return cut(surface.mesh(), plane);
    }
    let mut near = Vec::new();
    let mut open = vec![0];
    while let Some(at) = open.pop() {
        let node = hierarchy.node(at);
        let (_, reach) = node.along(&(*plane.normal).into());
        let away = plane.height(&Point::from(node.centre)).abs();
        // Boxes are as exact as their numbers: a few roundings of what is far from the origin.
        if away > reach + 2.0 * ON_PLANE + 1e-12 * (away + plane.offset.abs()) {
            continue;
        }
        let first = node.first as usize;
        if node.is_leaf() {
            near.extend((first..first + node.count as usize).map(|at| hierarchy.triangle_at(at)));
        } else {
            open.extend(hierarchy.below(&node));
        }
    }
    near.sort_unstable();
    joined(surface.mesh(), plane, near)
}

/// How far a vertex lies in front of the plane, m; 0 where it lies on it.
fn height(plane: &Plane, vertex: &Point) -> f64 {
    let height = plane.height(vertex);
    if height.abs() > ON_PLANE { height } else { 0.0 }
}

/// What `plane` cuts of these triangles, among which all are that it crosses.
fn joined(mesh: &TriangleMesh, plane: &Plane, triangles: impl IntoIterator<Item = u32>) -> Section {
    let vertex = |v: u32| mesh.vertices()[v as usize];
    let mut steps = Steps::default();
    for index in triangles {
        let triangle = mesh.triangles()[index as usize];
        let front = triangle.map(|v| height(plane, &vertex(v)) >= 0.0);
        if front[0] == front[1] && front[1] == front[2] {
            continue;
        }
        let (mut enter, mut leave) = ((0, 0), (0, 0));
        for i in 0..3 {
            let (from, to) = (triangle[i], triangle[(i + 1) % 3]);
            match (front[i], front[(i + 1) % 3]) {
                (true, false) => enter = key(from, to),
                (false, true) => leave = key(from, to),
                _ => {}
            }
        }
        // From where the triangle's boundary dives behind the plane to where it comes back: so the
        // material, which lies below the outward normal, stays on the left seen against the normal.
        steps.add(enter, leave);
    }
    let point = |(from, to): Edge| {
        let (p0, p1) = (vertex(from), vertex(to));
        let (h0, h1) = (height(plane, &p0), height(plane, &p1));
        if h0 == 0.0 {
            p0
        } else if h1 == 0.0 {
            p1
        } else {
            p0 + (p1 - p0) * (h0 / (h0 - h1))
        }
    };
    let (closed, open) = steps.chains();
    let to_points = |chain: Vec<Edge>| without_repeats(chain.into_iter().map(point));
    let contours = closed
        .into_iter()
        .filter_map(|chain| Contour::new(to_points(chain), plane))
        .collect();
    let contours = united(contours, plane);
    let open = open
        .into_iter()
        .map(to_points)
        .filter(|p| p.len() > 1)
        .collect();
    Section {
        regions: nest(contours, plane),
        open,
    }
}

/// Cuts several bodies at their poses by one plane, all in the same frame; what they share counts once.
#[must_use]
pub fn cut_together<'a>(
    bodies: impl IntoIterator<Item = (&'a Surface, Pose)>,
    plane: &Plane,
) -> Section {
    let (mut contours, mut open) = (Vec::new(), Vec::new());
    for (surface, pose) in bodies {
        let own = cut_surface(surface, &plane.seen_from(&pose));
        let there = |points: &[Point]| -> Vec<Point> { points.iter().map(|p| pose * p).collect() };
        let outlines = own.regions.iter().flat_map(|r| r.contours());
        contours.extend(outlines.filter_map(|c| Contour::new(there(c.points()), plane)));
        open.extend(own.open.iter().map(|line| there(line)));
    }
    Section {
        regions: nest(united(contours, plane), plane),
        open,
    }
}

/// An edge of the mesh, by its vertices, the lesser first.
type Edge = (u32, u32);

fn key(a: u32, b: u32) -> Edge {
    (a.min(b), a.max(b))
}

/// Steps of the cut from one edge of the mesh to another, as they are met.
#[derive(Default)]
struct Steps {
    /// Where each step leads, and the step met before it that begins at the same edge.
    to: Vec<(Edge, Option<u32>)>,
    /// The last step met that begins at an edge.
    last: FxHashMap<Edge, u32>,
    /// How many more steps begin at an edge than end there.
    surplus: FxHashMap<Edge, i32>,
}

impl Steps {
    fn add(&mut self, from: Edge, to: Edge) {
        let index = self.to.len() as u32;
        let before = self.last.insert(from, index);
        self.to.push((to, before));
        *self.surplus.entry(from).or_default() += 1;
        *self.surplus.entry(to).or_default() -= 1;
    }

    /// Takes the last step from an edge away; where it leads.
    fn take(&mut self, from: Edge) -> Option<Edge> {
        let index = self.last.get_mut(&from)?;
        let (to, before) = self.to[*index as usize];
        match before {
            Some(before) => *index = before,
            None => {
                self.last.remove(&from);
            }
        }
        Some(to)
    }

    /// Strings the steps together, first those that have a loose beginning: closed ones, and those left open.
    fn chains(mut self) -> (Vec<Vec<Edge>>, Vec<Vec<Edge>>) {
        let mut starts: Vec<Edge> = self.last.keys().copied().collect();
        starts.sort_unstable();
        let (first, then): (Vec<Edge>, Vec<Edge>) =
            starts.into_iter().partition(|e| self.surplus[e] > 0);
        let (mut closed, mut open) = (Vec::new(), Vec::new());
        for start in first.into_iter().chain(then) {
            while let Some(mut at) = self.take(start) {
                let mut chain = vec![start, at];
                while at != start
                    && let Some(to) = self.take(at)
                {
                    chain.push(to);
                    at = to;
                }
                if at == start {
                    chain.pop();
                    closed.push(chain);
                } else {
                    open.push(chain);
                }
            }
        }
        (closed, open)
    }
}

fn without_repeats(points: impl Iterator<Item = Point>) -> Vec<Point> {
    let mut kept: Vec<Point> = Vec::new();
    for point in points {
        if kept.last() != Some(&point) {
            kept.push(point);
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;
    use std::f64::consts::PI;

    fn level(z: f64) -> Plane {
        Plane::through(&Point::new(0.0, 0.0, z), &Vector::z()).unwrap()
    }

    fn hollow_box() -> TriangleMesh {
        let inner = box_mesh([0.6, 0.4, 0.8]);
        let turned: Vec<[u32; 3]> = inner
            .triangles()
            .iter()
            .map(|&[a, b, c]| [a, c, b])
            .collect();
        let inner = TriangleMesh::from_indexed(inner.vertices(), &turned)
            .unwrap()
            .mesh;
        TriangleMesh::merged([box_mesh([1.0, 1.0, 1.0]), inner])
    }

    #[test]
    fn a_hollow_box_shows_one_region_with_one_hole() {
        let section = cut(&hollow_box(), &level(0.1));
        assert_eq!(section.regions.len(), 1);
        assert_eq!(section.regions[0].holes.len(), 1);
        assert!((section.area() - (1.0 - 0.24)).abs() < 1e-12);
        assert!((section.perimeter() - (4.0 + 2.0)).abs() < 1e-12);
        assert!(section.centroid().unwrap().coords.xy().norm() < 1e-12);
        assert!(section.open.is_empty());
    }

    /// Exactly through vertices, edges and faces: half-open, so a face counts once.
    #[rstest::rstest]
    #[case::through_the_top_face(0.5, 1.0)]
    #[case::through_the_bottom_face(-0.5, 0.0)]
    #[case::just_above(0.5 + 1e-8, 0.0)]
    #[case::a_rounding_above(0.5 + 1e-15, 1.0)]
    #[case::a_rounding_below(0.5 - 1e-15, 1.0)]
    #[case::a_rounding_above_the_bottom(-0.5 + 1e-15, 0.0)]
    #[case::inside(0.25, 1.0)]
    fn planes_in_a_face_are_decided_one_way(#[case] z: f64, #[case] area: f64) {
        let section = cut(&box_mesh([1.0; 3]), &level(z));
        assert!((section.area() - area).abs() < 1e-9, "{}", section.area());
        assert!(section.open.is_empty());
    }

    /// A face that lies in the plane only up to rounding, in frames turned any way.
    #[test]
    fn a_face_in_the_plane_is_cut_the_same_however_it_is_turned() {
        for step in 0..60 {
            let turn = f64::from(step) * 0.37;
            let pose = pose_from_rpy(
                [0.3 * turn, -7.0, 2.0 * turn],
                [turn, 0.7 * turn, -1.3 * turn],
            );
            let plane = Plane::through(
                &(pose * Point::new(0.2, 0.1, 0.5)),
                &(pose.rotation * Vector::z()),
            )
            .unwrap();
            let whole = cut(&box_mesh([1.0; 3]), &plane.seen_from(&pose));
            assert!(
                (whole.area() - 1.0).abs() < 1e-9 && whole.open.is_empty(),
                "{step}: {}",
                whole.area()
            );
            let moved = cut(&box_mesh([1.0; 3]).moved(&pose), &plane);
            assert!(
                (moved.area() - 1.0).abs() < 1e-9 && moved.open.is_empty(),
                "{step}: {}",
                moved.area()
            );
        }
    }

    #[test]
    fn a_cut_through_edges_of_a_box_is_closed() {
        let diagonal = Plane::through(&Point::origin(), &Vector::new(1.0, 1.0, 0.0)).unwrap();
        let section = cut(&box_mesh([1.0; 3]), &diagonal);
        assert!((section.area() - 2f64.sqrt()).abs() < 1e-12 && section.open.is_empty());
    }

    #[test]
    fn an_open_mesh_gives_open_lines() {
        let whole = box_mesh([1.0; 3]);
        let open = TriangleMesh::from_indexed(whole.vertices(), &whole.triangles()[2..]).unwrap();
        let section = cut(&open.mesh, &level(0.1));
        assert!(section.regions.is_empty() && section.open.len() == 1);
    }

    /// A plane through a sphere cuts a circle of radius √(r² − h²).
    #[test]
    fn a_ball_shows_a_circle() {
        let section = cut(&sphere_mesh(1.0, 256), &level(0.6));
        let exact = PI * (1.0 - 0.36);
        assert!(
            (section.area() / exact - 1.0).abs() < 1e-3,
            "{}",
            section.area()
        );
    }

    proptest! {
        /// What the tree leaves aside the plane does not cross, far from the origin and through vertices too.
        #[test]
        fn with_and_without_the_tree_it_is_the_same_cut(
            rpy in prop::array::uniform3(-3.0f64..3.0), far in -2000.0f64..2000.0, z in -0.6f64..0.6, level_of in 0usize..40,
        ) {
            let mesh = TriangleMesh::merged([hollow_box(), sphere_mesh(0.7, 24)])
                .moved(&pose_from_rpy([far, 0.5 * far, -far], rpy));
            let through = mesh.vertices()[level_of];
            let surface = Surface::new(mesh.clone());
            prop_assert!(!surface.hierarchy().fours().is_empty());
            for point in [through, Point::new(far, 0.5 * far, z - far)] {
                let plane = Plane::through(&point, &Vector::z()).unwrap();
                prop_assert_eq!(cut_surface(&surface, &plane), cut(&mesh, &plane));
            }
        }

        /// Cavalieri: the mean area over parallel cuts, times the height, is the volume.
        #[test]
        fn areas_add_up_to_the_volume(rpy in prop::array::uniform3(-3.0f64..3.0)) {
            let mesh = hollow_box().moved(&pose_from_rpy([0.1, 0.2, 0.3], rpy));
            let bounds = mesh.bounds();
            let n = 400;
            let height = bounds.max.z - bounds.min.z;
            let sum: f64 = (0..n)
                .map(|i| cut(&mesh, &level(bounds.min.z + height * (f64::from(i) + 0.5) / f64::from(n))).area())
                .sum();
            prop_assert!((sum * height / f64::from(n) - (1.0 - 0.6 * 0.4 * 0.8)).abs() < 2e-3);
        }
    }
}

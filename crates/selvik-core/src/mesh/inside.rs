//! Whether a point lies inside a body, by winding numbers.
//!
//! A closed shell winds round a point a whole number of times: as often as a ray from there leaves it more than it
//! enters. An open one winds round it by the share of the whole solid angle under which it is seen (A. Jacobson,
//! L. Kavan, O. Sorkine-Hornung, "Robust Inside-Outside Segmentation using Generalized Winding Numbers", ACM
//! TOG 2013), which is near a whole number where little is missing, and between two where a sheet or half a shell leaves
//! open what is inside.

use super::winding::OpenShells;
use super::{Shells, Surface};
use crate::spatial::{Point, Vector};

/// Where a point lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Containment {
    /// In the material.
    Inside,
    /// Not in it.
    Outside,
    /// The surface is open in such a way that this can't be told.
    Undecided,
}

/// What is seen under no more than this share of the whole solid angle surrounds nothing, and what leaves open no
/// more than this share surrounds all.
const UNSURE: f64 = 0.25;

impl Surface {
    /// Whether `point`, in the surface's frame, lies inside the body.
    ///
    /// Inside is where closed shells wind round the point: shells that overlap count together, the wall of a hollow,
    /// which runs the other way, takes away. Open shells decide only where they surround the point nearly whole or
    /// hardly at all, also if those that look the other way round are not taken to make up for each other. Nothing lies
    /// inside a [sheet](Surface::as_sheet). Balls and capsules are not asked here: whoever is inside one is at distance 0 from
    /// its core.
    #[must_use]
    pub fn contains(&self, point: &Point) -> Containment {
        if self.is_sheet() || !self.bounds().contains(point) {
            return Containment::Outside;
        }
        let Some(closed) = self.closed_winding(point, None) else {
            return Containment::Outside;
        };
        let Some(open) = self.open_shells() else {
            return if closed == 0 {
                Containment::Outside
            } else {
                Containment::Inside
            };
        };
        let (whole, apart) = open.winding(point);
        let total = closed as f64 + whole;
        let inside = if closed == 0 {
            whole.abs() >= 1.0 - UNSURE
        } else {
            total.abs() >= 0.5
        };
        if inside {
            Containment::Inside
        } else if closed == 0 && apart <= UNSURE {
            Containment::Outside
        } else {
            Containment::Undecided
        }
    }

    /// How often closed shells wind round `point`, all but the shell `without`; `None` where the surface has no
    /// triangles of its own.
    pub(super) fn closed_winding(&self, point: &Point, without: Option<usize>) -> Option<i32> {
        let shells = self.shells()?;
        let near = |(at, s): (usize, &super::Shell)| {
            s.closed && Some(at) != without && s.bounds.contains(point)
        };
        // Many shells are asked by the rays; one alone settles it by its box.
        if shells.all().len() <= 8 && !shells.all().iter().enumerate().any(near) {
            return Some(0);
        }
        let rays = [
            Vector::new(0.8116, 0.5121, 0.2811),
            Vector::new(-0.3137, 0.7219, -0.6168),
            Vector::new(0.1291, -0.4583, 0.8794),
        ];
        let mut counts = [0; 3];
        for i in 0..3 {
            counts[i] = self.crossings(point, &rays[i], shells, without);
            if counts[..i].contains(&counts[i]) {
                return Some(counts[i]);
            }
        }
        // Rays through edges: the solid angle does not mind.
        Some(self.solid_winding(point, shells, without).round() as i32)
    }

    fn crossings(
        &self,
        from: &Point,
        ray: &Vector,
        shells: &Shells,
        without: Option<usize>,
    ) -> i32 {
        let tree = self.hierarchy();
        let mut open = vec![0u32];
        let mut count = 0;
        while let Some(index) = open.pop() {
            let node = tree.node(index);
            let axes = node.axes.map(Vector::from);
            let offset = from.coords - Vector::from(node.centre);
            let origin = axes.map(|axis| axis.dot(&offset));
            let along = axes.map(|axis| axis.dot(ray));
            if !ray_meets_box(&origin, &along, &node.half) {
                continue;
            }
            if !node.is_leaf() {
                open.extend(tree.below(&node));
                continue;
            }
            for at in node.first as usize..(node.first + node.count) as usize {
                let triangle = tree.triangle_at(at) as usize;
                if triangle >= self.mesh_pieces() {
                    continue;
                }
                let shell = shells.of_triangle(triangle);
                if shells.all()[shell].closed && Some(shell) != without {
                    let sense = sense_of_crossing(from, ray, &tree.corners()[at].map(Point::from));
                    count += if shells.is_turned(triangle) {
                        -sense
                    } else {
                        sense
                    };
                }
            }
        }
        count
    }

    fn solid_winding(&self, point: &Point, shells: &Shells, without: Option<usize>) -> f64 {
        let tree = self.hierarchy();
        (0..tree.corners().len())
            .map(|at| {
                let triangle = tree.triangle_at(at) as usize;
                if triangle >= self.mesh_pieces() {
                    return 0.0;
                }
                let shell = shells.of_triangle(triangle);
                if !shells.all()[shell].closed || Some(shell) == without {
                    return 0.0;
                }
                let share = OpenShells::share(point, &tree.corners()[at].map(Point::from));
                if shells.is_turned(triangle) {
                    -share
                } else {
                    share
                }
            })
            .sum()
    }
}

fn ray_meets_box(origin: &[f64; 3], along: &[f64; 3], half: &[f64; 3]) -> bool {
    let (mut enter, mut leave) = (0.0f64, f64::INFINITY);
    for i in 0..3 {
        let inverse = 1.0 / along[i];
        let (a, b) = (
            (-half[i] - origin[i]) * inverse,
            (half[i] - origin[i]) * inverse,
        );
        if a.is_nan() || b.is_nan() {
            continue;
        }
        enter = enter.max(a.min(b));
        leave = leave.min(a.max(b));
    }
    enter <= leave
}

/// 1 where the ray leaves through the triangle, -1 where it enters, 0 where it misses (Möller and Trumbore 1997).
fn sense_of_crossing(from: &Point, ray: &Vector, corners: &[Point; 3]) -> i32 {
    let (e1, e2) = (corners[1] - corners[0], corners[2] - corners[0]);
    let p = ray.cross(&e2);
    let det = e1.dot(&p);
    if det == 0.0 {
        return 0;
    }
    let s = from - corners[0];
    let u = s.dot(&p) / det;
    let q = s.cross(&e1);
    let v = ray.dot(&q) / det;
    let hit = u >= 0.0 && v >= 0.0 && u + v <= 1.0 && e2.dot(&q) / det > 0.0;
    match hit {
        true if det < 0.0 => 1,
        true => -1,
        false => 0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::{Pose, pose_from_rpy};
    use proptest::prelude::*;

    fn at(x: f64) -> Pose {
        pose_from_rpy([x, 0.0, 0.0], [0.0; 3])
    }

    fn without(mesh: &TriangleMesh, gone: impl Fn(usize) -> bool) -> TriangleMesh {
        let kept: Vec<[u32; 3]> = mesh
            .triangles()
            .iter()
            .enumerate()
            .filter(|(i, _)| !gone(*i))
            .map(|(_, t)| *t)
            .collect();
        TriangleMesh::from_indexed(mesh.vertices(), &kept)
            .unwrap()
            .mesh
    }

    /// Every triangle by itself, a hundredth of a millimetre smaller, and every other turned over.
    fn loose(mesh: &TriangleMesh) -> TriangleMesh {
        let apart = (0..mesh.triangles().len()).map(|i| {
            let [a, b, c] = mesh.corners(i);
            let middle = nalgebra::center(&nalgebra::center(&a, &b), &c);
            let [a, b, c] = [a, b, c].map(|p| p + (middle - p) * 1e-5);
            if i % 2 == 0 { [a, b, c] } else { [a, c, b] }
        });
        TriangleMesh::from_soup(apart.collect::<Vec<_>>())
            .unwrap()
            .mesh
    }

    #[rstest::rstest]
    #[case::in_one_of_two_that_overlap(TriangleMesh::merged([box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(0.7))]), 0.35, Containment::Inside)]
    #[case::in_a_hollow(TriangleMesh::merged([box_mesh([2.0; 3]), box_mesh([1.0; 3]).turned_over(|_| true)]), 0.1, Containment::Outside)]
    #[case::in_its_wall(TriangleMesh::merged([box_mesh([2.0; 3]), box_mesh([1.0; 3]).turned_over(|_| true)]), 0.7, Containment::Inside)]
    #[case::in_a_box_inside_out(box_mesh([1.0; 3]).turned_over(|_| true), 0.1, Containment::Inside)]
    #[case::a_triangle_turned(box_mesh([1.0; 3]).turned_over(|i| i == 4), 0.1, Containment::Inside)]
    #[case::a_triangle_missing(without(&sphere_mesh(1.0, 24), |i| i == 7), 0.1, Containment::Inside)]
    #[case::beside_what_is_cracked(without(&sphere_mesh(1.0, 24), |i| i % 60 == 7).moved(&at(0.2)), -0.83, Containment::Outside)]
    #[case::half_a_shell(without(&sphere_mesh(1.0, 24), |i| i % 2 == 0), 0.1, Containment::Undecided)]
    #[case::loose_and_every_other_turned(loose(&box_mesh([1.0; 3])), 0.1, Containment::Undecided)]
    #[case::loose_but_all_alike(loose(&sphere_mesh(1.0, 24).turned_over(|i| i % 2 == 1)), 0.1, Containment::Inside)]
    #[case::closed_beside_a_sheet(TriangleMesh::merged([box_mesh([1.0; 3]), without(&box_mesh([4.0; 3]), |i| i > 1)]), 0.1, Containment::Inside)]
    fn inside_is_inside(#[case] mesh: TriangleMesh, #[case] x: f64, #[case] expected: Containment) {
        let surface = Surface::new(mesh);
        assert_eq!(surface.contains(&Point::new(x, 0.013, -0.027)), expected);
        let sheet = surface.as_sheet();
        assert_eq!(
            sheet.contains(&Point::new(x, 0.013, -0.027)),
            Containment::Outside
        );
    }

    proptest! {
        #[test]
        fn points_are_inside_a_ball_exactly_when_near_its_centre(
            p in prop::array::uniform3(-1.2f64..1.2)
        ) {
            let ball = Surface::new(sphere_mesh(1.0, 32));
            let point = Point::from(p);
            let r = point.coords.norm();
            prop_assume!(!(0.97..=1.0).contains(&r));
            prop_assert_eq!(ball.contains(&point) == Containment::Inside, r < 0.97);
        }

        /// Rays and solid angles are two ways to one number.
        #[test]
        fn rays_and_solid_angles_agree(p in prop::array::uniform3(-0.6f64..0.6)) {
            let mesh = TriangleMesh::merged([
                sphere_mesh(0.5, 12),
                box_mesh([0.5, 0.9, 0.4]),
                box_mesh([0.2; 3]).turned_over(|_| true),
            ]);
            let surface = Surface::new(mesh);
            let point = Point::from(p);
            let solid = surface.solid_winding(&point, surface.shells().unwrap(), None);
            prop_assume!((solid - solid.round()).abs() < 1e-6);
            prop_assert_eq!(surface.closed_winding(&point, None), Some(solid.round() as i32));
        }
    }
}

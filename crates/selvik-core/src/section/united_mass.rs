use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::single::SingleFloatOverlay;
use rayon::prelude::*;

use super::{Section, cut_surface};
use crate::mesh::{Containment, Mass, Shells, Surface, TriangleMesh, mass_of};
use crate::spatial::{Aabb, Plane, Point, Pose, Vector};

/// So often boxes round triangles of others are looked at, over all: a second or less.
const MOST: usize = 100_000_000;

/// Area, volume and centroid of several bodies at their poses, what they share counted once; `None` as of [`united_mass`], and where
/// round shapes overlap something.
#[must_use]
pub fn mass_together(bodies: &[(&Surface, Pose)]) -> Option<Mass> {
    let boxes: Vec<Aabb> = bodies
        .iter()
        .map(|(surface, pose)| surface.bounds().moved(pose))
        .collect();
    let apart = |(at, a): (usize, &Aabb)| boxes[at + 1..].iter().all(|b| !a.overlaps(b));
    let in_itself = |(surface, _): &(&Surface, Pose)| match surface.shells() {
        Some(shells) if surface.is_as_drawn() => some_overlap(shells),
        _ => some_overlap(&Shells::of(surface.mesh())),
    };
    if boxes.iter().enumerate().all(apart) && !bodies.iter().any(in_itself) {
        let mut whole = Mass {
            area: 0.0,
            volume: 0.0,
            centroid: Point::origin(),
        };
        let mut moment = Vector::zeros();
        for (surface, pose) in bodies {
            let own = surface.mass();
            whole.area += own.area;
            whole.volume += own.volume;
            moment += (pose * own.centroid).coords * own.volume;
        }
        whole.centroid = if whole.volume > 1e-18 {
            Point::from(moment / whole.volume)
        } else {
            whole.centroid
        };
        return Some(whole);
    }
    let flat = bodies.iter().all(|(surface, _)| surface.is_as_drawn());
    let placed = bodies
        .iter()
        .map(|(surface, pose)| surface.mesh().moved(pose));
    if flat {
        united_mass(&TriangleMesh::merged(placed))
    } else {
        None
    }
}

/// Area, volume and centroid of what `mesh` bounds where its shells overlap: what they share counts once, and surfaces inside the
/// others not at all. `None` where that would
/// take too long, or a crack leaves cuts open; only meaningful for a closed mesh.
///
/// Of every triangle that may lie in another shell the part is left that has material behind it only: others whose surface
/// comes near are cut just before its plane, and what they cover is taken away, as is what lies in an earlier triangle of the same plane. The
/// divergence theorem makes the volume of what is left. Outlines are laid on a grid far finer than numbers tell apart.
#[must_use]
pub fn united_mass(mesh: &TriangleMesh) -> Option<Mass> {
    let shells = Shells::of(mesh);
    let mesh = &mesh.turned_over(|i| shells.is_turned(i));
    if !some_overlap(&shells) {
        return Some(mass_of(mesh));
    }
    let solids = Solids::of(mesh, &shells);
    let origin = mesh.bounds().centre();
    let mut planes = Coplanar::default();
    let mut cost = 0;
    let mut faces = Vec::with_capacity(mesh.triangles().len());
    for index in 0..mesh.triangles().len() {
        let corners = mesh.corners(index);
        let Some(plane) = Plane::through(&corners[0], &mesh.area_vector(index)) else {
            continue;
        };
        let near = solids.near(solids.of_shell[shells.of_triangle(index)], &corners);
        cost += solids.all.len() + near.iter().map(|s| s.boxes.len()).sum::<usize>();
        if cost > MOST {
            return None;
        }
        let earlier = if near.is_empty() {
            Vec::new()
        } else {
            planes.add(&plane, &corners)
        };
        faces.push(Face {
            corners,
            plane,
            near,
            earlier,
        });
    }
    let parts: Vec<Part> = faces
        .par_iter()
        .map(|face| face.part(&origin))
        .collect::<Option<_>>()?;
    let sum = |of: fn(&Part) -> f64| parts.iter().map(of).sum::<f64>();
    let (area, three_volumes) = (sum(|p| p.area), sum(|p| p.cone));
    let moment: Vector = parts.iter().map(|p| p.moment).sum();
    let centroid = if three_volumes > 1e-18 {
        origin + moment * 0.75 / three_volumes
    } else {
        origin
    };
    Some(Mass {
        area,
        volume: three_volumes / 3.0,
        centroid,
    })
}

/// A shell with the walls of the hollows in it.
pub(super) struct Solid {
    number: usize,
    bounds: Aabb,
    pub surface: Surface,
    /// Of its triangles.
    pub boxes: Vec<Aabb>,
}

pub(super) struct Solids {
    all: Vec<Solid>,
    /// For each shell the one it belongs to.
    pub of_shell: Vec<usize>,
}

impl Solids {
    pub fn of(mesh: &TriangleMesh, shells: &Shells) -> Self {
        let of_shell = solids(shells);
        let parts = mesh.split(shells.all().len(), |i| of_shell[shells.of_triangle(i)]);
        let solid = |(number, part): (usize, Option<TriangleMesh>)| {
            let mesh = part?;
            let boxed = |i: usize| Aabb::around(mesh.corners(i)).expect("three corners");
            let boxes = (0..mesh.triangles().len()).map(boxed).collect();
            let bounds = mesh.bounds();
            let surface = Surface::new(mesh);
            // It is cut once for each triangle that comes near.
            let _ = surface.hierarchy();
            Some(Solid {
                number,
                bounds,
                surface,
                boxes,
            })
        };
        Self {
            all: parts.into_iter().enumerate().filter_map(solid).collect(),
            of_shell,
        }
    }

    /// Those but `own` in whose bounds a triangle may lie.
    pub fn near(&self, own: usize, corners: &[Point; 3]) -> Vec<&Solid> {
        let bounds = Aabb::around(*corners).expect("three corners");
        self.all
            .iter()
            .filter(|s| s.number != own && s.bounds.overlaps(&bounds))
            .collect()
    }
}

/// A triangle, and what may cover it.
struct Face<'a> {
    corners: [Point; 3],
    plane: Plane,
    near: Vec<&'a Solid>,
    /// Triangles before it in the same plane.
    earlier: Vec<[Point; 3]>,
}

/// What a face adds to the whole.
#[derive(Default)]
struct Part {
    area: f64,
    /// Three times the volume of the cone over it, m³.
    cone: f64,
    moment: Vector,
}

impl Face<'_> {
    /// What is left of it, as seen from `origin`; `None` where that can't be told.
    fn part(&self, origin: &Point) -> Option<Part> {
        let bounds = Aabb::around(self.corners).expect("three corners");
        let before = Plane {
            normal: -self.plane.normal,
            offset: -self.plane.offset,
        };
        let [a, b, c] = self.corners;
        let middle = Point::from((a.coords + b.coords + c.coords) / 3.0);
        let mut cuts = Vec::new();
        for solid in &self.near {
            if solid.boxes.iter().any(|b| b.overlaps(&bounds)) {
                let section = cut_surface(&solid.surface, &before);
                if !section.open.is_empty() {
                    return None;
                }
                cuts.push(section);
                continue;
            }
            // No surface of it comes near: all of the triangle is inside, or nothing.
            match solid.surface.contains(&middle) {
                Containment::Inside => return Some(Part::default()),
                Containment::Outside => {}
                Containment::Undecided => return None,
            }
        }
        let mut whole = Part::default();
        for piece in left_of(&self.corners, &self.plane, &cuts, &self.earlier) {
            let [a, b, c] = piece.map(|p| p - origin);
            let own = (b - a).cross(&(c - a)).dot(&self.plane.normal) / 2.0;
            let height = a.dot(&self.plane.normal);
            whole.area += own;
            whole.cone += own * height;
            // ∫ x dV = ∫ x (x · n) dA / 4 over a cone from the origin.
            whole.moment += (a + b + c) / 3.0 * own * height;
        }
        Some(whole)
    }
}

fn some_overlap(shells: &Shells) -> bool {
    let mut boxes: Vec<&Aabb> = shells.all().iter().map(|s| &s.bounds).collect();
    boxes.sort_by(|a, b| a.min.x.total_cmp(&b.min.x));
    boxes.iter().enumerate().any(|(at, a)| {
        boxes[at + 1..]
            .iter()
            .take_while(|b| b.min.x <= a.max.x)
            .any(|b| a.overlaps(b))
    })
}

/// For each shell the one it belongs to: the wall of a hollow to the smallest shell round it, others to themselves.
fn solids(shells: &Shells) -> Vec<usize> {
    let all = shells.all();
    let of = |s: usize| {
        let round = |o: &usize| {
            let (inner, outer) = (&all[s].bounds, &all[*o].bounds);
            all[*o].volume > 0.0 && outer.contains(&inner.min) && outer.contains(&inner.max)
        };
        let smallest = |a: &usize, b: &usize| all[*a].volume.total_cmp(&all[*b].volume);
        if all[s].volume < 0.0 {
            (0..all.len()).filter(round).min_by(smallest).unwrap_or(s)
        } else {
            s
        }
    };
    (0..all.len()).map(of).collect()
}

/// What is left of a triangle without what the others cover: triangles again, as a fan that may run back and forth.
fn left_of(
    corners: &[Point; 3],
    plane: &Plane,
    cuts: &[Section],
    earlier: &[[Point; 3]],
) -> Vec<[Point; 3]> {
    let covered = cuts
        .iter()
        .flat_map(|s| &s.regions)
        .flat_map(|r| r.contours())
        .map(|c| c.points().to_vec());
    let covered: Vec<Vec<Point>> = covered.chain(earlier.iter().map(|c| c.to_vec())).collect();
    if covered.is_empty() {
        return vec![*corners];
    }
    let (u, v) = plane.axes();
    let flat = |p: &Point| [u.dot(&p.coords), v.dot(&p.coords)];
    let lifted =
        |p: &[f64; 2]| Point::from(u * p[0] + v * p[1] + plane.normal.into_inner() * plane.offset);
    let subject: Vec<[f64; 2]> = corners.iter().map(flat).collect();
    // Seen from before the plane outlines run the other way; winding round is winding round.
    let clip: Vec<Vec<[f64; 2]>> = covered
        .iter()
        .map(|c| c.iter().map(flat).collect())
        .collect();
    let left = subject.overlay_as::<i64>(&clip, OverlayRule::Difference, FillRule::NonZero);
    let fan = |contour: &Vec<[f64; 2]>| -> Vec<[Point; 3]> {
        let points: Vec<Point> = contour.iter().map(lifted).collect();
        points.windows(2).map(|w| [points[0], w[0], w[1]]).collect()
    };
    left.iter().flatten().flat_map(fan).collect()
}

/// Triangles that were there before, by the plane they lie in.
#[derive(Default)]
pub(super) struct Coplanar(std::collections::HashMap<[i64; 4], Vec<[Point; 3]>>);

impl Coplanar {
    /// Those in the same plane, looking the same way; `corners` is one of them from now on.
    pub fn add(&mut self, plane: &Plane, corners: &[Point; 3]) -> Vec<[Point; 3]> {
        const GRID: f64 = 1e7;
        let n = plane.normal;
        let exact = [n.x, n.y, n.z, plane.offset].map(|x| x * GRID);
        let mut found = Vec::new();
        // A plane near the edge of its cell of the grid is looked for in the next one, too.
        for side in 0..16u32 {
            let cell: [i64; 4] = std::array::from_fn(
                |i| if side & (1 << i) == 0 { exact[i].floor() } else { exact[i].ceil() } as i64,
            );
            found.extend(self.0.get(&cell).into_iter().flatten().copied());
        }
        let own = exact.map(|x| x.round() as i64);
        self.0.entry(own).or_default().push(*corners);
        let bounds = Aabb::around(*corners).expect("three corners");
        found.retain(|c| Aabb::around(*c).is_some_and(|b| b.overlaps(&bounds)));
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;

    fn at(x: f64, y: f64, z: f64) -> crate::spatial::Pose {
        pose_from_rpy([x, y, z], [0.0; 3])
    }

    /// Unit boxes that share a corner, stand on each other, lie in each other, share a face to the same side; a hollow, with
    /// something in it and with something through its wall.
    #[rstest::rstest]
    #[case::corners(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(0.5, 0.5, 0.5))], 1.875, 10.5)]
    #[case::on_each_other(vec![box_mesh([1.0; 3]), box_mesh([0.5; 3]).moved(&at(0.1, 0.0, 0.75))], 1.125, 7.0)]
    #[case::in_each_other(vec![box_mesh([1.0; 3]), box_mesh([0.5; 3])], 1.0, 6.0)]
    #[case::in_one_plane(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(0.25, 0.0, 0.0))], 1.25, 7.0)]
    #[case::twice_the_same(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3])], 1.0, 6.0)]
    #[case::apart(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(3.0, 0.0, 0.0))], 2.0, 12.0)]
    #[case::in_a_hollow(vec![box_mesh([3.0; 3]), box_mesh([2.0; 3]).turned_over(|_| true), box_mesh([1.0; 3])], 20.0, 84.0)]
    #[case::through_a_wall(vec![box_mesh([3.0; 3]), box_mesh([2.0; 3]).turned_over(|_| true), box_mesh([1.0, 1.0, 1.0]).moved(&at(1.25, 0.0, 0.0))], 19.5, 80.0)]
    fn what_is_shared_counts_once(
        #[case] shells: Vec<TriangleMesh>,
        #[case] volume: f64,
        #[case] area: f64,
    ) {
        let mass = united_mass(&TriangleMesh::merged(shells)).unwrap();
        assert!((mass.volume - volume).abs() < 1e-6, "{}", mass.volume);
        assert!((mass.area - area).abs() < 1e-6, "{}", mass.area);
    }

    /// A boss wholly inside a block, none of whose triangles the block's surface comes near; many more than are cut.
    #[test]
    fn what_lies_deep_inside_is_left_out_without_a_cut() {
        let ball = sphere_mesh(0.3, 64);
        let block = box_mesh([2.0; 3]);
        let through = box_mesh([0.2, 0.2, 3.0]);
        let mass = united_mass(&TriangleMesh::merged([ball, block, through])).unwrap();
        assert!(
            (mass.volume - (8.0 + 2.0 * 0.5 * 0.04)).abs() < 1e-6,
            "{}",
            mass.volume
        );
        assert!(
            (mass.area - (24.0 + 2.0 * 4.0 * 0.2 * 0.5)).abs() < 1e-6,
            "{}",
            mass.area
        );
    }

    /// Four hundred blocks under a plate.
    #[test]
    fn many_shells_at_once() {
        let many = (0..400)
            .map(|i| box_mesh([0.9; 3]).moved(&at(f64::from(i % 20), f64::from(i / 20), 0.0)));
        let plate = box_mesh([30.0, 30.0, 0.1]).moved(&at(9.5, 9.5, 0.45));
        let mass = united_mass(&TriangleMesh::merged(many.chain([plate]))).unwrap();
        // Half of the plate's thickness stands in the blocks.
        let expected = 400.0 * 0.9f64.powi(3) + 90.0 - 400.0 * 0.81 * 0.05;
        assert!(
            (mass.volume - expected).abs() < 1e-4,
            "{} {expected}",
            mass.volume
        );
    }

    /// Balls of radius r with middles d apart share a lens of π (4r + d) (2r − d)² / 12 (Weisstein, MathWorld, from memory).
    #[test]
    fn balls_share_a_lens() {
        let (r, d) = (1.0, 0.8);
        let ball = sphere_mesh(r, 48);
        let turned = ball.moved(&pose_from_rpy(
            [0.3, 0.5, (d * d - 0.34f64).sqrt()],
            [0.3, 0.2, 0.1],
        ));
        let both = united_mass(&TriangleMesh::merged([ball.clone(), turned])).unwrap();
        let lens = std::f64::consts::PI * (4.0 * r + d) * (2.0 * r - d).powi(2) / 12.0;
        let expected = 2.0 * mass_of(&ball).volume - lens;
        assert!(
            (both.volume / expected - 1.0).abs() < 3e-3,
            "{} {expected}",
            both.volume
        );
        let middle = pose_from_rpy([0.15, 0.25, 0.5 * (d * d - 0.34f64).sqrt()], [0.0; 3])
            .translation
            .vector;
        assert!(
            (both.centroid.coords - middle).norm() < 2e-3,
            "{}",
            both.centroid
        );
    }

    /// Two bodies of one item that stand in each other: a plate and a pin through it.
    #[test]
    fn bodies_at_their_poses_count_what_they_share_once() {
        let (plate, pin) = (
            Surface::new(box_mesh([0.4, 0.4, 0.02])),
            Surface::new(box_mesh([0.1, 0.1, 0.3])),
        );
        let both = [(&plate, at(1.0, 0.0, 0.0)), (&pin, at(1.0, 0.1, 0.0))];
        let mass = mass_together(&both).unwrap();
        assert!(
            (mass.volume - (0.4 * 0.4 * 0.02 + 0.1 * 0.1 * 0.28)).abs() < 1e-9,
            "{}",
            mass.volume
        );
        let plane = Plane::through(&Point::origin(), &Vector::y()).unwrap();
        let section = crate::section::cut_together(both, &plane);
        assert!(
            (section.area() - (0.4 * 0.02)).abs() < 1e-9,
            "{}",
            section.area()
        );
        let level = Plane::through(&Point::origin(), &Vector::z()).unwrap();
        let section = crate::section::cut_together(both, &level);
        assert!((section.area() - 0.16).abs() < 1e-9, "{}", section.area());
        let ball =
            Surface::of_shapes(&[(crate::mesh::Shape::Sphere { radius: 0.1 }, Pose::identity())])
                .unwrap();
        assert_eq!(
            mass_together(&[(&plate, at(0.0, 0.0, 0.0)), (&ball, at(0.0, 0.0, 0.05))]),
            None
        );
        let apart =
            mass_together(&[(&plate, at(0.0, 0.0, 0.0)), (&ball, at(0.0, 0.0, 0.5))]).unwrap();
        let exact = 0.0032 + 4.0 / 3.0 * std::f64::consts::PI * 1e-3;
        assert!((apart.volume - exact).abs() < 1e-12, "{}", apart.volume);
    }
}

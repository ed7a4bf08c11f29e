use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::single::SingleFloatOverlay;
use rayon::prelude::*;

use super::united_mass::{Coplanar, Solids};
use super::{Section, cut_surface};
use crate::mesh::{Containment, Mass, Shells, Surface, TriangleMesh};
use crate::spatial::{Aabb, Plane, Point, Vector};

/// So many triangles come near the other body at most: a second or two.
const MOST: usize = 300_000;

/// Area, volume and centroid of what two closed bodies share, however their own shells overlap; 0 where they are apart or
/// merely touch. `None` where one of them is open, where a crack leaves a cut open, or where it would take too long.
///
/// The surface of what is shared is, of every triangle of either, the part that has material of the other behind it and none
/// of its own body before it. That of the other is known from its section just behind the triangle's plane, that of its own
/// from the one just before; what two triangles of one plane share counts once. The divergence theorem makes the volume.
#[must_use]
pub fn shared_mass(a: &TriangleMesh, b: &TriangleMesh) -> Option<Mass> {
    let nothing = Mass {
        area: 0.0,
        volume: 0.0,
        centroid: a.bounds().centre(),
    };
    let Some(both) = common(&a.bounds(), &b.bounds()) else {
        return Some(nothing);
    };
    let shells = [a, b].map(Shells::of);
    if shells.iter().any(|s| !s.is_closed()) {
        return None;
    }
    let meshes: Vec<TriangleMesh> = [a, b]
        .iter()
        .zip(&shells)
        .map(|(mesh, shells)| mesh.turned_over(|i| shells.is_turned(i)))
        .collect();
    let solids: Vec<Solids> = meshes
        .iter()
        .zip(&shells)
        .map(|(mesh, shells)| Solids::of(mesh, shells))
        .collect();
    let mut planes = Coplanar::default();
    let mut faces = Vec::new();
    for (own, other) in [(0, 1), (1, 0)] {
        let mesh = &meshes[own];
        for index in 0..mesh.triangles().len() {
            let corners = mesh.corners(index);
            let bounds = Aabb::around(corners).expect("three corners");
            let plane = Plane::through(&corners[0], &mesh.area_vector(index));
            let Some(plane) = plane.filter(|_| bounds.overlaps(&both)) else {
                continue;
            };
            if faces.len() == MOST {
                return None;
            }
            let shell = solids[own].of_shell[shells[own].of_triangle(index)];
            faces.push(Face {
                earlier: planes.add(&plane, &corners),
                in_others: solids[other].near(usize::MAX, &corners),
                in_own: solids[own].near(shell, &corners),
                corners,
                plane,
                bounds,
            });
        }
    }
    let origin = both.centre();
    let parts: Vec<(f64, f64, Vector)> = faces
        .par_iter()
        .map(|face| face.part(&origin))
        .collect::<Option<_>>()?;
    let (area, cones, moment) = parts
        .iter()
        .fold((0.0, 0.0, Vector::zeros()), |(a, c, m), part| {
            (a + part.0, c + part.1, m + part.2)
        });
    if cones <= 0.0 {
        return Some(nothing);
    }
    Some(Mass {
        area,
        volume: cones / 3.0,
        centroid: origin + moment * 0.75 / cones,
    })
}

/// The lines in which two surfaces cross, as segments; `None` where it would take too long.
#[must_use]
pub fn crossing_lines(a: &TriangleMesh, b: &Surface) -> Option<Vec<[Point; 2]>> {
    let Some(both) = common(&a.bounds(), &b.mesh().bounds()) else {
        return Some(Vec::new());
    };
    let near = |&i: &usize| Aabb::around(a.corners(i)).is_some_and(|c| c.overlaps(&both));
    let near: Vec<usize> = (0..a.triangles().len()).filter(near).collect();
    if near.len() > MOST {
        return None;
    }
    let _ = b.hierarchy();
    let lines = near.par_iter().flat_map_iter(|&index| {
        let corners = a.corners(index);
        let normal = a.area_vector(index);
        let cut = Plane::through(&corners[0], &normal).map(|plane| cut_surface(b, &plane));
        let cut = cut.unwrap_or_default();
        let closed = cut.regions.iter().flat_map(|r| r.contours()).flat_map(|c| {
            let points = c.points();
            (0..points.len()).map(move |i| [points[i], points[(i + 1) % points.len()]])
        });
        let open = cut
            .open
            .iter()
            .flat_map(|line| line.windows(2))
            .map(|w| [w[0], w[1]]);
        let all = closed.chain(open);
        all.filter_map(|line| within(&line, &corners, &normal))
            .collect::<Vec<_>>()
    });
    Some(lines.collect())
}

/// What of a segment in the plane of a triangle lies in it.
fn within([p, q]: &[Point; 2], corners: &[Point; 3], normal: &Vector) -> Option<[Point; 2]> {
    let (mut from, mut to) = (0.0f64, 1.0f64);
    for i in 0..3 {
        let inwards = normal.cross(&(corners[(i + 1) % 3] - corners[i]));
        let (start, stop) = (
            inwards.dot(&(p - corners[i])),
            inwards.dot(&(q - corners[i])),
        );
        if start < 0.0 && stop < 0.0 {
            return None;
        }
        let share = start / (start - stop);
        if start < 0.0 {
            from = from.max(share);
        } else if stop < 0.0 {
            to = to.min(share);
        }
    }
    let at = |share: f64| p + (q - p) * share;
    (to > from).then(|| [at(from), at(to)])
}

/// The box that two share.
fn common(a: &Aabb, b: &Aabb) -> Option<Aabb> {
    a.overlaps(b).then(|| Aabb {
        min: a.min.sup(&b.min),
        max: a.max.inf(&b.max),
    })
}

/// A triangle, and what may cover it.
struct Face<'a> {
    corners: [Point; 3],
    plane: Plane,
    bounds: Aabb,
    in_others: Vec<&'a super::united_mass::Solid>,
    in_own: Vec<&'a super::united_mass::Solid>,
    /// Triangles before it in the same plane.
    earlier: Vec<[Point; 3]>,
}

/// What solids cover of a triangle's plane.
enum Cover {
    All,
    Of(Vec<Section>),
}

impl Face<'_> {
    /// Its part of the surface of what is shared: area, three times the cone over it from `origin`, the cone's moment.
    fn part(&self, origin: &Point) -> Option<(f64, f64, Vector)> {
        let before = Plane {
            normal: -self.plane.normal,
            offset: -self.plane.offset,
        };
        let others = self.cover(&self.in_others, &self.plane)?;
        let own = self.cover(&self.in_own, &before)?;
        let pieces = match (others, own) {
            (_, Cover::All) => Vec::new(),
            (Cover::All, Cover::Of(own)) => self.pieces(None, &own),
            (Cover::Of(others), Cover::Of(own)) => self.pieces(Some(&others), &own),
        };
        let mut sum = (0.0, 0.0, Vector::zeros());
        for piece in pieces {
            let [a, b, c] = piece.map(|p| p - origin);
            let own = (b - a).cross(&(c - a)).dot(&self.plane.normal) / 2.0;
            let cone = own * a.dot(&self.plane.normal);
            sum.0 += own;
            sum.1 += cone;
            sum.2 += (a + b + c) / 3.0 * cone;
        }
        Some(sum)
    }

    /// What solids cover of it just behind the side that `plane` faces.
    fn cover(&self, solids: &[&super::united_mass::Solid], plane: &Plane) -> Option<Cover> {
        let [a, b, c] = self.corners;
        let middle = Point::from((a.coords + b.coords + c.coords) / 3.0);
        let mut cuts = Vec::new();
        for solid in solids {
            if solid.boxes.iter().any(|b| b.overlaps(&self.bounds)) {
                let section = cut_surface(&solid.surface, plane);
                if !section.open.is_empty() {
                    return None;
                }
                cuts.push(section);
                continue;
            }
            match solid.surface.contains(&middle) {
                Containment::Inside => return Some(Cover::All),
                Containment::Outside => {}
                Containment::Undecided => return None,
            }
        }
        Some(Cover::Of(cuts))
    }

    /// The triangle within what others cover, all of it without such, but for what its own body covers and what came before.
    fn pieces(&self, others: Option<&[Section]>, own: &[Section]) -> Vec<[Point; 3]> {
        let (u, v) = self.plane.axes();
        let normal = self.plane.normal.into_inner();
        let flat = |p: &Point| [u.dot(&p.coords), v.dot(&p.coords)];
        let lifted = |p: &[f64; 2]| Point::from(u * p[0] + v * p[1] + normal * self.plane.offset);
        let outlines = |cuts: &[Section]| -> Vec<Vec<[f64; 2]>> {
            let contours = cuts
                .iter()
                .flat_map(|s| &s.regions)
                .flat_map(|r| r.contours());
            contours
                .map(|c| c.points().iter().map(flat).collect())
                .collect()
        };
        let mut left: Vec<Vec<Vec<[f64; 2]>>> = vec![vec![self.corners.iter().map(flat).collect()]];
        if let Some(others) = others {
            let clip = outlines(others);
            if clip.is_empty() {
                return Vec::new();
            }
            left = left.overlay_as::<i64>(&clip, OverlayRule::Intersect, FillRule::NonZero);
        }
        let mut taken = outlines(own);
        taken.extend(
            self.earlier
                .iter()
                .map(|c| c.iter().map(flat).collect::<Vec<_>>()),
        );
        if !taken.is_empty() && !left.is_empty() {
            left = left.overlay_as::<i64>(&taken, OverlayRule::Difference, FillRule::NonZero);
        }
        let fan = |contour: &Vec<[f64; 2]>| -> Vec<[Point; 3]> {
            let points: Vec<Point> = contour.iter().map(lifted).collect();
            points.windows(2).map(|w| [points[0], w[0], w[1]]).collect()
        };
        left.iter().flatten().flat_map(fan).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, mass_of, sphere_mesh};
    use crate::spatial::pose_from_rpy;
    use std::f64::consts::PI;

    fn at(x: f64, y: f64, z: f64) -> crate::spatial::Pose {
        pose_from_rpy([x, y, z], [0.0; 3])
    }

    fn moved(mesh: &TriangleMesh, x: f64, y: f64, z: f64) -> TriangleMesh {
        mesh.moved(&at(x, y, z))
    }

    /// Boxes in closed form.
    #[rstest::rstest]
    #[case::apart([2.0, 0.0, 0.0], [1.0; 3], 0.0)]
    #[case::touching([1.0, 0.0, 0.0], [1.0; 3], 0.0)]
    #[case::by_a_corner([0.75, 0.75, 0.75], [1.0; 3], 0.25 * 0.25 * 0.25)]
    #[case::through([0.0, 0.0, 0.0], [0.2, 0.3, 4.0], 0.2 * 0.3)]
    #[case::inside([0.1, 0.0, 0.0], [0.2, 0.3, 0.4], 0.2 * 0.3 * 0.4)]
    #[case::the_same([0.0, 0.0, 0.0], [1.0; 3], 1.0)]
    #[case::a_shared_face([0.25, 0.0, 0.0], [0.5, 1.0, 1.0], 0.5)]
    #[case::a_thin_film([0.999, 0.0, 0.0], [1.0; 3], 0.001)]
    fn boxes_share_what_geometry_says(
        #[case] by: [f64; 3],
        #[case] size: [f64; 3],
        #[case] volume: f64,
    ) {
        let pose = pose_from_rpy([3.0, -2.0, 1.0], [0.4, 0.3, -1.0]);
        let a = box_mesh([1.0; 3]);
        let b = moved(&box_mesh(size), by[0], by[1], by[2]);
        for (one, other) in [(&a, &b), (&b, &a)] {
            let here = shared_mass(one, other).unwrap().volume;
            assert!((here - volume).abs() < 1e-9 * volume.max(1e-3), "{here}");
            let there = shared_mass(&one.moved(&pose), &other.moved(&pose))
                .unwrap()
                .volume;
            assert!((there - volume).abs() < 1e-7 * volume.max(1e-2), "{there}");
        }
    }

    #[test]
    fn two_fine_balls_share_a_lens() {
        // V = π (4 R + d) (2 R − d)² / 12 for equal radii R, their centres d apart.
        let (radius, apart) = (0.1, 0.12);
        let ball = sphere_mesh(radius, 96);
        let shared = shared_mass(&ball, &moved(&ball, apart, 0.0, 0.0)).unwrap();
        let lens = PI * (4.0 * radius + apart) * (2.0 * radius - apart).powi(2) / 12.0;
        assert!(
            (shared.volume / lens - 1.0).abs() < 0.01,
            "{}",
            shared.volume / lens
        );
        assert!((shared.centroid - Point::new(apart / 2.0, 0.0, 0.0)).norm() < 1e-6);
        let whole = mass_of(&ball).volume;
        let same = shared_mass(&ball, &ball).unwrap().volume;
        assert!((same / whole - 1.0).abs() < 1e-9);
    }

    #[test]
    fn shells_of_one_body_count_once_and_open_bodies_not_at_all() {
        let cross = TriangleMesh::merged([box_mesh([1.0, 0.2, 0.2]), box_mesh([0.2, 1.0, 0.2])]);
        let plate = box_mesh([2.0, 2.0, 0.1]);
        let shared = shared_mass(&cross, &plate).unwrap().volume;
        assert!((shared - 0.1 * (0.2 + 0.2 - 0.04)).abs() < 1e-9, "{shared}");
        let open = TriangleMesh::from_indexed(plate.vertices(), &plate.triangles()[1..]).unwrap();
        assert_eq!(shared_mass(&cross, &open.mesh), None);
    }

    #[test]
    fn a_pin_through_a_plate_crosses_it_in_two_squares() {
        let plate = Surface::new(box_mesh([2.0, 2.0, 0.1]));
        let lines = crossing_lines(&box_mesh([0.2, 0.2, 1.0]), &plate).unwrap();
        let length: f64 = lines.iter().map(|[p, q]| (q - p).norm()).sum();
        assert!((length - 1.6).abs() < 1e-9, "{length}");
        assert!(
            lines
                .iter()
                .flatten()
                .all(|p| (p.z.abs() - 0.05).abs() < 1e-9)
        );
        let aside = moved(&box_mesh([0.2, 0.2, 1.0]), 5.0, 0.0, 0.0);
        assert!(crossing_lines(&aside, &plate).unwrap().is_empty());
    }

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig::with_cases(24))]
        /// With what is left it makes both; and it is the same from either side.
        #[test]
        fn what_is_shared_and_what_is_united_make_both(
            xyz in proptest::array::uniform3(-0.6..0.6f64), rpy in proptest::array::uniform3(-3.0..3.0f64),
        ) {
            let a = box_mesh([1.0, 0.8, 0.5]);
            let b = sphere_mesh(0.45, 16).moved(&pose_from_rpy(xyz, rpy));
            let shared = shared_mass(&a, &b).unwrap().volume;
            let back = shared_mass(&b, &a).unwrap().volume;
            let united = super::super::united_mass(&TriangleMesh::merged([a.clone(), b.clone()])).unwrap().volume;
            let both = mass_of(&a).volume + mass_of(&b).volume;
            proptest::prop_assert!((shared - back).abs() < 1e-9);
            proptest::prop_assert!((shared + united - both).abs() < 1e-8, "{} {}", shared, both - united);
        }
    }
}

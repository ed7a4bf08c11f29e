//! What sections take away, and the faces they leave: planes, slabs and corners, several at once.
//!
//! ```
//! use selvik_core::mesh::{Surface, box_mesh};
//! use selvik_core::section::{Cutaway, Removed};
//! use selvik_core::spatial::{Plane, Point, Pose, Vector};
//!
//! // An eighth taken out of a cube of one metre leaves three faces of a quarter of a square metre.
//! let planes = [Vector::x(), Vector::y(), Vector::z()]
//!     .map(|normal| Plane::through(&Point::origin(), &normal).expect("a direction"));
//! let eighth = Cutaway::new(vec![Removed::corner(planes).expect("they cross")]);
//! let cube = Surface::new(box_mesh([1.0; 3]));
//! let areas = eighth.faces([(&cube, Pose::identity())]).map(|face| face.section.area());
//! assert!(areas.zip([0.25; 3]).all(|(is, wanted)| (is - wanted).abs() < 1e-9)); // m²
//! ```

use super::mesh_plane::{Section, cut_together};
use super::restrict::{All, HalfPlane, Side, restricted, shared};
use crate::mesh::Surface;
use crate::spatial::{Plane, Point, Pose};

/// A piece of space that is taken away: all that lies in front of each of its planes.
#[derive(Debug, Clone, PartialEq)]
pub struct Removed(Vec<Plane>);

/// Directions nearer to each other than this make no corner, rad.
const ALONG: f64 = 1e-6;

impl Removed {
    /// All in front of a plane.
    #[must_use]
    pub fn before(plane: Plane) -> Self {
        Self(vec![plane])
    }

    /// What is taken away on both sides of a slab, of which `plane` bounds the front, so thick, m.
    #[must_use]
    pub fn round_slab(plane: Plane, thickness: f64) -> [Self; 2] {
        let back = Plane {
            normal: -plane.normal,
            offset: thickness - plane.offset,
        };
        [Self::before(plane), Self::before(back)]
    }

    /// What lies in front of two or three planes at once; `None` where two of them run along each other.
    #[must_use]
    pub fn corner(planes: impl IntoIterator<Item = Plane>) -> Option<Self> {
        let planes: Vec<Plane> = planes.into_iter().collect();
        let cross = |(at, one): (usize, &Plane)| {
            let others = planes[at + 1..].iter();
            others
                .map(|other| one.normal.cross(&other.normal).norm())
                .all(|sine| sine > ALONG)
        };
        let crossing = planes.iter().enumerate().all(cross);
        (crossing && !planes.is_empty()).then_some(Self(planes))
    }

    /// Its planes; it lies in front of each.
    #[must_use]
    pub fn planes(&self) -> &[Plane] {
        &self.0
    }

    /// Whether the point lies in it.
    #[must_use]
    pub fn holds(&self, point: &Point) -> bool {
        self.0.iter().all(|plane| plane.height(point) > 0.0)
    }

    /// What of `plane` lies in it, by the planes that bound it; all or nothing where none crosses. Where a plane of it
    /// is `plane` itself, all of that is taken if `same` says so.
    fn on(&self, plane: &Plane, same: bool) -> Result<Vec<HalfPlane>, All> {
        let mut halves = Vec::new();
        for own in &self.0 {
            match HalfPlane::of(own, plane) {
                Ok(half) => halves.push(half),
                Err(All(before)) => {
                    let taken = match coincide(own, plane) {
                        Some(Facing::Alike) => same,
                        // What is just behind the one is just in front of the other.
                        Some(Facing::EachOther) => true,
                        None => before,
                    };
                    if !taken {
                        return Err(All(false));
                    }
                }
            }
        }
        if halves.is_empty() {
            Err(All(true))
        } else {
            Ok(halves)
        }
    }
}

/// How two planes that are one face.
enum Facing {
    Alike,
    EachOther,
}

/// Whether two planes that do not cross are one, as far as anything is made, and how they face.
fn coincide(one: &Plane, other: &Plane) -> Option<Facing> {
    let alike = one.normal.dot(&other.normal) > 0.0;
    let offset = if alike { other.offset } else { -other.offset };
    let facing = if alike {
        Facing::Alike
    } else {
        Facing::EachOther
    };
    ((one.offset - offset).abs() < 1e-9).then_some(facing)
}

/// All that several sections take away.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Cutaway(Vec<Removed>);

/// A face that a cut leaves.
#[derive(Debug, Clone, PartialEq)]
pub struct Face {
    /// Which removed piece it bounds, and by which of its planes.
    pub removed: usize,
    /// Of the planes of that piece.
    pub nth: usize,
    /// The plane it lies in, which faces what was taken away.
    pub plane: Plane,
    /// Its outlines.
    pub section: Section,
}

impl Cutaway {
    /// All of these together.
    #[must_use]
    pub fn new(removed: Vec<Removed>) -> Self {
        Self(removed)
    }

    /// The pieces taken away.
    #[must_use]
    pub fn removed(&self) -> &[Removed] {
        &self.0
    }

    /// Whether the point is taken away.
    #[must_use]
    pub fn takes(&self, point: &Point) -> bool {
        self.0.iter().any(|removed| removed.holds(point))
    }

    /// The faces left of several bodies at their poses, one for each plane of each piece, in their order; empty ones, too.
    /// What the bodies share counts once, as does what two pieces leave in the same plane; what another piece takes away
    /// is left out.
    pub fn faces<'a>(
        &self,
        bodies: impl IntoIterator<Item = (&'a Surface, Pose)> + Clone,
    ) -> impl Iterator<Item = Face> {
        let planes = self.0.iter().enumerate().flat_map(|(at, removed)| {
            let indices = 0..removed.planes().len();
            indices.map(move |nth| (at, nth))
        });
        planes.map(move |(at, nth)| self.face(at, nth, bodies.clone()))
    }

    fn face<'a>(
        &self,
        at: usize,
        nth: usize,
        bodies: impl IntoIterator<Item = (&'a Surface, Pose)>,
    ) -> Face {
        let own = &self.0[at];
        let plane = own.planes()[nth];
        let mut section = cut_together(bodies, &plane);
        let others: Vec<Plane> = (own.planes().iter().enumerate())
            .filter(|&(other, _)| other != nth)
            .map(|(_, plane)| *plane)
            .collect();
        if let Some(rest) = Removed::corner(others) {
            section = match rest.on(&plane, false) {
                Ok(halves) => restricted(section, &plane, &halves, Side::Within),
                Err(All(true)) => section,
                Err(All(false)) => Section::default(),
            };
        }
        for (other, piece) in self.0.iter().enumerate().filter(|&(other, _)| other != at) {
            section = match piece.on(&plane, other < at) {
                Ok(halves) => restricted(section, &plane, &halves, Side::Without),
                Err(All(true)) => Section::default(),
                Err(All(false)) => section,
            };
        }
        Face {
            removed: at,
            nth,
            plane,
            section,
        }
    }
}

/// What two faces in the same plane have in common: where the bodies they are of overlap.
#[must_use]
pub fn overlap(one: &Section, other: &Section, plane: &Plane) -> Section {
    shared(one, other, plane)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh};
    use crate::spatial::{Vector, pose_from_rpy};
    use proptest::prelude::*;

    fn plane(point: [f64; 3], normal: [f64; 3]) -> Plane {
        Plane::through(&Point::from(point), &Vector::from(normal)).unwrap()
    }

    fn cube() -> Surface {
        Surface::new(box_mesh([1.0; 3]))
    }

    fn areas(cutaway: &Cutaway) -> Vec<f64> {
        let cube = cube();
        let faces = cutaway.faces([(&cube, Pose::identity())]);
        faces.map(|face| face.section.area()).collect()
    }

    fn close(found: &[f64], wanted: &[f64]) {
        let near = |(a, b): (&f64, &f64)| (a - b).abs() < 1e-9;
        assert!(
            found.len() == wanted.len() && found.iter().zip(wanted).all(near),
            "{found:?} for {wanted:?}"
        );
    }

    /// Faces of the cube of one metre, in closed form.
    #[rstest::rstest]
    #[case::a_plane(vec![Removed::before(plane([0.0; 3], [0.0, 0.0, 1.0]))], &[1.0])]
    #[case::a_slab(Removed::round_slab(plane([0.0, 0.0, 0.1], [0.0, 0.0, 1.0]), 0.2).to_vec(), &[1.0, 1.0])]
    #[case::a_slab_half_out_of_it(Removed::round_slab(plane([0.0, 0.0, 0.6], [0.0, 0.0, 1.0]), 0.2).to_vec(), &[0.0, 1.0])]
    #[case::a_quarter(vec![Removed::corner([plane([0.0; 3], [1.0, 0.0, 0.0]), plane([0.0; 3], [0.0, 1.0, 0.0])]).unwrap()], &[0.5, 0.5])]
    #[case::a_skew_corner(vec![Removed::corner([plane([0.0; 3], [0.0, 0.0, 1.0]), plane([0.0; 3], [1.0, 1.0, 0.0])]).unwrap()], &[0.5, 0.5 * std::f64::consts::SQRT_2])]
    #[case::two_planes(vec![Removed::before(plane([0.0, 0.0, 0.2], [0.0, 0.0, 1.0])), Removed::before(plane([0.1, 0.0, 0.0], [1.0, 0.0, 0.0]))], &[0.6, 0.7])]
    #[case::the_same_plane_twice(vec![Removed::before(plane([0.0; 3], [0.0, 0.0, 1.0])), Removed::before(plane([0.0; 3], [0.0, 0.0, 1.0]))], &[1.0, 0.0])]
    #[case::all_of_it(vec![Removed::before(plane([0.0; 3], [0.0, 0.0, 1.0])), Removed::before(plane([0.0; 3], [0.0, 0.0, -1.0]))], &[0.0, 0.0])]
    #[case::a_face_behind_a_corner(vec![Removed::before(plane([0.0, 0.0, -0.2], [0.0, 0.0, -1.0])), Removed::corner([plane([0.0; 3], [1.0, 0.0, 0.0]), plane([0.0; 3], [0.0, 1.0, 0.0])]).unwrap()], &[0.75, 0.35, 0.35])]
    fn faces_have_the_area_geometry_says(#[case] removed: Vec<Removed>, #[case] wanted: &[f64]) {
        close(&areas(&Cutaway::new(removed)), wanted);
    }

    #[test]
    fn planes_along_each_other_make_no_corner() {
        let up = plane([0.0; 3], [0.0, 0.0, 1.0]);
        assert_eq!(Removed::corner([up, up]), None);
        assert_eq!(Removed::corner([]), None);
    }

    #[test]
    fn open_lines_end_where_another_section_begins() {
        let whole = box_mesh([1.0; 3]);
        let open = TriangleMesh::from_indexed(whole.vertices(), &whole.triangles()[2..]).unwrap();
        let open = Surface::new(open.mesh);
        let length =
            |line: &Vec<Point>| -> f64 { line.windows(2).map(|w| (w[1] - w[0]).norm()).sum() };
        let all = |removed| {
            let faces = Cutaway::new(removed)
                .faces([(&open, Pose::identity())])
                .next();
            faces.unwrap().section.open.iter().map(length).sum::<f64>()
        };
        let level = Removed::before(plane([0.0, 0.0, 0.1], [0.0, 0.0, 1.0]));
        let side = Removed::before(plane([0.2, 0.0, 0.0], [1.0, 0.0, 0.0]));
        let before = all(vec![level.clone()]);
        let corner = |way: f64| {
            let side = plane([0.2, 0.0, 0.0], [way, 0.0, 0.0]);
            all(vec![Removed::corner([level.planes()[0], side]).unwrap()])
        };
        let after = all(vec![level.clone(), side]);
        assert!(before > after && (after + corner(1.0) - before).abs() < 1e-9);
        assert!((corner(1.0) + corner(-1.0) - before).abs() < 1e-9);
    }

    #[test]
    fn two_plates_overlap_where_both_are() {
        let level = plane([0.0; 3], [0.0, 0.0, 1.0]);
        let of = |x: f64| {
            let moved = pose_from_rpy([x, 0.0, 0.0], [0.0; 3]);
            cut_together([(&cube(), moved)], &level)
        };
        let both = overlap(&of(0.0), &of(0.75), &level);
        assert!((both.area() - 0.25).abs() < 1e-9);
        assert!(overlap(&of(0.0), &of(1.5), &level).regions.is_empty());
    }

    proptest! {
        /// What a corner takes of a face, and what it leaves of it, make the whole.
        #[test]
        fn what_is_taken_and_what_is_left_make_the_whole(
            point in prop::array::uniform3(-0.6f64..0.6),
            rpy in prop::array::uniform3(-3.0f64..3.0),
        ) {
            let turn = pose_from_rpy(point, rpy);
            let of = |axis: Vector| Plane::through(&Point::from(point), &(turn.rotation * axis)).unwrap();
            let level = plane([0.0, 0.0, 0.05], [0.0, 0.0, 1.0]);
            let Some(quarter) = Removed::corner([of(Vector::x()), of(Vector::y())]) else {
                return Ok(());
            };
            let left = areas(&Cutaway::new(vec![Removed::before(level), quarter.clone()]))[0];
            let corner = Removed::corner(std::iter::once(level).chain(quarter.planes().iter().copied()));
            let Some(corner) = corner else {
                return Ok(());
            };
            let taken = areas(&Cutaway::new(vec![corner]))[0];
            prop_assert!((left + taken - 1.0).abs() < 1e-7, "{} and {}", left, taken);
        }
    }
}

use nalgebra::Unit;
use rayon::prelude::*;

use super::rod::{Obstacle, Rod, WayIn};
use crate::spatial::{Point, Vector};

/// From where faces are looked at.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Light {
    /// From far away in this direction.
    Towards(Unit<Vector>),
    /// From a point.
    From(Point),
}

impl Light {
    /// Which way leads from `point` there, and how far it is, m.
    #[must_use]
    pub fn way(&self, point: &Point) -> Option<(WayIn, f64)> {
        let point = *point;
        match self {
            Self::Towards(out) => Some((WayIn { point, out: *out }, f64::INFINITY)),
            Self::From(eye) => {
                let to = eye - point;
                let out = Unit::try_new(to, 1e-9)?;
                Some((WayIn { point, out }, to.norm()))
            }
        }
    }
}

/// Whether a face can be come to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaceAccess {
    /// Nothing is in the way.
    Free,
    /// It looks the other way.
    Away,
    /// This obstacle is in the way first.
    Blocked(usize),
}

/// A piece of a face, small enough to be judged by its middle.
#[derive(Debug, Clone, PartialEq)]
pub struct FacePiece {
    /// In the world.
    pub corners: [Point; 3],
    /// m²
    pub area: f64,
    /// At its middle.
    pub access: FaceAccess,
}

/// What is seen from so nearly along itself (a sine) is not seen.
const EDGE_ON: f64 = 1e-7;

/// Judges triangles in the world (wound so that they face outwards) by the middles of some `pieces` pieces of about the same
/// size. A rod of infinite length is as long as it takes to leave everything behind.
#[must_use]
pub fn light_faces(
    triangles: &[[Point; 3]],
    obstacles: &[Obstacle],
    light: &Light,
    rod: &Rod,
    pieces: usize,
) -> Vec<FacePiece> {
    let whole: f64 = triangles.iter().map(area).sum();
    let most = whole / pieces.max(1) as f64;
    triangles
        .par_iter()
        .flat_map_iter(|triangle| divided(triangle, most))
        .map(|corners| {
            let [a, b, c] = corners;
            let normal = (b - a).cross(&(c - a));
            let middle = Point::from((a.coords + b.coords + c.coords) / 3.0);
            let access = match light.way(&middle) {
                // It is where one looks from.
                None => FaceAccess::Away,
                Some((way, _)) if normal.dot(&way.out) <= EDGE_ON * normal.norm() => {
                    FaceAccess::Away
                }
                Some((way, far)) => {
                    let found = way.blocked(obstacles, &rod.from_as_far(far));
                    found.map_or(FaceAccess::Free, |b| FaceAccess::Blocked(b.by))
                }
            };
            FacePiece {
                area: area(&corners),
                corners,
                access,
            }
        })
        .collect()
}

fn area([a, b, c]: &[Point; 3]) -> f64 {
    (b - a).cross(&(c - a)).norm() / 2.0
}

/// A triangle in parts that are hardly larger than `most`, m²: its longest edge is halved again and again.
fn divided(triangle: &[Point; 3], most: f64) -> Vec<[Point; 3]> {
    let mut open = vec![*triangle];
    let mut done = Vec::new();
    while let Some(part) = open.pop() {
        if area(&part) <= most.max(1e-12) * 1.5 {
            done.push(part);
            continue;
        }
        let length = |i: usize| (part[(i + 1) % 3] - part[i]).norm_squared();
        let longest = (0..3)
            .max_by(|&i, &j| length(i).total_cmp(&length(j)))
            .expect("three");
        let (p, q, r) = (
            part[longest],
            part[(longest + 1) % 3],
            part[(longest + 2) % 3],
        );
        let middle = nalgebra::center(&p, &q);
        open.push([p, middle, r]);
        open.push([middle, q, r]);
    }
    done
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Surface, box_mesh};
    use crate::spatial::Pose;
    use rstest::rstest;

    fn share(pieces: &[FacePiece], of: impl Fn(FaceAccess) -> bool) -> f64 {
        let all: f64 = pieces.iter().map(|p| p.area).sum();
        let these = pieces.iter().filter(|p| of(p.access));
        these.map(|p| p.area).sum::<f64>() / all
    }

    /// A floor of a square metre under a plate of half its length and width: a quarter of it is hidden from far above, four
    /// times as much from a point as high over the plate as that is over the floor.
    #[rstest]
    #[case(Light::Towards(Vector::z_axis()), 0.25)]
    #[case(Light::From(Point::new(0.0, 0.0, 1.0)), 1.0)]
    #[case(Light::From(Point::new(0.0, 0.0, 2.5)), 0.390_625)]
    fn a_plate_hides_what_geometry_says(#[case] light: Light, #[case] hidden: f64) {
        let floor = Surface::new(box_mesh([1.0, 1.0, 0.1]));
        let plate = Surface::new(box_mesh([0.5, 0.5, 1e-6]));
        let obstacles = [
            Obstacle::new(&floor, Pose::translation(0.0, 0.0, -0.05)),
            Obstacle::new(&plate, Pose::translation(0.0, 0.0, 0.5)),
        ];
        let mesh = floor.mesh();
        let down = Pose::translation(0.0, 0.0, -0.05);
        let all = (0..mesh.triangles().len()).map(|t| mesh.corners(t).map(|p| down * p));
        let top: Vec<[Point; 3]> = all.filter(|c| c.iter().all(|p| p.z.abs() < 1e-9)).collect();
        let far = Rod::sight(f64::INFINITY);
        let found = light_faces(&top, &obstacles, &light, &far, 6000);
        assert!((4000..12_000).contains(&found.len()));
        let by_plate = share(&found, |a| a == FaceAccess::Blocked(1));
        assert!((by_plate - hidden).abs() < 0.02, "{by_plate} {hidden}");
        assert!((share(&found, |a| a == FaceAccess::Free) - (1.0 - hidden)).abs() < 0.02);
    }

    /// Sides that lie along the view look away, however they are turned by rounding.
    #[test]
    fn what_is_seen_edge_on_is_not_seen() {
        let block = Surface::new(box_mesh([0.2, 0.3, 0.4]));
        let pose = Pose::translation(0.3, 0.1, 0.2) * Pose::rotation(Vector::z() * 0.7);
        let mesh = block.mesh();
        let all = (0..mesh.triangles().len()).map(|t| mesh.corners(t).map(|p| pose * p));
        let obstacles = [Obstacle::new(&block, pose)];
        let up = Light::Towards(Unit::new_normalize(Vector::z()));
        let all: Vec<[Point; 3]> = all.collect();
        let found = light_faces(&all, &obstacles, &up, &Rod::sight(f64::INFINITY), 600);
        assert!(
            found
                .iter()
                .all(|p| !matches!(p.access, FaceAccess::Blocked(_)))
        );
        let top = 0.2 * 0.3 / (2.0 * (0.2 * 0.3 + 0.2 * 0.4 + 0.3 * 0.4));
        assert!((share(&found, |a| a == FaceAccess::Free) - top).abs() < 1e-9);
    }

    /// Of a block three sides look at a corner, three away; nothing of it hides itself.
    #[test]
    fn half_of_a_block_looks_away() {
        let block = Surface::new(box_mesh([0.2, 0.2, 0.2]));
        let mesh = block.mesh();
        let all: Vec<[Point; 3]> = (0..mesh.triangles().len())
            .map(|t| mesh.corners(t))
            .collect();
        let obstacles = [Obstacle::new(&block, Pose::identity())];
        let corner = Light::Towards(Unit::new_normalize(Vector::new(1.0, 1.0, 1.0)));
        let found = light_faces(&all, &obstacles, &corner, &Rod::sight(f64::INFINITY), 600);
        assert!((share(&found, |a| a == FaceAccess::Away) - 0.5).abs() < 1e-9);
        assert!((share(&found, |a| a == FaceAccess::Free) - 0.5).abs() < 1e-9);
    }
}

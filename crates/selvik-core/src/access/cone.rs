use std::f64::consts::{FRAC_PI_2, PI};

use nalgebra::Unit;
use rayon::prelude::*;

use super::rod::{Obstacle, Rod, WayIn};
use crate::spatial::{Point, Vector};

/// The directions from which a point can be come to.
#[derive(Debug, Clone, PartialEq)]
pub struct Cone {
    /// The middle of the widest round cone that was found.
    pub axis: Unit<Vector>,
    /// Nothing is in the way within this angle of it, rad: certain, not only at the directions that were tried.
    pub half_angle: f64,
    /// Directions that were tried, evenly spread, and whether each is free.
    pub tried: Vec<(Unit<Vector>, bool)>,
}

/// So many directions are tried over a half ball.
const DIRECTIONS: usize = 800;
/// How far apart they are about, rad.
const APART: f64 = 0.09;
/// How often the widest cone is looked for closer by.
const CLOSER: u32 = 24;
/// A triangle as near to the point lies in it, m.
const TOUCHING: f64 = 1e-5;

/// The free directions for `rod` to come to `point`, on the side to which `normal` points; on all sides without one. `None` where
/// every direction that was tried is blocked.
#[must_use]
pub fn free_cone(
    obstacles: &[Obstacle],
    point: &Point,
    normal: Option<&Unit<Vector>>,
    rod: &Rod,
) -> (Vec<(Unit<Vector>, bool)>, Option<Cone>) {
    let count = if normal.is_some() {
        DIRECTIONS
    } else {
        2 * DIRECTIONS
    };
    let ahead = |out: &Unit<Vector>| normal.is_none_or(|n| n.dot(out) > 0.0);
    let tried: Vec<(Unit<Vector>, bool)> = spread(2 * DIRECTIONS)
        .filter(ahead)
        .take(count)
        .collect::<Vec<_>>()
        .into_par_iter()
        .map(|out| {
            let way = WayIn { point: *point, out };
            (out, way.blocked(obstacles, rod).is_none())
        })
        .collect();
    let free = tried.par_iter().filter(|(_, free)| *free);
    let wide = |axis: &Unit<Vector>| clear_about(obstacles, point, axis, normal, rod);
    let straight = normal.into_par_iter().copied();
    let axes = free.map(|(axis, _)| *axis).chain(straight);
    let best = axes.map(|axis| (axis, wide(&axis)));
    let best = best.max_by(|a, b| a.1.total_cmp(&b.1));
    let cone = best.map(|mut best| {
        let mut step = APART;
        for _ in 0..CLOSER {
            let (u, v) = square_to(&best.0);
            let round = (0..6).map(|i| f64::from(i) * PI / 3.0);
            let near =
                round.map(|t| Unit::new_normalize(*best.0 + (u * t.cos() + v * t.sin()) * step));
            let better = near
                .filter(|axis| ahead(axis))
                .map(|axis| (axis, wide(&axis)))
                .max_by(|a, b| a.1.total_cmp(&b.1))
                .filter(|found| found.1 > best.1);
            match better {
                Some(found) => best = found,
                None => step /= 2.0,
            }
        }
        Cone {
            axis: best.0,
            half_angle: best.1,
            tried: tried.clone(),
        }
    });
    let is_free = |cone: &Cone| {
        let (point, out) = (*point, cone.axis);
        cone.half_angle > 0.0 && WayIn { point, out }.blocked(obstacles, rod).is_none()
    };
    (tried, cone.filter(is_free))
}

/// Directions evenly spread over a ball: a spiral by the golden angle.
fn spread(count: usize) -> impl Iterator<Item = Unit<Vector>> {
    let golden = PI * (3.0 - 5f64.sqrt());
    (0..count).map(move |i| {
        let z = 1.0 - (2.0 * i as f64 + 1.0) / count as f64;
        let (sin, cos) = (golden * i as f64).sin_cos();
        let r = (1.0 - z * z).max(0.0).sqrt();
        Unit::new_normalize(Vector::new(r * cos, r * sin, z))
    })
}

fn square_to(axis: &Unit<Vector>) -> (Vector, Vector) {
    let aside = if axis.z.abs() < 0.9 {
        Vector::z()
    } else {
        Vector::x()
    };
    let u = axis.cross(&aside).normalize();
    (u, axis.cross(&u))
}

/// How wide a cone about `axis` is certainly free, rad; 0 where none is.
fn clear_about(
    obstacles: &[Obstacle],
    point: &Point,
    axis: &Unit<Vector>,
    normal: Option<&Unit<Vector>>,
    rod: &Rod,
) -> f64 {
    // What the point lies on is behind it.
    let mut clear = normal.map_or(PI, |n| FRAC_PI_2 - n.dot(axis).clamp(-1.0, 1.0).acos());
    for obstacle in obstacles {
        let p = obstacle.back * point;
        let a = obstacle.back * **axis;
        let mut open = vec![0u32];
        while let Some(index) = open.pop() {
            let node = obstacle.tree.node(index);
            let to = Vector::from(node.centre) - p.coords;
            let (away, round) = (to.norm(), node.size.sqrt());
            if away - round > rod.length + rod.radius {
                continue;
            }
            if away > round {
                let nearest = away - round;
                let least = a.angle(&to) - (round / away).asin() - needs(rod, nearest);
                if least >= clear {
                    continue;
                }
            }
            if !node.is_leaf() {
                open.extend(obstacle.tree.below(&node));
                continue;
            }
            for at in node.first as usize..(node.first + node.count) as usize {
                let corners = obstacle.tree.corners()[at].map(|c| Point::from(c) - p);
                clear = clear.min(clear_of(&corners, &a, rod));
            }
        }
        if clear <= 0.0 {
            return 0.0;
        }
    }
    clear
}

/// By how much (rad) a rod needs more room than a line to pass something that is no nearer than `out`, m.
///
/// Beside the rod, at a distance ρ from the point, that is asin(r/ρ). Beside its round end, whose middle is tip + r out, a
/// line from the point touches it at asin(r/(tip + r)), the most there is.
fn needs(rod: &Rod, out: f64) -> f64 {
    if rod.radius == 0.0 {
        return 0.0;
    }
    (rod.radius / out.max(rod.tip + rod.radius)).asin()
}

/// How wide a cone about `axis` is free of one triangle, seen from its apex, rad.
fn clear_of(corners: &[Vector; 3], axis: &Vector, rod: &Rod) -> f64 {
    let normal = (corners[1] - corners[0]).cross(&(corners[2] - corners[0]));
    let nearest = nearest_on(corners);
    if nearest > rod.length + rod.radius {
        return PI;
    }
    if nearest < TOUCHING {
        // The apex lies in it: it takes the half of all directions behind its plane, unless it is a line.
        let size = normal.norm();
        let lean = if size > 0.0 {
            (normal.dot(axis) / size).abs().min(1.0).acos()
        } else {
            0.0
        };
        return FRAC_PI_2 - lean - needs(rod, 0.0);
    }
    let through = pierced(corners, axis);
    let edges = (0..3).map(|i| edge_off(&corners[i], &corners[(i + 1) % 3], axis));
    let off = if through {
        0.0
    } else {
        edges.fold(PI, f64::min)
    };
    off - needs(rod, nearest)
}

/// Whether the ray along `axis` from the origin goes through a triangle.
fn pierced([a, b, c]: &[Vector; 3], axis: &Vector) -> bool {
    let sides = [
        a.cross(b).dot(axis),
        b.cross(c).dot(axis),
        c.cross(a).dot(axis),
    ];
    let one_way = sides.iter().all(|s| *s >= 0.0) || sides.iter().all(|s| *s <= 0.0);
    // Ahead, not behind: where its plane is met. Its middle may lie behind even then.
    let normal = (b - a).cross(&(c - a));
    let (high, along) = (normal.dot(a), normal.dot(axis));
    one_way && along != 0.0 && high / along > 0.0
}

/// The smallest angle between `axis` and what leads from the origin to a point between `p` and `q`, rad.
fn edge_off(p: &Vector, q: &Vector, axis: &Vector) -> f64 {
    let d = q - p;
    // Where the cosine is largest: its derivative along the edge is 0.
    let (ap, ad, pp, pd, dd) = (axis.dot(p), axis.dot(&d), p.dot(p), p.dot(&d), d.dot(&d));
    let below = ap * dd - ad * pd;
    let inner = (below != 0.0).then(|| (ad * pp - ap * pd) / below);
    let inner = inner.filter(|t| (0.0..=1.0).contains(t)).map(|t| p + d * t);
    let places = [Some(*p), Some(*q), inner].into_iter().flatten();
    places.map(|r| axis.angle(&r)).fold(PI, f64::min)
}

/// How far the origin is from a triangle, m.
fn nearest_on(corners: &[Vector; 3]) -> f64 {
    let triangle = corners.map(Point::from);
    crate::clearance::triangle_distance(&triangle, &[Point::origin(); 3])
        .squared
        .sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{Surface, box_mesh, cylinder_mesh};
    use crate::spatial::Pose;
    use proptest::prelude::*;

    /// At the bottom of a well of four walls, 200 mm wide and 300 mm high, the widest cone stands upright; its walls' upper edges
    /// are nearest to it in their middles.
    #[test]
    fn out_of_a_square_well_one_sees_a_cone() {
        let wall = |x: f64, y: f64| {
            let surface = Surface::new(box_mesh(if x == 0.0 {
                [0.3, 0.1, 0.3]
            } else {
                [0.1, 0.3, 0.3]
            }));
            (surface, Pose::translation(x, y, 0.15))
        };
        let walls = [
            wall(0.15, 0.0),
            wall(-0.15, 0.0),
            wall(0.0, 0.15),
            wall(0.0, -0.15),
        ];
        let obstacles: Vec<Obstacle> = walls.iter().map(|(s, p)| Obstacle::new(s, *p)).collect();
        let up = Vector::z_axis();
        let (tried, cone) = free_cone(&obstacles, &Point::origin(), Some(&up), &Rod::sight(5.0));
        let cone = cone.expect("free upwards");
        let truth = (0.1f64 / 0.3).atan();
        assert!(
            cone.half_angle <= truth + 1e-9,
            "{} {truth}",
            cone.half_angle
        );
        assert!(
            cone.half_angle > truth - 0.01,
            "{} {truth}",
            cone.half_angle
        );
        assert!(cone.axis.z > 0.999);
        let share = tried.iter().filter(|(_, free)| *free).count() as f64 / tried.len() as f64;
        // The solid angle of the opening (a rectangle seen from above its middle) over that of a half ball.
        let (a, d) = (0.1f64, 0.3f64);
        let open = 4.0 * (a * a / (d * (2.0 * a * a + d * d).sqrt())).atan() / (2.0 * PI);
        assert!((share - open).abs() < 0.01, "{share} {open}");
        // A rod of 60 mm needs room: at the upper edges, 316 mm away.
        let rod = Rod {
            radius: 0.03,
            tip: 0.02,
            length: 5.0,
        };
        let (_, thick) = free_cone(&obstacles, &Point::origin(), Some(&up), &rod);
        let thick = thick.map_or(0.0, |cone| cone.half_angle);
        assert!(thick < cone.half_angle - 0.05, "{thick}");
    }

    #[test]
    fn under_a_lid_nothing_is_free() {
        let lid = Surface::new(box_mesh([50.0, 50.0, 0.1]));
        let obstacles = [Obstacle::new(&lid, Pose::translation(0.0, 0.0, 0.1))];
        let (tried, cone) = free_cone(
            &obstacles,
            &Point::origin(),
            Some(&Vector::z_axis()),
            &Rod::sight(500.0),
        );
        assert!(tried.iter().filter(|(_, free)| *free).count() < tried.len() / 50);
        assert!(cone.is_none_or(|c| c.half_angle < 0.01));
    }

    /// A large wall seen from near its end: its middle lies behind, where the ray meets it does not.
    #[test]
    fn a_wall_is_in_the_way_though_its_middle_lies_behind() {
        let wall = [
            Vector::new(0.007, -9.0, -1.0),
            Vector::new(0.007, 0.5, -1.0),
            Vector::new(0.007, 0.5, 1.0),
        ];
        let ahead = Vector::new(1.0, 0.3, 0.0).normalize();
        let rod = Rod::sight(f64::INFINITY);
        assert_eq!(clear_of(&wall, &ahead, &rod), 0.0);
        assert!(clear_of(&wall, &-ahead, &rod) > 1.0);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        /// Whatever direction is within the cone is free: it is certain, not sampled.
        #[test]
        fn every_direction_within_the_cone_is_free(
            at in prop::array::uniform3(-0.5f64..0.5),
            radius in prop_oneof![Just(0.0f64), 0.002f64..0.05],
            directions in prop::collection::vec((0.0f64..1.0, 0.0f64..6.2), 200),
        ) {
            let post = Surface::new(cylinder_mesh(0.07, 0.5, 24));
            let block = Surface::new(box_mesh([0.2, 0.3, 0.2]));
            let floor = Surface::new(box_mesh([2.0, 2.0, 0.1]));
            let obstacles = [
                Obstacle::new(&floor, Pose::translation(0.0, 0.0, -0.05)),
                Obstacle::new(&post, Pose::translation(0.3, 0.1, 0.5)),
                Obstacle::new(&post, Pose::rotation(Vector::x()) * Pose::translation(-0.2, 0.1, 0.4)),
                Obstacle::new(&block, Pose::translation(at[0], at[1], 0.45 + at[2] * 0.2)),
            ];
            let rod = Rod { radius, tip: 0.05, length: 2.0 };
            let point = Point::origin();
            let (_, cone) = free_cone(&obstacles, &point, Some(&Vector::z_axis()), &rod);
            if let Some(cone) = cone {
                let (u, v) = square_to(&cone.axis);
                for (share, t) in directions {
                    let off = cone.half_angle * share * 0.9999;
                    let out = *cone.axis * off.cos() + (u * t.cos() + v * t.sin()) * off.sin();
                    let way = WayIn { point, out: Unit::new_normalize(out) };
                    prop_assert!(way.blocked(&obstacles, &rod).is_none(), "{} of {}", off, cone.half_angle);
                }
            }
        }
    }
}

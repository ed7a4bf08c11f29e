use std::f64::consts::{PI, TAU};

use super::region_cut::{Cut, Surface, once};
use crate::robot::{Arm, Assembly, OrthoParallelArm};
use crate::spatial::{Plane, Point, Pose, Vector};

/// Where an arm with an ortho-parallel base can take the centre of its wrist, within the limits of its first three joints.
///
/// What bounds it are surfaces on which a joint stands at a limit, the arm is stretched or folded, or the wrist comes
/// as near to the first axis as its lateral offset lets it (the places where the Jacobian of the first three joints loses a rank).
/// An outline is where a plane meets those surfaces, as far as there is a side of them that can't be reached. Every
/// point of it is worked out in closed form.
#[derive(Debug, Clone)]
pub struct WristRegion {
    arm: OrthoParallelArm,
    /// The paper's base frame in the world.
    frame: Pose,
    /// Between which angles the first three joints go, rad.
    angles: [(f64, f64); 3],
}

impl WristRegion {
    /// Of `arm`, whose base stands at `base` in the world; `None` for arms of another build.
    #[must_use]
    pub fn of(assembly: &Assembly, arm: &Arm, base: &Pose) -> Option<Self> {
        let closed = arm.ortho_parallel()?;
        let angles = std::array::from_fn(|i| {
            let limits = &assembly.joints()[arm.joints()[i]].limits;
            closed.angles_within(i, &limits.position)
        });
        Some(Self {
            frame: base * closed.paper_frame(),
            arm: closed.clone(),
            angles,
        })
    }

    /// Whether the wrist's centre can be taken to `point` in the world.
    #[must_use]
    pub fn contains(&self, point: &Point) -> bool {
        self.reaches(&(self.frame.inverse() * point).coords)
    }

    /// The plane of the arm while its wrist is at `wrist`: through the first axis and it. Where it lies on the axis, any.
    #[must_use]
    pub fn plane_through(&self, wrist: &Point) -> Plane {
        let axis = self.frame.rotation * Vector::z();
        let origin = Point::from(self.frame.translation.vector);
        let across = axis.cross(&(wrist - origin));
        let any = self.frame.rotation * Vector::y();
        Plane::through(wrist, &across)
            .filter(|_| across.norm() > 1e-6)
            .or_else(|| Plane::through(&origin, &any))
            .expect("a direction")
    }

    /// The outline of the region in `plane`, as lines in the world.
    #[must_use]
    pub fn outline(&self, plane: &Plane) -> Vec<Vec<Point>> {
        let plane = plane.seen_from(&self.frame);
        let cut = Cut {
            region: self,
            n: plane.normal.into_inner(),
            d: plane.offset,
        };
        let mut lines = Vec::new();
        for surface in self.surfaces() {
            cut.trace(&surface, &mut lines);
        }
        if self.arm.a1.abs().max(self.arm.b.abs()) < 1e-9 {
            lines = once(lines);
        }
        let world = |line: Vec<Vector>| line.iter().map(|p| self.frame * Point::from(*p)).collect();
        lines.into_iter().map(world).collect()
    }

    pub(super) fn arm(&self) -> &OrthoParallelArm {
        &self.arm
    }

    /// Between which angles the first joint goes, rad.
    pub(super) fn first(&self) -> (f64, f64) {
        self.angles[0]
    }

    /// Whether it can be taken to `c` in the paper's base frame.
    pub(super) fn reaches(&self, c: &Vector) -> bool {
        let Ok(found) = self.arm.arm_angles(c) else {
            return false;
        };
        let within = |(angle, (low, high)): (f64, (f64, f64))| {
            // The first that is not below the range, whole turns counted.
            low + (angle - low).rem_euclid(TAU) <= high
        };
        let all = |(angles, ..): ([f64; 3], _, _)| angles.into_iter().zip(self.angles).all(within);
        found.into_iter().flatten().any(all)
    }

    /// How the angles of each posture that takes the wrist to `c` stand to their limits, whole turns counted: what changes
    /// where anything of it begins or ends to be reached.
    pub(super) fn stand(&self, c: &Vector) -> [[(i16, i16); 3]; 4] {
        const NONE: [(i16, i16); 3] = [(i16::MIN, 0); 3];
        let Ok(found) = self.arm.arm_angles(c) else {
            return [NONE; 4];
        };
        let turns = |angle: f64, limit: f64| ((angle - limit) / TAU).floor() as i16;
        let stands = |(angles, ..): ([f64; 3], _, _)| {
            std::array::from_fn(|i| {
                let (low, high) = self.angles[i];
                (turns(angles[i], low), turns(angles[i], high))
            })
        };
        found.map(|posture| posture.map_or(NONE, stands))
    }

    fn surfaces(&self) -> Vec<Surface> {
        let arm = &self.arm;
        let k = arm.a2.hypot(arm.c3);
        // Where the forearm from elbow to wrist points along the upper arm, and back along it.
        let bend = arm.a2.atan2(arm.c3);
        let [first, second, third] = self.angles;
        let limited = |(low, high): (f64, f64)| high - low < TAU;
        let turned = |(low, high): (f64, f64)| {
            if limited((low, high)) {
                (low, high)
            } else {
                (-PI, PI)
            }
        };
        let shoulder = [arm.a1, arm.c1];
        let mut all = Vec::new();
        let mut elbows = vec![-bend, PI - bend];
        if limited(third) {
            elbows.extend([third.0, third.1]);
        }
        for theta3 in elbows {
            // The wrist in the upper arm's frame, which turns about the shoulder.
            let (x, z) = (
                arm.a2 * theta3.cos() + arm.c3 * theta3.sin(),
                arm.c2 - arm.a2 * theta3.sin() + arm.c3 * theta3.cos(),
            );
            let turn = turned(second);
            all.push(Surface::Turned {
                centre: shoulder,
                radius: x.hypot(z),
                from: turn.0 + x.atan2(z),
                to: turn.1 + x.atan2(z),
            });
        }
        if limited(second) {
            for theta2 in [second.0, second.1] {
                let (sin, cos) = theta2.sin_cos();
                let turn = turned(third);
                all.push(Surface::Turned {
                    centre: [shoulder[0] + arm.c2 * sin, shoulder[1] + arm.c2 * cos],
                    radius: k,
                    from: theta2 + turn.0 + bend,
                    to: theta2 + turn.1 + bend,
                });
            }
        }
        let far = arm.a1.abs() + arm.c2 + k;
        let heights = (arm.c1 - arm.c2 - k, arm.c1 + arm.c2 + k);
        if limited(first) {
            all.extend([first.0, first.1].map(|theta| Surface::Halted {
                theta,
                far,
                heights,
            }));
        }
        if arm.b.abs() > 1e-9 {
            all.push(Surface::Inner { heights });
        }
        all
    }
}

#[cfg(test)]
mod tests {
    use super::super::region_cut::turned_by;
    use super::*;
    use crate::spatial::pose_from_rpy;
    use proptest::prelude::*;

    /// An arm standing up at zero, of the paper's `[a1, a2, b, c1, c2, c3]` (m), with limits in degrees.
    fn region([a1, a2, b, c1, c2, c3]: [f64; 6], limits: [(f64, f64); 3]) -> WristRegion {
        let (y, z) = (Vector::y(), Vector::z());
        let wrist = Point::new(a1 + a2, b, c1 + c2 + c3);
        let axes = [
            (Point::origin(), z),
            (Point::new(a1, 0.0, c1), y),
            (Point::new(a1, 0.0, c1 + c2), y),
            (wrist, z),
            (wrist, y),
            (wrist, z),
        ];
        let arm = OrthoParallelArm::fit(&axes, &Pose::translation(wrist.x, wrist.y, wrist.z));
        WristRegion {
            arm: arm.expect("ortho-parallel"),
            frame: pose_from_rpy([0.4, -0.2, 0.1], [0.0, 0.0, 0.3]),
            angles: limits.map(|(low, high)| (low.to_radians(), high.to_radians())),
        }
    }

    const WHOLE: (f64, f64) = (-180.0, 180.0);

    fn length(lines: &[Vec<Point>]) -> f64 {
        let pieces = lines.iter().flat_map(|line| line.windows(2));
        pieces.map(|w| (w[1] - w[0]).norm()).sum()
    }

    /// Without offsets and limits what can be reached is a shell about the shoulder: any plane through it cuts two circles.
    #[test]
    fn of_an_arm_without_offsets_it_is_a_shell() {
        let region = region([0.0, 0.0, 0.0, 0.5, 0.6, 0.4], [WHOLE; 3]);
        let shoulder = region.frame * Point::new(0.0, 0.0, 0.5);
        for normal in [
            Vector::x(),
            Vector::new(1.0, 2.0, 0.5),
            Vector::new(0.3, 0.1, 5.0),
        ] {
            let plane = Plane::through(&shoulder, &normal).expect("a direction");
            let outline = region.outline(&plane);
            let off = |p: &Point| {
                let from = (p - shoulder).norm();
                (from - 1.0).abs().min((from - 0.2).abs())
            };
            assert!(outline.iter().flatten().all(|p| off(p) < 1e-9));
            let whole = TAU * 1.2;
            assert!(
                (length(&outline) / whole - 1.0).abs() < 1e-3,
                "{} {whole}",
                length(&outline)
            );
        }
        // A metre and a half up, beyond the shell by half a metre, there is nothing.
        let above = shoulder + Vector::z() * 1.5;
        let plane = Plane::through(&above, &Vector::z()).expect("a direction");
        assert!(region.outline(&plane).is_empty());
    }

    /// Half a metre over the shoulder of an arm of a metre: a circle by Pythagoras, as far as the first joint turns.
    #[test]
    fn at_a_height_it_is_a_circle_as_far_as_the_first_joint_turns() {
        let limits = [(-90.0, 90.0), WHOLE, WHOLE];
        let region = region([0.0, 0.0, 0.0, 0.5, 0.5, 0.5], limits);
        let plane = Plane::through(&(region.frame * Point::new(0.0, 0.0, 1.0)), &Vector::z());
        let outline = region.outline(&plane.expect("a direction"));
        // The shoulder leans back over itself: the other half is reached, too.
        let round = TAU * (1.0f64 - 0.25).sqrt();
        assert!(
            (length(&outline) / round - 1.0).abs() < 1e-3,
            "{}",
            length(&outline)
        );
        let leaning = [(-90.0, 90.0), (0.0, 180.0), (0.0, 1e-7)];
        let ahead = WristRegion {
            angles: leaning.map(|(a, b): (f64, f64)| (a.to_radians(), b.to_radians())),
            ..region
        };
        let point = |x: f64| ahead.frame * Point::new(x, 0.0, 0.5);
        assert!(ahead.contains(&point(1.0)) && !ahead.contains(&point(-1.0)));
    }

    /// How often a ray in the plane from `point` crosses the outline; `None` where it passes an end of a line: lines that touch
    /// each other there run within what is looked beside them.
    fn crossings(lines: &[Vec<Point>], plane: &Plane, point: &Point) -> Option<usize> {
        let (u, v) = plane.axes();
        let flat = |p: &Point| ((p - point).dot(&u), (p - point).dot(&v));
        // A direction that no line of the outline follows.
        let (sin, cos) = 0.7317f64.sin_cos();
        let turned = |(x, y): (f64, f64)| (x * cos + y * sin, y * cos - x * sin);
        let mut ends = lines
            .iter()
            .flat_map(|line| [line[0], line[line.len() - 1]]);
        if ends.any(|p| turned(flat(&p)).1.abs() < 2e-3) {
            return None;
        }
        let pieces = lines.iter().flat_map(|line| line.windows(2));
        let crossed = pieces.filter(|w| {
            let (a, b) = (turned(flat(&w[0])), turned(flat(&w[1])));
            let across = (a.1 > 0.0) != (b.1 > 0.0);
            across && a.0 + (b.0 - a.0) * a.1 / (a.1 - b.1) > 0.0
        });
        Some(crossed.count())
    }

    fn limits() -> impl Strategy<Value = (f64, f64)> {
        (-200.0f64..100.0, 20.0f64..380.0).prop_map(|(low, by)| (low, low + by))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]

        /// Wherever joints within their limits take it, the wrist is in the region.
        #[test]
        fn whatever_joints_reach_is_in_the_region(
            sizes in (0.02f64..0.3, -0.1f64..0.2, -0.1f64..0.1, 0.2f64..0.6, 0.3f64..0.9, 0.3f64..0.9),
            limits in prop::array::uniform3(limits()),
            share in prop::array::uniform3(0.001f64..0.999),
        ) {
            let (a1, a2, b, c1, c2, c3) = sizes;
            let region = region([a1, a2, b, c1, c2, c3], limits);
            let q: Vec<f64> = (0..3).map(|i| {
                let (low, high) = limits[i];
                (low + (high - low) * share[i]).to_radians()
            }).collect();
            let x = a1 + c2 * q[1].sin() + a2 * (q[1] + q[2]).cos() + c3 * (q[1] + q[2]).sin();
            let z = c1 + c2 * q[1].cos() - a2 * (q[1] + q[2]).sin() + c3 * (q[1] + q[2]).cos();
            let p = region.frame * Point::from(turned_by(q[0], x, b, z));
            prop_assert!(region.contains(&p));
        }

        /// The outline is closed and parts what can be reached from what can't: a ray crosses it an odd number of times from
        /// just where one can.
        #[test]
        fn the_outline_parts_what_can_be_reached_from_what_cannot(
            sizes in (0.02f64..0.3, -0.1f64..0.2, -0.1f64..0.1, 0.2f64..0.6, 0.3f64..0.9, 0.3f64..0.9),
            limits in prop::array::uniform3(limits()),
            normal in prop::array::uniform3(-1.0f64..1.0),
            level in 0u8..4,
            through in prop::array::uniform3(-0.6f64..0.8),
            points in prop::collection::vec((-1.8f64..1.8, -1.8f64..1.8), 40),
        ) {
            let (a1, a2, b, c1, c2, c3) = sizes;
            // Where a limit is the stretched arm two surfaces are one, and both are drawn.
            let stretched = |limit: f64| (limit.to_radians() + a2.atan2(c3)).sin().abs() < 1e-2;
            prop_assume!(!stretched(limits[2].0) && !stretched(limits[2].1));
            let region = region([a1, a2, b, c1, c2, c3], limits);
            let normal = match level {
                0 => Vector::z(),
                1 => Vector::new(normal[0], normal[1], 0.0),
                _ => Vector::from(normal),
            };
            prop_assume!(normal.norm() > 0.05);
            let middle = region.frame * Point::from(Vector::from(through));
            let plane = Plane::through(&middle, &normal).expect("a direction");
            let outline = region.outline(&plane);
            let (u, v) = plane.axes();
            for (x, y) in points {
                let p = middle + u * x + v * y;
                let near = outline.iter().flatten().any(|q| (q - p).norm() < 0.03);
                if near {
                    continue;
                }
                let Some(crossed) = crossings(&outline, &plane, &p) else {
                    continue;
                };
                prop_assert_eq!(crossed % 2 == 1, region.contains(&p), "{:?} {:?}", p, limits);
            }
        }
    }
}

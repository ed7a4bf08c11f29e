//! Closed-form inverse kinematics of arms with an ortho-parallel base and a spherical wrist, after
//! M. Brandstötter, A. Angerer, M. Hofbaur, "An Analytical Solution of the Inverse Kinematics
//! Problem of Industrial Serial Manipulators with an Ortho-parallel Basis and a Spherical Wrist",
//! Austrian Robotics Workshop 2014.

use std::f64::consts::{PI, TAU};

use nalgebra::{Matrix3, Rotation3, Translation3, UnitQuaternion};

use super::{Configuration, Elbow, Shoulder, Span, Wrist};
use crate::spatial::{Point, Pose, Vector};

/// The paper's parameters of an arm, found from its axes, with the frames that tie them to the
/// arm's own zero position. The tool length c4 of the paper is part of `flange`.
#[derive(Debug, Clone)]
pub struct OrthoParallelArm {
    /// Distance of axis 2 from axis 1, m.
    pub a1: f64,
    /// Offset of the elbow, m.
    pub a2: f64,
    /// Lateral offset of the wrist, m.
    pub b: f64,
    /// Height of axis 2, m.
    pub c1: f64,
    /// Length of the upper arm, m.
    pub c2: f64,
    /// Length of the forearm, m.
    pub c3: f64,
    /// The paper's base frame in the arm's base link.
    origin: Pose,
    /// The arm's flange in the paper's last frame (at the wrist centre).
    flange: Pose,
    /// The paper's angles at the arm's own zero.
    zero: [f64; 6],
    /// −1 where the arm's second joint turns against the paper's, which leans the arm forwards.
    second_sign: f64,
    /// −1 where the arm's third joint turns against the paper's.
    third_sign: f64,
}

/// How far the wrist centre lies outside the region an arm can take it to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum WristReach {
    /// Beyond the stretched arm, by so many metres.
    TooFar(f64),
    /// Nearer than the folded arm, by so many metres.
    TooNear(f64),
}

/// The paper's first three angles, rad, and the posture they are of.
pub(crate) type ArmAngles = ([f64; 3], Shoulder, Elbow);

const TOLERANCE: f64 = 1e-6;

impl OrthoParallelArm {
    /// Recognises the geometry from the six joint axes (a point on each and its direction) and the
    /// flange, all in the base link's frame with every joint at 0. `None` for other geometries.
    #[must_use]
    pub fn fit(axes: &[(Point, Vector); 6], flange: &Pose) -> Option<Self> {
        let direction = |i: usize| axes[i].1.normalize();
        let z = direction(0);
        let second_sign = Self::leaning(axes);
        let y = direction(1) * second_sign;
        let orthogonal = |u: &Vector, v: &Vector| u.dot(v).abs() < TOLERANCE;
        let third_sign = direction(2).dot(&y);
        let fits = orthogonal(&z, &y)
            && (third_sign.abs() - 1.0).abs() < TOLERANCE
            && orthogonal(&direction(3), &y)
            && orthogonal(&direction(3), &direction(4))
            && orthogonal(&direction(4), &direction(5));
        if !fits {
            return None;
        }
        let x = y.cross(&z);
        let wrist = meeting_point(&axes[3], &axes[4])?;
        let off_sixth = (wrist - axes[5].0).cross(&direction(5)).norm();
        if off_sixth > TOLERANCE {
            return None;
        }
        let base = axes[0].0;
        let origin = Pose::from_parts(
            Translation3::from(base.coords),
            UnitQuaternion::from_rotation_matrix(&Rotation3::from_matrix_unchecked(
                Matrix3::from_columns(&[x, y, z]),
            )),
        );
        let local = |p: &Point| origin.inverse() * p;
        let turned = |v: &Vector| origin.rotation.inverse() * v;
        let (second, third, centre) = (local(&axes[1].0), local(&axes[2].0), local(&wrist));
        let (a1, c1) = (second.x, second.z);
        let (dx, dz) = (third.x - second.x, third.z - second.z);
        let c2 = dx.hypot(dz);
        let theta2 = dx.atan2(dz);
        let fourth = turned(&direction(3));
        let theta23 = fourth.x.atan2(fourth.z);
        let (wx, wz) = (centre.x - third.x, centre.z - third.z);
        let (sin, cos) = theta23.sin_cos();
        let (a2, c3) = (wx * cos - wz * sin, wx * sin + wz * cos);
        if c2 < TOLERANCE || a2.hypot(c3) < TOLERANCE {
            return None;
        }
        let (x_turned, z_turned) = (Vector::new(cos, 0.0, -sin), Vector::new(sin, 0.0, cos));
        let fifth = turned(&direction(4));
        let theta4 = (-fifth.dot(&x_turned)).atan2(fifth.y);
        let across = x_turned * theta4.cos() + Vector::y() * theta4.sin();
        let sixth = turned(&direction(5));
        let theta5 = sixth.dot(&across).atan2(sixth.dot(&z_turned));
        let zero = [0.0, theta2, theta23 - theta2, theta4, theta5, 0.0];
        let mut arm = Self {
            a1,
            a2,
            b: centre.y,
            c1,
            c2,
            c3,
            origin,
            flange: Pose::identity(),
            zero,
            second_sign,
            third_sign: third_sign.signum(),
        };
        arm.flange = (origin * arm.paper_forward(&zero)).inverse() * flange;
        Some(arm)
    }

    /// 1 where the second axis points so that turning about it leans the arm the way it heads, −1 where against. An arm
    /// heads the way its second axis stands out from the first, or else the way its wrist, or its elbow, stands out at
    /// zero; which way an axis is drawn says nothing.
    fn leaning(axes: &[(Point, Vector); 6]) -> f64 {
        let (z, y) = (axes[0].1.normalize(), axes[1].1.normalize());
        let ahead = |p: &Point| y.cross(&z).dot(&(p - axes[0].0));
        let wrist = meeting_point(&axes[3], &axes[4]).unwrap_or(axes[4].0);
        let out = [&axes[1].0, &wrist, &axes[2].0].map(ahead);
        let first = out.into_iter().find(|x| x.abs() > 1e-4);
        if first.is_some_and(|x| x < 0.0) {
            -1.0
        } else {
            1.0
        }
    }

    /// The flange in the base link's frame for the arm's own joint values (rad).
    #[must_use]
    pub fn forward(&self, q: &[f64; 6]) -> Pose {
        let mut theta = self.zero;
        for i in 0..6 {
            theta[i] += q[i] * self.sign(i);
        }
        self.origin * self.paper_forward(&theta) * self.flange
    }

    fn paper_forward(&self, theta: &[f64; 6]) -> Pose {
        let (s1, co1) = theta[0].sin_cos();
        let (s2, co2) = theta[1].sin_cos();
        let (s23, co23) = (theta[1] + theta[2]).sin_cos();
        let x = self.a1 + self.c2 * s2 + self.a2 * co23 + self.c3 * s23;
        let z = self.c1 + self.c2 * co2 - self.a2 * s23 + self.c3 * co23;
        let turn = |axis, angle| UnitQuaternion::from_axis_angle(&axis, angle);
        let (about_y, about_z) = (Vector::y_axis(), Vector::z_axis());
        Pose::from_parts(
            Translation3::new(x * co1 - self.b * s1, x * s1 + self.b * co1, z),
            turn(about_z, theta[0])
                * turn(about_y, theta[1] + theta[2])
                * turn(about_z, theta[3])
                * turn(about_y, theta[4])
                * turn(about_z, theta[5]),
        )
    }

    /// All joint values (rad, each in −π..π) that take the flange to `target` in the base link's
    /// frame, in the paper's order of postures; limits are not looked at. Where the wrist is
    /// stretched (a singularity) only the sum of angles 4 and 6 counts and angle 4 stays 0.
    ///
    /// # Errors
    /// [`WristReach`] when no posture reaches.
    pub fn inverse(&self, target: &Pose) -> Result<Vec<([f64; 6], Configuration)>, WristReach> {
        let end = self.origin.inverse() * target * self.flange.inverse();
        let rotation = end.rotation.to_rotation_matrix();
        let e = rotation.matrix();
        let mut found = Vec::with_capacity(8);
        for (arm, shoulder, elbow) in self
            .arm_angles(&end.translation.vector)?
            .into_iter()
            .flatten()
        {
            let (sin1, cos1) = arm[0].sin_cos();
            let (s23, c23) = (arm[1] + arm[2]).sin_cos();
            // The third row and column of R36 = (Rz θ1 · Ry θ23)ᵀ · E, and what θ4, θ6 need.
            let row0 = |j: usize| (e[(0, j)] * cos1 + e[(1, j)] * sin1) * c23 - e[(2, j)] * s23;
            let row1 = |j: usize| e[(1, j)] * cos1 - e[(0, j)] * sin1;
            let row2 = |j: usize| (e[(0, j)] * cos1 + e[(1, j)] * sin1) * s23 + e[(2, j)] * c23;
            let (r02, r12, r22) = (row0(2), row1(2), row2(2));
            let sine5 = r02.hypot(r12);
            let theta5 = sine5.atan2(r22);
            let (theta4, theta6) = if sine5 > 1e-9 {
                (r12.atan2(r02), row2(1).atan2(-row2(0)))
            } else {
                (
                    0.0,
                    if r22 > 0.0 {
                        row1(0).atan2(row0(0))
                    } else {
                        row1(0).atan2(-row0(0))
                    },
                )
            };
            let plus = Configuration {
                shoulder,
                elbow,
                wrist: Wrist::Positive,
            };
            let minus = Configuration {
                wrist: Wrist::Negative,
                ..plus
            };
            found.push((self.own(arm, [theta4, theta5, theta6]), plus));
            if sine5 > 1e-9 {
                found.push((self.own(arm, [theta4 + PI, -theta5, theta6 - PI]), minus));
            }
        }
        Ok(found)
    }

    /// The paper's first three angles (rad) that take the wrist's centre to `c` in the paper's base frame, with the posture
    /// of each; limits are not looked at.
    ///
    /// # Errors
    /// [`WristReach`] when no posture reaches.
    pub(crate) fn arm_angles(&self, c: &Vector) -> Result<[Option<ArmAngles>; 4], WristReach> {
        let radius_squared = c.x * c.x + c.y * c.y - self.b * self.b;
        if radius_squared < 0.0 {
            let radius = c.x.hypot(c.y);
            return Err(WristReach::TooNear(self.b.abs() - radius));
        }
        let reach = radius_squared.sqrt();
        let nx1 = reach - self.a1;
        let bearing = c.y.atan2(c.x);
        let aside = self.b.atan2(reach);
        let height = c.z - self.c1;
        let k2 = self.a2 * self.a2 + self.c3 * self.c3;
        let k = k2.sqrt();
        let bend = self.a2.atan2(self.c3);

        let mut found = [None; 4];
        let mut miss: Option<WristReach> = None;
        for (front, shoulder) in [Shoulder::Front, Shoulder::Back].into_iter().enumerate() {
            let (theta1, across) = match shoulder {
                Shoulder::Front => (bearing - aside, nx1),
                Shoulder::Back => (bearing + aside - PI, -(nx1 + 2.0 * self.a1)),
            };
            let s_squared = across * across + height * height;
            let s = s_squared.sqrt();
            let at_shoulder = (s_squared + self.c2 * self.c2 - k2) / (2.0 * s * self.c2);
            let at_elbow = (s_squared - self.c2 * self.c2 - k2) / (2.0 * self.c2 * k);
            let (Some(beta), Some(gamma)) = (arc_cosine(at_shoulder), arc_cosine(at_elbow)) else {
                miss = Some(nearer(miss, self.miss(s, k)));
                continue;
            };
            let towards = across.atan2(height);
            // Bent away from the way the arm leans, the elbow stands above the line to the wrist.
            let leans = if across >= 0.0 { 1.0 } else { -1.0 };
            for (up, elbow) in [Elbow::Up, Elbow::Down].into_iter().enumerate() {
                let side = if elbow == Elbow::Up { leans } else { -leans };
                let theta2 = towards - side * beta;
                let theta3 = side * gamma - bend;
                found[front * 2 + up] = Some(([theta1, theta2, theta3], shoulder, elbow));
            }
        }
        match miss {
            Some(miss) if found.iter().all(Option::is_none) => Err(miss),
            _ => Ok(found),
        }
    }

    /// How the wrist centre lies outside the ring between the folded and the stretched arm.
    fn miss(&self, distance: f64, forearm: f64) -> WristReach {
        let beyond = distance - (self.c2 + forearm);
        if beyond > 0.0 {
            WristReach::TooFar(beyond)
        } else {
            WristReach::TooNear((self.c2 - forearm).abs() - distance)
        }
    }

    fn sign(&self, joint: usize) -> f64 {
        match joint {
            1 => self.second_sign,
            2 => self.third_sign,
            _ => 1.0,
        }
    }

    /// The paper's angles as the arm's own joint values.
    fn own(&self, arm: [f64; 3], wrist: [f64; 3]) -> [f64; 6] {
        let theta = [arm[0], arm[1], arm[2], wrist[0], wrist[1], wrist[2]];
        std::array::from_fn(|i| {
            let value = theta[i] - self.zero[i];
            wrap(value * self.sign(i))
        })
    }

    /// The paper's base frame in the arm's base link.
    pub(crate) fn paper_frame(&self) -> &Pose {
        &self.origin
    }

    /// Between which angles of the paper (rad) a joint goes whose own values keep to `span`.
    pub(crate) fn angles_within(&self, joint: usize, span: &Span) -> (f64, f64) {
        let ends = [span.low(), span.high()].map(|q| self.zero[joint] + q * self.sign(joint));
        (ends[0].min(ends[1]), ends[0].max(ends[1]))
    }

    /// The wrist's centre in the base link's frame for the arm's own joint values (rad).
    #[must_use]
    pub fn wrist(&self, q: &[f64; 6]) -> Point {
        let wrist = self.forward(q) * self.flange.inverse();
        Point::from(wrist.translation.vector)
    }

    /// The paper's fifth angle (rad) for the arm's own joint values: 0 where the wrist is stretched.
    #[must_use]
    pub fn wrist_bend(&self, q: &[f64; 6]) -> f64 {
        q[4] + self.zero[4]
    }

    /// How far the arm is stretched at the joint values `q`: distance of the wrist centre from axis
    /// 2 over the longest there is, 0..1.
    #[must_use]
    pub fn stretch(&self, q: &[f64; 6]) -> Option<f64> {
        let theta3 = self.zero[2] + q[2] * self.third_sign;
        let (sin, cos) = theta3.sin_cos();
        let x = self.a2 * cos + self.c3 * sin;
        let z = self.c2 - self.a2 * sin + self.c3 * cos;
        let longest = self.wrist_reach();
        (longest > 0.0).then(|| x.hypot(z) / longest)
    }

    /// The most that the arm is stretched (m) while its joints go straight from `a` to `b` (rad).
    #[must_use]
    pub fn stretch_between(&self, a: &[f64; 6], b: &[f64; 6]) -> f64 {
        let ends = [a, b].map(|q| self.stretch(q).unwrap_or(1.0));
        // Stretched where the forearm points along the upper arm.
        let bend = self.a2.atan2(self.c3);
        let turns = [a, b].map(|q| (self.zero[2] + q[2] * self.third_sign + bend) / TAU);
        let (low, high) = (turns[0].min(turns[1]), turns[0].max(turns[1]));
        if low.ceil() <= high {
            1.0
        } else {
            ends[0].max(ends[1])
        }
    }

    /// Longest distance (m) of the wrist centre from axis 2.
    #[must_use]
    pub fn wrist_reach(&self) -> f64 {
        self.c2 + self.a2.hypot(self.c3)
    }
}

fn nearer(a: Option<WristReach>, b: WristReach) -> WristReach {
    let size = |w: &WristReach| match w {
        WristReach::TooFar(x) | WristReach::TooNear(x) => *x,
    };
    match a {
        Some(a) if size(&a) <= size(&b) => a,
        _ => b,
    }
}

/// The arc cosine, forgiving what rounding adds at the stretched arm.
fn arc_cosine(x: f64) -> Option<f64> {
    (x.abs() <= 1.0 + 1e-10).then(|| x.clamp(-1.0, 1.0).acos())
}

/// The same angle in −π..π.
fn wrap(angle: f64) -> f64 {
    if angle.abs() <= PI {
        angle
    } else {
        angle - TAU * (angle / TAU).round()
    }
}

/// Where two lines meet; `None` if they are parallel or pass each other.
fn meeting_point(a: &(Point, Vector), b: &(Point, Vector)) -> Option<Point> {
    let (u, v) = (a.1.normalize(), b.1.normalize());
    let across = u.cross(&v);
    let square = across.norm_squared();
    if square < TOLERANCE {
        return None;
    }
    let between = b.0 - a.0;
    let on_a = a.0 + u * (between.cross(&v).dot(&across) / square);
    let on_b = b.0 + v * (between.cross(&u).dot(&across) / square);
    ((on_a - on_b).norm() < TOLERANCE).then(|| nalgebra::center(&on_a, &on_b))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spatial::rotation_angle;
    use proptest::prelude::*;

    /// An arm standing up at zero with the given parameters, its flange `c4` above the wrist.
    fn upright([a1, a2, b, c1, c2, c3, c4]: [f64; 7]) -> OrthoParallelArm {
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
        let flange = Pose::from_parts((wrist.coords + z * c4).into(), UnitQuaternion::identity());
        OrthoParallelArm::fit(&axes, &flange).unwrap()
    }

    fn agrees(arm: &OrthoParallelArm, q: [f64; 6]) -> Result<(), TestCaseError> {
        let target = arm.forward(&q);
        let solutions = arm.inverse(&target).unwrap();
        let mut seen = false;
        for (solution, _) in &solutions {
            let again = arm.forward(solution);
            prop_assert!((again.translation.vector - target.translation.vector).norm() < 1e-8);
            prop_assert!(rotation_angle(&again, &target) < 1e-6);
            seen |= (0..6).all(|i| wrap(solution[i] - q[i]).abs() < 1e-5);
        }
        prop_assert!(seen, "{q:?} is not among {solutions:?}");
        Ok(())
    }

    /// The same arm with its second and third axes drawn the one way and the other, as with α₁ = −90° and +90° in standard
    /// Denavit–Hartenberg tables (Siciliano et al., ch. 2.9: the anthropomorphic arm has +90°): what it does is called the
    /// same.
    #[rstest::rstest]
    #[case::stretched_forwards([0.0, 0.0, 0.3, 0.5, 0.45], 0.4)]
    #[case::with_an_offset([0.15, 0.05, 0.3, 0.5, 0.45], -0.2)]
    fn postures_do_not_depend_on_which_way_axes_are_drawn(
        #[case] arm: [f64; 5],
        #[case] lean: f64,
    ) {
        let [a1, b, c1, c2, c3] = arm;
        let drawn = |sign: f64| {
            let (x, y, z) = (Vector::x(), Vector::y() * sign, Vector::z());
            // Horizontal at zero.
            let wrist = Point::new(a1 + c2 + c3, b, c1);
            let axes = [
                (Point::origin(), z),
                (Point::new(a1, 0.0, c1), y),
                (Point::new(a1 + c2, 0.0, c1), y),
                (wrist, x),
                (wrist, Vector::y()),
                (wrist, x),
            ];
            OrthoParallelArm::fit(&axes, &Pose::translation(wrist.x + 0.1, b, c1)).unwrap()
        };
        let (one, other) = (drawn(1.0), drawn(-1.0));
        let q = [0.3, lean, 0.9, 0.2, 0.7, -0.4];
        let target = one.forward(&q);
        let (mine, theirs) = (
            one.inverse(&target).unwrap(),
            other.inverse(&target).unwrap(),
        );
        assert_eq!(mine.len(), theirs.len());
        for (q, posture) in &mine {
            let mirrored = [q[0], -q[1], -q[2], q[3], q[4], q[5]];
            let same = |p: &[f64; 6]| (0..6).all(|i| wrap(p[i] - mirrored[i]).abs() < 1e-6);
            let (_, called) = theirs
                .iter()
                .find(|(p, _)| same(p))
                .expect("the same posture");
            assert_eq!(called, posture, "{q:?}");
        }
        // What reaches ahead of itself is in front.
        let (_, own) = mine
            .iter()
            .find(|(p, _)| (0..6).all(|i| wrap(p[i] - q[i]).abs() < 1e-6))
            .expect("itself");
        assert_eq!(own.shoulder, Shoulder::Front);
    }

    proptest! {
        #[test]
        fn every_solution_reaches_the_pose_and_the_given_one_is_among_them(
            q in prop::array::uniform6(-3.0f64..3.0),
            p in (0.0f64..0.4, -0.3f64..0.3, -0.2f64..0.2, 0.2f64..0.8, 0.3f64..1.0, 0.3f64..1.0),
        ) {
            prop_assume!(q[4].abs() > 0.01);
            let arm = upright([p.0, p.1, p.2, p.3, p.4, p.5, 0.1]);
            // Skip the stretched and folded elbow, where two solutions become one.
            let bend = (q[2] + p.1.atan2(p.5)).sin();
            prop_assume!(bend.abs() > 0.01);
            let wrist = arm.paper_forward(&[0.0, q[1], q[2], 0.0, 0.0, 0.0]).translation;
            prop_assume!(wrist.x.abs() > 0.01);
            agrees(&arm, q)?;
        }
    }

    /// With all offsets zero the wrist follows the two-link planar arm of the textbooks:
    /// cos of the elbow = (x² + z² − a² − b²) / 2ab (Craig, ch. 4.4).
    #[test]
    fn the_elbow_obeys_the_law_of_cosines() {
        let arm = upright([0.0, 0.0, 0.0, 0.0, 0.6, 0.5, 0.0]);
        let target = Pose::from_parts(Translation3::new(0.7, 0.0, 0.3), UnitQuaternion::identity());
        let expected = ((0.7f64 * 0.7 + 0.3 * 0.3 - 0.36 - 0.25) / (2.0 * 0.6 * 0.5)).acos();
        let solutions = arm.inverse(&target).unwrap();
        assert_eq!(solutions.len(), 8);
        for (q, _) in solutions {
            assert!((q[2].abs() - expected).abs() < 1e-12, "{q:?}");
        }
    }

    #[test]
    fn eight_postures_have_eight_names() {
        let arm = upright([0.05, -0.1, 0.05, 0.4, 0.7, 0.8, 0.1]);
        let target = arm.forward(&[0.4, 0.1, 1.9, 0.3, 0.9, -0.4]);
        let names: std::collections::HashSet<_> = arm
            .inverse(&target)
            .unwrap()
            .into_iter()
            .map(|(_, c)| c)
            .collect();
        assert_eq!(names.len(), 8);
    }

    #[test]
    fn out_of_reach_says_by_how_much() {
        let arm = upright([0.0, 0.0, 0.0, 0.5, 0.6, 0.5, 0.0]);
        let at =
            |x: f64| Pose::from_parts(Translation3::new(x, 0.0, 0.5), UnitQuaternion::identity());
        let Err(WristReach::TooFar(by)) = arm.inverse(&at(1.25)) else {
            panic!("it reached")
        };
        assert!((by - 0.15).abs() < 1e-12);
        let Err(WristReach::TooNear(by)) = arm.inverse(&at(0.04)) else {
            panic!("it reached")
        };
        assert!((by - 0.06).abs() < 1e-12);
    }

    #[test]
    fn a_stretched_wrist_still_gives_the_pose() {
        let arm = upright([0.15, -0.1, 0.0, 0.4, 0.7, 0.8, 0.1]);
        let target = arm.forward(&[0.4, 0.5, 0.6, 0.3, 0.0, -0.9]);
        for (q, _) in arm.inverse(&target).unwrap() {
            assert!(rotation_angle(&arm.forward(&q), &target) < 1e-7);
        }
    }
}

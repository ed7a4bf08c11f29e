//! Closed forms for arms that are not ortho-parallel: six axes of which the last or the first three meet in a point, or
//! of which three next to each other within the arm are parallel, and arms whose axes are all parallel.
//!
//! After A. Elias, J. Wen, "IK-Geo: Unified Robot Inverse Kinematics Using Subproblem Decomposition", 2022. What the
//! decomposition finds is sharpened by Newton's method, so that axes that meet or are parallel but for the rounding of their
//! file are exact in the end.

use nalgebra::{DMatrix, DVector, Matrix2, Matrix6xX, Unit, Vector2, Vector3, Vector6};

use super::jacobian::twist;
use super::subproblem::{Carried, Line, angle_pairs, angles, turn};
use crate::spatial::{Point, Pose, Vector};

/// A joint as seen from the base with all joints at 0.
#[derive(Debug, Clone, Copy)]
pub(super) struct Screw {
    pub line: Line,
    pub turns: bool,
}

impl Screw {
    fn motion(&self, value: f64) -> Pose {
        if !self.turns {
            return Pose::from_parts(
                (self.line.along * value).into(),
                nalgebra::UnitQuaternion::identity(),
            );
        }
        let turn =
            nalgebra::UnitQuaternion::from_axis_angle(&Unit::new_unchecked(self.line.along), value);
        Pose::from_parts(
            (self.line.point.coords - turn * self.line.point.coords).into(),
            turn,
        )
    }
}

/// An arm with a closed form.
#[derive(Debug, Clone)]
pub(super) struct ClosedForm {
    screws: Vec<Screw>,
    /// The tip with all joints at 0.
    tip: Pose,
    family: Family,
}

#[derive(Debug, Clone)]
enum Family {
    /// Six turns of some build, from the base or, in that order, from the tip.
    Six {
        axes: Box<[Line; 6]>,
        build: Build,
        from_tip: bool,
    },
    /// Three turns and a slide, all parallel.
    Upright { turning: [usize; 3], sliding: usize },
}

#[derive(Debug, Clone)]
enum Build {
    /// Axes 4 to 6 meet in this point.
    Wrist(Point),
    /// Axes 2 to 4 are parallel.
    Parallel,
}

/// Why an arm with a closed form does not reach a pose, whatever its limits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Miss {
    /// m
    TooFar(f64),
    /// m
    TooNear(f64),
    /// The tool can't be tilted so, rad.
    Tilted(f64),
    /// Somewhere in between.
    Unknown,
}

/// Points this near are one and directions this near parallel, m and 1: rounding of files.
const SAME: f64 = 1e-5;
/// What is sharpened as far as this, m and rad together, is a solution.
const SOLVED: f64 = 1e-9;

impl ClosedForm {
    /// The closed form for joints at `screws` with `tip` in the end, all in the base's frame with all joints at 0, if they
    /// have one.
    pub fn fit(screws: &[Screw], tip: &Pose) -> Option<Self> {
        let family = match screws {
            [_, _, _, _] => upright(screws),
            [_, _, _, _, _, _] if screws.iter().all(|s| s.turns) => {
                let axes: [Line; 6] = std::array::from_fn(|i| screws[i].line);
                let back = std::array::from_fn(|i| Line {
                    along: -axes[5 - i].along,
                    ..axes[5 - i]
                });
                let of = |axes: [Line; 6], from_tip| {
                    Some(Family::Six {
                        build: build(&axes)?,
                        axes: Box::new(axes),
                        from_tip,
                    })
                };
                of(axes, false).or_else(|| of(back, true))
            }
            _ => None,
        };
        Some(Self {
            screws: screws.to_vec(),
            tip: *tip,
            family: family?,
        })
    }

    /// All joint values that take the tip to `target` in the base's frame, angles in any turn; values that don't matter
    /// are those of `near`.
    ///
    /// # Errors
    /// Why there are none.
    pub fn inverse(&self, target: &Pose, near: &[f64]) -> Result<Vec<Vec<f64>>, Miss> {
        let moved = target * self.tip.inverse();
        let found = match &self.family {
            Family::Upright { turning, sliding } => self.standing(*turning, *sliding, &moved)?,
            Family::Six {
                axes,
                build,
                from_tip,
            } => {
                // Seen from the tip the arm moves the base, and its joints come in the other order.
                let moved = if *from_tip { moved.inverse() } else { moved };
                let place = |i: usize| if *from_tip { 5 - i } else { i };
                let near = std::array::from_fn(|i| near[place(i)]);
                let found = match build {
                    Build::Wrist(centre) => wrist(axes, centre, &moved, &near)?,
                    Build::Parallel => parallel(axes, &moved, &near)?,
                };
                let ordered = |q: [f64; 6]| (0..6).map(|i| q[place(i)]).collect();
                found.into_iter().map(ordered).collect()
            }
        };
        let mut solutions: Vec<Vec<f64>> = Vec::with_capacity(found.len());
        for values in found {
            let Some(values) = self.sharpened(values, target) else {
                continue;
            };
            let same = |other: &Vec<f64>| {
                other
                    .iter()
                    .zip(&values)
                    .all(|(a, b)| ((a - b) / 2.0).sin().abs() < 1e-7)
            };
            if !solutions.iter().any(same) {
                solutions.push(values);
            }
        }
        if solutions.is_empty() {
            Err(Miss::Unknown)
        } else {
            Ok(solutions)
        }
    }

    /// Newton's method from `values`, damped where the arm is singular; `None` where it leads nowhere.
    fn sharpened(&self, mut values: Vec<f64>, target: &Pose) -> Option<Vec<f64>> {
        const STEPS: usize = 40;
        let (mut frames, mut error) = self.error(&values, target);
        for _ in 0..STEPS {
            let size = error.norm();
            if size < 1e-14 {
                break;
            }
            let at = frames.last().expect("a tip").translation.vector;
            let column = |(screw, frame): (&Screw, &Pose)| {
                let arm = at - (frame * screw.line.point).coords;
                twist(screw.turns, &(frame.rotation * screw.line.along), &arm)
            };
            let columns: Vec<Vector6<f64>> = self.screws.iter().zip(&frames).map(column).collect();
            let jacobian = Matrix6xX::from_columns(&columns);
            let n = values.len();
            let damped = jacobian.transpose() * &jacobian
                + DMatrix::identity(n, n) * (size * size).min(1e-6);
            let step: DVector<f64> = damped.cholesky()?.solve(&(jacobian.transpose() * error));
            let next: Vec<f64> = values.iter().zip(step.iter()).map(|(v, s)| v + s).collect();
            let (next_frames, next_error) = self.error(&next, target);
            if next_error.norm() >= size {
                break;
            }
            (values, frames, error) = (next, next_frames, next_error);
        }
        (error.norm() < SOLVED).then_some(values)
    }

    /// What carries each joint, the tip last, and by how much it misses `target`.
    fn error(&self, values: &[f64], target: &Pose) -> (Vec<Pose>, Vector6<f64>) {
        let mut frames = Vec::with_capacity(values.len() + 1);
        let mut pose = Pose::identity();
        for (screw, value) in self.screws.iter().zip(values) {
            frames.push(pose);
            pose *= screw.motion(*value);
        }
        let tip = pose * self.tip;
        frames.push(tip);
        let linear = target.translation.vector - tip.translation.vector;
        let angular = (target.rotation * tip.rotation.inverse()).scaled_axis();
        (
            frames,
            Vector6::new(
                linear.x, linear.y, linear.z, angular.x, angular.y, angular.z,
            ),
        )
    }

    /// All axes parallel: the turns add up to that of the tool, the slide makes the height, and two links reach the rest.
    fn standing(
        &self,
        turning: [usize; 3],
        sliding: usize,
        moved: &Pose,
    ) -> Result<Vec<Vec<f64>>, Miss> {
        let line = |i: usize| self.screws[turning[i]].line;
        let up = line(0).along;
        let tilt = (moved.rotation * up)
            .cross(&up)
            .norm()
            .atan2((moved.rotation * up).dot(&up));
        if tilt > SAME {
            return Err(Miss::Tilted(tilt));
        }
        let side = perpendicular(&up);
        let whole = turn(&up, &side, &(moved.rotation * side)).expect("it stands across");
        let sense = |i: usize| up.dot(&line(i).along).signum();
        // A point of the last turning axis stays on it; heights add up.
        let last = line(2).point;
        let goal = moved * last;
        let height = up.dot(&(goal - last)) * up.dot(&self.screws[sliding].line.along).signum();
        let two = two_links(&up, &line(0).point, &line(1).point, &last, &goal)?;
        let all = two.into_iter().map(|(first, second)| {
            let mut values = vec![0.0; 4];
            values[turning[0]] = first;
            values[turning[1]] = second * sense(1);
            values[turning[2]] = (whole - first - second) * sense(2);
            values[sliding] = height;
            values
        });
        Ok(all.collect())
    }
}

fn build(axes: &[Line; 6]) -> Option<Build> {
    if let Some(centre) = meeting(&axes[3..]) {
        return Some(Build::Wrist(centre));
    }
    let same = |i: usize| axes[i].along.cross(&axes[1].along).norm() < SAME;
    // Axes that fall into one line leave an angle open.
    let apart = |i: usize| {
        axes[1]
            .along
            .cross(&(axes[i + 1].point - axes[i].point))
            .norm()
            > SAME
    };
    // With axis 1, 5 or 6 parallel to its neighbour, too, angles are left open that matter.
    let crossed = |i: usize, j: usize| axes[i].along.cross(&axes[j].along).norm() > 1e-3;
    let parallel = same(2) && same(3) && apart(1) && apart(2);
    (parallel && crossed(0, 1) && crossed(4, 1) && crossed(5, 4)).then_some(Build::Parallel)
}

/// Three turns and a slide along the same direction.
fn upright(screws: &[Screw]) -> Option<Family> {
    let up = screws[0].line.along;
    if screws.iter().any(|s| s.line.along.cross(&up).norm() > SAME) {
        return None;
    }
    let turning: Vec<usize> = (0..4).filter(|&i| screws[i].turns).collect();
    let sliding = (0..4).find(|&i| !screws[i].turns)?;
    let turning = <[usize; 3]>::try_from(turning).ok()?;
    let apart = |a: usize, b: usize| {
        up.cross(&(screws[b].line.point - screws[a].line.point))
            .norm()
            > SAME
    };
    (apart(turning[0], turning[1]) && apart(turning[1], turning[2]))
        .then_some(Family::Upright { turning, sliding })
}

/// The point in which three axes meet, no two next to each other parallel.
fn meeting(axes: &[Line]) -> Option<Point> {
    let crossed = |i: usize| axes[i].along.cross(&axes[i + 1].along).norm() > 1e-3;
    if !(crossed(0) && crossed(1)) {
        return None;
    }
    // Nearest to all three lines.
    let across = |l: &Line| nalgebra::Matrix3::identity() - l.along * l.along.transpose();
    let whole: nalgebra::Matrix3<f64> = axes.iter().map(across).sum();
    let right: Vector3<f64> = axes.iter().map(|l| across(l) * l.point.coords).sum();
    let point = Point::from(whole.try_inverse()? * right);
    let off = |l: &Line| l.along.cross(&(point - l.point)).norm();
    axes.iter().all(|l| off(l) < SAME).then_some(point)
}

/// Six axes with a wrist whose middle is `centre`, to be moved by `moved`.
fn wrist(
    axes: &[Line; 6],
    centre: &Point,
    moved: &Pose,
    near: &[f64; 6],
) -> Result<Vec<[f64; 6]>, Miss> {
    let goal = moved * centre;
    let [one, two, three] = [axes[0], axes[1], axes[2]];
    // Seen from axis 2: the wrist as axis 3 carries it, and the goal as axis 1 gives it back. Both must be as high along the
    // axis and as far from its point.
    let carried = Carried::point(&three, centre, &two.point);
    let given = Carried::point(&one, &goal, &two.point).back();
    let rows = |c: &Carried| (c.component(&two.along), c.square());
    let ((h1, f1), (s1, g1)) = rows(&given);
    let ((h3, f3), (s3, g3)) = rows(&carried);
    let a = Matrix2::new(f1[0], f1[1], g1[0], g1[1]);
    let b = Matrix2::new(f3[0], f3[1], g3[0], g3[1]);
    let pairs = angle_pairs(a, b, Vector2::new(h3 - h1, s3 - s1), (near[0], near[2]));
    if pairs.is_empty() {
        return Err(out_of_reach(&[one, two, three], centre, &goal));
    }
    let mut found = Vec::new();
    for (q1, q3) in pairs {
        let (from, to) = (carried.at(q3), given.at(q1));
        let q2 = turn(&two.along, &from, &to).unwrap_or(near[1]);
        let back = |v: &Vector| three.turned(-q3, &two.turned(-q2, &one.turned(-q1, v)));
        for [q4, q5, q6] in orientations(&axes[3..], |v| back(&(moved.rotation * v)), near) {
            found.push([q1, q2, q3, q4, q5, q6]);
        }
    }
    Ok(found)
}

/// The turns about three axes that make up the rotation `to`.
fn orientations(axes: &[Line], to: impl Fn(&Vector) -> Vector, near: &[f64; 6]) -> Vec<[f64; 3]> {
    let [h4, h5, h6] = [axes[0].along, axes[1].along, axes[2].along];
    let carried = Carried::direction(&h5, &h6);
    let wanted = to(&h6);
    let (constant, factors) = carried.component(&h4);
    let side = perpendicular(&h6);
    let finish = |q5: f64| {
        let q4 = turn(&h4, &carried.at(q5), &wanted).unwrap_or(near[3]);
        let rest = axes[1].turned(-q5, &axes[0].turned(-q4, &to(&side)));
        [q4, q5, turn(&h6, &side, &rest).unwrap_or(near[5])]
    };
    angles(factors, h4.dot(&wanted) - constant)
        .into_iter()
        .map(finish)
        .collect()
}

/// Six axes of which the second to fourth are parallel.
fn parallel(axes: &[Line; 6], moved: &Pose, near: &[f64; 6]) -> Result<Vec<[f64; 6]>, Miss> {
    let h = axes[1].along;
    let sense = |i: usize| h.dot(&axes[i].along).signum();
    let (tool, on_six) = (axes[5].along, axes[5].point);
    let (goal, wanted) = (moved * on_six, moved.rotation * tool);
    // Axes 2 to 4 change neither the height along them of a point of axis 6 nor how steep that axis is.
    let origin = axes[1].point;
    let given = [
        Carried::point(&axes[0], &goal, &origin).back(),
        Carried::direction(&axes[0].along, &wanted).back(),
    ];
    let carried = [
        Carried::point(&axes[4], &on_six, &origin),
        Carried::direction(&axes[4].along, &tool),
    ];
    let rows = |c: &[Carried; 2]| [c[0].component(&h), c[1].component(&h)];
    let ([g0, g1], [c0, c1]) = (rows(&given), rows(&carried));
    let a = Matrix2::new(g0.1[0], g0.1[1], g1.1[0], g1.1[1]);
    let b = Matrix2::new(c0.1[0], c0.1[1], c1.1[0], c1.1[1]);
    let pairs = angle_pairs(
        a,
        b,
        Vector2::new(c0.0 - g0.0, c1.0 - g1.0),
        (near[0], near[4]),
    );
    let (mut found, mut miss) = (Vec::new(), Miss::Unknown);
    for (q1, q5) in pairs {
        // Where axis 6 is parallel to them, too, its own angle is open.
        let along = turn(&h, &carried[1].at(q5), &given[1].at(q1));
        let back = |v: &Vector| axes[0].turned(-q1, v);
        let side = perpendicular(&tool);
        let (whole, q6) = match along {
            Some(whole) => {
                let rest = axes[4].turned(
                    -q5,
                    &Line {
                        along: h,
                        ..axes[1]
                    }
                    .turned(-whole, &back(&(moved.rotation * side))),
                );
                (whole, turn(&tool, &side, &rest).unwrap_or(near[5]))
            }
            None => {
                let turned = axes[4].turned(q5, &axes[5].turned(near[5], &side));
                (
                    turn(&h, &turned, &back(&(moved.rotation * side))).unwrap_or(0.0),
                    near[5],
                )
            }
        };
        // Where a point of axis 4 has to be.
        let fourth = axes[3].point;
        let lever = fourth - (origin + carried[0].at(q5));
        let goal = origin
            + given[0].at(q1)
            + Line {
                along: h,
                ..axes[1]
            }
            .turned(whole, &lever);
        match two_links(&h, &origin, &axes[2].point, &fourth, &goal) {
            Ok(two) => found.extend(
                two.into_iter()
                    .map(|(q2, q3)| [q1, q2, q3 * sense(2), (whole - q2 - q3) * sense(3), q5, q6]),
            ),
            Err(of_this) => miss = of_this,
        }
    }
    if found.is_empty() {
        Err(miss)
    } else {
        Ok(found)
    }
}

/// The turns about two axes along `h` through `first` and `second` that take `point` over `goal` in their plane.
fn two_links(
    h: &Vector,
    first: &Point,
    second: &Point,
    point: &Point,
    goal: &Point,
) -> Result<Vec<(f64, f64)>, Miss> {
    let flat = |v: Vector| v - h * h.dot(&v);
    let (upper, fore, away) = (
        flat(second - first),
        flat(point - second),
        flat(goal - first),
    );
    let (l1, l2, r) = (upper.norm(), fore.norm(), away.norm());
    if r > l1 + l2 + SAME {
        return Err(Miss::TooFar(r - l1 - l2));
    }
    if r < (l1 - l2).abs() - SAME {
        return Err(Miss::TooNear((l1 - l2).abs() - r));
    }
    let carried = Carried::direction(h, &fore);
    let ahead = [upper.dot(&carried.u), upper.dot(&carried.v)];
    let size = ahead[0].hypot(ahead[1]);
    let wanted = ((r * r - l1 * l1 - l2 * l2) / 2.0).clamp(-size, size);
    let seconds = angles(ahead, wanted);
    let first_for = |q2: f64| (turn(h, &(upper + carried.at(q2)), &away).unwrap_or(0.0), q2);
    Ok(seconds.into_iter().map(first_for).collect())
}

/// How far `goal` is from where three axes can take `point`: the nearest of several descents.
fn out_of_reach(axes: &[Line; 3], point: &Point, goal: &Point) -> Miss {
    const STARTS: usize = 27;
    const STEPS: usize = 60;
    let at =
        |q: &Vector3<f64>| axes[0].moved(q[0], &axes[1].moved(q[1], &axes[2].moved(q[2], point)));
    let nearest = |start: usize| {
        let third = std::f64::consts::TAU / 3.0;
        let mut q = Vector3::new(
            (start % 3) as f64,
            (start / 3 % 3) as f64,
            (start / 9) as f64,
        ) * third;
        let (mut off, mut damping) = ((goal - at(&q)).norm(), 1e-3);
        for _ in 0..STEPS {
            let here = at(&q);
            let column = |i: usize| {
                let mut moved = q;
                moved[i] += 1e-6;
                (at(&moved) - here) / 1e-6
            };
            let j = nalgebra::Matrix3::from_columns(&[column(0), column(1), column(2)]);
            let normal = j.transpose() * j + nalgebra::Matrix3::identity() * damping;
            let Some(inverse) = normal.try_inverse() else {
                break;
            };
            let next = q + inverse * (j.transpose() * (goal - here));
            let next_off = (goal - at(&next)).norm();
            if next_off < off {
                (q, off, damping) = (next, next_off, (damping * 0.3f64).max(1e-12));
            } else {
                damping *= 10.0;
            }
        }
        off
    };
    let by = (0..STARTS).map(nearest).fold(f64::INFINITY, f64::min);
    // What is not out of reach was only not found.
    if by > SAME {
        Miss::TooFar(by)
    } else {
        Miss::Unknown
    }
}

/// A direction across `v`.
fn perpendicular(v: &Vector) -> Vector {
    let least = v.iamin();
    v.cross(&Vector::ith(least, 1.0)).normalize()
}

impl Line {
    /// From a frame's own axis.
    pub fn of(pose: &Pose, axis: &Vector) -> Self {
        Self {
            point: Point::from(pose.translation.vector),
            along: pose.rotation * axis,
        }
    }
}

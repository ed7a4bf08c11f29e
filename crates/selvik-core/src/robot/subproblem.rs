//! What closed forms are made of: points carried round axes, and the angles at which they are where they should be.
//!
//! A. Elias, J. Wen, "IK-Geo: Unified Robot Inverse Kinematics Using Subproblem Decomposition", 2022: its subproblems 1
//! (turn one vector onto another), 4 (turn a vector until it lies in a plane), and 5 and 6 (two turns that meet two conditions at
//! once), the last two here as one.

use nalgebra::{Matrix2, Matrix4, Vector2};

use crate::spatial::{Point, Vector};

/// An axis to turn about or slide along.
#[derive(Debug, Clone, Copy)]
pub(super) struct Line {
    pub point: Point,
    /// Of length 1.
    pub along: Vector,
}

impl Line {
    /// `v` turned about the direction by `angle` (rad).
    pub fn turned(&self, angle: f64, v: &Vector) -> Vector {
        let at = Carried::direction(&self.along, v);
        at.at(angle)
    }

    /// `p` turned about the line by `angle` (rad).
    pub fn moved(&self, angle: f64, p: &Point) -> Point {
        self.point + self.turned(angle, &(p - self.point))
    }
}

/// A vector that turns about an axis: `middle + u cos + v sin`.
#[derive(Debug, Clone, Copy)]
pub(super) struct Carried {
    pub middle: Vector,
    pub u: Vector,
    pub v: Vector,
}

impl Carried {
    /// A direction.
    pub fn direction(axis: &Vector, d: &Vector) -> Self {
        let middle = axis * axis.dot(d);
        let u = d - middle;
        Self {
            middle,
            u,
            v: axis.cross(&u),
        }
    }

    /// A point, seen from `origin`.
    pub fn point(axis: &Line, p: &Point, origin: &Point) -> Self {
        let carried = Self::direction(&axis.along, &(p - axis.point));
        Self {
            middle: carried.middle + (axis.point - origin),
            ..carried
        }
    }

    /// Where it is at `angle`, rad; in its own unit.
    pub fn at(&self, angle: f64) -> Vector {
        let (sin, cos) = angle.sin_cos();
        self.middle + self.u * cos + self.v * sin
    }

    /// `along` · it: constant, and the factors of cosine and sine; m for points, without unit for directions.
    pub fn component(&self, along: &Vector) -> (f64, [f64; 2]) {
        (
            along.dot(&self.middle),
            [along.dot(&self.u), along.dot(&self.v)],
        )
    }

    /// Its squared length, likewise, m² or without unit.
    pub fn square(&self) -> (f64, [f64; 2]) {
        let constant = self.middle.norm_squared() + self.u.norm_squared();
        (
            constant,
            [
                2.0 * self.middle.dot(&self.u),
                2.0 * self.middle.dot(&self.v),
            ],
        )
    }

    /// The same, turning the other way.
    pub fn back(&self) -> Self {
        Self {
            v: -self.v,
            ..*self
        }
    }
}

/// Conditions missed by this share of their size count as met: two solutions have become one there, and rounding may say none.
const GRAZING: f64 = 1e-9;

/// The angles (rad) with `a cos + b sin = c`, none to two of them; none, too, where it says nothing.
pub(super) fn angles([a, b]: [f64; 2], c: f64) -> Vec<f64> {
    let size = a.hypot(b);
    if size < 1e-12 || c.abs() > size * (1.0 + GRAZING) {
        return Vec::new();
    }
    let (towards, off) = (b.atan2(a), (c / size).clamp(-1.0, 1.0).acos());
    if off == 0.0 {
        vec![towards]
    } else {
        vec![towards + off, towards - off]
    }
}

/// The angle (rad) by which `from` turns about `axis` to lie over `to`; `None` where either lies along the axis.
pub(super) fn turn(axis: &Vector, from: &Vector, to: &Vector) -> Option<f64> {
    let [x, y] = [from, to].map(|v| v - axis * axis.dot(v));
    let least = 1e-9 * (from.norm() + to.norm()).max(1e-6);
    (x.norm() > least && y.norm() > least).then(|| axis.dot(&x.cross(&y)).atan2(x.dot(&y)))
}

/// The pairs of angles (rad) θ, φ with `a (cos θ, sin θ) = b (cos φ, sin φ) + c`: none to four. An angle that doesn't matter is taken
/// from `near`.
pub(super) fn angle_pairs(
    mut a: Matrix2<f64>,
    mut b: Matrix2<f64>,
    mut c: Vector2<f64>,
    near: (f64, f64),
) -> Vec<(f64, f64)> {
    for row in 0..2 {
        let size = a.row(row).norm().max(b.row(row).norm());
        if size > 1e-15 {
            a.row_mut(row).scale_mut(1.0 / size);
            b.row_mut(row).scale_mut(1.0 / size);
            c[row] /= size;
        }
    }
    if let Some(free) = left_null(&a) {
        return one_after_the_other(&free, &b, &a, &c, near.0)
            .into_iter()
            .map(|(p, t)| (t, p))
            .collect();
    }
    if let Some(free) = left_null(&b) {
        return one_after_the_other(&free, &-a, &-b, &c, near.1);
    }
    let Some(inverse) = a.try_inverse() else {
        return Vec::new();
    };
    // The ellipse that (cos θ, sin θ) runs through as φ turns, where it crosses the circle.
    let (n, k) = (inverse * b, inverse * c);
    let s = n.transpose() * n;
    let linear = n.transpose() * k * 2.0;
    let harmonics = Harmonics {
        constant: s.trace() / 2.0 + k.norm_squared() - 1.0,
        first: [linear.x, linear.y],
        second: [(s[(0, 0)] - s[(1, 1)]) / 2.0, s[(0, 1)]],
    };
    let theta = |phi: f64| {
        let x = n * Vector2::new(phi.cos(), phi.sin()) + k;
        x.y.atan2(x.x)
    };
    harmonics
        .zeros()
        .into_iter()
        .map(|phi| (theta(phi), phi))
        .collect()
}

/// A direction in which the rows of `m` cancel, if it has one: of two, the one that leaves most.
fn left_null(m: &Matrix2<f64>) -> Option<Vector2<f64>> {
    let svd = m.svd(true, false);
    let least = svd.singular_values.imin();
    (svd.singular_values[least] < 1e-8)
        .then(|| svd.u.expect("asked for").column(least).into_owned())
}

/// Where `free` cancels `with`: first the angle φ with `free · (b φ + c) = 0`, then θ with `with θ = b φ + c`; pairs φ, θ. The
/// latter is `near` where it doesn't matter.
fn one_after_the_other(
    free: &Vector2<f64>,
    b: &Matrix2<f64>,
    with: &Matrix2<f64>,
    c: &Vector2<f64>,
    near: f64,
) -> Vec<(f64, f64)> {
    let across = Vector2::new(-free.y, free.x);
    let row = |m: &Matrix2<f64>, n: &Vector2<f64>| {
        let row = n.transpose() * m;
        [row[0], row[1]]
    };
    let mut pairs = Vec::new();
    for phi in angles(row(b, free), -free.dot(c)) {
        let wanted = across.dot(&(b * Vector2::new(phi.cos(), phi.sin()) + c));
        let factors = row(with, &across);
        if factors[0].hypot(factors[1]) < 1e-8 {
            pairs.push((phi, near));
        }
        pairs.extend(
            angles(factors, wanted)
                .into_iter()
                .map(|theta| (phi, theta)),
        );
    }
    pairs
}

/// `constant + first · (cos φ, sin φ) + second · (cos 2φ, sin 2φ)`
struct Harmonics {
    constant: f64,
    first: [f64; 2],
    second: [f64; 2],
}

impl Harmonics {
    fn at(&self, phi: f64) -> f64 {
        let ((s1, c1), (s2, c2)) = (phi.sin_cos(), (2.0 * phi).sin_cos());
        self.constant
            + self.first[0] * c1
            + self.first[1] * s1
            + self.second[0] * c2
            + self.second[1] * s2
    }

    /// Where it is 0, none to four angles, rad.
    fn zeros(&self) -> Vec<f64> {
        use std::f64::consts::{PI, TAU};
        // Half angles have no tangent half round; that is put where there is no zero.
        let starts = (0..8).map(|i| f64::from(i) * TAU / 8.0 + 0.1);
        let start = starts
            .max_by(|a, b| self.at(a + PI).abs().total_cmp(&self.at(b + PI).abs()))
            .expect("eight");
        let turned = |[c, s]: [f64; 2], by: f64| {
            let (sin, cos) = by.sin_cos();
            [c * cos + s * sin, s * cos - c * sin]
        };
        let (p0, [p1, p2], [p3, p4]) = (
            self.constant,
            turned(self.first, start),
            turned(self.second, 2.0 * start),
        );
        let lead = p0 - p1 + p3;
        if lead.abs() < 1e-14 {
            return Vec::new();
        }
        let rest = [
            p0 + p1 + p3,
            2.0 * p2 + 4.0 * p4,
            2.0 * p0 - 6.0 * p3,
            2.0 * p2 - 4.0 * p4,
        ]
        .map(|x| x / lead);
        let companion = Matrix4::from_fn(|row, column| match column {
            3 => -rest[row],
            _ => f64::from(u8::from(row == column + 1)),
        });
        // Two zeros that rounding drove off the real line are one that touches.
        let real = |z: &&nalgebra::Complex<f64>| z.im.abs() < 1e-4 * (1.0 + z.re.abs());
        companion
            .complex_eigenvalues()
            .iter()
            .filter(real)
            .map(|z| 2.0 * z.re.atan() + start)
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use std::f64::consts::FRAC_PI_2;

    use super::*;
    use proptest::prelude::*;

    fn unit(angle: f64) -> Vector2<f64> {
        Vector2::new(angle.cos(), angle.sin())
    }

    fn matrix() -> impl Strategy<Value = Matrix2<f64>> {
        prop::array::uniform4(-2.0f64..2.0).prop_map(|m| Matrix2::from_column_slice(&m))
    }

    proptest! {
        /// Pairs known to fit are found again, also where rows are the same or nothing.
        #[test]
        fn pairs_that_fit_are_found(
            a in matrix(), b in matrix(), theta in -3.0f64..3.0, phi in -3.0f64..3.0, flat in 0..4
        ) {
            let (a, b) = match flat {
                0 => (Matrix2::from_rows(&[a.row(0), a.row(0)]), b),
                1 => (a, Matrix2::new(b.m21, b.m22, 2.0 * b.m21, 2.0 * b.m22)),
                _ => (a, b),
            };
            let c = a * unit(theta) - b * unit(phi);
            let pairs = angle_pairs(a, b, c, (0.0, 0.0));
            let near = |(t, p): &(f64, f64)| (unit(*t) - unit(theta)).norm() + (unit(*p) - unit(phi)).norm() < 1e-4;
            // Where two solutions are nearly one they are known less closely.
            let tangents = Matrix2::from_columns(&[a * unit(theta + FRAC_PI_2), -b * unit(phi + FRAC_PI_2)]);
            prop_assume!(tangents.determinant().abs() > 1e-2);
            prop_assert!(pairs.iter().any(near), "{pairs:?}");
            for (t, p) in pairs {
                prop_assert!((a * unit(t) - b * unit(p) - c).norm() < 1e-5, "{t} {p}");
            }
        }
    }

    #[test]
    fn a_turn_is_signed_and_unknown_along_the_axis() {
        let (x, y, z) = (Vector::x(), Vector::y(), Vector::z());
        assert!((turn(&z, &x, &(y * 2.0 + z)).unwrap() - FRAC_PI_2).abs() < 1e-12);
        assert!((turn(&-z, &x, &y).unwrap() + FRAC_PI_2).abs() < 1e-12);
        assert_eq!(turn(&z, &x, &z), None);
    }
}

use nalgebra::{SVector, Unit};

use super::Model;
use super::least_squares::{Adjustable, across};
use crate::spatial::{Point, Vector};

/// An axis through a point, with two directions across: it may be tilted towards either, and shifted.
#[derive(Clone, Copy)]
struct Axis {
    origin: Point,
    along: Vector,
    u: Vector,
    v: Vector,
}

impl Axis {
    fn new(origin: Point, along: Vector) -> Self {
        let along = along.normalize();
        let (u, v) = across(&along);
        Self {
            origin,
            along,
            u,
            v,
        }
    }

    /// How far a point lies from the axis and along it, and the direction away from it.
    fn seen(&self, point: &Point) -> (f64, f64, Vector) {
        let from = point - self.origin;
        let along = from.dot(&self.along);
        let out = from - self.along * along;
        let off = out.norm();
        (off, along, out / off.max(1e-300))
    }

    fn tilted(&self, a: f64, b: f64, shift: &Vector) -> Self {
        let along = self.along + self.u * a + self.v * b;
        Self::new(self.origin + shift, along)
    }

    fn direction(&self) -> Unit<Vector> {
        Unit::new_unchecked(self.along)
    }
}

/// A cylinder: tilt, shift across, radius.
#[derive(Clone, Copy)]
pub(super) struct Tube {
    axis: Axis,
    radius: f64,
}

impl Tube {
    /// The axis is taken where it passes the origin, about which the points lie.
    pub fn new(centre: Point, axis: Unit<Vector>, radius: f64) -> Self {
        let nearest = centre - *axis * axis.dot(&centre.coords);
        Self {
            axis: Axis::new(nearest, *axis),
            radius,
        }
    }

    pub fn model(&self) -> Model {
        Model::Cylinder {
            centre: self.axis.origin,
            axis: self.axis.direction(),
            radius: self.radius,
        }
    }
}

impl Adjustable<5> for Tube {
    fn height(&self, point: &Point) -> (f64, SVector<f64, 5>) {
        let (off, along, out) = self.axis.seen(point);
        let (a, b) = (out.dot(&self.axis.u), out.dot(&self.axis.v));
        let slope = [-along * a, -along * b, -a, -b, -1.0];
        (off - self.radius, SVector::from(slope))
    }

    fn changed(&self, by: &SVector<f64, 5>) -> Self {
        let shift = self.axis.u * by[2] + self.axis.v * by[3];
        Self {
            axis: self.axis.tilted(by[0], by[1], &shift),
            radius: self.radius + by[4],
        }
    }
}

/// A cone: tilt, shift across, its radius at the origin, and how that grows along the axis.
#[derive(Clone, Copy)]
pub(super) struct Taper {
    axis: Axis,
    radius: f64,
    growth: f64,
}

impl Taper {
    pub fn new(apex: Point, axis: Unit<Vector>, half_angle: f64) -> Self {
        let along = -axis.dot(&apex.coords);
        let growth = half_angle.tan();
        Self {
            axis: Axis::new(apex + *axis * along, *axis),
            radius: along * growth,
            growth,
        }
    }

    /// `None` for what is no wider at one end than at the other.
    pub fn model(&self) -> Option<Model> {
        (self.growth > 1e-5).then(|| Model::Cone {
            apex: self.axis.origin - self.axis.along * (self.radius / self.growth),
            axis: self.axis.direction(),
            half_angle: self.growth.atan(),
        })
    }
}

impl Adjustable<6> for Taper {
    fn height(&self, point: &Point) -> (f64, SVector<f64, 6>) {
        let (off, along, out) = self.axis.seen(point);
        let (a, b) = (out.dot(&self.axis.u), out.dot(&self.axis.v));
        let k = self.growth;
        let s = k.hypot(1.0).recip();
        let height = (off - self.radius - along * k) * s;
        // Tilted, a point comes nearer to the axis and goes on along it.
        let tilt = -(along + off * k) * s;
        let slope = [
            tilt * a,
            tilt * b,
            -a * s,
            -b * s,
            -s,
            -along * s - height * k * s * s,
        ];
        (height, SVector::from(slope))
    }

    fn changed(&self, by: &SVector<f64, 6>) -> Self {
        let shift = self.axis.u * by[2] + self.axis.v * by[3];
        Self {
            axis: self.axis.tilted(by[0], by[1], &shift),
            radius: self.radius + by[4],
            growth: self.growth + by[5],
        }
    }
}

/// A sphere: its centre and radius.
#[derive(Clone, Copy)]
pub(super) struct Ball {
    pub centre: Point,
    pub radius: f64,
}

impl Ball {
    pub fn model(&self) -> Model {
        Model::Sphere {
            centre: self.centre,
            radius: self.radius,
        }
    }
}

impl Adjustable<4> for Ball {
    fn height(&self, point: &Point) -> (f64, SVector<f64, 4>) {
        let from = point - self.centre;
        let off = from.norm();
        let out = from / off.max(1e-300);
        (
            off - self.radius,
            SVector::from([-out.x, -out.y, -out.z, -1.0]),
        )
    }

    fn changed(&self, by: &SVector<f64, 4>) -> Self {
        Self {
            centre: self.centre + Vector::new(by[0], by[1], by[2]),
            radius: self.radius + by[3],
        }
    }
}

/// A torus: tilt, shift, both radii.
#[derive(Clone, Copy)]
pub(super) struct Ring {
    axis: Axis,
    radius: f64,
    tube: f64,
}

impl Ring {
    pub fn new(centre: Point, axis: Unit<Vector>, radius: f64, tube: f64) -> Self {
        Self {
            axis: Axis::new(centre, *axis),
            radius,
            tube,
        }
    }

    pub fn model(&self) -> Model {
        Model::Torus {
            centre: self.axis.origin,
            axis: self.axis.direction(),
            radius: self.radius,
            tube: self.tube,
        }
    }
}

impl Adjustable<7> for Ring {
    fn height(&self, point: &Point) -> (f64, SVector<f64, 7>) {
        let (off, along, out) = self.axis.seen(point);
        let from_tube = ((off - self.radius).powi(2) + along * along).sqrt();
        let (across, up) = (
            (off - self.radius) / from_tube.max(1e-300),
            along / from_tube.max(1e-300),
        );
        let (a, b) = (out.dot(&self.axis.u), out.dot(&self.axis.v));
        let tilt = up * off - across * along;
        let normal = out * across + self.axis.along * up;
        let slope = [
            tilt * a,
            tilt * b,
            -normal.x,
            -normal.y,
            -normal.z,
            -across,
            -1.0,
        ];
        (from_tube - self.tube, SVector::from(slope))
    }

    fn changed(&self, by: &SVector<f64, 7>) -> Self {
        let shift = Vector::new(by[2], by[3], by[4]);
        Self {
            axis: self.axis.tilted(by[0], by[1], &shift),
            radius: self.radius + by[5],
            tube: self.tube + by[6],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Slopes against differences.
    fn check<const N: usize>(surface: impl Adjustable<N>) {
        let step = 1e-6;
        for point in [
            Point::new(0.7, -0.2, 0.4),
            Point::new(-0.1, 0.9, 0.3),
            Point::new(0.2, 0.3, -0.8),
        ] {
            let (_, slope) = surface.height(&point);
            for i in 0..N {
                let mut by = SVector::<f64, N>::zeros();
                by[i] = step;
                let more = surface.changed(&by).height(&point).0;
                let less = surface.changed(&-by).height(&point).0;
                let measured = (more - less) / (2.0 * step);
                assert!(
                    (slope[i] - measured).abs() < 1e-6,
                    "{i}: {} is {measured}",
                    slope[i]
                );
            }
        }
    }

    #[test]
    fn heights_change_as_their_slopes_say() {
        let axis = Unit::new_normalize(Vector::new(0.3, -0.5, 1.0));
        let centre = Point::new(0.1, 0.2, -0.1);
        check(Tube::new(centre, axis, 0.4));
        check(Taper::new(Point::new(0.1, 0.3, -2.0), axis, 0.3));
        check(Ball {
            centre,
            radius: 0.5,
        });
        check(Ring::new(centre, axis, 0.6, 0.2));
    }
}

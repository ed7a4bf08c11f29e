use nalgebra::{Matrix3, SymmetricEigen, Unit};

use super::adjusted::{Ball, Ring, Taper, Tube};
use super::least_squares::{across, circle, least_spread, refine, sphere};
use crate::spatial::{Point, Pose, Vector};

/// A surface that faces of machines are made of. Lengths in m, angles in rad.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Model {
    /// Flat.
    Plane {
        /// A point of it, in the middle of the face.
        point: Point,
        /// Outwards.
        normal: Unit<Vector>,
    },
    /// The wall of a hole, a pin, a shaft.
    Cylinder {
        /// A point of the axis.
        centre: Point,
        /// Along the axis.
        axis: Unit<Vector>,
        /// Of the wall.
        radius: f64,
    },
    /// A countersink, a tip, a taper.
    Cone {
        /// Where it would end.
        apex: Point,
        /// From the apex towards the face.
        axis: Unit<Vector>,
        /// Between axis and wall.
        half_angle: f64,
    },
    /// Part of a ball.
    Sphere {
        /// Of the ball.
        centre: Point,
        /// Of the ball.
        radius: f64,
    },
    /// A fillet round something round, a ring, a bent pipe.
    Torus {
        /// In the middle of the ring.
        centre: Point,
        /// Square to the ring.
        axis: Unit<Vector>,
        /// From the centre to the middle of the tube.
        radius: f64,
        /// Of the tube.
        tube: f64,
    },
}

impl Model {
    /// How far `point` lies off the surface, m: positive on the side away from its axis, centre or tube.
    #[must_use]
    pub fn height(&self, point: &Point) -> f64 {
        match self {
            Self::Plane { point: p, normal } => normal.dot(&(point - p)),
            Self::Cylinder {
                centre,
                axis,
                radius,
            } => from_axis(point, centre, axis).0 - radius,
            Self::Cone {
                apex,
                axis,
                half_angle,
            } => {
                let (off, along) = from_axis(point, apex, axis);
                let (sin, cos) = half_angle.sin_cos();
                off * cos - along * sin
            }
            Self::Sphere { centre, radius } => (point - centre).norm() - radius,
            Self::Torus {
                centre,
                axis,
                radius,
                tube,
            } => {
                let (off, along) = from_axis(point, centre, axis);
                (off - radius).hypot(along) - tube
            }
        }
    }

    /// The direction away from axis, centre or tube at `point`; zero where there is none.
    #[must_use]
    pub fn normal(&self, point: &Point) -> Vector {
        let outwards = |axis: &Unit<Vector>, from: &Point| {
            let v = point - from;
            (v - **axis * v.dot(axis))
                .try_normalize(1e-30)
                .unwrap_or_default()
        };
        match self {
            Self::Plane { normal, .. } => **normal,
            Self::Cylinder { centre, axis, .. } => outwards(axis, centre),
            Self::Cone {
                apex,
                axis,
                half_angle,
            } => {
                let (sin, cos) = half_angle.sin_cos();
                outwards(axis, apex) * cos - **axis * sin
            }
            Self::Sphere { centre, .. } => {
                (point - centre).try_normalize(1e-30).unwrap_or_default()
            }
            Self::Torus {
                centre,
                axis,
                radius,
                ..
            } => {
                let ring = centre + outwards(axis, centre) * *radius;
                (point - ring).try_normalize(1e-30).unwrap_or_default()
            }
        }
    }

    /// The radius in which it is bent most at `point`, m; infinite for planes.
    #[must_use]
    pub fn bend_radius(&self, point: &Point) -> f64 {
        match self {
            Self::Plane { .. } => f64::INFINITY,
            Self::Cylinder { radius, .. } | Self::Sphere { radius, .. } => *radius,
            Self::Cone {
                apex,
                axis,
                half_angle,
            } => from_axis(point, apex, axis).0 / half_angle.cos().max(1e-3),
            Self::Torus { radius, tube, .. } => tube.min((radius - tube).abs().max(*tube)),
        }
    }

    /// The same surface standing at `pose`.
    #[must_use]
    pub fn moved(&self, pose: &Pose) -> Self {
        self.mapped(|p| pose * p, |axis| pose.rotation * axis, 1.0)
    }

    /// With points where `place` puts them, directions as `turn` turns them and lengths `scale` times as long.
    fn mapped(
        &self,
        place: impl Fn(&Point) -> Point,
        turn: impl Fn(&Unit<Vector>) -> Unit<Vector>,
        scale: f64,
    ) -> Self {
        match self {
            Self::Plane { point, normal } => Self::Plane {
                point: place(point),
                normal: turn(normal),
            },
            Self::Cylinder {
                centre,
                axis,
                radius,
            } => Self::Cylinder {
                centre: place(centre),
                axis: turn(axis),
                radius: radius * scale,
            },
            Self::Cone {
                apex,
                axis,
                half_angle,
            } => Self::Cone {
                apex: place(apex),
                axis: turn(axis),
                half_angle: *half_angle,
            },
            Self::Sphere { centre, radius } => Self::Sphere {
                centre: place(centre),
                radius: radius * scale,
            },
            Self::Torus {
                centre,
                axis,
                radius,
                tube,
            } => Self::Torus {
                centre: place(centre),
                axis: turn(axis),
                radius: radius * scale,
                tube: tube * scale,
            },
        }
    }

    /// The axis of what is turned: a point of it and its direction.
    #[must_use]
    pub fn axis(&self) -> Option<(Point, Unit<Vector>)> {
        match self {
            Self::Plane { .. } | Self::Sphere { .. } => None,
            Self::Cylinder { centre, axis, .. } | Self::Torus { centre, axis, .. } => {
                Some((*centre, *axis))
            }
            Self::Cone { apex, axis, .. } => Some((*apex, *axis)),
        }
    }
}

/// How far `point` lies from an axis, and where along it, m.
fn from_axis(point: &Point, origin: &Point, axis: &Unit<Vector>) -> (f64, f64) {
    let v = point - origin;
    let along = v.dot(axis);
    ((v - **axis * along).norm(), along)
}

/// A piece of a surface: corners that lie on it, and facets by a point and the direction they face.
pub(super) struct Patch {
    /// Where the middle lies, and how far the corners reach from it, m.
    middle: Point,
    size: f64,
    /// Moved to the middle and scaled to about 1.
    points: Vec<Point>,
    facets: Vec<(Point, Vector)>,
    /// How far they stand out of one plane, of the same scale.
    relief: f64,
}

/// A first guess is off by no more than this share of the patch's relief.
const PLAUSIBLE: f64 = 0.3;

impl Patch {
    /// `None` for fewer than four corners or none apart.
    pub fn new(corners: &[Point], facets: &[(Point, Vector)]) -> Option<Self> {
        let n = corners.len() as f64;
        let middle = Point::from(corners.iter().map(|p| p.coords).sum::<Vector>() / n);
        let size = corners
            .iter()
            .map(|p| (p - middle).norm())
            .fold(0.0, f64::max);
        if corners.len() < 4 || size <= 0.0 {
            return None;
        }
        let unit = |p: &Point| Point::from((p - middle) / size);
        let points: Vec<Point> = corners.iter().map(unit).collect();
        let (normal, level) = least_spread(&points.iter().map(|p| p.coords).collect::<Vec<_>>())?;
        let off = |p: &Point| (p.coords.dot(&normal) - level).abs();
        Some(Self {
            middle,
            size,
            relief: points.iter().map(off).fold(0.0, f64::max),
            points,
            facets: facets.iter().map(|(p, n)| (unit(p), *n)).collect(),
        })
    }

    /// How far its corners stand out of one plane, m.
    pub fn relief(&self) -> f64 {
        self.relief * self.size
    }

    /// How far its corners reach from their middle, m.
    pub fn size(&self) -> f64 {
        self.size
    }

    /// The cylinder, cone, sphere and torus nearest to the corners, as far as there are any that come near.
    pub fn models(&self) -> [Option<Model>; 4] {
        let models = self.turned().map_or([None; 2], |(cylinder, cone)| {
            [cylinder, cone].map(|m| m.filter(|m| self.is_plausible(m)))
        });
        let [cylinder, cone] = models;
        let (ball, torus) = (self.ball(), self.torus());
        [
            cylinder.and_then(|m| self.refined(&m)),
            cone.and_then(|m| self.refined(&m)),
            ball.and_then(|m| self.refined(&m)),
            torus.and_then(|m| self.refined(&m)),
        ]
        .map(|m| m.map(|m| self.in_place(&m)))
    }

    /// The surface of the kind of `model`, beginning with it, that is nearest to the corners.
    pub fn nearest(&self, model: &Model) -> Option<Model> {
        let unit = |p: &Point| Point::from((p - self.middle) / self.size);
        let begin = model.mapped(unit, |axis| *axis, 1.0 / self.size);
        self.refined(&begin).map(|m| self.in_place(&m))
    }

    /// `model` back where the corners are.
    fn in_place(&self, model: &Model) -> Model {
        let place = |p: &Point| self.middle + p.coords * self.size;
        model.mapped(place, |axis| *axis, self.size)
    }

    fn is_plausible(&self, model: &Model) -> bool {
        let near = PLAUSIBLE * self.relief;
        self.points.iter().all(|p| model.height(p).abs() < near)
    }

    /// What the corners would be if all facets made one angle with an axis.
    fn turned(&self) -> Option<(Option<Model>, Option<Model>)> {
        let normals: Vec<Vector> = self.facets.iter().map(|f| f.1).collect();
        let (axis, _) = least_spread(&normals)?;
        let (u, v) = across(&axis);
        let flat: Vec<(f64, f64)> = self
            .points
            .iter()
            .map(|p| (p.coords.dot(&u), p.coords.dot(&v)))
            .collect();
        let cylinder = circle(&flat).map(|(x, y, radius)| Model::Cylinder {
            centre: Point::from(u * x + v * y),
            axis: Unit::new_normalize(axis),
            radius,
        });
        Some((cylinder, self.cone(&axis)))
    }

    /// The planes of a cone's facets meet in its apex.
    fn cone(&self, axis: &Vector) -> Option<Model> {
        let mut m = Matrix3::zeros();
        let mut right = Vector::zeros();
        for (p, n) in &self.facets {
            m += n * n.transpose();
            right += n * n.dot(&p.coords);
        }
        let apex = Point::from(m.cholesky()?.solve(&right));
        let within_reach = apex.coords.norm() < 1e6;
        if !within_reach {
            return None;
        }
        let towards = if axis.dot(&(Point::origin() - apex)) < 0.0 {
            -axis
        } else {
            *axis
        };
        let axis = Unit::new_normalize(towards);
        let (off, along) = self.points.iter().fold((0.0, 0.0), |(o, a), p| {
            let (off, along) = from_axis(p, &apex, &axis);
            (o + off, a + along)
        });
        let half_angle = (off / along).atan();
        (along > 0.0 && half_angle > 1e-4).then_some(Model::Cone {
            apex,
            axis,
            half_angle,
        })
    }

    fn ball(&self) -> Option<Model> {
        let (centre, radius) = sphere(&self.points)?;
        let model = Model::Sphere { centre, radius };
        self.is_plausible(&model).then_some(model)
    }

    /// The normals of what is turned meet its axis: a linear complex of lines (Pottmann and Randrup 1998). Seen along the
    /// axis, the profile of a torus is a circle.
    fn torus(&self) -> Option<Model> {
        let (mut nn, mut nm, mut mm) = (Matrix3::zeros(), Matrix3::zeros(), Matrix3::zeros());
        for (p, n) in &self.facets {
            let moment = p.coords.cross(n);
            nn += n * n.transpose();
            nm += n * moment.transpose();
            mm += moment * moment.transpose();
        }
        // Least squares over the moment of the axis, then the least direction of what is left.
        let moment_of = nn.cholesky()?.solve(&nm);
        let left = mm - nm.transpose() * moment_of;
        let eigen = SymmetricEigen::try_new((left + left.transpose()) * 0.5, 1e-14, 100)?;
        let axis = eigen
            .eigenvectors
            .column(eigen.eigenvalues.imin())
            .into_owned();
        let axis = Unit::try_new(axis, 1e-9)?;
        let moment = -(moment_of * *axis);
        let origin = Point::from(axis.cross(&moment));
        let profile: Vec<(f64, f64)> = self
            .points
            .iter()
            .map(|p| from_axis(p, &origin, &axis))
            .collect();
        let (radius, along, tube) = circle(&profile)?;
        let model = Model::Torus {
            centre: origin + *axis * along,
            axis,
            radius,
            tube,
        };
        (radius > 0.02 * tube && self.is_plausible(&model)).then_some(model)
    }

    /// `model` as near to the corners as it gets.
    fn refined(&self, model: &Model) -> Option<Model> {
        let points = &self.points;
        let found = match *model {
            Model::Plane { .. } => *model,
            Model::Cylinder {
                centre,
                axis,
                radius,
            } => refine(Tube::new(centre, axis, radius), points).model(),
            Model::Cone {
                apex,
                axis,
                half_angle,
            } => refine(Taper::new(apex, axis, half_angle), points).model()?,
            Model::Sphere { centre, radius } => refine(Ball { centre, radius }, points).model(),
            Model::Torus {
                centre,
                axis,
                radius,
                tube,
            } => refine(Ring::new(centre, axis, radius, tube), points).model(),
        };
        let sound = match found {
            Model::Plane { .. } | Model::Cone { .. } => true,
            Model::Cylinder { radius, .. } | Model::Sphere { radius, .. } => radius > 0.0,
            Model::Torus { radius, tube, .. } => tube > 0.0 && radius > 0.02 * tube,
        };
        (sound && points.iter().all(|p| found.height(p).is_finite())).then_some(found)
    }
}

use std::f64::consts::PI;

use super::{Mass, TriangleMesh, box_mesh, capsule_mesh, cylinder_mesh, mass_of, sphere_mesh};
use crate::spatial::{Point, Pose};

/// A piece of rigid geometry in its own frame. Lengths in m, all positive.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// Triangles.
    Mesh(TriangleMesh),
    /// A box of these edge lengths, centred.
    Box([f64; 3]),
    /// A cylinder along Z, centred.
    Cylinder {
        /// m
        radius: f64,
        /// m
        length: f64,
    },
    /// A ball, centred.
    Sphere {
        /// m
        radius: f64,
    },
    /// A cylinder along Z with a half ball on either end, centred.
    Capsule {
        /// m
        radius: f64,
        /// Of the cylinder between the half balls, m.
        length: f64,
    },
}

/// Facets of a round shape as it is drawn and cut.
const DRAWN: usize = 48;
/// What is measured of a cylinder lies inside it by no more than this, m, or has this many facets.
const SAGITTA: f64 = 1e-6;
const MOST: usize = 8192;

/// What distances to a shape are measured to.
pub(super) enum Measured {
    /// Triangles; the shape stands out of them by at most so much, m.
    Triangles(TriangleMesh, f64),
    /// Everything within `radius` (m) of the segment from one end to the other.
    Round {
        /// Both ends of the segment.
        ends: [Point; 2],
        /// m
        radius: f64,
    },
}

impl Shape {
    /// As it is drawn and cut, moved by `pose`: round shapes by facets inscribed in them.
    #[must_use]
    pub fn drawn(&self, pose: &Pose) -> TriangleMesh {
        match self {
            Self::Mesh(mesh) => mesh.moved(pose),
            Self::Box(size) => box_mesh(*size).moved(pose),
            Self::Cylinder { radius, length } => cylinder_mesh(*radius, *length, DRAWN).moved(pose),
            Self::Sphere { radius } => sphere_mesh(*radius, DRAWN).moved(pose),
            Self::Capsule { radius, length } => capsule_mesh(*radius, *length, DRAWN).moved(pose),
        }
    }

    /// As it is measured, moved by `pose`: balls and capsules as what they are, cylinders by facets so fine that their
    /// sagitta r (1 − cos(π / n)) is a micrometre, counted in every bracket.
    pub(super) fn measured(&self, pose: &Pose) -> Measured {
        match self {
            Self::Mesh(_) | Self::Box(_) => Measured::Triangles(self.drawn(pose), 0.0),
            Self::Cylinder { radius, length } => {
                let facets = PI / (1.0 - SAGITTA / radius).clamp(-1.0, 1.0).acos();
                let facets = (facets.ceil() as usize).clamp(DRAWN, MOST);
                let sagitta = radius * (1.0 - (PI / facets as f64).cos());
                Measured::Triangles(cylinder_mesh(*radius, *length, facets).moved(pose), sagitta)
            }
            Self::Sphere { radius } => Measured::Round {
                ends: [pose * Point::origin(); 2],
                radius: *radius,
            },
            Self::Capsule { radius, length } => {
                let half = length / 2.0;
                let ends =
                    [Point::new(0.0, 0.0, -half), Point::new(0.0, 0.0, half)].map(|p| pose * p);
                Measured::Round {
                    ends,
                    radius: *radius,
                }
            }
        }
    }

    /// Whether it is measured as it is drawn.
    pub(super) fn is_flat(&self) -> bool {
        matches!(self, Self::Mesh(_) | Self::Box(_))
    }

    /// Area, volume and centroid, moved by `pose`: of round shapes those of the shape, not of its facets.
    #[must_use]
    pub fn mass(&self, pose: &Pose) -> Mass {
        let round = |area: f64, volume: f64| Mass {
            area,
            volume,
            centroid: pose * Point::origin(),
        };
        match self {
            Self::Mesh(_) | Self::Box(_) => mass_of(&self.drawn(pose)),
            Self::Cylinder { radius: r, length } => {
                round(2.0 * PI * r * (r + length), PI * r * r * length)
            }
            Self::Sphere { radius: r } => round(4.0 * PI * r * r, 4.0 / 3.0 * PI * r.powi(3)),
            Self::Capsule { radius: r, length } => round(
                2.0 * PI * r * (2.0 * r + length),
                PI * r * r * (4.0 / 3.0 * r + length),
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::Shells;
    use crate::spatial::pose_from_rpy;

    #[rstest::rstest]
    #[case(Shape::Box([0.2, 0.3, 0.4]))]
    #[case(Shape::Cylinder { radius: 0.1, length: 0.3 })]
    #[case(Shape::Sphere { radius: 0.2 })]
    #[case(Shape::Capsule { radius: 0.1, length: 0.3 })]
    fn a_shape_is_drawn_closed_and_of_nearly_its_own_volume(#[case] shape: Shape) {
        let pose = pose_from_rpy([0.3, -0.2, 1.0], [0.4, 0.5, 0.6]);
        let (drawn, whole) = (shape.drawn(&pose), shape.mass(&pose));
        assert!(Shells::of(&drawn).is_closed());
        let mass = mass_of(&drawn);
        assert!(
            mass.volume <= whole.volume + 1e-12 && mass.volume > 0.98 * whole.volume,
            "{mass:?} {whole:?}"
        );
        assert!((mass.area / whole.area - 1.0).abs() < 0.02);
        assert!((mass.centroid - whole.centroid).norm() < 1e-9);
    }
}

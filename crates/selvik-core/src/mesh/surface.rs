use std::sync::OnceLock;

use super::shape::Measured;
use super::winding::OpenShells;
use super::{Features, Hierarchy, Mass, Shape, Shells, TriangleMesh, mass_of};
use crate::spatial::{Aabb, Point, Pose, Vector};

/// A body made ready for queries: what every computation on it starts from. What only some of them need is computed
/// when it is first asked for, so that a mesh of millions that is only looked at costs little.
#[derive(Debug)]
pub struct Surface {
    /// As it is drawn and cut.
    mesh: TriangleMesh,
    /// What is measured, where that is not the mesh.
    measured: Option<Pieces>,
    /// Whether it bounds no volume, whatever its triangles say.
    sheet: bool,
    hierarchy: OnceLock<Hierarchy>,
    shells: OnceLock<Shells>,
    open_shells: OnceLock<Option<OpenShells>>,
    points: OnceLock<Vec<Point>>,
    features: OnceLock<Features>,
    bounds: Aabb,
    centre: Point,
    radius: f64,
}

/// Directions in which the outermost points of a body are asked whether they lie inside another.
pub const SPREAD: [[f64; 3]; 8] = [
    [1.0, 0.1, 0.2],
    [-1.0, -0.2, 0.1],
    [0.2, 1.0, -0.1],
    [-0.1, -1.0, -0.2],
    [0.1, -0.2, 1.0],
    [-0.2, 0.1, -1.0],
    [1.0, 1.0, 1.0],
    [-1.0, -1.0, -1.0],
];

/// What is measured of a body of shapes.
#[derive(Debug, Clone)]
struct Pieces {
    mesh: Option<TriangleMesh>,
    /// Segments with what lies within so much of them, m.
    round: Vec<([Point; 2], f64)>,
    /// The body stands out of the pieces by at most this, m.
    deviation: f64,
    mass: Mass,
}

impl Surface {
    /// Prepares `mesh`.
    #[must_use]
    pub fn new(mesh: TriangleMesh) -> Self {
        Self::made(mesh, None)
    }

    /// Prepares a body of shapes, each standing at a pose; `None` where there are none.
    #[must_use]
    pub fn of_shapes(shapes: &[(Shape, Pose)]) -> Option<Self> {
        if shapes.is_empty() {
            return None;
        }
        let drawn = TriangleMesh::merged(shapes.iter().map(|(shape, pose)| shape.drawn(pose)));
        if shapes.iter().all(|(shape, _)| shape.is_flat()) {
            return Some(Self::new(drawn));
        }
        let (mut meshes, mut round, mut deviation) = (Vec::new(), Vec::new(), 0.0f64);
        let mut mass = Mass {
            area: 0.0,
            volume: 0.0,
            centroid: Point::origin(),
        };
        let mut moment = Vector::zeros();
        for (shape, pose) in shapes {
            let own = shape.mass(pose);
            mass.area += own.area;
            mass.volume += own.volume;
            moment += own.centroid.coords * own.volume;
            match shape.measured(pose) {
                Measured::Triangles(mesh, off) => {
                    meshes.push(mesh);
                    deviation = deviation.max(off);
                }
                Measured::Round { ends, radius } => round.push((ends, radius)),
            }
        }
        mass.centroid = if mass.volume > 1e-18 {
            Point::from(moment / mass.volume)
        } else {
            drawn.bounds().centre()
        };
        let mesh = (!meshes.is_empty()).then(|| TriangleMesh::merged(meshes));
        Some(Self::made(
            drawn,
            Some(Pieces {
                mesh,
                round,
                deviation,
                mass,
            }),
        ))
    }

    fn made(mesh: TriangleMesh, measured: Option<Pieces>) -> Self {
        let (bounds, centre, radius) = match &measured {
            None => around(mesh.vertices(), &[], 0.0),
            Some(p) => around(
                p.mesh.as_ref().map_or(&[], TriangleMesh::vertices),
                &p.round,
                p.deviation,
            ),
        };
        Self {
            mesh,
            measured,
            sheet: false,
            hierarchy: OnceLock::new(),
            shells: OnceLock::new(),
            open_shells: OnceLock::new(),
            points: OnceLock::new(),
            features: OnceLock::new(),
            bounds,
            centre,
            radius,
        }
    }

    /// The same body, declared to be a surface only: nothing lies inside it, whether it is closed or not.
    #[must_use]
    pub fn as_sheet(&self) -> Self {
        let mut sheet = Self::made(self.mesh.clone(), self.measured.clone());
        sheet.sheet = true;
        sheet
    }

    /// Whether it is a surface only.
    #[must_use]
    pub fn is_sheet(&self) -> bool {
        self.sheet
    }

    /// Whether what is drawn is all of it: no shapes that are rounder than their facets.
    #[must_use]
    pub fn is_as_drawn(&self) -> bool {
        self.measured.is_none()
    }

    /// The triangles as they are drawn and cut.
    #[must_use]
    pub fn mesh(&self) -> &TriangleMesh {
        &self.mesh
    }

    pub(super) fn into_mesh(self) -> TriangleMesh {
        self.mesh
    }

    /// The triangles among what is measured.
    fn solid(&self) -> Option<&TriangleMesh> {
        self.measured
            .as_ref()
            .map_or(Some(&self.mesh), |pieces| pieces.mesh.as_ref())
    }

    /// How many of the hierarchy's pieces are triangles; what comes after them is round.
    pub(super) fn mesh_pieces(&self) -> usize {
        self.solid().map_or(0, |mesh| mesh.triangles().len())
    }

    /// The tree of oriented boxes over what is measured: triangles, then segments of round shapes.
    #[must_use]
    pub fn hierarchy(&self) -> &Hierarchy {
        self.hierarchy.get_or_init(|| match &self.measured {
            None => Hierarchy::build(&self.mesh),
            Some(pieces) => {
                let triangles = pieces
                    .mesh
                    .iter()
                    .flat_map(|m| (0..m.triangles().len()).map(|i| m.corners(i)));
                let round = pieces.round.iter().map(|([p, q], _)| [*p, *q, *q]);
                let radii: Vec<f64> = pieces.round.iter().map(|(_, radius)| *radius).collect();
                Hierarchy::over(&triangles.chain(round).collect::<Vec<_>>(), &radii)
            }
        })
    }

    /// The same, if something asked for it before.
    #[must_use]
    pub fn hierarchy_if_there(&self) -> Option<&Hierarchy> {
        self.hierarchy.get()
    }

    /// The body stands out of what is measured by at most this, m.
    #[must_use]
    pub fn deviation(&self) -> f64 {
        self.measured.as_ref().map_or(0.0, |p| p.deviation)
    }

    /// The faces, edges and slots of what is drawn.
    #[must_use]
    pub fn features(&self) -> &Features {
        self.features.get_or_init(|| Features::of(&self.mesh))
    }

    /// Its connected pieces and whether they are closed; `None` where there is nothing but balls and capsules.
    #[must_use]
    pub fn shells(&self) -> Option<&Shells> {
        let mesh = self.solid()?;
        Some(self.shells.get_or_init(|| Shells::of(mesh)))
    }

    pub(super) fn open_shells(&self) -> Option<&OpenShells> {
        let (mesh, shells) = (self.solid()?, self.shells()?);
        self.open_shells
            .get_or_init(|| OpenShells::of(mesh, shells))
            .as_ref()
    }

    /// How deep `point` lies inside one of its balls or capsules, m; negative outside, `None` where there are none.
    #[must_use]
    pub fn depth_in_round(&self, point: &Point) -> Option<f64> {
        let depth = |([p, q], radius): &([Point; 2], f64)| {
            let along = q - p;
            let share = if along.norm_squared() > 0.0 {
                (point - p).dot(&along) / along.norm_squared()
            } else {
                0.0
            };
            radius - (p + along * share.clamp(0.0, 1.0) - point).norm()
        };
        self.measured
            .iter()
            .flat_map(|p| p.round.iter().map(depth))
            .reduce(f64::max)
    }

    /// Sides of triangles without a partner: 0 where the surface is closed.
    #[must_use]
    pub fn open_edges(&self) -> usize {
        self.shells().map_or(0, Shells::open_edges)
    }

    /// Where those are: their ends, in the body's frame.
    #[must_use]
    pub fn open_edge_ends(&self) -> Vec<[Point; 2]> {
        let Some((mesh, shells)) = self.solid().zip(self.shells()) else {
            return Vec::new();
        };
        shells
            .open()
            .iter()
            .map(|edge| edge.map(|v| mesh.vertices()[v as usize]))
            .collect()
    }

    /// A point of every connected piece, then those farthest out in [`SPREAD`] directions.
    #[must_use]
    pub fn points(&self) -> &[Point] {
        self.points.get_or_init(|| {
            let of_mesh = self.solid().zip(self.shells()).into_iter();
            let of_mesh = of_mesh.flat_map(|(mesh, shells)| {
                shells
                    .all()
                    .iter()
                    .map(|shell| mesh.vertices()[shell.vertex as usize])
            });
            let round = self
                .measured
                .iter()
                .flat_map(|p| p.round.iter().map(|(ends, _)| ends[0]));
            let vertices = self.solid().map_or(&[][..], TriangleMesh::vertices);
            let farthest = SPREAD.iter().filter_map(|&d| {
                let along = |p: &&Point| Vector::from(d).dot(&p.coords);
                vertices
                    .iter()
                    .max_by(|p, q| along(p).total_cmp(&along(q)))
                    .copied()
            });
            of_mesh.chain(round).chain(farthest).collect()
        })
    }

    /// What its convex hull is spanned by: points with a radius, m, which is 0 for corners of triangles.
    #[must_use]
    pub fn outermost(&self) -> Vec<(Point, f64)> {
        let corners = self.solid().map_or(&[][..], TriangleMesh::vertices);
        let corners = corners.iter().map(|p| (*p, self.deviation()));
        let round = self.measured.iter().flat_map(|p| &p.round);
        let round = round.flat_map(|(ends, radius)| ends.map(|end| (end, *radius)));
        corners.chain(round).collect()
    }

    /// The upright box round what is measured, in its own frame.
    #[must_use]
    pub fn bounds(&self) -> &Aabb {
        &self.bounds
    }

    /// Centre and radius (m) of a ball round what is measured.
    #[must_use]
    pub fn ball(&self) -> (Point, f64) {
        (self.centre, self.radius)
    }

    /// Area, volume and centroid, each piece counted by itself.
    #[must_use]
    pub fn mass(&self) -> Mass {
        self.measured
            .as_ref()
            .map_or_else(|| mass_of(&self.mesh), |p| p.mass)
    }
}

fn around(vertices: &[Point], round: &[([Point; 2], f64)], deviation: f64) -> (Aabb, Point, f64) {
    let by = |r: f64| Vector::repeat(r);
    let ends = round
        .iter()
        .flat_map(|(ends, r)| ends.iter().flat_map(move |p| [p - by(*r), p + by(*r)]));
    let mut bounds =
        Aabb::around(vertices.iter().copied().chain(ends)).expect("a body is never empty");
    bounds.min -= by(deviation);
    bounds.max += by(deviation);
    let centre = bounds.centre();
    let far = vertices
        .iter()
        .map(|v| (v - centre).norm())
        .fold(0.0, f64::max);
    let round = round
        .iter()
        .flat_map(|(ends, r)| ends.iter().map(move |p| (p - centre).norm() + r));
    (bounds, centre, round.fold(far, f64::max) + deviation)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::box_mesh;
    use crate::spatial::pose_from_rpy;

    #[test]
    fn a_body_of_shapes_is_bounded_by_what_they_are() {
        let at = pose_from_rpy([1.0, 0.0, 0.0], [0.0; 3]);
        let shapes = [
            (Shape::Box([0.2; 3]), Pose::identity()),
            (Shape::Sphere { radius: 0.5 }, at),
        ];
        let body = Surface::of_shapes(&shapes).unwrap();
        assert_eq!(body.bounds().max, Point::new(1.5, 0.5, 0.5));
        assert_eq!(body.hierarchy().corners().len(), 13);
        assert_eq!(body.points().len(), 2 + SPREAD.len());
        let volume = 0.008 + 4.0 / 3.0 * std::f64::consts::PI * 0.125;
        assert!((body.mass().volume - volume).abs() < 1e-12);
    }

    #[test]
    fn boxes_are_measured_as_they_are_drawn() {
        let body = Surface::of_shapes(&[(Shape::Box([1.0; 3]), Pose::identity())]).unwrap();
        assert_eq!(body.mesh(), &box_mesh([1.0; 3]));
        assert_eq!((body.deviation(), body.open_edges()), (0.0, 0));
        assert!(body.open_edge_ends().is_empty());
    }
}

use selvik_core::clearance::triangle_distance;
use selvik_core::robot::BodyId;
use selvik_core::spatial::Point;
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use super::thing::{kind_of_edge, kind_of_face, slot_of};
use crate::document::{KnownKind, PickDocument, PickKind};
use crate::questions::Asked;
use crate::report::millimetres;

/// Where the pointer meets a body.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Picked {
    /// Index of the body in the cell's list.
    pub body: usize,
    /// The triangle of its mesh.
    pub triangle: usize,
    /// Where, world coordinates.
    pub at_mm: [f64; 3],
    /// From how far a corner is meant rather than the face: some pixels at that distance from the eye.
    pub near_mm: f64,
}

/// Edges are meant from nearer than corners are, by this factor.
const EDGE: f64 = 0.7;
/// By this share towards the middle of its triangle lies what is kept of a face.
const INSIDE: f64 = 1e-3;

/// The place of a triangle nearest to a point, a little inside, so that it is of this face and no other.
fn within(corners: &[Point; 3], point: &Point) -> Point {
    let [a, b, c] = corners;
    let middle = Point::from((a.coords + b.coords + c.coords) / 3.0);
    let on = triangle_distance(corners, &[*point; 3]).on_a;
    on + (middle - on) * INSIDE
}

/// What is meant where the pointer meets a body: a corner or an edge near it, else the face.
///
/// # Errors
/// [`FormatError`] for a body or triangle that is not there, or numbers that are none.
pub fn snap(asked: &Asked, picked: &Picked) -> Result<PickDocument> {
    let assembly = &asked.workcell().assembly;
    let body = assembly.bodies().get(picked.body);
    let body = body.ok_or_else(|| FormatError::said("there is no such body"))?;
    if picked.triangle >= body.surface.mesh().triangles().len() {
        return Err(FormatError::said("there is no such triangle"));
    }
    if !picked
        .at_mm
        .iter()
        .chain([&picked.near_mm])
        .all(|x| x.is_finite())
    {
        return Err(FormatError::said("a point needs finite numbers"));
    }
    let at = asked.node_pose(body.node).inverse() * Point::from(picked.at_mm.map(|x| x * 1e-3));
    let near = picked.near_mm * 1e-3;
    let features = body.surface.features();
    let face = features.face_of(picked.triangle);
    let corners = body.surface.mesh().corners(picked.triangle);
    let edges = || features.edges_along(face).map(|e| &features.edges()[e]);
    let ends = edges().filter(|e| !e.is_closed()).flat_map(|e| {
        let ends = [e.points[0], e.points[e.points.len() - 1]];
        ends.map(|p| (p, (p - at).norm()))
    });
    let corner = ends.min_by(|a, b| a.1.total_cmp(&b.1));
    let edge = edges()
        .map(|e| (e, e.nearest(&at)))
        .min_by(|a, b| a.1.1.total_cmp(&b.1.1));
    let (kind, is, at) = match (corner, edge) {
        (Some((corner, off)), _) if off < near => (PickKind::Corner, KnownKind::Corner, corner),
        (_, Some((edge, (on, off)))) if off < EDGE * near => {
            (PickKind::Edge, kind_of_edge(edge), on)
        }
        _ => {
            let in_slot = slot_of(features, face).is_some();
            let is = kind_of_face(&features.faces()[face], in_slot);
            (PickKind::Face, is, within(&corners, &at))
        }
    };
    Ok(PickDocument {
        on: asked.name_of(BodyId(picked.body)),
        kind,
        is: Some(is),
        at_mm: Some(millimetres(&at)),
    })
}

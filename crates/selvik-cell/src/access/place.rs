use nalgebra::Unit;
use selvik_core::clearance::{nearest_triangle, triangle_distance};
use selvik_core::spatial::{Point, Pose, Vector};
use selvik_formats::targets_csv::TargetRow;
use selvik_formats::{PackageFiles, Result};

use crate::bring::targets_of;
use crate::document::{PickDocument, PickKind, TargetDocument};
use crate::measuring::{PickedPlace, place_of};
use crate::questions::Asked;

/// A place that is to be come to.
pub(super) struct Place {
    pub name: String,
    /// In the world.
    pub at: Point,
    /// Out of the face it lies on, or against the axis of the frame it is.
    pub out: Option<Unit<Vector>>,
    /// Whether there is nothing to come to behind `out`: it lies on a face.
    pub on_face: bool,
}

/// Where a pick is: on a face just where it was picked.
pub(super) fn picked(asked: &Asked, pick: &PickDocument) -> Result<Place> {
    let PickedPlace {
        name,
        at,
        body,
        axis,
    } = place_of(asked, pick)?;
    if let Some(axis) = axis {
        return Ok(Place {
            name,
            at,
            out: Some(Unit::new_normalize(-axis)),
            on_face: false,
        });
    }
    let faces = matches!(pick.kind, PickKind::Face | PickKind::Spot);
    let Some(body) = body.filter(|_| faces) else {
        return Ok(Place {
            name,
            at,
            out: None,
            on_face: false,
        });
    };
    // Just on the face, however it was rounded.
    let (surface, pose) = asked.placed(body);
    let local = pose.inverse() * at;
    let (triangle, _) = nearest_triangle(surface, &local);
    let corners = surface.mesh().corners(triangle);
    let [a, b, c] = corners;
    let out = Unit::try_new(pose.rotation * (b - a).cross(&(c - a)), 1e-300);
    Ok(Place {
        name,
        at: pose * triangle_distance(&corners, &[local; 3]).on_a,
        on_face: out.is_some(),
        out,
    })
}

/// The targets of a program, also those of its file, to each of which a tool comes against its axis.
pub(super) fn targets(asked: &Asked, files: &PackageFiles, program: &str) -> Result<Vec<Place>> {
    let rows = targets_of(&asked.workcell().document, files, program)?;
    let place = |row: TargetRow| {
        let target = TargetDocument::from(row);
        let frame = match &target.frame {
            Some(id) => asked.item_pose(asked.position(id)?),
            None => Pose::identity(),
        };
        let pose = frame * target.pose.to_pose();
        Ok(Place {
            name: target.id,
            at: Point::from(pose.translation.vector),
            out: Some(Unit::new_normalize(pose.rotation * -Vector::z())),
            on_face: false,
        })
    };
    rows.into_iter().map(place).collect()
}

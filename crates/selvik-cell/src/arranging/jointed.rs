//! A joint for what has none: a clamp, a door, a table that was brought in as a mesh.

use schemars::JsonSchema;
use selvik_core::robot::frame_along;
use selvik_core::spatial::{Point, Pose, Vector};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{PickedFace, Posed, finite, normal, point, tidy};
use crate::document::{
    BodyDocument, DhConvention, DhRowDocument, MechanismDocument, MechanismSource, PoseDocument,
};
use crate::edit::Edit;

/// How an item is to move.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewJoint {
    /// What people call it.
    pub name: String,
    /// `true` if it slides along the axis, not turns about it.
    pub slides: bool,
    /// About or along what.
    pub axis: JointAxis,
    /// Smallest and largest value, degrees or mm; it stands at 0 now.
    pub range_deg_or_mm: [f64; 2],
    /// Largest speed, degrees/s or mm/s.
    pub velocity_deg_or_mm_s: f64,
}

/// The line a joint turns about or slides along.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JointAxis {
    /// The axis of a round face.
    RoundFace(PickedFace),
    /// Through a point along a normal; world coordinates.
    Face {
        /// The point.
        at_mm: [f64; 3],
        /// The normal, of any length.
        normal: [f64; 3],
    },
    /// Through the item's origin along its own X, Y or Z: 0, 1 or 2.
    Own(usize),
}

/// The edit that makes a mechanism of one joint of an item without one: its bodies and all that hangs on it move with the joint
/// from then on, and stand where they are.
///
/// # Errors
/// [`FormatError`] for what is not there, has joints already, or makes no joint.
pub fn jointed(posed: &Posed, item: &str, new: &NewJoint) -> Result<Edit> {
    posed.movable(item)?;
    let (at, world) = posed.standing(item)?;
    let document = posed.workcell.document.items.iter().find(|i| i.id == item);
    let document = document.ok_or_else(|| FormatError::said("there is no such item"))?;
    if document.mechanism.is_some() {
        return Err(FormatError::said(format!(
            "{} has joints already",
            document.name
        )));
    }
    if document.bodies.is_empty() {
        return Err(FormatError::said(format!(
            "{} has no body to move",
            document.name
        )));
    }
    finite(&[
        new.range_deg_or_mm[0],
        new.range_deg_or_mm[1],
        new.velocity_deg_or_mm_s,
    ])?;
    let [low, high] = new.range_deg_or_mm;
    if !(low <= 0.0 && high >= 0.0 && low < high) {
        let message = "it stands at 0 now: the range goes from 0 or less to 0 or more";
        return Err(FormatError::said(message));
    }
    let axis = axis(posed, &world, &new.axis)?;
    let carrier = posed.placing.carrier(at);
    // Everything of it, as seen from the axis.
    let from_axis = axis.inverse() * world;
    let seen = |pose: &PoseDocument| tidy(&PoseDocument::from_pose(&(from_axis * pose.to_pose())));
    let bodies = document.bodies.iter().map(|body| BodyDocument {
        pose: seen(&body.pose),
        ..body.clone()
    });
    let row = DhRowDocument {
        joint: new.name.trim().to_owned(),
        slides: new.slides,
        a_mm: 0.0,
        alpha_deg: 0.0,
        d_mm: 0.0,
        theta_deg: 0.0,
        limits_deg_or_mm: new.range_deg_or_mm,
        velocity_deg_or_mm_s: new.velocity_deg_or_mm_s,
        bodies: bodies.collect(),
    };
    let source = MechanismSource::Dh {
        convention: DhConvention::Modified,
        rows: vec![row],
    };
    if has_targets_in_files(posed, at) {
        let message = "targets of a CSV file stand in its frame, which goes elsewhere; take them into their program first";
        return Err(FormatError::said(message));
    }
    Ok(Edit::MakeMechanism {
        item: item.to_owned(),
        pose: tidy(&PoseDocument::from_pose(&(carrier.inverse() * axis))),
        mechanism: Box::new(MechanismDocument::as_described(source)),
        on_link: new.name.trim().to_owned(),
    })
}

/// Whether a program that takes targets from a file goes to some in the frame of the item at position `item`.
fn has_targets_in_files(posed: &Posed, item: usize) -> bool {
    let frame = posed.workcell.assembly.item_node(item);
    let document = &posed.workcell.document;
    let from_file = |id: &String| {
        let program = document.programs.iter().find(|p| p.id == *id);
        program.is_some_and(|p| p.targets_csv.is_some())
    };
    let lanes = document
        .run_plan
        .lanes
        .iter()
        .zip(&posed.workcell.plan.lanes);
    let programs = lanes.flat_map(|(ids, lane)| ids.programs.iter().zip(&lane.programs));
    programs
        .filter(|(id, _)| from_file(id))
        .any(|(_, program)| {
            let goals = program.moves.iter().flat_map(|step| step.motion.goals());
            goals.into_iter().any(|goal| goal.frame() == Some(frame))
        })
}

/// A frame whose Z is the axis, in the world.
fn axis(posed: &Posed, world: &Pose, axis: &JointAxis) -> Result<Pose> {
    let (through, along): (Point, Vector) = match axis {
        JointAxis::RoundFace(picked) => posed.axis(picked)?,
        JointAxis::Face {
            at_mm,
            normal: along,
        } => (point(at_mm)?, normal(along)?),
        JointAxis::Own(which) if *which < 3 => {
            let along = world.rotation * Vector::ith(*which, 1.0);
            (Point::from(world.translation.vector), along)
        }
        JointAxis::Own(_) => return Err(FormatError::said("an item has three axes: 0, 1, 2")),
    };
    Ok(frame_along(&through, &along))
}

//! New frames.

use schemars::JsonSchema;
use selvik_core::robot::{frame_along, frame_through};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{PickedFace, Posed, normal, point, tidy};
use crate::document::{FrameKind, ItemDocument, PoseDocument, RoleDocument};
use crate::edit::Edit;

/// A new frame.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct NewFrame {
    /// What it is.
    pub kind: FrameKind,
    /// Id of what carries it; the world frame if absent.
    pub parent: Option<String>,
    /// The link of that which it hangs on.
    pub on_link: Option<String>,
    /// Where it stands.
    pub at: FramePlace,
}

/// Where a new frame stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FramePlace {
    /// Where what carries it stands.
    Carrier,
    /// Origin, a point of its X axis, and a point on the side of its Y axis; world coordinates.
    ThreePoints([[f64; 3]; 3]),
    /// At a point with Z along a normal; world coordinates.
    Face {
        /// The point.
        at_mm: [f64; 3],
        /// The normal, of any length.
        normal: [f64; 3],
    },
    /// In the middle of a round face with Z along its axis.
    RoundFace(PickedFace),
}

/// The edit that adds a frame or a TCP.
///
/// # Errors
/// [`FormatError`] for what is not there, or makes no frame.
pub fn new_frame(posed: &Posed, new: &NewFrame) -> Result<Edit> {
    let carrier = posed.carrier(new.parent.as_deref(), new.on_link.as_deref())?;
    let world = match &new.at {
        FramePlace::Carrier => carrier,
        FramePlace::ThreePoints([origin, on_x, beside]) => {
            let frame = frame_through(&point(origin)?, &point(on_x)?, &point(beside)?);
            frame.ok_or_else(|| FormatError::said("the three points lie in a line; pick others"))?
        }
        FramePlace::Face {
            at_mm,
            normal: along,
        } => frame_along(&point(at_mm)?, &normal(along)?),
        FramePlace::RoundFace(picked) => {
            let (centre, along) = posed.axis(picked)?;
            frame_along(&centre, &along)
        }
    };
    let items = &posed.workcell.document.items;
    let (base, name) = if new.kind == FrameKind::Tcp {
        ("tcp", "TCP")
    } else {
        ("frame", "Frame")
    };
    let free = |n: &usize| !items.iter().any(|i| i.id == format!("{base}-{n}"));
    let n = (1..).find(free).expect("numbers never run out");
    let item = ItemDocument {
        parent: new.parent.clone(),
        on_link: new.on_link.clone(),
        pose: tidy(&PoseDocument::from_pose(&(carrier.inverse() * world))),
        frame_kind: Some(new.kind),
        ..ItemDocument::new(
            format!("{base}-{n}"),
            format!("{name} {n}"),
            RoleDocument::Frame,
        )
    };
    Ok(Edit::AddItems { items: vec![item] })
}

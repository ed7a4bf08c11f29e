use selvik_core::reach::WristRegion;
use selvik_core::spatial::{Plane, Point, Vector};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::here::arm_above;
use crate::questions::Asked;
use crate::report::millimetres;

/// Of what, and in which plane an outline is wanted.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct OutlineWanted {
    /// Id of the frame that the robot takes to targets.
    pub tcp: String,
    /// What is to be taken along: the wrist, or the TCP held as it is.
    pub of: OutlineOf,
    /// Square to the plane, in the world; the plane of the arm where absent. The plane goes through what is taken along.
    #[serde(default)]
    pub normal: Option<[f64; 3]>,
    /// A point of the plane in the world, instead.
    #[serde(default)]
    pub through_mm: Option<[f64; 3]>,
}

/// What is taken along.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OutlineOf {
    /// The centre of the wrist.
    Wrist,
    /// The TCP, turned as it is now.
    Tcp,
}

/// The outline of what can be reached in a plane.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct OutlineAnswer {
    /// Lines in the world that bound it together.
    pub lines_mm: Vec<Vec<[f64; 3]>>,
    /// Square to the plane.
    pub normal: [f64; 3],
    /// What was taken along, in the world.
    pub at_mm: [f64; 3],
    /// What it does not count.
    pub not_counted: String,
}

/// The outline of what a robot can reach in a plane, in closed form, within the limits of the joints that carry its wrist.
///
/// # Errors
/// [`FormatError`] for a frame that is not there or that no robot moves, for arms of other builds than those with an
/// ortho-parallel base and a spherical wrist, and for a plane without a direction.
pub fn reach_outline(asked: &Asked, wanted: &OutlineWanted) -> Result<OutlineAnswer> {
    let assembly = &asked.workcell().assembly;
    let tip = assembly.item_node(asked.position(&wanted.tcp)?);
    let (robot, arm) = arm_above(asked.workcell(), tip)
        .ok_or_else(|| FormatError::said(format!("no robot moves \"{}\"", wanted.tcp)))?;
    let base = asked.node_pose(arm.base());
    let name = &assembly.cell().items()[robot].name;
    let unknown = || {
        FormatError::said(format!(
            "the outline is known in closed form only of arms whose first axis is square to two parallel ones and whose last \
             three axes meet; {name} is built otherwise"
        ))
    };
    let closed = arm.ortho_parallel().ok_or_else(unknown)?;
    let region = WristRegion::of(assembly, &arm, &base).ok_or_else(unknown)?;
    let q = asked.joints();
    let own = std::array::from_fn(|i| q[arm.joints()[i]]);
    let wrist = base * closed.wrist(&own);
    let tcp = Point::from(asked.node_pose(tip).translation.vector);
    // Held as it is, the TCP is always as far from the wrist, and in the same direction.
    let held = match wanted.of {
        OutlineOf::Wrist => Vector::zeros(),
        OutlineOf::Tcp => tcp - wrist,
    };
    let at = wrist + held;
    let plane = match wanted.normal {
        None => region.plane_through(&wrist),
        Some(normal) => {
            let through = wanted
                .through_mm
                .map_or(at, |p| Point::from(p.map(|x| x * 1e-3)));
            let plane = Plane::through(&through, &Vector::from(normal));
            let plane = plane
                .ok_or_else(|| FormatError::said("a plane needs a normal that points somewhere"))?;
            // Where the wrist is when what it carries is in that plane.
            Plane {
                offset: plane.offset - plane.normal.dot(&held),
                ..plane
            }
        }
    };
    let lines = region.outline(&plane);
    let told = |line: &Vec<Point>| line.iter().map(|p| millimetres(&(p + held))).collect();
    let not_counted = match wanted.of {
        OutlineOf::Wrist => {
            "Limits of the joints of the wrist are not counted, nor what is in the way."
        }
        OutlineOf::Tcp => {
            "The TCP turned as it is now. Limits of the joints of the wrist are not counted, nor what is in the way."
        }
    };
    Ok(OutlineAnswer {
        lines_mm: lines.iter().map(told).collect(),
        normal: plane.normal.into_inner().into(),
        at_mm: millimetres(&at),
        not_counted: not_counted.to_owned(),
    })
}

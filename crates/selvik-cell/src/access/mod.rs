//! What of a cell can be seen, or come to in a straight line, where everything stands, and what is in the way.

mod cone;
mod faces;
mod place;

pub use cone::{ConeAnswer, ConeWanted, free_directions};
pub use faces::{
    AccessAnswer, AccessFrom, AccessVerdict, AccessWanted, BlockerAnswer, FacesAnswer, PointAnswer,
    access,
};

use selvik_core::access::{Obstacle, Rod};
use selvik_core::robot::BodyId;
use selvik_formats::{FormatError, Result};
use serde::Deserialize;
use utoipa::ToSchema;

use crate::questions::Asked;

/// A slender tool: a line to the point, and farther out a rod with round ends.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
pub struct RodWanted {
    /// 0 of a line of sight.
    pub diameter_mm: f64,
    /// How far out it begins; a line of sight without one goes on for ever.
    #[serde(default)]
    pub length_mm: Option<f64>,
    /// How far before the point the rod ends.
    #[serde(default)]
    pub tip_mm: f64,
}

impl RodWanted {
    fn rod(&self) -> Result<Rod> {
        let length = self.length_mm.unwrap_or(f64::INFINITY);
        let said = |what: &str| Err(FormatError::said(what));
        if !(0.0..=1e5).contains(&self.diameter_mm) || !(0.0..=1e6).contains(&self.tip_mm) {
            return said("a tool has a diameter and a tip of 0 mm or more");
        }
        if length.is_nan() || length <= self.tip_mm + self.diameter_mm {
            return said("a tool is longer than its tip and its diameter together");
        }
        Ok(Rod {
            radius: self.diameter_mm * 0.5e-3,
            tip: self.tip_mm * 1e-3,
            length: length * 1e-3,
        })
    }
}

/// What may be in the way: all bodies but those of `without`, with which body each is.
fn obstacles<'a>(
    asked: &Asked<'a>,
    without: &[String],
) -> Result<(Vec<Obstacle<'a>>, Vec<BodyId>)> {
    let gone: Vec<usize> = without
        .iter()
        .map(|id| asked.position(id))
        .collect::<Result<_>>()?;
    let bodies = asked.workcell().assembly.bodies();
    let there = (0..bodies.len()).filter(|&i| !gone.contains(&bodies[i].item));
    let ids: Vec<BodyId> = there.map(BodyId).collect();
    let placed = ids.iter().map(|&id| asked.placed(id));
    let all = placed.map(|(surface, pose)| Obstacle::new(surface, pose));
    Ok((all.collect(), ids))
}

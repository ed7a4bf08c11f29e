use selvik_core::access::free_cone;
use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{RodWanted, obstacles, place};
use crate::document::PickDocument;
use crate::questions::Asked;
use crate::report::millimetres;

/// From which directions a place is to be come to.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct ConeWanted {
    /// Where: on a face just where it was picked.
    pub pick: PickDocument,
    /// With what.
    pub rod: RodWanted,
    /// Ids of the items that are not in the way.
    #[serde(default)]
    pub without: Vec<String>,
}

/// The directions from which a place can be come to.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ConeAnswer {
    /// The place, in the world.
    pub at_mm: [f64; 3],
    /// The middle of the widest round cone that was found, out from the place; none where nothing is free.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub axis: Option<[f64; 3]>,
    /// Nothing is in the way within this angle of it. That is certain, not only of the directions that were tried.
    pub half_angle_deg: f64,
    /// How many of the directions that were tried are free, in hundredths.
    pub free_percent: f64,
    /// Those that are free.
    pub free: Vec<[f64; 3]>,
    /// So many were tried, evenly spread.
    pub tried: usize,
}

/// The free directions to a place with a tool, and the widest cone of them.
///
/// # Errors
/// `FormatError` for what is not there, and for a tool that is none.
pub fn free_directions(asked: &Asked, wanted: &ConeWanted) -> Result<ConeAnswer> {
    let rod = wanted.rod.rod()?;
    let place = place::picked(asked, &wanted.pick)?;
    let (obstacles, _) = obstacles(asked, &wanted.without)?;
    let normal = place.out.filter(|_| place.on_face);
    let (tried, cone) = free_cone(&obstacles, &place.at, normal.as_ref(), &rod);
    let free = tried.iter().filter(|(_, free)| *free);
    let free: Vec<[f64; 3]> = free.map(|(out, _)| out.into_inner().into()).collect();
    Ok(ConeAnswer {
        at_mm: millimetres(&place.at),
        axis: cone.as_ref().map(|c| c.axis.into_inner().into()),
        half_angle_deg: cone.map_or(0.0, |c| c.half_angle.to_degrees()),
        free_percent: 100.0 * free.len() as f64 / tried.len().max(1) as f64,
        free,
        tried: tried.len(),
    })
}

//! What is known of one thing that was picked, what lies between two, what is nearest, and what of it was kept.

mod between;
mod kept;
mod known;
mod nearest;
mod pick;
mod thing;
mod value;

pub use between::{Between, CarrierKind, CarriersApart, Span};
pub use kept::{KeptFinding, findings_csv, kept_findings};
pub use known::Known;
pub use nearest::{Near, nearest};
pub use pick::{Picked, snap};

use selvik_core::spatial::Pose;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::document::{KnownValue, PickDocument};
use crate::questions::Asked;
use thing::Thing;

/// What is to be measured.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Measuring {
    /// One, or two.
    pub picks: Vec<PickDocument>,
    /// Id of the item in whose frame coordinates are told; the world's where absent.
    #[serde(default)]
    pub frame: Option<String>,
    /// Whether volumes of items are asked for: where their shells overlap that may take a second.
    #[serde(default)]
    pub volumes: bool,
}

/// What was measured.
#[derive(Debug, Serialize, ToSchema)]
pub struct Measured {
    /// Of each that was picked.
    pub known: Vec<Known>,
    /// What lies between two.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub between: Option<Between>,
    /// What it comes to: of two things what lies between them, of one what is known of it; what says most comes first.
    pub numbers: Vec<KnownValue>,
}

/// Measures what was picked.
///
/// # Errors
/// [`FormatError`] for more than two picks or none, for what is not there, or no longer.
pub fn measure(asked: &Asked, wanted: &Measuring) -> Result<Measured> {
    if wanted.picks.is_empty() || wanted.picks.len() > 2 {
        return Err(FormatError::said("one or two things are measured"));
    }
    let frame = match &wanted.frame {
        Some(id) => asked.item_pose(asked.position(id)?),
        None => Pose::identity(),
    };
    let picks = wanted.picks.iter();
    let things: Vec<Thing> = picks
        .map(|pick| Thing::of(asked, pick))
        .collect::<Result<_>>()?;
    let between = match things.as_slice() {
        [a, b] => Some(between::between(a, b, &frame)),
        _ => None,
    };
    let known: Vec<Known> = things
        .iter()
        .map(|t| known::known(asked, t, &frame, wanted.volumes))
        .collect();
    let numbers = match &between {
        Some(between) => between.numbers(),
        None => known.iter().flat_map(|k| k.values.clone()).collect(),
    };
    Ok(Measured {
        known,
        between,
        numbers,
    })
}

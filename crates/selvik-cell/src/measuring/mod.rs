//! What is known of one thing that was picked, what lies between two, what is nearest, how that changes along the path, and
//! what of it was kept.

mod along;
mod between;
mod chain;
mod kept;
mod known;
mod nearest;
mod pick;
mod thing;
mod value;

pub use along::{AlongWanted, measured_along};
pub use between::{Between, CarrierKind, CarriersApart, Span};
pub use chain::ChainAnswer;
pub use kept::{KeptFinding, findings_csv, kept_findings};
pub use known::Known;
pub use nearest::{Near, nearest};
pub use pick::{Picked, snap};
pub(crate) use thing::{PickedPlace, place_of};

use selvik_core::spatial::Pose;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::document::{KnownValue, LINKS, PickDocument};
use crate::questions::Asked;
use thing::Thing;

/// What is to be measured.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Measuring {
    /// One, two, or the links of a chain.
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
    /// What lies between each of more and the next.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub chain: Option<ChainAnswer>,
    /// What it comes to: of more things what lies between them, of one what is known of it; what says most comes first.
    pub numbers: Vec<KnownValue>,
}

/// Measures what was picked.
///
/// # Errors
/// [`FormatError`] for more than [`LINKS`] picks or none, for what is not there, or no longer.
pub fn measure(asked: &Asked, wanted: &Measuring) -> Result<Measured> {
    if wanted.picks.is_empty() || wanted.picks.len() > LINKS {
        let message = format!("one to {LINKS} things are measured");
        return Err(FormatError::said(message));
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
        [a, b] => Some(between::between(asked, a, b, &frame)),
        _ => None,
    };
    let chain = (things.len() > 2).then(|| ChainAnswer::of(asked, &things, &frame));
    let known: Vec<Known> = things
        .iter()
        .map(|t| known::known(asked, t, &frame, wanted.volumes))
        .collect();
    let numbers = match (&between, &chain) {
        (Some(between), _) => between.numbers(),
        (_, Some(chain)) => chain.numbers(),
        _ => known.iter().flat_map(|k| k.values.clone()).collect(),
    };
    Ok(Measured {
        known,
        between,
        chain,
        numbers,
    })
}

use selvik_core::spatial::Point;
use serde::Serialize;
use utoipa::ToSchema;

use super::between::{Span, between};
use super::thing::Thing;
use crate::document::{Amount, KnownValue, ValueKind};
use crate::questions::Asked;

/// What was picked one after the other, and what lies between each and the next.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ChainAnswer {
    /// All legs together.
    pub length_mm: f64,
    /// From each to the next: from middle to middle where both have one, else where they are nearest.
    pub legs: Vec<Span>,
    /// Between each leg and the next, where they meet: 180° where they go straight on; none where they don't meet.
    pub angles_deg: Vec<Option<f64>>,
    /// Why some leg is not certain.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_certain: Vec<String>,
}

impl ChainAnswer {
    pub(super) fn of(asked: &Asked, things: &[Thing], frame: &selvik_core::spatial::Pose) -> Self {
        let mut not_certain = Vec::new();
        let legs: Vec<Span> = things
            .windows(2)
            .map(|pair| {
                let found = between(asked, &pair[0], &pair[1], frame);
                found.middles.unwrap_or_else(|| {
                    not_certain.extend(found.not_certain);
                    found.smallest
                })
            })
            .collect();
        Self {
            length_mm: legs.iter().map(|leg| leg.length_mm).sum(),
            angles_deg: legs.windows(2).map(|w| angle(&w[0], &w[1])).collect(),
            legs,
            not_certain,
        }
    }

    /// Its numbers: the whole first, then each leg.
    pub(super) fn numbers(&self) -> Vec<KnownValue> {
        let length = |what, mm| KnownValue {
            what,
            amount: Amount::LengthMm(mm),
        };
        let legs = self
            .legs
            .iter()
            .map(|leg| length(ValueKind::Nearest, leg.length_mm));
        std::iter::once(length(ValueKind::AlongChain, self.length_mm))
            .chain(legs)
            .collect()
    }
}

/// The angle at which two legs meet, if they do and both have a direction.
fn angle(before: &Span, after: &Span) -> Option<f64> {
    let [at, on, from, to] =
        [before.to_mm, after.from_mm, before.from_mm, after.to_mm].map(Point::from);
    let (back, forth) = (from - at, to - on);
    let meet = (at - on).norm() < 1e-6;
    (meet && back.norm() > 1e-9 && forth.norm() > 1e-9).then(|| back.angle(&forth).to_degrees())
}

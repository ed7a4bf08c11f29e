//! Numbers over the time of the path, told.

use selvik_core::measure::{Curve, Extreme};
use serde::Serialize;
use utoipa::ToSchema;

/// Numbers over the time of the path.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SeriesAnswer {
    /// What there is to follow; what says most comes first.
    pub series: Vec<Series>,
    /// What is not certain about it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_certain: Vec<String>,
}

/// One number over the time of the path.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Series {
    /// What it says.
    pub what: SeriesKind,
    /// The joint it is of, `item/joint`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub joint: Option<String>,
    /// Of its values.
    pub unit: SeriesUnit,
    /// Instants, rising.
    pub times_s: Vec<f64>,
    /// Its values there.
    pub values: Vec<f64>,
    /// Where it is smallest.
    pub smallest: SeriesExtreme,
    /// Where it is largest.
    pub largest: SeriesExtreme,
}

/// Where a number is smallest or largest.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SeriesExtreme {
    /// When.
    pub time_s: f64,
    /// What it is there.
    pub value: f64,
    /// What it certainly never passes along the whole path; absent where only instants were looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bound: Option<f64>,
    /// What is nearest there, of a distance to whatever that is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
}

/// What a number over time says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SeriesKind {
    /// Where two things are nearest.
    Nearest,
    /// From one thing to whatever is nearest.
    ToNearest,
    /// Where they are farthest apart.
    Farthest,
    /// From the middle of one to the middle of the other.
    BetweenMiddles,
    /// How far a point has travelled.
    Travelled,
    /// How fast it is.
    Speed,
    /// From the robot's base to its TCP.
    Straight,
    /// The same along the floor.
    Horizontal,
    /// The same upwards.
    Vertical,
    /// Which share of an arm's reach is used.
    ReachUsed,
    /// How far a joint is from its nearer limit.
    ToLimit,
    /// How far an arm is from a singularity: the smallest singular value of its Jacobian, 0 there.
    ToSingularity,
}

/// In what a number is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SeriesUnit {
    /// Millimetres.
    Mm,
    /// Millimetres a second.
    MmPerS,
    /// Degrees.
    Deg,
    /// Hundredths.
    Percent,
    /// A number without a unit.
    Plain,
}

impl Series {
    /// Of a curve whose values are `times` as much in `unit`.
    #[must_use]
    pub(crate) fn of(what: SeriesKind, curve: &Curve, (unit, times): (SeriesUnit, f64)) -> Self {
        let told = |extreme: &Extreme| SeriesExtreme {
            time_s: extreme.time,
            value: extreme.value * times,
            bound: extreme.bound.map(|b| b * times),
            with: None,
        };
        Self {
            what,
            joint: None,
            unit,
            times_s: curve.points.iter().map(|p| p.0).collect(),
            values: curve.points.iter().map(|p| p.1 * times).collect(),
            smallest: told(&curve.smallest),
            largest: told(&curve.largest),
        }
    }
}

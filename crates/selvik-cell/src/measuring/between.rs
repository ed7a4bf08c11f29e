use selvik_core::clearance::{Closest, Limit, Side, distance, surfaces_apart};
use selvik_core::measure::{Carrier, apart, farthest};
use selvik_core::mesh::Containment;
use selvik_core::spatial::{Point, Pose};
use serde::Serialize;
use utoipa::ToSchema;

use super::thing::{Form, Part, Thing};
use crate::document::{Amount, KnownValue, ValueKind};
use crate::questions::Asked;
use crate::reach::ReachHere;
use crate::report::millimetres;

/// What lies between two things.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Between {
    /// Where they are nearest; 0 where they touch, cross, or one lies in the other.
    pub smallest: Span,
    /// Whether they touch, cross, or one lies in the other.
    pub overlap: bool,
    /// Where they are farthest apart; in the corners of their meshes.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub largest: Option<Span>,
    /// From centre to centre, or corner to corner.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub middles: Option<Span>,
    /// How their axes and planes lie.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub carriers: Option<CarriersApart>,
    /// What is left to the arm that takes one to where it is, if the other is told from where that arm stands.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reach: Option<ReachHere>,
    /// Why the smallest distance is not certain.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_certain: Vec<String>,
}

impl Between {
    /// Its numbers, the one that says most first.
    pub(super) fn numbers(&self) -> Vec<KnownValue> {
        let length = |what: ValueKind, mm: f64| KnownValue {
            what,
            amount: Amount::LengthMm(mm),
        };
        let span = |what: ValueKind, span: &Option<Span>| {
            span.as_ref().map(|span| length(what, span.length_mm))
        };
        let carriers = self.carriers.as_ref();
        let angle = carriers.and_then(|c| c.angle_deg).map(|deg| KnownValue {
            what: ValueKind::Angle,
            amount: Amount::AngleDeg(deg),
        });
        let nearest = length(ValueKind::Nearest, self.smallest.length_mm);
        let others = [
            span(ValueKind::BetweenMiddles, &self.middles),
            carriers.and_then(|c| span(ValueKind::BetweenCarriers, &c.distance)),
            angle,
            span(ValueKind::Farthest, &self.largest),
        ];
        [nearest]
            .into_iter()
            .chain(others.into_iter().flatten())
            .chain(self.reach.iter().flat_map(|reach| reach.numbers.clone()))
            .collect()
    }
}

/// A distance, and where it is.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Span {
    /// How long.
    pub length_mm: f64,
    /// Along the axes of the chosen frame, from the first to the second.
    pub along_mm: [f64; 3],
    /// Along the floor and upwards, whatever the frame.
    pub level_mm: [f64; 2],
    /// On the first, world coordinates.
    pub from_mm: [f64; 3],
    /// On the second.
    pub to_mm: [f64; 3],
}

/// How two axes or planes lie.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct CarriersApart {
    /// What carries the first.
    pub of_a: CarrierKind,
    /// And the second.
    pub of_b: CarrierKind,
    /// At most a right angle; none with a point.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub angle_deg: Option<f64>,
    /// Between them; none where they are not parallel and so meet.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub distance: Option<Span>,
}

/// What carries a thing beyond its ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum CarrierKind {
    /// A corner, a centre, an origin.
    Point,
    /// An axis, the line along an edge.
    Axis,
    /// The plane of a flat face.
    Plane,
}

impl CarrierKind {
    fn of(carrier: &Carrier) -> Self {
        match carrier {
            Carrier::Point(_) => Self::Point,
            Carrier::Line { .. } => Self::Axis,
            Carrier::Plane { .. } => Self::Plane,
        }
    }
}

/// What lies between `a` and `b`, told in `frame`.
pub(super) fn between(asked: &Asked, a: &Thing, b: &Thing, frame: &Pose) -> Between {
    let span = |from: &Point, to: &Point, length: f64| Span {
        length_mm: length * 1e3,
        level_mm: [(to.x - from.x).hypot(to.y - from.y), to.z - from.z].map(|x| x * 1e3),
        along_mm: (frame.rotation.inverse() * (to - from) * 1e3).into(),
        from_mm: millimetres(from),
        to_mm: millimetres(to),
    };
    let straight = |from: &Point, to: &Point| span(from, to, (to - from).norm());
    let mut nearest: Option<(Closest, Pose)> = None;
    let mut not_certain = Vec::new();
    let mut most: Option<(f64, Point, Point)> = None;
    for x in &a.parts {
        for y in &b.parts {
            let relative = x.pose.inv_mul(&y.pose);
            let enough = nearest.map_or(f64::INFINITY, |(c, _)| c.distance);
            let (closest, unsure) = closest(x, y, &relative, enough);
            not_certain.extend(unsure);
            if let Some(closest) = closest.filter(|c| c.distance < enough || c.overlap) {
                nearest = Some((closest, x.pose));
            }
            if let Some(far) = farthest(&x.balls(), &y.balls(), &relative)
                && most.is_none_or(|(d, ..)| far.distance > d)
            {
                most = Some((far.distance, x.pose * far.on_a, x.pose * far.on_b));
            }
        }
    }
    let (closest, pose) = nearest.expect("both have parts");
    let carriers = a.carrier().zip(b.carrier());
    let carriers = carriers.map(|(p, q)| {
        let found = apart(&p, &q);
        CarriersApart {
            of_a: CarrierKind::of(&p),
            of_b: CarrierKind::of(&q),
            angle_deg: found.angle.map(f64::to_degrees),
            distance: found.distance.map(|d| span(&found.on_a, &found.on_b, d)),
        }
    });
    Between {
        smallest: span(
            &(pose * closest.on_a),
            &(pose * closest.on_b),
            closest.distance,
        ),
        overlap: closest.overlap,
        largest: most.map(|(d, from, to)| span(&from, &to, d)),
        middles: a.middle().zip(b.middle()).map(|(p, q)| straight(&p, &q)),
        carriers,
        reach: reach(asked, a, b).or_else(|| reach(asked, b, a)),
        not_certain,
    }
}

/// What is left to the arm that takes the frame `tip`, told from a frame that it does not move.
fn reach(asked: &Asked, from: &Thing, tip: &Thing) -> Option<ReachHere> {
    let (base, tip) = (from.frame()?, tip.frame()?);
    let above = |node| asked.workcell().assembly.moving_above(node);
    let moved = above(tip).iter().any(|n| !above(base).contains(n));
    moved.then(|| ReachHere::of(asked.workcell(), tip, asked.joints()))?
}

/// The closest points of two parts, in the frame of the first, and why they are not certain.
pub(super) fn closest(
    x: &Part,
    y: &Part,
    relative: &Pose,
    enough: f64,
) -> (Option<Closest>, Option<String>) {
    match (&x.form, &y.form) {
        (Form::Body(a), Form::Body(b)) => {
            let limit = Limit {
                enough,
                ..Limit::default()
            };
            let found = distance(a, b, relative, limit);
            let unsure = found.undecided.map(|side| {
                let which = if side == Side::First {
                    "first"
                } else {
                    "second"
                };
                format!("a body of the {which} is open: the other may lie inside it")
            });
            (found.closest, unsure)
        }
        _ => {
            let found = surfaces_apart(x.hierarchy(), y.hierarchy(), relative);
            let inside = lies_in(x, y, &relative.inverse()).or_else(|| lies_in(y, x, relative));
            match inside {
                Some(Containment::Inside) => {
                    let held = found.map(|c| Closest {
                        distance: 0.0,
                        overlap: true,
                        on_b: c.on_a,
                        ..c
                    });
                    (held, None)
                }
                Some(Containment::Undecided) => {
                    let unsure = "the body is open: what was picked may lie inside it";
                    (found, Some(unsure.to_owned()))
                }
                _ => (found, None),
            }
        }
    }
}

/// Whether `inner`, of bare triangles, lines or points, lies in `outer`, if that is a body and no part of it.
fn lies_in(inner: &Part, outer: &Part, back: &Pose) -> Option<Containment> {
    let (Form::Bare(_, balls), Form::Body(surface)) = (&inner.form, &outer.form) else {
        return None;
    };
    let (first, _) = balls.first()?;
    let point = back * first;
    // What lies in the surface itself is on it, not in it.
    let on = selvik_core::clearance::distance_to_point(surface, &point);
    (on > 1e-6).then(|| surface.contains(&point))
}

use selvik_core::clearance::{Limit, distance};
use selvik_core::robot::BodyId;
use selvik_formats::{FormatError, Result};
use serde::Serialize;
use utoipa::ToSchema;

use super::thing::{Form, Thing};
use crate::document::{PickDocument, PickKind};
use crate::questions::Asked;

/// A body near something.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Near {
    /// What to pick to measure to it.
    pub pick: PickDocument,
    /// Its name.
    pub name: String,
    /// How far away; 0 where they touch or overlap.
    pub distance_mm: f64,
}

/// The `most` bodies nearest to what was picked, of other items than that, nearest first.
///
/// # Errors
/// [`FormatError`] for what is not there, or no longer, or has no geometry.
pub fn nearest(asked: &Asked, pick: &PickDocument, most: usize) -> Result<Vec<Near>> {
    let thing = Thing::of(asked, pick)?;
    let assembly = &asked.workcell().assembly;
    let mut by_bound: Vec<(f64, BodyId)> = Vec::new();
    for id in others(asked, &thing) {
        let (surface, pose) = asked.placed(id);
        let (centre, radius) = surface.ball();
        let apart = thing.parts.iter().map(|part| {
            let (own_centre, own_radius) = part.ball();
            (part.pose * own_centre - pose * centre).norm() - own_radius - radius
        });
        by_bound.push((apart.fold(f64::INFINITY, f64::min), id));
    }
    // By what they keep at least: once that is more than the farthest of those found, the rest is farther.
    by_bound.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut found: Vec<(f64, BodyId)> = Vec::new();
    for (at_least, body) in by_bound {
        let enough = match found.get(most - 1) {
            Some((farthest, _)) => *farthest,
            None => f64::INFINITY,
        };
        if at_least > enough {
            break;
        }
        let apart = thing.parts.iter().filter_map(|part| {
            let (surface, pose) = asked.placed(body);
            let relative = part.pose.inv_mul(&pose);
            match &part.form {
                Form::Body(own) => {
                    let limit = Limit {
                        enough,
                        ..Limit::default()
                    };
                    distance(own, surface, &relative, limit).closest
                }
                Form::Bare(own, _) => {
                    selvik_core::clearance::surfaces_apart(own, surface.hierarchy(), &relative)
                }
            }
        });
        if let Some(apart) = apart.map(|c| c.distance).reduce(f64::min) {
            let place = found.partition_point(|(d, _)| *d <= apart);
            found.insert(place, (apart, body));
            found.truncate(most);
        }
    }
    if found.is_empty() {
        return Err(FormatError::said("there is nothing else in the cell"));
    }
    let near = |(distance, id): (f64, BodyId)| Near {
        pick: PickDocument {
            on: asked.name_of(id),
            kind: PickKind::Item,
            is: None,
            at_mm: None,
        },
        name: assembly.body_name(id),
        distance_mm: distance * 1e3,
    };
    Ok(found.into_iter().map(near).collect())
}

/// The bodies of other items than that of a thing and what hangs on it.
pub(super) fn others<'a>(
    asked: &'a Asked,
    thing: &Thing,
) -> impl Iterator<Item = BodyId> + use<'a> {
    let assembly = &asked.workcell().assembly;
    let item = thing.item;
    let is_other = move |id: &BodyId| !assembly.cell().is_within(assembly.body(*id).item, item);
    (0..assembly.bodies().len()).map(BodyId).filter(is_other)
}

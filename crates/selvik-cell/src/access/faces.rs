use indexmap::IndexMap;
use nalgebra::Unit;
use selvik_core::access::{FaceAccess, Light, Obstacle, Rod, WayIn, light_faces};
use selvik_core::robot::BodyId;
use selvik_core::spatial::{Point, Vector};
use selvik_formats::{FormatError, PackageFiles, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::place::{self, Place};
use super::{RodWanted, obstacles};
use crate::document::PickDocument;
use crate::questions::Asked;
use crate::report::millimetres;

/// What is to be come to, and from where.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct AccessWanted {
    /// From where.
    pub from: AccessFrom,
    /// With what.
    pub rod: RodWanted,
    /// Ids of the items whose faces are judged; of groups those of all that is in them.
    #[serde(default)]
    pub items: Vec<String>,
    /// Places that are judged.
    #[serde(default)]
    pub picks: Vec<PickDocument>,
    /// Id of a program whose targets are judged.
    #[serde(default)]
    pub program: Option<String>,
    /// Ids of the items that are not in the way.
    #[serde(default)]
    pub without: Vec<String>,
}

/// From where it is looked, or a tool comes.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AccessFrom {
    /// From far away, in this direction from the cell.
    Towards([f64; 3]),
    /// From this point.
    FromMm([f64; 3]),
    /// Out of the face that a place lies on; against the axis of a target or frame. Of places only.
    Own,
}

/// What can be come to.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct AccessAnswer {
    /// Of faces, if any were to be judged.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub faces: Option<FacesAnswer>,
    /// Of each place.
    pub points: Vec<PointAnswer>,
}

/// How much of some faces can be come to.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct FacesAnswer {
    /// Nothing is in the way.
    pub free_mm2: f64,
    /// Something is.
    pub blocked_mm2: f64,
    /// They look the other way.
    pub away_mm2: f64,
    /// So many pieces were judged, each by its middle.
    pub pieces: usize,
    /// What is in the way, most first.
    pub blocked_by: Vec<BlockerAnswer>,
    /// Corners of the pieces that are free, nine numbers each, in the world.
    pub free_triangles_mm: Vec<f32>,
    /// Of those that are blocked.
    pub blocked_triangles_mm: Vec<f32>,
}

/// Something that is in the way.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct BlockerAnswer {
    /// Id of the item.
    pub item: String,
    /// Name of the body.
    pub name: String,
    /// Of how much area.
    pub area_mm2: f64,
}

/// Whether a place can be come to.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct PointAnswer {
    /// Name of the target, or of what was picked.
    pub name: String,
    /// In the world.
    pub at_mm: [f64; 3],
    /// Whether.
    pub verdict: AccessVerdict,
    /// Id of the item that is in the way first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// Name of its body.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_name: Option<String>,
    /// How far out from the place.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub out_mm: Option<f64>,
}

/// Whether something can be come to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AccessVerdict {
    /// Nothing is in the way.
    Free,
    /// Something is.
    Blocked,
    /// The face it lies on looks the other way.
    Away,
    /// It has no direction of its own, or is where one looks from.
    NotJudged,
}

/// So many pieces faces are judged in, about.
const PIECES: usize = 10_000;
/// Of more triangles faces are not judged at once.
const TRIANGLES: usize = 300_000;
/// More places are not judged at once.
const PLACES: usize = 5000;

/// What can be seen, or come to with a tool in a straight line, and what is in the way; `files` are those of the cell.
///
/// # Errors
/// [`FormatError`] for what is not there, and for a direction or tool that is none.
pub fn access(asked: &Asked, files: &PackageFiles, wanted: &AccessWanted) -> Result<AccessAnswer> {
    let rod = wanted.rod.rod()?;
    let light = light(&wanted.from)?;
    let (obstacles, ids) = obstacles(asked, &wanted.without)?;
    let mut places: Vec<Place> = match &wanted.program {
        Some(program) => place::targets(asked, files, program)?,
        None => Vec::new(),
    };
    for pick in &wanted.picks {
        places.push(place::picked(asked, pick)?);
    }
    if places.len() > PLACES {
        let message = format!("no more than {PLACES} places are judged at once");
        return Err(FormatError::said(message));
    }
    let faces = match light {
        _ if wanted.items.is_empty() => None,
        None => {
            let message = "faces are judged from a direction or a point";
            return Err(FormatError::said(message));
        }
        Some(light) => Some(judged_faces(
            asked,
            wanted,
            &obstacles,
            &ids,
            (&light, &rod),
        )?),
    };
    let judge = |place: &Place| judged(asked, place, light.as_ref(), &rod, (&obstacles, &ids));
    Ok(AccessAnswer {
        faces,
        points: places.iter().map(judge).collect(),
    })
}

fn light(from: &AccessFrom) -> Result<Option<Light>> {
    match from {
        AccessFrom::Own => Ok(None),
        AccessFrom::Towards(out) => {
            let out = Vector::from(*out);
            let unit = Unit::try_new(out, 1e-9).filter(|_| out.norm().is_finite());
            let unit = unit.ok_or_else(|| FormatError::said("a direction points somewhere"))?;
            Ok(Some(Light::Towards(unit)))
        }
        AccessFrom::FromMm(at) => {
            if !at.iter().all(|x| x.is_finite()) {
                return Err(FormatError::said("every number must be finite"));
            }
            Ok(Some(Light::From(Point::from(at.map(|x| x * 1e-3)))))
        }
    }
}

fn judged_faces(
    asked: &Asked,
    wanted: &AccessWanted,
    obstacles: &[Obstacle],
    ids: &[BodyId],
    (light, rod): (&Light, &Rod),
) -> Result<FacesAnswer> {
    let assembly = &asked.workcell().assembly;
    let mut triangles: Vec<[Point; 3]> = Vec::new();
    let mut bodies: Vec<BodyId> = Vec::new();
    for id in &wanted.items {
        bodies.extend(asked.bodies_of(id)?);
    }
    bodies.sort_unstable();
    bodies.dedup();
    let count = |&body: &BodyId| asked.placed(body).0.mesh().triangles().len();
    let count: usize = bodies.iter().map(count).sum();
    if count > TRIANGLES {
        let message = format!(
            "no more than {TRIANGLES} triangles are judged at once, and these items have {count}: choose fewer"
        );
        return Err(FormatError::said(message));
    }
    for body in bodies {
        let (surface, pose) = asked.placed(body);
        let mesh = surface.mesh();
        let all = 0..mesh.triangles().len();
        triangles.extend(all.map(|t| mesh.corners(t).map(|p| pose * p)));
    }
    let pieces = light_faces(&triangles, obstacles, light, rod, PIECES);
    let mut answer = FacesAnswer {
        free_mm2: 0.0,
        blocked_mm2: 0.0,
        away_mm2: 0.0,
        pieces: pieces.len(),
        blocked_by: Vec::new(),
        free_triangles_mm: Vec::new(),
        blocked_triangles_mm: Vec::new(),
    };
    let mut by: IndexMap<usize, f64> = IndexMap::new();
    for piece in pieces {
        let area = piece.area * 1e6;
        let corners = piece
            .corners
            .iter()
            .flat_map(|p| millimetres(p).map(hundredths));
        match piece.access {
            FaceAccess::Away => answer.away_mm2 += area,
            FaceAccess::Free => {
                answer.free_mm2 += area;
                answer.free_triangles_mm.extend(corners);
            }
            FaceAccess::Blocked(obstacle) => {
                answer.blocked_mm2 += area;
                answer.blocked_triangles_mm.extend(corners);
                *by.entry(obstacle).or_default() += area;
            }
        }
    }
    by.sort_by(|_, a, _, b| b.total_cmp(a));
    let told = |(&obstacle, &area_mm2): (&usize, &f64)| BlockerAnswer {
        item: assembly.cell().items()[assembly.body(ids[obstacle]).item]
            .id
            .0
            .clone(),
        name: assembly.body_name(ids[obstacle]),
        area_mm2,
    };
    answer.blocked_by = by.iter().map(told).collect();
    Ok(answer)
}

/// As finely as it is drawn, mm.
fn hundredths(mm: f64) -> f32 {
    ((mm * 100.0).round() / 100.0) as f32
}

fn judged(
    asked: &Asked,
    place: &Place,
    light: Option<&Light>,
    rod: &Rod,
    (obstacles, ids): (&[Obstacle], &[BodyId]),
) -> PointAnswer {
    let assembly = &asked.workcell().assembly;
    let own = || {
        let way = place.out.map(|out| WayIn {
            point: place.at,
            out,
        });
        way.map(|way| (way, f64::INFINITY))
    };
    let way = light.map_or_else(own, |light| light.way(&place.at));
    let told = |verdict, met: Option<(usize, f64)>| {
        let body = met.map(|(by, _)| ids[by]);
        PointAnswer {
            name: place.name.clone(),
            at_mm: millimetres(&place.at),
            verdict,
            by: body.map(|b| assembly.cell().items()[assembly.body(b).item].id.0.clone()),
            by_name: body.map(|b| assembly.body_name(b)),
            out_mm: met.map(|(_, out)| out * 1e3),
        }
    };
    let Some((way, far)) = way else {
        // It is where one looks from, or a corner or edge that has no direction of its own.
        return told(AccessVerdict::NotJudged, None);
    };
    if place.on_face && place.out.is_some_and(|out| out.dot(&way.out) <= 1e-7) {
        return told(AccessVerdict::Away, None);
    }
    match way.blocked(obstacles, &rod.from_as_far(far)) {
        None => told(AccessVerdict::Free, None),
        Some(met) => told(AccessVerdict::Blocked, Some((met.by, met.out))),
    }
}

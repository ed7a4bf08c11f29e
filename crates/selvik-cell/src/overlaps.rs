//! Which bodies touch or overlap where everything stands, and how much.

use nalgebra::Translation3;
use rayon::prelude::*;
use selvik_core::clearance::{Limit, Progress, Side, distance, overlap_depth};
use selvik_core::mesh::Surface;
use selvik_core::robot::BodyId;
use selvik_core::section::{crossing_lines, shared_mass};
use selvik_core::spatial::{Aabb, Pose, Vector};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::questions::Asked;
use crate::report::{SideReport, millimetres, side};

/// Among what is looked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct OverlapsWanted {
    /// Ids of the items; all of them where absent.
    #[serde(default)]
    pub items: Option<Vec<String>>,
    /// What overlaps no deeper than this, or is no farther apart, touches.
    #[serde(default = "tolerance")]
    pub tolerance_mm: f64,
}

fn tolerance() -> f64 {
    0.1
}

/// What touches and overlaps.
#[derive(Debug, Serialize, ToSchema)]
pub struct Overlaps {
    /// The deepest first.
    pub pairs: Vec<OverlappingPair>,
    /// What may touch, and was not looked at.
    pub left_out: Vec<LeftOutPair>,
    /// Whether all pairs that come near each other were looked at.
    pub complete: bool,
}

/// Two bodies that touch or overlap.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct OverlappingPair {
    /// One.
    pub a: SideReport,
    /// The other.
    pub b: SideReport,
    /// How.
    pub state: OverlapState,
    /// The diameter of the largest ball that lies in both: certainly the first, at most the second.
    pub depth_mm: [f64; 2],
    /// Of what they share; none where one of them is open or round shapes are only drawn with facets.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub volume_mm3: Option<f64>,
    /// A place where they do.
    pub at_mm: [f64; 3],
    /// The lines in which their surfaces cross, ends of segments; world coordinates.
    pub lines_mm: Vec<[[f64; 3]; 2]>,
    /// Why it is not certain.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub not_certain: Option<String>,
}

/// How two bodies meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OverlapState {
    /// Deeper than the tolerance.
    Overlaps,
    /// By no more than the tolerance, or no farther apart.
    Touches,
    /// It can't be told which.
    NotCertain,
}

/// A pair that was left out.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct LeftOutPair {
    /// Name of one.
    pub a: String,
    /// Name of the other.
    pub b: String,
    /// Why.
    pub reason: String,
}

/// So many pairs whose boxes meet are looked at, so many of them are told in full.
const MOST_PAIRS: usize = 20_000;
const MOST_TOLD: usize = 300;
/// A depth is looked into so many cells of space.
const CELLS: u64 = 600;
/// What is tried is shifted by this share of the tolerance, so that rounding is within it.
const SHIFTED: f64 = 0.99;
/// So many segments of a crossing are told.
const MOST_LINES: usize = 20_000;

/// Looks for what touches and overlaps where `asked` has everything; when it is stopped, what was found until then is
/// all there is.
///
/// # Errors
/// [`FormatError`] for an item that is not there, or a tolerance that is none.
pub fn overlaps(asked: &Asked, wanted: &OverlapsWanted, progress: &Progress) -> Result<Overlaps> {
    let workcell = asked.workcell();
    let assembly = &workcell.assembly;
    let tolerance = wanted.tolerance_mm * 1e-3;
    if !(0.0..=1.0).contains(&tolerance) {
        return Err(FormatError::said("a tolerance is between 0 and 1000 mm"));
    }
    let among = match &wanted.items {
        Some(ids) => Some(
            ids.iter()
                .map(|id| asked.position(id))
                .collect::<Result<Vec<_>>>()?,
        ),
        None => None,
    };
    let is_wanted = |item: usize| among.as_ref().is_none_or(|all| all.contains(&item));
    let mut boxes: Vec<(BodyId, Aabb)> = Vec::new();
    for (index, body) in assembly.bodies().iter().enumerate() {
        if is_wanted(body.item) {
            let (surface, pose) = asked.placed(BodyId(index));
            let bounds = surface.bounds().moved(&pose).grown(tolerance / 2.0 + 1e-9);
            boxes.push((BodyId(index), bounds));
        }
    }
    boxes.sort_by(|a, b| a.1.min.x.total_cmp(&b.1.min.x));
    let reason = workcell.rules.leaving_out(assembly);
    let (mut near, mut left_out, mut complete) = (Vec::new(), Vec::new(), true);
    'all: for (at, (a, own)) in boxes.iter().enumerate() {
        let beside = boxes[at + 1..]
            .iter()
            .take_while(|(_, b)| b.min.x <= own.max.x);
        for (b, _) in beside.filter(|(_, b)| own.overlaps(b)) {
            if let Some(reason) = reason(*a, *b) {
                left_out.push(LeftOutPair {
                    a: assembly.body_name(*a),
                    b: assembly.body_name(*b),
                    reason: reason.to_string(),
                });
                continue;
            }
            if near.len() == MOST_PAIRS {
                complete = false;
                break 'all;
            }
            near.push((*a.min(b), *a.max(b)));
        }
    }
    let goes_on = || !progress.stopped();
    let meet: Vec<Meeting> = near
        .into_par_iter()
        .filter(|_| goes_on())
        .filter_map(|(a, b)| meeting(asked, a, b, tolerance))
        .collect();
    complete &= meet.len() <= MOST_TOLD;
    let mut pairs: Vec<OverlappingPair> = meet
        .into_par_iter()
        .take(MOST_TOLD)
        .filter(|_| goes_on())
        .map(|meeting| told(asked, &meeting, tolerance))
        .collect();
    complete &= goes_on();
    pairs.sort_by(|p, q| q.depth_mm[0].total_cmp(&p.depth_mm[0]));
    Ok(Overlaps {
        pairs,
        left_out,
        complete,
    })
}

/// Two bodies that are no farther apart than the tolerance.
struct Meeting {
    a: BodyId,
    b: BodyId,
    at_mm: [f64; 3],
    /// Square to the faces that meet, in the world.
    across: [Vector; 2],
    not_certain: Option<String>,
}

fn meeting(asked: &Asked, a: BodyId, b: BodyId, tolerance: f64) -> Option<Meeting> {
    let ((sa, pa), (sb, pb)) = (asked.placed(a), asked.placed(b));
    let limit = Limit {
        enough: tolerance + 1e-9,
        ..Limit::default()
    };
    let found = distance(sa, sb, &pa.inv_mul(&pb), limit);
    let assembly = &asked.workcell().assembly;
    let not_certain = found.undecided.map(|side| {
        let open = assembly.body_name(if side == Side::First { a } else { b });
        format!("{open} is open: the other body may lie inside it")
    });
    let at = found.closest.map(|c| millimetres(&(pa * c.on_a)));
    let at_mm = at.or_else(|| {
        not_certain
            .as_ref()
            .map(|_| millimetres(&(pa * sa.ball().0)))
    })?;
    let square = |surface: &Surface, pose: &Pose, triangle: u32| {
        let at = triangle as usize;
        let known = surface.is_as_drawn() && at < surface.mesh().triangles().len();
        known.then(|| pose.rotation * surface.mesh().area_vector(at))
    };
    let across = found.closest.map_or([None; 2], |c| {
        [
            square(sa, &pa, c.triangles.0),
            square(sb, &pb, c.triangles.1),
        ]
    });
    Some(Meeting {
        a,
        b,
        at_mm,
        across: across.map(Option::unwrap_or_default),
        not_certain,
    })
}

/// Whether one of the two, shifted by no more than the tolerance, is free of the other. Then no ball that lies in both is
/// larger than the shift: it would still reach into both.
fn comes_free(asked: &Asked, meeting: &Meeting, tolerance: f64) -> bool {
    let ((sa, pa), (sb, pb)) = (asked.placed(meeting.a), asked.placed(meeting.b));
    let axes = [Vector::x(), Vector::y(), Vector::z()].map(|axis| pa.rotation * axis);
    let other_axes = [Vector::x(), Vector::y(), Vector::z()].map(|axis| pb.rotation * axis);
    let apart = pb * sb.ball().0 - pa * sa.ball().0;
    let ways = axes
        .into_iter()
        .chain(other_axes)
        .chain(meeting.across)
        .chain([apart]);
    let mut ways = ways.filter_map(|way| way.try_normalize(1e-12));
    ways.any(|way| {
        [way, -way].into_iter().any(|way| {
            let shift = way * (tolerance * SHIFTED);
            let shifted = Pose::from_parts(
                Translation3::from(pb.translation.vector + shift),
                pb.rotation,
            );
            let found = distance(sa, sb, &pa.inv_mul(&shifted), Limit::default());
            found.undecided.is_none() && found.lower > 0.0
        })
    })
}

fn told(asked: &Asked, meeting: &Meeting, tolerance: f64) -> OverlappingPair {
    let ((sa, pa), (sb, pb)) = (asked.placed(meeting.a), asked.placed(meeting.b));
    // What comes free at once needs not be looked into.
    let (certain, most) = if comes_free(asked, meeting, tolerance) {
        (0.0, tolerance)
    } else {
        overlap_depth(sa, sb, &pa.inv_mul(&pb), CELLS)
    };
    let state = match meeting.not_certain {
        Some(_) => OverlapState::NotCertain,
        None if certain > tolerance => OverlapState::Overlaps,
        None if most <= tolerance => OverlapState::Touches,
        None => OverlapState::NotCertain,
    };
    // All in the frame of the second, whose tree is kept.
    let first = sa.mesh().moved(&pb.inv_mul(&pa));
    let solid = |s: &Surface| s.is_as_drawn() && s.open_edges() == 0;
    let volume = (state != OverlapState::Touches && solid(sa) && solid(sb))
        .then(|| shared_mass(&first, sb.mesh()))
        .flatten();
    let lines = crossing_lines(&first, sb).unwrap_or_default();
    let lines_mm = lines
        .iter()
        .take(MOST_LINES)
        .map(|ends| ends.map(|p| millimetres(&(pb * p))));
    let unsure = (state == OverlapState::NotCertain)
        .then(|| "how deep it is could not be told apart from touching".to_owned());
    OverlappingPair {
        a: side(asked.workcell(), meeting.a),
        b: side(asked.workcell(), meeting.b),
        state,
        depth_mm: [certain * 1e3, most * 1e3],
        volume_mm3: volume.map(|mass| mass.volume * 1e9),
        at_mm: meeting.at_mm,
        lines_mm: lines_mm.collect(),
        not_certain: meeting.not_certain.clone().or(unsure),
    }
}

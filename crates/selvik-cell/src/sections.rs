//! What sections leave of a cell's items: the faces, their numbers and their hatching.

use std::collections::{BTreeMap, HashSet};

use rayon::prelude::*;
use selvik_core::mesh::Surface;
use selvik_core::section::{Cutaway, Face, Removed, Section, fill, hatches, overlap};
use selvik_core::spatial::{Aabb, Point, Pose};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::document::{MOST_SECTIONS, SectionDocument};
use crate::report::millimetres;

/// Smaller than this an overlap is a rounding, m².
const NO_AREA: f64 = 1e-9;

/// So many pairs whose boxes meet are looked at for overlaps: a second or so.
const MOST_PAIRS: usize = 5_000;

/// What is cut, and by what.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Cuts {
    /// Each takes its part away.
    pub sections: Vec<SectionDocument>,
    /// Ids of the items to cut.
    pub items: Vec<String>,
    /// Whether overlaps are asked for, too.
    #[serde(default)]
    pub overlaps: bool,
}

/// The faces of cuts.
#[derive(Debug, Serialize, ToSchema)]
pub struct SectionFaces {
    /// One for each item and plane that cuts it; what bodies of an item share counts once.
    pub faces: Vec<SectionFace>,
    /// Where two items are cut in the same place, if asked for.
    pub overlaps: Vec<SectionOverlap>,
    /// Whether all pairs that come near each other were looked at, where overlaps were asked for.
    pub overlaps_complete: bool,
    /// Of all faces.
    pub area_mm2: f64,
}

/// The cut face of one item.
#[derive(Debug, Serialize, ToSchema)]
pub struct SectionFace {
    /// Id of the item.
    pub item: String,
    /// Which of the sections cuts it.
    pub section: usize,
    /// By which of its planes: the first is the one the section stands on.
    pub plane: usize,
    /// The side taken away.
    pub normal: [f64; 3],
    /// Of material.
    pub area_mm2: f64,
    /// Of outlines and holes.
    pub perimeter_mm: f64,
    /// Of the area; none where nothing closed is cut.
    pub centroid_mm: Option<[f64; 3]>,
    /// The number of its hatching: neighbours have different ones (ISO 128-3).
    pub hatch: usize,
    /// Outlines and holes, closed, world coordinates.
    pub outlines_mm: Vec<Vec<[f64; 3]>>,
    /// What fills the face: corners of triangles among the points of all outlines, counted through.
    pub triangles: Vec<[u32; 3]>,
    /// Lines left open where the mesh is open.
    pub open_mm: Vec<Vec<[f64; 3]>>,
}

/// Where two items overlap in a cut.
#[derive(Debug, Serialize, ToSchema)]
pub struct SectionOverlap {
    /// Ids of the two.
    pub items: [String; 2],
    /// The side taken away.
    pub normal: [f64; 3],
    /// That both cover.
    pub area_mm2: f64,
    /// Outlines and holes, closed, world coordinates.
    pub outlines_mm: Vec<Vec<[f64; 3]>>,
    /// What fills it: corners of triangles among the points of all outlines, counted through.
    pub triangles: Vec<[u32; 3]>,
}

/// Cuts items of a cell whose coordinate systems stand at `poses`.
///
/// # Errors
/// [`FormatError`] for a section that can't be, or that is fixed to what is not there.
pub fn section_faces(workcell: &Workcell, poses: &[Pose], cuts: &Cuts) -> Result<SectionFaces> {
    let assembly = &workcell.assembly;
    let items = assembly.cell().items();
    if cuts.sections.len() > MOST_SECTIONS {
        return Err(FormatError::said(too_many(cuts.sections.len())));
    }
    let mut pieces: Vec<Removed> = Vec::new();
    // For each piece the section it is of, and how many planes of that one come before it.
    let mut of: Vec<(usize, usize)> = Vec::new();
    for (at, section) in cuts.sections.iter().enumerate() {
        let removed = removed(workcell, poses, section)?;
        let mut planes = 0;
        for piece in removed {
            of.push((at, planes));
            planes += piece.planes().len();
            pieces.push(piece);
        }
    }
    let cutaway = Cutaway::new(pieces);
    let wanted: HashSet<&String> = cuts.items.iter().collect();
    let mut bodies: BTreeMap<usize, Vec<(&Surface, Pose)>> = BTreeMap::new();
    for body in assembly.bodies() {
        let pose = poses[body.node.0];
        if wanted.contains(&items[body.item].id.0) && may_be_cut(&cutaway, &body.surface, &pose) {
            let of_item = bodies.entry(body.item).or_default();
            of_item.push((&body.surface, pose));
        }
    }
    let cut: Vec<(usize, Vec<Face>)> = bodies
        .into_par_iter()
        .map(|(item, bodies)| (item, cutaway.faces(bodies).collect()))
        .collect();
    let boxes: Vec<Vec<Aabb>> = cut
        .iter()
        .map(|(_, faces)| faces.iter().filter_map(|f| bounds(&f.section)).collect())
        .collect();
    let numbers = hatches(&boxes);
    let mut found = SectionFaces {
        faces: Vec::new(),
        overlaps: Vec::new(),
        overlaps_complete: true,
        area_mm2: 0.0,
    };
    let told_of = |((item, faces), hatch): (&(usize, Vec<Face>), usize)| -> Vec<SectionFace> {
        let cut = faces.iter().filter(|f| !f.section.is_empty());
        let id = &items[*item].id.0;
        cut.map(|face| {
            let (section, first) = of[face.removed];
            told(face, id, (section, first + face.nth), hatch)
        })
        .collect()
    };
    let told: Vec<Vec<SectionFace>> = cut.par_iter().zip(numbers).map(told_of).collect();
    found.faces = told.into_iter().flatten().collect();
    // A sum of nothing is -0.
    found.area_mm2 = found.faces.iter().map(|f| f.area_mm2).sum::<f64>() + 0.0;
    if cuts.overlaps {
        let name = |at: usize| items[cut[at].0].id.0.clone();
        (found.overlaps, found.overlaps_complete) = overlaps(&cut, &name);
    }
    Ok(found)
}

/// Why so many sections are refused.
pub(crate) fn too_many(count: usize) -> String {
    format!("{count} sections: at most {MOST_SECTIONS} cut at once")
}

/// What a section takes away, everything where `poses` says it is.
pub(crate) fn removed(
    workcell: &Workcell,
    poses: &[Pose],
    section: &SectionDocument,
) -> Result<Vec<Removed>> {
    section
        .removed(&frame_of(workcell, poses, section)?)
        .map_err(FormatError::said)
}

/// Where the frame a section is fixed to stands.
fn frame_of(workcell: &Workcell, poses: &[Pose], section: &SectionDocument) -> Result<Pose> {
    let Some(id) = &section.fixed_to else {
        return Ok(Pose::identity());
    };
    let assembly = &workcell.assembly;
    let item = assembly.cell().items().iter().position(|i| i.id.0 == *id);
    let item = item.ok_or_else(|| {
        FormatError::said(format!(
            "a section is fixed to \"{id}\", which is not there"
        ))
    })?;
    Ok(poses[assembly.item_node(item).0])
}

/// Whether some plane comes as near as the body reaches.
fn may_be_cut(cutaway: &Cutaway, surface: &Surface, pose: &Pose) -> bool {
    let (centre, radius) = surface.ball();
    let centre = pose * centre;
    let planes = cutaway.removed().iter().flat_map(Removed::planes);
    planes
        .into_iter()
        .any(|plane| plane.height(&centre).abs() <= radius + 1e-6)
}

/// The box round all that is cut.
fn bounds(section: &Section) -> Option<Aabb> {
    let outlines = section.regions.iter().flat_map(|r| r.outer.points());
    Aabb::around(outlines.chain(section.open.iter().flatten()).copied())
}

fn in_mm(points: &[Point]) -> Vec<[f64; 3]> {
    points.iter().map(millimetres).collect()
}

fn outlines_mm(section: &Section) -> Vec<Vec<[f64; 3]>> {
    let contours = section.regions.iter().flat_map(|r| r.contours());
    contours.map(|c| in_mm(c.points())).collect()
}

/// Triangles over the points of all outlines.
fn triangles(section: &Section) -> Vec<[u32; 3]> {
    let mut triangles = Vec::new();
    let mut before = 0;
    for region in &section.regions {
        let filled = fill(region);
        triangles.extend(filled.triangles.iter().map(|t| t.map(|i| before + i)));
        before += filled.points.len() as u32;
    }
    triangles
}

fn told(face: &Face, item: &str, (section, plane): (usize, usize), hatch: usize) -> SectionFace {
    SectionFace {
        item: item.to_owned(),
        section,
        plane,
        normal: face.plane.normal.into_inner().into(),
        area_mm2: face.section.area() * 1e6,
        perimeter_mm: face.section.perimeter() * 1e3,
        centroid_mm: face.section.centroid().as_ref().map(millimetres),
        hatch,
        outlines_mm: outlines_mm(&face.section),
        triangles: triangles(&face.section),
        open_mm: face.section.open.iter().map(|line| in_mm(line)).collect(),
    }
}

/// Where faces of two items in the same plane overlap, and whether all that may were looked at.
fn overlaps(
    cut: &[(usize, Vec<Face>)],
    name: &dyn Fn(usize) -> String,
) -> (Vec<SectionOverlap>, bool) {
    let mut found = Vec::new();
    let mut left = MOST_PAIRS;
    let planes = cut.first().map_or(0, |(_, faces)| faces.len());
    for nth in 0..planes {
        // Boxes round what is flat are as thick as rounding.
        let boxed = |at: usize| bounds(&cut[at].1[nth].section).map(|b| (at, b.grown(1e-9)));
        let boxes: Vec<(usize, Aabb)> = (0..cut.len()).filter_map(boxed).collect();
        for (index, (one, own)) in boxes.iter().enumerate() {
            let near = boxes[index + 1..].iter().filter(|(_, b)| own.overlaps(b));
            for (other, _) in near {
                if left == 0 {
                    return (found, false);
                }
                left -= 1;
                let (a, b) = (&cut[*one].1[nth], &cut[*other].1[nth]);
                let both = overlap(&a.section, &b.section, &a.plane);
                if both.area() < NO_AREA {
                    continue;
                }
                found.push(SectionOverlap {
                    items: [name(*one), name(*other)],
                    normal: a.plane.normal.into_inner().into(),
                    area_mm2: both.area() * 1e6,
                    outlines_mm: outlines_mm(&both),
                    triangles: triangles(&both),
                });
            }
        }
    }
    (found, true)
}

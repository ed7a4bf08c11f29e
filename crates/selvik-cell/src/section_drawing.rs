//! A section as a flat drawing: what each cut item looks like in the plane, and its numbers.

use selvik_core::spatial::{Plane, Point, Pose, Vector};
use selvik_formats::drawing::{Dimension, Drawing, Layer};
use selvik_formats::{FormatError, Result, to_csv};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;
use crate::sections::{Cuts, SectionFace, section_faces};

/// Which plane of which section is to be drawn.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct Drawn {
    /// All that is cut.
    #[serde(flatten)]
    pub cuts: Cuts,
    /// Which of the sections, from 0.
    pub section: usize,
    /// Which of its planes: the first is the one it stands on.
    #[serde(default)]
    pub plane: usize,
    /// Pairs of points between which a distance is wanted, in the drawing's coordinates.
    #[serde(default)]
    pub dimensions_mm: Vec<[[f64; 2]; 2]>,
}

/// A flat drawing of a section. Coordinates are those of the world along the drawing's axes: a section square to Y has X to the
/// right and Z up.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct SectionDrawing {
    /// The world's origin dropped onto the plane: where the drawing's axes cross.
    pub origin_mm: [f64; 3],
    /// To the right, as seen from the side that is taken away.
    pub right: [f64; 3],
    /// Upwards.
    pub up: [f64; 3],
    /// What is cut, by item.
    pub items: Vec<DrawnItem>,
    /// The distances that were wanted.
    pub dimensions: Vec<DrawnDimension>,
}

/// A distance in a drawing.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct DrawnDimension {
    /// From here.
    pub from_mm: [f64; 2],
    /// To there.
    pub to_mm: [f64; 2],
    /// How long it is.
    pub length_mm: f64,
}

/// What is cut of one item.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct DrawnItem {
    /// Its id.
    pub item: String,
    /// Its name.
    pub name: String,
    /// The number of its hatching.
    pub hatch: usize,
    /// Of material.
    pub area_mm2: f64,
    /// Of outlines and holes.
    pub perimeter_mm: f64,
    /// Of the area; none where nothing closed is cut.
    pub centroid_mm: Option<[f64; 2]>,
    /// Least and greatest coordinates.
    pub box_mm: [[f64; 2]; 2],
    /// Outlines and holes, closed.
    pub outlines_mm: Vec<Vec<[f64; 2]>>,
    /// Lines left open where the mesh is open.
    pub open_mm: Vec<Vec<[f64; 2]>>,
}

/// Draws one plane of a section, everything where `poses` says it is.
///
/// # Errors
/// [`FormatError`] for a section that is not there or can't be, or that is fixed to what is not there.
pub fn section_drawing(
    workcell: &Workcell,
    poses: &[Pose],
    drawn: &Drawn,
) -> Result<SectionDrawing> {
    if drawn.section >= drawn.cuts.sections.len() {
        let message = format!("there is no section {}", drawn.section + 1);
        return Err(FormatError::said(message));
    }
    let cuts = Cuts {
        overlaps: false,
        ..drawn.cuts.clone()
    };
    let faces = section_faces(workcell, poses, &cuts)?.faces;
    let of_plane = |face: &&SectionFace| (face.section, face.plane) == (drawn.section, drawn.plane);
    let faces: Vec<&SectionFace> = faces.iter().filter(of_plane).collect();
    let mut points = faces
        .iter()
        .flat_map(|f| f.outlines_mm.iter().chain(&f.open_mm).flatten());
    let plane = points.next().and_then(|&on| {
        let on = Point::from(on.map(|x| x * 1e-3));
        Plane::through(&on, &Vector::from(faces[0].normal))
    });
    let dimension = |&[from, to]: &[[f64; 2]; 2]| DrawnDimension {
        from_mm: from,
        to_mm: to,
        length_mm: Dimension { from, to }.length(),
    };
    let dimensions = drawn.dimensions_mm.iter().map(dimension).collect();
    let Some(plane) = plane else {
        return Ok(SectionDrawing {
            origin_mm: [0.0; 3],
            right: [1.0, 0.0, 0.0],
            up: [0.0, 0.0, 1.0],
            items: Vec::new(),
            dimensions,
        });
    };
    let (right, up) = plane.axes();
    let flat = |p: &[f64; 3]| [right, up].map(|d| tidy(d.dot(&Vector::from(*p))));
    let lines = |lines: &[Vec<[f64; 3]>]| -> Vec<Vec<[f64; 2]>> {
        lines
            .iter()
            .map(|line| line.iter().map(flat).collect())
            .collect()
    };
    let items = workcell.assembly.cell().items();
    let name = |id: &str| {
        let item = items.iter().find(|i| i.id.0 == id);
        item.map_or_else(|| id.to_owned(), |i| i.name.clone())
    };
    let told = |face: &&SectionFace| {
        let (outlines_mm, open_mm) = (lines(&face.outlines_mm), lines(&face.open_mm));
        let all = outlines_mm.iter().chain(&open_mm).flatten();
        let mut box_mm = [[f64::INFINITY; 2], [f64::NEG_INFINITY; 2]];
        for p in all {
            for i in 0..2 {
                box_mm[0][i] = box_mm[0][i].min(p[i]);
                box_mm[1][i] = box_mm[1][i].max(p[i]);
            }
        }
        DrawnItem {
            item: face.item.clone(),
            name: name(&face.item),
            hatch: face.hatch,
            area_mm2: face.area_mm2,
            perimeter_mm: face.perimeter_mm,
            centroid_mm: face.centroid_mm.as_ref().map(flat),
            box_mm,
            outlines_mm,
            open_mm,
        }
    };
    Ok(SectionDrawing {
        origin_mm: (plane.normal.into_inner() * (plane.offset * 1e3)).into(),
        right: right.into(),
        up: up.into(),
        items: faces.iter().map(told).collect(),
        dimensions,
    })
}

/// Without the dust of floating point: a billionth of a mm.
fn tidy(mm: f64) -> f64 {
    (mm * 1e9).round() / 1e9 + 0.0
}

impl SectionDrawing {
    /// The same for files: a layer for each item.
    #[must_use]
    pub fn to_drawing(&self, title: &str) -> Drawing {
        let layer = |item: &DrawnItem| Layer {
            name: item.name.clone(),
            closed: item.outlines_mm.clone(),
            open: item.open_mm.clone(),
            hatch: item.hatch,
        };
        Drawing {
            title: title.to_owned(),
            layers: self.items.iter().map(layer).collect(),
            dimensions: self
                .dimensions
                .iter()
                .map(|d| Dimension {
                    from: d.from_mm,
                    to: d.to_mm,
                })
                .collect(),
        }
    }

    /// Its numbers as CSV (RFC 4180), a row for each item.
    ///
    /// # Errors
    /// [`FormatError`] never in practice: it is written to memory.
    pub fn to_csv(&self) -> Result<Vec<u8>> {
        let header = [
            "item",
            "area_mm2",
            "perimeter_mm",
            "centroid_x_mm",
            "centroid_y_mm",
            "left_mm",
            "bottom_mm",
            "right_mm",
            "top_mm",
            "open_lines",
        ];
        let row = |item: &DrawnItem| {
            let centroid = |i: usize| item.centroid_mm.map_or(String::new(), |c| c[i].to_string());
            let [[left, bottom], [right, top]] = item.box_mm;
            let mut row = vec![item.name.clone()];
            row.extend([item.area_mm2, item.perimeter_mm].map(|x| x.to_string()));
            row.extend([centroid(0), centroid(1)]);
            row.extend([left, bottom, right, top].map(|x| x.to_string()));
            row.push(item.open_mm.len().to_string());
            row
        };
        to_csv(&header, self.items.iter().map(row).collect())
    }
}

//! A section as a flat drawing: what each cut item looks like in the plane, and its numbers.

use selvik_core::section::Removed;
use selvik_core::spatial::Vector;
use selvik_formats::drawing::{Dimension, Drawing, Layer};
use selvik_formats::{FormatError, Result, to_csv};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::questions::Asked;
use crate::reach::{OutlineOf, OutlineWanted, reach_outline};
use crate::sections::{Cuts, SectionFace, removed, section_faces};

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
    /// A robot's reach whose outline is wanted in the same plane.
    #[serde(default)]
    pub reach: Option<DrawnReach>,
}

/// Of what the outline of all that can be reached is drawn.
#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct DrawnReach {
    /// Id of the frame that the robot takes to targets.
    pub tcp: String,
    /// What is to be taken along.
    pub of: OutlineOf,
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
    /// Lines that bound what can be reached in the plane.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub reach_mm: Vec<Vec<[f64; 2]>>,
    /// Why there are none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reach_refused: Option<String>,
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

/// Draws one plane of a section.
///
/// # Errors
/// [`FormatError`] for a section or a plane that is not there or can't be, or that is fixed to what is not there.
pub fn section_drawing(asked: &Asked, drawn: &Drawn) -> Result<SectionDrawing> {
    let (workcell, poses) = (asked.workcell(), asked.node_poses());
    let Some(section) = drawn.cuts.sections.get(drawn.section) else {
        let message = format!("there is no section {}", drawn.section + 1);
        return Err(FormatError::said(message));
    };
    let removed = removed(workcell, poses, section)?;
    let mut planes = removed.iter().flat_map(Removed::planes);
    let Some(plane) = planes.nth(drawn.plane) else {
        let message = format!("this section has no plane {}", drawn.plane + 1);
        return Err(FormatError::said(message));
    };
    let cuts = Cuts {
        overlaps: false,
        ..drawn.cuts.clone()
    };
    let faces = section_faces(workcell, poses, &cuts)?.faces;
    let of_plane = |face: &&SectionFace| (face.section, face.plane) == (drawn.section, drawn.plane);
    let faces: Vec<&SectionFace> = faces.iter().filter(of_plane).collect();
    let dimension = |&[from, to]: &[[f64; 2]; 2]| DrawnDimension {
        from_mm: from,
        to_mm: to,
        length_mm: Dimension { from, to }.length(),
    };
    let dimensions = drawn.dimensions_mm.iter().map(dimension).collect();
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
    let (reach_mm, reach_refused) = match &drawn.reach {
        None => (Vec::new(), None),
        Some(DrawnReach { tcp, of }) => {
            let on = plane.normal.into_inner() * (plane.offset * 1e3);
            let wanted = OutlineWanted {
                tcp: tcp.clone(),
                of: *of,
                normal: Some(plane.normal.into_inner().into()),
                through_mm: Some(on.into()),
            };
            match reach_outline(asked, &wanted) {
                Ok(outline) => (lines(&outline.lines_mm), None),
                Err(refused) => (Vec::new(), Some(refused.to_string())),
            }
        }
    };
    Ok(SectionDrawing {
        origin_mm: (plane.normal.into_inner() * (plane.offset * 1e3)).into(),
        right: right.into(),
        up: up.into(),
        items: faces.iter().map(told).collect(),
        dimensions,
        reach_mm,
        reach_refused,
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
        let mut layers: Vec<Layer> = self.items.iter().map(layer).collect();
        if !self.reach_mm.is_empty() {
            layers.push(Layer {
                name: "Outline of reach".to_owned(),
                open: self.reach_mm.clone(),
                ..Layer::default()
            });
        }
        Drawing {
            title: title.to_owned(),
            layers,
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

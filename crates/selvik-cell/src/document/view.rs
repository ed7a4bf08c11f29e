//! The types of `cell.json` that say from where one looks.

use schemars::JsonSchema;
use selvik_core::spatial::Point;
use selvik_core::view::{Projection, Stop, Viewpoint, lens_mm_to_rad, lens_rad_to_mm};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::section::{SectionDocument, one_or_several};

/// A name with a viewpoint, drawing style, visibility, section and path time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a saved view")]
pub struct SavedViewDocument {
    /// Unique among the views.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// The heading it is listed under.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// What recalling it changes; everything where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub keeps: Option<Vec<ViewPart>>,
    /// From where one looks.
    pub viewpoint: ViewpointDocument,
    /// How it is drawn.
    pub style: StyleDocument,
    /// Whose colours it is drawn in.
    #[serde(default, skip_serializing_if = "ColoursDocument::is_role")]
    pub colours: ColoursDocument,
    /// Ids of hidden items.
    #[serde(default)]
    pub hidden: Vec<String>,
    /// Ids of the visibility sets that alone are shown; all is where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sets: Option<Vec<String>>,
    /// Whether what is hidden is seen as a ghost.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub ghosted: bool,
    /// The cuts, if there are any.
    #[serde(
        default,
        alias = "section",
        deserialize_with = "one_or_several",
        skip_serializing_if = "Vec::is_empty"
    )]
    pub sections: Vec<SectionDocument>,
    /// Ids of the items that no section cuts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub uncut: Vec<String>,
    /// The path time shown.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub time_s: Option<f64>,
}

/// A part of a saved view.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ViewPart {
    /// From where one looks.
    Viewpoint,
    /// How it is drawn.
    Style,
    /// What is hidden.
    Visibility,
    /// The cuts, or that there are none.
    Section,
    /// The path time.
    Time,
}

/// Eye, pivot, projection and lens.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a viewpoint")]
pub struct ViewpointDocument {
    /// What the view turns about.
    pub pivot_mm: [f64; 3],
    /// 0 in front, 90 on the right.
    pub bearing_deg: f64,
    /// 0 level, 90 above.
    pub elevation_deg: f64,
    /// Turn about the line of sight, anticlockwise as the camera sees; 0 is level.
    #[serde(default)]
    #[schema(required = true)]
    pub roll_deg: f64,
    /// From the pivot to the eye.
    pub distance_mm: f64,
    /// How space is drawn.
    pub projection: ProjectionKind,
    /// Focal length on a frame 36 mm wide.
    pub lens_mm: f64,
    /// Width of the picture in parallel projection, at the pivot.
    pub width_mm: f64,
}

impl ViewpointDocument {
    /// As the core has it, m and rad.
    #[must_use]
    pub fn to_viewpoint(&self) -> Viewpoint {
        Viewpoint {
            pivot: Point::from(self.pivot_mm.map(|x| x * 1e-3)),
            bearing: self.bearing_deg.to_radians(),
            elevation: self.elevation_deg.to_radians(),
            roll: self.roll_deg.to_radians(),
            distance: self.distance_mm * 1e-3,
            projection: match self.projection {
                ProjectionKind::Perspective => Projection::Perspective {
                    horizontal_angle: lens_mm_to_rad(self.lens_mm),
                },
                ProjectionKind::Parallel => Projection::Parallel {
                    width: self.width_mm * 1e-3,
                },
            },
        }
    }

    /// From the core's viewpoint. In parallel projection the lens is `lens_mm`; the projection not in
    /// force shows the same width at the pivot, so that switching keeps the picture.
    #[must_use]
    pub fn from_viewpoint(view: &Viewpoint, lens_mm: f64) -> Self {
        let (projection, lens_mm) = match view.projection {
            Projection::Perspective { horizontal_angle } => (
                ProjectionKind::Perspective,
                lens_rad_to_mm(horizontal_angle),
            ),
            Projection::Parallel { .. } => (ProjectionKind::Parallel, lens_mm),
        };
        let half = (lens_mm_to_rad(lens_mm) / 2.0).tan();
        let (distance, width) = match view.projection {
            Projection::Perspective { .. } => (view.distance, 2.0 * view.distance * half),
            Projection::Parallel { width } => (width / (2.0 * half), width),
        };
        Self {
            pivot_mm: view.pivot.coords.map(|x| x * 1e3).into(),
            bearing_deg: view.bearing.to_degrees(),
            elevation_deg: view.elevation.to_degrees(),
            roll_deg: view.roll.to_degrees(),
            distance_mm: distance * 1e3,
            projection,
            lens_mm,
            width_mm: width * 1e3,
        }
    }

    /// Whether every number is finite and every size positive.
    #[must_use]
    pub fn is_sound(&self) -> bool {
        let numbers = [self.bearing_deg, self.elevation_deg, self.roll_deg];
        let sizes = [self.distance_mm, self.lens_mm, self.width_mm];
        numbers.iter().chain(&self.pivot_mm).all(|x| x.is_finite())
            && sizes.iter().all(|x| x.is_finite() && *x > 0.0)
    }
}

/// How space is drawn on the picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ProjectionKind {
    /// Far things are smaller.
    Perspective,
    /// Far things are as large as near ones.
    Parallel,
}

/// How the picture is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum StyleDocument {
    /// Shaded with edges.
    ShadedEdges,
    /// Shaded.
    Shaded,
    /// Hidden edges dashed.
    HiddenDashed,
    /// Hidden edges removed.
    HiddenRemoved,
    /// Wireframe.
    Wireframe,
}

/// Whose colours things are drawn in.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum ColoursDocument {
    /// A tint for each role.
    #[default]
    Role,
    /// Each thing's own.
    Own,
}

impl ColoursDocument {
    fn is_role(&self) -> bool {
        *self == Self::Role
    }
}

/// A camera path through stops.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a tour")]
pub struct TourDocument {
    /// Unique among the tours.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// In order.
    pub stops: Vec<TourStopDocument>,
    /// Whether the run plan plays along, from its start.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub with_programs: bool,
}

/// A viewpoint on a tour. It is its own: changing it changes no saved view.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a stop of a tour")]
pub struct TourStopDocument {
    /// What people call it.
    pub name: String,
    /// The saved view whose drawing style, visibility and section are taken on arrival.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub view: Option<String>,
    /// From where one looks.
    pub viewpoint: ViewpointDocument,
    /// How long the camera rests.
    #[serde(default)]
    pub hold_s: f64,
    /// How long it travels to the next stop.
    pub travel_s: f64,
    /// Whether it passes through without coming to rest.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub passing: bool,
}

impl TourStopDocument {
    /// As the core has it.
    #[must_use]
    pub fn to_stop(&self) -> Stop {
        Stop {
            viewpoint: self.viewpoint.to_viewpoint(),
            hold: self.hold_s,
            travel: self.travel_s,
            passing: self.passing,
        }
    }
}

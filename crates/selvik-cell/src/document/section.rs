//! The types of `cell.json` that say what is cut away.

use schemars::JsonSchema;
use selvik_core::section::Removed;
use selvik_core::spatial::{Plane, Point, Pose, Vector};
use serde::de::value::{MapAccessDeserializer, SeqAccessDeserializer};
use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use utoipa::ToSchema;

/// A planar cut: what lies on the side of `normal` is taken away.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(
    deny_unknown_fields,
    expecting = "a section: {\"point_mm\": [0, 0, 0], \"normal\": [1, 0, 0]}"
)]
pub struct SectionDocument {
    /// A point of the plane.
    pub point_mm: [f64; 3],
    /// Direction of the side taken away.
    pub normal: [f64; 3],
    /// A single plane where absent.
    #[serde(default, skip_serializing_if = "SectionShapeDocument::is_plane")]
    pub shape: SectionShapeDocument,
    /// Id of the item in whose frame the point and all directions stand, and with which the cut moves; the world's
    /// where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fixed_to: Option<String>,
}

/// A section with a name: kept until it is told otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields, expecting = "a kept section")]
pub struct KeptSectionDocument {
    /// Unique among the kept sections.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// The cut.
    pub section: SectionDocument,
}

/// How many sections cut at once at most.
pub const MOST_SECTIONS: usize = 12;

/// What planes a section has.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SectionShapeDocument {
    /// One: all in front of it is taken away.
    #[default]
    Plane,
    /// Two, so far apart: what lies between them is left.
    Slab {
        /// From the plane of the section back to the other.
        thickness_mm: f64,
    },
    /// Two or three through one point: what lies in front of all of them is taken away.
    Corner {
        /// The directions of the sides taken away of the other one or two.
        others: Vec<[f64; 3]>,
    },
}

impl SectionShapeDocument {
    fn is_plane(&self) -> bool {
        *self == Self::Plane
    }
}

impl SectionDocument {
    /// A plane through a point, fixed to the world.
    #[must_use]
    pub fn plane(point_mm: [f64; 3], normal: [f64; 3]) -> Self {
        Self {
            point_mm,
            normal,
            shape: SectionShapeDocument::Plane,
            fixed_to: None,
        }
    }

    /// What it takes away where the frame it is fixed to stands at `frame` in the world.
    ///
    /// # Errors
    /// A sentence that says what can't be cut like that.
    pub fn removed(&self, frame: &Pose) -> Result<Vec<Removed>, &'static str> {
        let point = frame * Point::from(self.point_mm.map(|x| x * 1e-3));
        let plane = |normal: [f64; 3]| {
            Plane::through(&point, &(frame.rotation * Vector::from(normal))).ok_or(
                "a section needs a normal with a direction, and a point that is not endlessly far",
            )
        };
        let first = plane(self.normal)?;
        match &self.shape {
            SectionShapeDocument::Plane => Ok(vec![Removed::before(first)]),
            SectionShapeDocument::Slab { thickness_mm } => {
                if !(thickness_mm.is_finite() && *thickness_mm > 0.0) {
                    return Err("a slab must be thicker than nothing");
                }
                Ok(Removed::round_slab(first, thickness_mm * 1e-3).to_vec())
            }
            SectionShapeDocument::Corner { others } => {
                if !(1..=2).contains(&others.len()) {
                    return Err("a corner has one or two planes more");
                }
                let others: Vec<Plane> =
                    others.iter().map(|&n| plane(n)).collect::<Result<_, _>>()?;
                let corner = Removed::corner(std::iter::once(first).chain(others));
                Ok(vec![
                    corner.ok_or("two planes of a corner run along each other")?,
                ])
            }
        }
    }
}

/// Reads several sections, or the one that views once had.
///
/// # Errors
/// What is no section.
pub(super) fn one_or_several<'de, D: Deserializer<'de>>(
    deserializer: D,
) -> Result<Vec<SectionDocument>, D::Error> {
    struct OneOrSeveral;
    impl<'de> Visitor<'de> for OneOrSeveral {
        type Value = Vec<SectionDocument>;

        fn expecting(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
            f.write_str("sections: [{\"point_mm\": [0, 0, 0], \"normal\": [1, 0, 0]}]")
        }

        fn visit_unit<E>(self) -> Result<Self::Value, E> {
            Ok(Vec::new())
        }

        fn visit_seq<A: SeqAccess<'de>>(self, seq: A) -> Result<Self::Value, A::Error> {
            Vec::deserialize(SeqAccessDeserializer::new(seq))
        }

        fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Self::Value, A::Error> {
            SectionDocument::deserialize(MapAccessDeserializer::new(map)).map(|one| vec![one])
        }
    }
    deserializer.deserialize_any(OneOrSeveral)
}

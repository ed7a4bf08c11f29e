//! A robot from the numbers of its datasheet, its links drawn to size.

use schemars::JsonSchema;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::finite;
use crate::document::{
    BodyDocument, CellDocument, DhConvention, DhRowDocument, FrameKind, ItemDocument,
    MechanismDocument, MechanismSource, PoseDocument, RoleDocument, ShapeDocument,
};
use crate::edit::Edit;

/// A robot by its Denavit–Hartenberg table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewArm {
    /// What people call it.
    pub name: String,
    /// Which convention the table follows.
    pub convention: DhConvention,
    /// From base to tip.
    pub rows: Vec<DhRowDocument>,
    /// Where its base stands; world coordinates.
    #[serde(default)]
    pub at: PoseDocument,
    /// Whether links without bodies get some, as long as the table says.
    #[serde(default)]
    pub drawn: bool,
}

/// More joints no arm has.
const MOST_ROWS: usize = 30;

/// The edit that adds the robot, with a TCP at its last link.
///
/// # Errors
/// [`FormatError`] for a table that makes no robot.
pub fn new_arm(document: &CellDocument, new: &NewArm) -> Result<Edit> {
    let name = new.name.trim();
    if name.is_empty() {
        return Err(FormatError::said("a robot needs a name"));
    }
    if !(1..=MOST_ROWS).contains(&new.rows.len()) {
        let message = format!("a table has from 1 to {MOST_ROWS} rows, one a joint");
        return Err(FormatError::said(message));
    }
    let mut rows = new.rows.clone();
    for (at, row) in rows.iter_mut().enumerate() {
        row.joint = row.joint.trim().to_owned();
        sound(row).map_err(|e| FormatError::said(format!("row {}: {e}", at + 1)))?;
    }
    let tip = match new.convention {
        DhConvention::Standard => "flange".to_owned(),
        DhConvention::Modified => rows.last().expect("at least one").joint.clone(),
    };
    let base = if new.drawn {
        draw(new.convention, &mut rows)
    } else {
        Vec::new()
    };
    let is_free = |id: &String| !document.items.iter().any(|i| i.id == *id);
    let mut ids = (1..).map(|n| format!("robot-{n}"));
    let id = ids.find(is_free).expect("numbers never run out");
    let mechanism = MechanismDocument::as_described(MechanismSource::Dh {
        convention: new.convention,
        rows,
    });
    let robot = ItemDocument {
        pose: new.at,
        bodies: base,
        mechanism: Some(mechanism),
        ..ItemDocument::new(id.clone(), name.to_owned(), RoleDocument::Robot)
    };
    let mut ids = (1..).map(|n| format!("tcp-{n}"));
    let tcp = ids.find(is_free).expect("numbers never run out");
    let tcp = ItemDocument {
        parent: Some(id),
        on_link: Some(tip),
        frame_kind: Some(FrameKind::Tcp),
        ..ItemDocument::new(tcp, format!("{name} TCP"), RoleDocument::Frame)
    };
    Ok(Edit::AddItems {
        items: vec![robot, tcp],
    })
}

fn sound(row: &DhRowDocument) -> Result<()> {
    finite(&[row.a_mm, row.alpha_deg, row.d_mm, row.theta_deg])?;
    finite(&row.limits_deg_or_mm)?;
    finite(&[row.velocity_deg_or_mm_s])?;
    if row.joint.is_empty() {
        return Err(FormatError::said("its joint needs a name"));
    }
    let [low, high] = row.limits_deg_or_mm;
    if low >= high {
        let message = format!("it goes from {low} to {high}, which is nowhere");
        return Err(FormatError::said(message));
    }
    if row.velocity_deg_or_mm_s <= 0.0 {
        return Err(FormatError::said("its speed must be above 0"));
    }
    Ok(())
}

/// How thick an arm is at its base, as a share of its length, and in which bounds, mm; at its tip it is half as thick.
const THICK: f64 = 0.065;
const THICKNESS: (f64, f64) = (12.0, 160.0);

/// Gives every link without bodies some: along its `d` and its `a`, round its joint, or a rail for what slides on it. Those of
/// the base are returned.
fn draw(convention: DhConvention, rows: &mut [DhRowDocument]) -> Vec<BodyDocument> {
    let length: f64 = rows.iter().map(|row| row.a_mm.hypot(row.d_mm)).sum();
    let thick = (length * THICK).clamp(THICKNESS.0, THICKNESS.1);
    let count = rows.len() as f64;
    let radius = |link: usize| thick * (1.0 - 0.5 * link as f64 / count);
    // What leads from a link to the next joint: its row's own a and α, or those of the next.
    let onward = |link: usize| -> (f64, f64) {
        let row = match convention {
            DhConvention::Standard => link.checked_sub(1).map(|own| &rows[own]),
            DhConvention::Modified => rows.get(link),
        };
        row.map_or((0.0, 0.0), |row| (row.a_mm, row.alpha_deg))
    };
    let drawn: Vec<Vec<BodyDocument>> = (0..=rows.len())
        .map(|link| {
            let r = radius(link);
            let mut bodies = Vec::new();
            match link.checked_sub(1).map(|own| &rows[own]) {
                None => bodies.push(foot(thick)),
                Some(own) if own.slides => bodies.push(cuboid([2.4 * r, 2.4 * r, 2.0 * r], 0.0)),
                Some(own) => {
                    // The first stands on the foot; its joint is not seen.
                    if link > 1 || own.d_mm < 2.2 * r {
                        bodies.push(cylinder(r, 2.2 * r, -own.d_mm));
                    }
                    if own.d_mm.abs() > r {
                        bodies.push(cylinder(0.8 * r, own.d_mm.abs(), -own.d_mm / 2.0));
                    }
                }
            }
            let (a, alpha) = onward(link);
            if a.abs() > r {
                bodies.push(along_x(0.7 * r, a));
            }
            if let Some(next) = rows.get(link).filter(|next| next.slides) {
                bodies.push(rail(r, (a, alpha), next));
            }
            bodies
        })
        .collect();
    let mut drawn = drawn.into_iter();
    let base = drawn.next().expect("the base comes first");
    for (row, bodies) in rows.iter_mut().zip(drawn) {
        if row.bodies.is_empty() {
            row.bodies = bodies;
        }
    }
    base
}

/// A plate on the floor.
fn foot(thick: f64) -> BodyDocument {
    cylinder(1.4 * thick, 0.4 * thick, 0.2 * thick)
}

/// Along Z, its middle at a height.
fn cylinder(radius_mm: f64, length_mm: f64, z: f64) -> BodyDocument {
    BodyDocument {
        shape: ShapeDocument::Cylinder {
            radius_mm,
            length_mm,
        },
        pose: PoseDocument {
            xyz_mm: [0.0, 0.0, z],
            rpy_deg: [0.0; 3],
        },
    }
}

fn cuboid(size_mm: [f64; 3], z: f64) -> BodyDocument {
    BodyDocument {
        shape: ShapeDocument::Box { size_mm },
        pose: PoseDocument {
            xyz_mm: [0.0, 0.0, z],
            rpy_deg: [0.0; 3],
        },
    }
}

/// A rounded bar from the origin along X.
fn along_x(radius_mm: f64, a: f64) -> BodyDocument {
    BodyDocument {
        shape: ShapeDocument::Capsule {
            radius_mm,
            length_mm: a.abs(),
        },
        pose: PoseDocument {
            xyz_mm: [a / 2.0, 0.0, 0.0],
            rpy_deg: [0.0, 90.0, 0.0],
        },
    }
}

/// What a joint slides along, from end to end.
fn rail(r: f64, (a, alpha): (f64, f64), next: &DhRowDocument) -> BodyDocument {
    let [low, high] = next.limits_deg_or_mm;
    let middle = next.d_mm + f64::midpoint(low, high);
    let (sin, cos) = alpha.to_radians().sin_cos();
    BodyDocument {
        shape: ShapeDocument::Box {
            size_mm: [r, r, high - low + 2.0 * r],
        },
        pose: PoseDocument {
            xyz_mm: [a, -sin * middle, cos * middle],
            rpy_deg: [alpha, 0.0, 0.0],
        },
    }
}

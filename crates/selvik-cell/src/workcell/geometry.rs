//! The geometry and mechanisms of items, read once however often they are described.

use std::collections::HashMap;
use std::sync::Arc;

use selvik_core::cell::ItemId;
use selvik_core::mesh::{Shape, Surface};
use selvik_core::program::Recording;
use selvik_core::robot::{
    Convention, DhRow, JointKind, JointLimits, Link, Mechanism, Span, Stated, chain_from_dh,
};
use selvik_formats::mesh::{MeshConvention, read_mesh};
use selvik_formats::{PackageFiles, Result, read_urdf};

use super::refusals::{finite, refuse};
use super::{RAMP, Workcell};
use crate::document::{
    BodyDocument, DhConvention, DhRowDocument, ItemDocument, MechanismDocument, MechanismSource,
    ShapeDocument, TargetDocument,
};

/// Geometry by how documents describe it, so that the same is read once.
#[derive(Default)]
pub(super) struct Known {
    surfaces: HashMap<Vec<u8>, Arc<Surface>>,
    mechanisms: HashMap<Vec<u8>, Mechanism>,
    pub(super) recordings: HashMap<Vec<u8>, Recording>,
    /// For each program the targets that stand in its file.
    pub(super) filed: HashMap<String, Vec<TargetDocument>>,
}

impl Known {
    pub(super) fn of(cells: &[&Workcell]) -> Self {
        let mut known = Self::default();
        for cell in cells {
            known.recordings.extend(cell.recordings.clone());
            let items = cell.assembly.cell();
            for item in &cell.document.items {
                let at = items
                    .position(&ItemId(item.id.clone()))
                    .expect("every item is in the tree");
                if let Some(surface) = &items.items()[at].surface {
                    let key = description(&(&item.bodies, item.surface_only));
                    known.surfaces.insert(key, Arc::clone(surface));
                }
                if let (Some(document), Some(mechanism)) =
                    (&item.mechanism, cell.assembly.mechanism(at))
                {
                    let key = description(&(without_rest(document), item.surface_only));
                    known.mechanisms.insert(key, mechanism.clone());
                }
            }
        }
        known
    }

    pub(super) fn surface(
        &mut self,
        files: &PackageFiles,
        item: &ItemDocument,
        place: &str,
    ) -> Result<Option<Arc<Surface>>> {
        let key = description(&(&item.bodies, item.surface_only));
        if let Some(known) = self.surfaces.get(&key) {
            return Ok(Some(Arc::clone(known)));
        }
        let read = surface(files, &item.bodies, place)?;
        let read = if item.surface_only {
            read.map(|s| Arc::new(s.as_sheet()))
        } else {
            read
        };
        if let Some(read) = &read {
            self.surfaces.insert(key, Arc::clone(read));
        }
        Ok(read)
    }

    pub(super) fn mechanism(
        &mut self,
        files: &PackageFiles,
        (document, surface_only): (&MechanismDocument, bool),
        place: &str,
    ) -> Result<Mechanism> {
        let key = description(&(without_rest(document), surface_only));
        if let Some(known) = self.mechanisms.get(&key) {
            return Ok(known.clone());
        }
        let mut read = read_mechanism(files, document, place)?;
        if surface_only {
            read = as_surfaces(&read, place)?;
        }
        self.mechanisms.insert(key, read.clone());
        Ok(read)
    }
}

/// A mechanism without where it stands: its links are the same wherever that is.
fn without_rest(document: &MechanismDocument) -> MechanismDocument {
    MechanismDocument {
        rest_deg_or_mm: indexmap::IndexMap::new(),
        postures: Vec::new(),
        ..document.clone()
    }
}

pub(super) fn description(of: &impl serde::Serialize) -> Vec<u8> {
    serde_json::to_vec(of).expect("plain data")
}

fn surface(
    files: &PackageFiles,
    bodies: &[BodyDocument],
    place: &str,
) -> Result<Option<Arc<Surface>>> {
    let mut shapes = Vec::new();
    for (index, body) in bodies.iter().enumerate() {
        let place = format!("{place} bodies[{index}]");
        finite(&place, body.pose.xyz_mm.iter().chain(&body.pose.rpy_deg))?;
        let metres = |mm: f64| match mm {
            mm if (1e-3..=1e7).contains(&mm) => Ok(mm * 1e-3),
            mm => Err(refuse(
                &place,
                format!("sizes must be positive: {mm} mm is not from 0.001 mm to 10 km"),
            )),
        };
        let shape = match &body.shape {
            ShapeDocument::Mesh { file, unit, up } => {
                let convention = MeshConvention {
                    unit: *unit,
                    up: *up,
                };
                Shape::Mesh(read_mesh(files, file, convention, &place)?.mesh)
            }
            ShapeDocument::Box { size_mm: [x, y, z] } => {
                Shape::Box([metres(*x)?, metres(*y)?, metres(*z)?])
            }
            ShapeDocument::Cylinder {
                radius_mm,
                length_mm,
            } => Shape::Cylinder {
                radius: metres(*radius_mm)?,
                length: metres(*length_mm)?,
            },
            ShapeDocument::Sphere { radius_mm } => Shape::Sphere {
                radius: metres(*radius_mm)?,
            },
            ShapeDocument::Capsule {
                radius_mm,
                length_mm,
            } => Shape::Capsule {
                radius: metres(*radius_mm)?,
                length: metres(*length_mm)?,
            },
        };
        shapes.push((shape, body.pose.to_pose()));
    }
    Ok(Surface::of_shapes(&shapes).map(Arc::new))
}

/// The mechanism with links that bound no volume.
fn as_surfaces(mechanism: &Mechanism, place: &str) -> Result<Mechanism> {
    let sheet = |link: &Link| Link {
        surface: link.surface.as_ref().map(|s| Arc::new(s.as_sheet())),
        ..link.clone()
    };
    let links = mechanism.links().iter().map(sheet).collect();
    Mechanism::new(links, mechanism.joints().to_vec()).map_err(|e| refuse(place, e))
}

/// A joint of which no largest speed is known goes at this, rad/s and m/s (common practice for a slow axis).
const ASSUMED_TURN: f64 = std::f64::consts::PI;
const ASSUMED_SLIDE: f64 = 1.0;
/// Speeds and accelerations beyond these (rad or m, s) are no property of a machine.
const FASTEST: f64 = 1e4;
const QUICKEST: f64 = 1e6;

fn read_mechanism(
    files: &PackageFiles,
    document: &MechanismDocument,
    place: &str,
) -> Result<Mechanism> {
    let mechanism = match &document.from {
        MechanismSource::Urdf(file) => read_urdf(files, file, document.geometry, place)?,
        MechanismSource::Dh { convention, rows } => from_dh(files, *convention, rows, place)?,
    };
    let joint_named = |name: &String| {
        let known = mechanism
            .joints()
            .iter()
            .any(|j| &j.name == name && j.is_free());
        let free = mechanism
            .joints()
            .iter()
            .filter(|j| j.is_free())
            .map(|j| j.name.as_str());
        let there = || free.collect::<Vec<_>>().join(", ");
        known.then_some(()).ok_or_else(|| {
            refuse(
                place,
                format!(
                    "there is no moving joint \"{name}\"; there are: {}",
                    there()
                ),
            )
        })
    };
    document.rest_deg_or_mm.keys().try_for_each(joint_named)?;
    document
        .acceleration_deg_or_mm_s2
        .keys()
        .try_for_each(joint_named)?;
    document
        .velocity_deg_or_mm_s
        .keys()
        .try_for_each(joint_named)?;
    document.limits_deg_or_mm.keys().try_for_each(joint_named)?;
    let mut joints = mechanism.joints().to_vec();
    for joint in joints.iter_mut().filter(|j| j.kind.moves()) {
        let unit = if joint.kind.turns() {
            std::f64::consts::PI / 180.0
        } else {
            1e-3
        };
        let limits = &mut joint.limits;
        let usable = |what: &str, value: f64, most: f64| {
            let fits = value > 1e-9 && value <= most;
            let message = || {
                format!(
                    "the {what} of joint \"{}\" must be positive and of this world",
                    joint.name
                )
            };
            fits.then_some(value)
                .ok_or_else(|| refuse(place, message()))
        };
        if let Some(&[low, high]) = document.limits_deg_or_mm.get(&joint.name) {
            limits.position = Span::new(low * unit, high * unit).ok_or_else(|| {
                refuse(
                    place,
                    format!(
                        "limits [{low}, {high}] of joint \"{}\" are crossed; write the smaller first",
                        joint.name
                    ),
                )
            })?;
            limits.stated.position = true;
        }
        if let Some(&velocity) = document.velocity_deg_or_mm_s.get(&joint.name) {
            limits.velocity = usable("speed", velocity * unit, FASTEST)?;
            limits.stated.velocity = true;
        }
        if !limits.stated.velocity {
            let assumed = if joint.kind.turns() {
                ASSUMED_TURN
            } else {
                ASSUMED_SLIDE
            };
            limits.velocity = limits.velocity.min(assumed);
        }
        limits.acceleration = match document.acceleration_deg_or_mm_s2.get(&joint.name) {
            Some(&a) => {
                limits.stated.acceleration = true;
                usable("acceleration", a * unit, QUICKEST)?
            }
            None => limits.velocity / RAMP,
        };
    }
    Mechanism::new(mechanism.links().to_vec(), joints).map_err(|e| refuse(place, e))
}

fn from_dh(
    files: &PackageFiles,
    convention: DhConvention,
    rows: &[DhRowDocument],
    place: &str,
) -> Result<Mechanism> {
    let mut table = Vec::with_capacity(rows.len());
    for row in rows {
        let place = format!("{place} row \"{}\"", row.joint);
        let [low, high] = row.limits_deg_or_mm;
        finite(
            &place,
            [row.a_mm, row.alpha_deg, row.d_mm, row.theta_deg, low, high].iter(),
        )?;
        let kind = if row.slides {
            JointKind::Prismatic
        } else {
            JointKind::Revolute
        };
        let unit = if row.slides {
            1e-3
        } else {
            std::f64::consts::PI / 180.0
        };
        let position = Span::new(low * unit, high * unit).ok_or_else(|| {
            refuse(
                &place,
                format!("limits [{low}, {high}] are crossed; write the smaller first"),
            )
        })?;
        let velocity = row.velocity_deg_or_mm_s * unit;
        if !(velocity > 1e-9 && velocity <= FASTEST) {
            let given = row.velocity_deg_or_mm_s;
            return Err(refuse(
                &place,
                format!("velocity_deg_or_mm_s is {given}, but must be above 0 and of this world"),
            ));
        }
        table.push(DhRow {
            name: row.joint.clone(),
            kind,
            a: row.a_mm * 1e-3,
            alpha: row.alpha_deg.to_radians(),
            d: row.d_mm * 1e-3,
            theta: row.theta_deg.to_radians(),
            limits: JointLimits {
                position,
                velocity,
                acceleration: f64::INFINITY,
                stated: Stated {
                    position: true,
                    velocity: true,
                    acceleration: false,
                },
            },
        });
    }
    let convention = match convention {
        DhConvention::Standard => Convention::Standard,
        DhConvention::Modified => Convention::Modified,
    };
    let chain = chain_from_dh(convention, &table).map_err(|e| refuse(place, e))?;
    let mut links: Vec<Link> = chain.links().to_vec();
    for row in rows {
        let link = chain.link(&row.joint).expect("a link a row");
        links[link].surface = surface(files, &row.bodies, place)?;
    }
    Mechanism::new(links, chain.joints().to_vec()).map_err(|e| refuse(place, e))
}

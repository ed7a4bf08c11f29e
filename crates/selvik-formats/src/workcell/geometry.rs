//! The geometry and mechanisms of items, read once however often they are described.

use std::collections::HashMap;
use std::sync::Arc;

use selvik_core::cell::ItemId;
use selvik_core::mesh::{Surface, TriangleMesh, box_mesh, cylinder_mesh, sphere_mesh};
use selvik_core::robot::{Convention, DhRow, JointKind, JointLimits, Link, Mechanism, Span, chain_from_dh};

use super::{RAMP, Workcell, finite, refuse};
use crate::Result;
use crate::mesh::{MeshConvention, read_mesh};
use crate::package::{
    BodyDocument, DhConvention, DhRowDocument, ItemDocument, MechanismDocument, MechanismSource,
    PackageFiles, ShapeDocument,
};
use crate::urdf::{FACETS, read_urdf};

/// Geometry by how documents describe it, so that the same is read once.
#[derive(Default)]
pub(super) struct Known {
    surfaces: HashMap<Vec<u8>, Arc<Surface>>,
    mechanisms: HashMap<Vec<u8>, Mechanism>,
}

impl Known {
    pub(super) fn of(cells: &[&Workcell]) -> Self {
        let mut known = Self::default();
        for cell in cells {
            let items = cell.assembly.cell();
            for item in &cell.document.items {
                let at = items.position(&ItemId(item.id.clone())).expect("every item is in the tree");
                if let Some(surface) = &items.items()[at].surface {
                    known.surfaces.insert(description(&item.bodies), Arc::clone(surface));
                }
                if let (Some(document), Some(mechanism)) = (&item.mechanism, cell.assembly.mechanism(at)) {
                    known.mechanisms.insert(description(document), mechanism.clone());
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
        let key = description(&item.bodies);
        if let Some(known) = self.surfaces.get(&key) {
            return Ok(Some(Arc::clone(known)));
        }
        let read = surface(files, &item.bodies, place)?;
        if let Some(read) = &read {
            self.surfaces.insert(key, Arc::clone(read));
        }
        Ok(read)
    }

    pub(super) fn mechanism(
        &mut self,
        files: &PackageFiles,
        document: &MechanismDocument,
        place: &str,
    ) -> Result<Mechanism> {
        let key = description(document);
        if let Some(known) = self.mechanisms.get(&key) {
            return Ok(known.clone());
        }
        let read = read_mechanism(files, document, place)?;
        self.mechanisms.insert(key, read.clone());
        Ok(read)
    }
}

fn description(of: &impl serde::Serialize) -> Vec<u8> {
    serde_json::to_vec(of).expect("plain data")
}

fn surface(files: &PackageFiles, bodies: &[BodyDocument], place: &str) -> Result<Option<Arc<Surface>>> {
    let mut meshes = Vec::new();
    for (index, body) in bodies.iter().enumerate() {
        let place = format!("{place} bodies[{index}]");
        finite(&place, body.pose.xyz_mm.iter().chain(&body.pose.rpy_deg))?;
        let positive = |numbers: &[f64]| {
            if numbers.iter().all(|&x| x > 0.0 && x < 1e8) {
                Ok(())
            } else {
                Err(refuse(&place, "sizes must be positive"))
            }
        };
        let mesh: TriangleMesh = match &body.shape {
            ShapeDocument::Mesh { file, unit, up } => {
                read_mesh(files, file, MeshConvention { unit: *unit, up: *up }, &place)?.mesh
            }
            ShapeDocument::Box { size_mm } => {
                positive(size_mm)?;
                box_mesh(size_mm.map(|x| x * 1e-3))
            }
            ShapeDocument::Cylinder { radius_mm, length_mm } => {
                positive(&[*radius_mm, *length_mm])?;
                cylinder_mesh(radius_mm * 1e-3, length_mm * 1e-3, FACETS)
            }
            ShapeDocument::Sphere { radius_mm } => {
                positive(&[*radius_mm])?;
                sphere_mesh(radius_mm * 1e-3, FACETS)
            }
        };
        meshes.push(mesh.moved(&body.pose.to_pose()));
    }
    Ok((!meshes.is_empty()).then(|| Arc::new(Surface::new(TriangleMesh::merged(meshes)))))
}

fn read_mechanism(files: &PackageFiles, document: &MechanismDocument, place: &str) -> Result<Mechanism> {
    let mechanism = match &document.from {
        MechanismSource::Urdf(file) => read_urdf(files, file, place)?,
        MechanismSource::Dh { convention, rows } => from_dh(files, *convention, rows, place)?,
    };
    let joint_named = |name: &String| {
        let known = mechanism.joints().iter().any(|j| &j.name == name && j.kind.moves());
        known.then_some(()).ok_or_else(|| refuse(place, format!("there is no moving joint \"{name}\"")))
    };
    document.rest_deg_or_mm.keys().try_for_each(joint_named)?;
    document.acceleration_deg_or_mm_s2.keys().try_for_each(joint_named)?;
    let mut joints = mechanism.joints().to_vec();
    for joint in joints.iter_mut().filter(|j| j.kind.moves()) {
        let unit = if joint.kind.turns() { std::f64::consts::PI / 180.0 } else { 1e-3 };
        if joint.limits.velocity.is_infinite() {
            joint.limits.velocity = if joint.kind.turns() { std::f64::consts::PI } else { 1.0 };
        }
        joint.limits.acceleration = match document.acceleration_deg_or_mm_s2.get(&joint.name) {
            Some(&a) if a > 0.0 => a * unit,
            Some(_) => {
                let message = format!("the acceleration of joint \"{}\" must be positive", joint.name);
                return Err(refuse(place, message));
            }
            None => joint.limits.velocity / RAMP,
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
        finite(&place, [row.a_mm, row.alpha_deg, row.d_mm, row.theta_deg, low, high].iter())?;
        let kind = if row.slides { JointKind::Prismatic } else { JointKind::Revolute };
        let unit = if row.slides { 1e-3 } else { std::f64::consts::PI / 180.0 };
        let position = Span::new(low * unit, high * unit)
            .ok_or_else(|| refuse(&place, format!("limits [{low}, {high}] are crossed")))?;
        if row.velocity_deg_or_mm_s <= 0.0 {
            return Err(refuse(&place, "the velocity must be positive"));
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
                velocity: row.velocity_deg_or_mm_s * unit,
                acceleration: f64::INFINITY,
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

//! What is known of items.

use selvik_core::mesh::Surface;
use selvik_core::section::mass_together;
use selvik_core::spatial::{Aabb, Pose};
use selvik_formats::Result;
use serde::Serialize;
use utoipa::ToSchema;

use super::{FrameChoice, Posed, Subject, TargetNamed, tidy};
use crate::document::PoseDocument;
use crate::report::flat;

/// What is known of an item.
#[derive(Serialize, ToSchema)]
pub struct ItemFacts {
    /// Its id.
    pub item: String,
    /// Where it stands in the chosen frame.
    pub pose: PoseDocument,
    /// How it is turned there, as a unit quaternion x, y, z, w.
    pub quaternion_xyzw: [f64; 4],
    /// Where it stands in the world: x, y, z (m), quaternion x, y, z, w.
    pub world: [f64; 7],
    /// Where the chosen frame stands in the world.
    pub axes: [f64; 7],
    /// Along its own axes, with its links where they are; none without a body.
    pub size_mm: Option<[f64; 3]>,
    /// Triangles of all its bodies.
    pub triangles: usize,
    /// Edges that belong to one triangle only: the mesh is open there.
    pub open_edges: usize,
    /// Connected pieces.
    pub shells: usize,
    /// Files of the package it comes from.
    pub files: Vec<String>,
    /// Links others can hang on.
    pub links: Vec<String>,
}

/// How much of an item there is, with all its joints at rest; what its bodies share counts once.
#[derive(Serialize, ToSchema)]
pub struct ItemMass {
    /// Its id.
    pub item: String,
    /// None where a body is open or there is none, or where working out what they share takes too long.
    pub volume_mm3: Option<f64>,
    /// Of what is outside; none as of the volume.
    pub area_mm2: Option<f64>,
}

/// Where a target stands, and which way a chosen frame points there.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct TargetFacts {
    /// Where it stands in the world: x, y, z (m), quaternion x, y, z, w.
    pub world: [f64; 7],
    /// Where the chosen frame stands in the world.
    pub axes: [f64; 7],
}

/// Where a target stands, and the chosen frame.
///
/// # Errors
/// [`FormatError`] when it or the frame is not there.
pub fn target_facts(
    posed: &Posed,
    target: &TargetNamed,
    frame: &FrameChoice,
) -> Result<TargetFacts> {
    let standing = Subject::Target(target.clone()).standing(posed)?;
    Ok(TargetFacts {
        world: flat(&standing.world),
        axes: flat(&posed.frame_for(frame, &standing)?),
    })
}

/// What is known of the item `id`, its pose in the chosen frame.
///
/// # Errors
/// [`FormatError`] when it or the frame is not there.
pub fn facts_of(posed: &Posed, id: &str, frame: &FrameChoice) -> Result<ItemFacts> {
    let item = posed.position(id)?;
    let assembly = &posed.workcell.assembly;
    let world = posed.placing.world(item);
    let bodies: Vec<_> = assembly
        .bodies()
        .iter()
        .filter(|b| b.item == item)
        .collect();
    let boxes = bodies.iter().flat_map(|body| {
        let own = world.inverse() * posed.placing.node(body.node);
        body.surface.mesh().vertices().iter().map(move |v| own * v)
    });
    let size = Aabb::around(boxes).map(|b| b.half_extents() * 2e3);
    let frame = posed.frame(frame, item)?;
    let there = frame.inverse() * world;
    let document = posed
        .workcell
        .document
        .items
        .iter()
        .find(|i| i.id == id)
        .expect("every item is written");
    let links = assembly.mechanism(item).map_or(&[][..], |m| m.links());
    Ok(ItemFacts {
        item: id.to_owned(),
        pose: tidy(&PoseDocument::from_pose(&there)),
        quaternion_xyzw: there.rotation.coords.into(),
        world: flat(&world),
        axes: flat(&frame),
        size_mm: size.map(|s| [s.x, s.y, s.z]),
        triangles: bodies
            .iter()
            .map(|b| b.surface.mesh().triangles().len())
            .sum(),
        open_edges: bodies.iter().map(|b| b.surface.open_edges()).sum(),
        shells: bodies
            .iter()
            .map(|b| b.surface.shells().map_or(1, |s| s.all().len()))
            .sum(),
        files: document.files(),
        links: links.iter().map(|l| l.name.clone()).collect(),
    })
}

/// How much of the item `id` there is.
///
/// # Errors
/// [`FormatError`] when it is not there.
pub fn mass_of(posed: &Posed, id: &str) -> Result<ItemMass> {
    let item = posed.position(id)?;
    let assembly = &posed.workcell.assembly;
    let bodies: Vec<(&Surface, Pose)> = assembly
        .bodies()
        .iter()
        .filter(|b| b.item == item)
        .map(|b| {
            (
                &*b.surface,
                posed.placing.world(item).inverse() * posed.placing.node(b.node),
            )
        })
        .collect();
    let closed = !bodies.is_empty() && bodies.iter().all(|(surface, _)| surface.open_edges() == 0);
    let mass = closed.then(|| mass_together(&bodies)).flatten();
    Ok(ItemMass {
        item: id.to_owned(),
        volume_mm3: mass.map(|m| m.volume * 1e9),
        area_mm2: mass.map(|m| m.area * 1e6),
    })
}

//! Looking through dropped files.

use std::collections::HashSet;

use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::robot::Mechanism;
use selvik_core::spatial::Aabb;
use selvik_formats::mesh::{
    LengthUnit, MeshConvention, UpAxis, ending, is_mesh, obj_colour, read_mesh,
};
use selvik_formats::{
    FormatError, LinkGeometry, PackageFiles, Result, links_with_both, meshes_of, read_srdf,
    read_urdf,
};

use super::recordings::{is_recording, recording};
use super::{Flaws, Found, FoundJoint, FoundKind};
use crate::document::RoleDocument;

/// Looks through dropped files, until they are to be read no further. `told` hears of every thing before it is read, how
/// many are done and how many there are.
///
/// # Errors
/// [`FormatError`] when nothing among the files can become an item, or it was stopped.
pub fn look_through(
    files: &PackageFiles,
    mut told: impl FnMut(&str, usize, usize),
) -> Result<Vec<Found>> {
    let robots: Vec<&str> = files
        .iter()
        .map(|(n, _)| n)
        .filter(|n| ending(n) == "urdf")
        .collect();
    let mut used: HashSet<String> = HashSet::new();
    let mut things: Vec<(&str, FoundKind)> = Vec::new();
    for robot in robots {
        things.push((robot, FoundKind::Robot));
        for (_, file) in meshes_of(files, robot).unwrap_or_default() {
            used.extend(file);
        }
    }
    let meshes = files
        .iter()
        .map(|(n, _)| n)
        .filter(|n| is_mesh(n) && !used.contains(*n));
    things.extend(meshes.map(|n| (n, FoundKind::Mesh)));
    let recordings = files.iter().map(|(n, _)| n).filter(|n| is_recording(n));
    things.extend(recordings.map(|n| (n, FoundKind::Recording)));
    if things.is_empty() {
        let message = "the files hold nothing that is read: a cell package (cell.json), a robot (.urdf with its meshes), or \
            meshes (.stl, .obj, .ply, .dae, .glb, .gltf), or recorded joint values (.csv, .json)";
        return Err(FormatError::said(message));
    }
    let mut found = Vec::new();
    for (index, &(file, kind)) in things.iter().enumerate() {
        told(file, index, things.len());
        files.stop().go_on()?;
        found.push(match kind {
            FoundKind::Robot => robot(files, file),
            FoundKind::Mesh => mesh(files, file),
            FoundKind::Recording => recording(files, file),
        });
    }
    files.stop().go_on()?;
    Ok(found)
}

pub(super) fn nothing(file: &str, kind: FoundKind) -> Found {
    let stem = file
        .rsplit('/')
        .next()
        .unwrap_or(file)
        .rsplit_once('.')
        .map_or(file, |(stem, _)| stem);
    Found {
        file: file.to_owned(),
        kind,
        name: stem.replace(['_', '-'], " ").trim().to_owned(),
        role: guessed_role(kind, stem),
        unit: LengthUnit::Mm,
        up: UpAxis::Z,
        says_itself: true,
        size: None,
        colour: None,
        triangles: 0,
        flaws: Flaws::default(),
        links: 0,
        joints: 0,
        collisions: 0,
        srdf: None,
        joint_groups: Vec::new(),
        missing: Vec::new(),
        joint_names: Vec::new(),
        recording: None,
        problem: None,
    }
}

/// What a thing might be, by its kind and its name.
fn guessed_role(kind: FoundKind, name: &str) -> RoleDocument {
    let name = name.to_lowercase();
    let says = |words: &[&str]| words.iter().any(|word| name.contains(word));
    match kind {
        _ if says(&[
            "gripper", "grip", "hand", "tool", "nozzle", "torch", "finger",
        ]) =>
        {
            RoleDocument::Tool
        }
        FoundKind::Robot => RoleDocument::Robot,
        FoundKind::Mesh if says(&["fence", "wall", "rack", "cabinet", "floor", "post"]) => {
            RoleDocument::Structure
        }
        FoundKind::Mesh if says(&["part", "workpiece", "housing"]) => RoleDocument::Part,
        FoundKind::Mesh | FoundKind::Recording => RoleDocument::Fixture,
    }
}

fn mesh(files: &PackageFiles, file: &str) -> Found {
    let mut found = nothing(file, FoundKind::Mesh);
    let says_itself = matches!(ending(file).as_str(), "dae" | "glb" | "gltf");
    // In metres: its numbers as they are.
    let convention = MeshConvention {
        unit: LengthUnit::M,
        up: UpAxis::Z,
    };
    let read = match read_mesh(files, file, convention, "the import") {
        Ok(read) => read,
        Err(error) => {
            found.problem = Some(error.to_string());
            return found;
        }
    };
    let size = read.mesh.bounds().half_extents() * 2.0;
    found.unit = guessed_unit(size.max(), says_itself);
    // Common practice: OBJ files have Y up, STL and PLY files Z.
    found.up = if ending(file) == "obj" {
        UpAxis::Y
    } else {
        UpAxis::Z
    };
    found.says_itself = says_itself;
    found.size = Some([size.x, size.y, size.z]);
    found.triangles = read.mesh.triangles().len();
    found.colour = obj_colour(files, file);
    let surface = Surface::new(read.mesh);
    found.flaws = Flaws::of(&read.mended, &surface);
    found
}

/// Nothing in a workcell is both as small as 10 mm and brought alone; nothing is as large as 10 m in one piece.
fn guessed_unit(largest: f64, says_itself: bool) -> LengthUnit {
    if says_itself || largest < 10.0 {
        LengthUnit::M
    } else {
        LengthUnit::Mm
    }
}

fn robot(files: &PackageFiles, file: &str) -> Found {
    let mut found = nothing(file, FoundKind::Robot);
    found.unit = LengthUnit::M;
    let meshes = match meshes_of(files, file) {
        Ok(meshes) => meshes,
        Err(error) => {
            found.problem = Some(error.to_string());
            return found;
        }
    };
    let mechanism = match read_urdf(files, file, LinkGeometry::Visual, "the import") {
        Ok(mechanism) => mechanism,
        Err(error) => {
            found.problem = Some(error.to_string());
            return found;
        }
    };
    // What is only meant for collisions is not needed where the link has something to be seen.
    for file in mechanism.links().iter().flat_map(|l| &l.missing) {
        if !found.missing.contains(file) {
            found.missing.push(file.clone());
        }
    }
    found.links = mechanism.links().len();
    found.joints = mechanism.joints().iter().filter(|j| j.kind.moves()).count();
    let free = mechanism.joints().iter().filter(|j| j.is_free());
    found.joint_names = free
        .map(|joint| FoundJoint {
            name: joint.name.clone(),
            turns: joint.kind.turns(),
        })
        .collect();
    found.collisions = links_with_both(files, file).unwrap_or_default();
    found.size = size_at_rest(&mechanism);
    let surfaces = || mechanism.links().iter().filter_map(|l| l.surface.as_ref());
    found.triangles = surfaces().map(|s| s.mesh().triangles().len()).sum();
    found.flaws.open_edges = surfaces().map(|s| s.open_edges()).sum();
    for name in meshes
        .into_iter()
        .filter_map(|(_, at)| at)
        .collect::<HashSet<_>>()
    {
        let convention = MeshConvention {
            unit: LengthUnit::M,
            up: UpAxis::Z,
        };
        if let Ok(read) = read_mesh(files, &name, convention, file) {
            found.flaws.degenerate += read.mended.degenerate;
            found.flaws.duplicate += read.mended.duplicate;
            found.flaws.turned_shells += read.mended.turned;
            found.flaws.turned_triangles += read.mended.turned_triangles;
        }
    }
    found.srdf = srdf_of(files, &mechanism);
    let srdf = found
        .srdf
        .as_ref()
        .and_then(|name| read_srdf(files, name, file).ok());
    found.joint_groups = srdf
        .into_iter()
        .flat_map(|s| s.groups)
        .map(|g| g.name)
        .collect();
    found
}

/// The SRDF whose links this mechanism has.
pub(super) fn srdf_of(files: &PackageFiles, mechanism: &Mechanism) -> Option<String> {
    let fits = |name: &str| {
        read_srdf(files, name, "the import").is_ok_and(|srdf| {
            srdf.may_touch
                .iter()
                .all(|(a, b, _)| mechanism.link(a).is_some() && mechanism.link(b).is_some())
        })
    };
    files
        .iter()
        .map(|(n, _)| n)
        .find(|n| ending(n) == "srdf" && fits(n))
        .map(str::to_owned)
}

fn size_at_rest(mechanism: &Mechanism) -> Option<[f64; 3]> {
    let moving = mechanism.joints().iter().filter(|j| j.kind.moves());
    let rest: Vec<f64> = moving.map(|j| j.limits.position.clamp(0.0)).collect();
    let poses = mechanism.forward(&rest);
    let points = mechanism
        .links()
        .iter()
        .zip(&poses)
        .flat_map(|(link, pose)| {
            let mesh = link.surface.as_ref().map(|s| s.mesh());
            mesh.map_or(&[][..], TriangleMesh::vertices)
                .iter()
                .map(move |v| pose * v)
        });
    let size = Aabb::around(points)?.half_extents() * 2.0;
    Some([size.x, size.y, size.z])
}

//! What a person brings: robots and meshes among dropped files, what is wrong with them, and the items they
//! become.

use std::collections::HashSet;

use schemars::JsonSchema;
use selvik_core::mesh::{Surface, TriangleMesh};
use selvik_core::robot::Mechanism;
use selvik_core::spatial::Aabb;
use selvik_formats::mesh::{
    LengthUnit, Mended, MeshConvention, UpAxis, ending, is_mesh, obj_colour, read_mesh,
};
use selvik_formats::{
    FormatError, LinkGeometry, PackageFiles, Result, links_with_both, meshes_of, read_srdf, read_urdf,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::document::{
    BodyDocument, CELL_FILE, ItemDocument, MechanismDocument, MechanismSource, PoseDocument, RoleDocument,
    ShapeDocument, next_free,
};

/// Files that are brought lie below this folder of a package.
pub const BROUGHT: &str = "brought";

/// Something among dropped files that can become an item.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Found {
    /// Its file.
    pub file: String,
    /// What it is.
    pub kind: FoundKind,
    /// What people might call it.
    pub name: String,
    /// What it might be.
    pub role: RoleDocument,
    /// Unit of its coordinates, as far as can be guessed.
    pub unit: LengthUnit,
    /// Which of its axes points up, as far as can be guessed.
    pub up: UpAxis,
    /// Whether the file says both itself, so that there is nothing to choose.
    pub says_itself: bool,
    /// Edge lengths in its own unit and axes; none where it can't be read.
    pub size: Option<[f64; 3]>,
    /// Its colour, `#RRGGBB`, where the file says one.
    pub colour: Option<String>,
    /// How many triangles there are.
    pub triangles: usize,
    /// What is wrong with its meshes, and what was mended.
    pub flaws: Flaws,
    /// Links and moving joints of a robot.
    pub links: usize,
    /// Joints of a robot that move.
    pub joints: usize,
    /// Links of a robot with geometry that is meant for collisions beside what is meant to be seen.
    pub collisions: usize,
    /// The SRDF file that goes with a robot.
    pub srdf: Option<String>,
    /// Groups of joints that the SRDF names.
    pub joint_groups: Vec<String>,
    /// Meshes it names that are not among the files.
    pub missing: Vec<String>,
    /// Why it can't be taken as it is.
    pub problem: Option<String>,
}

/// What kind of thing was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FoundKind {
    /// A mechanism described by URDF.
    Robot,
    /// A mesh.
    Mesh,
}

/// What is wrong with meshes, counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, ToSchema)]
pub struct Flaws {
    /// Edges that belong to one triangle only; they stay open.
    pub open_edges: usize,
    /// Triangles without an area; left out.
    pub degenerate: usize,
    /// Triangles that were there twice; left out once.
    pub duplicate: usize,
    /// Shells that were inside out; turned over.
    pub turned_shells: usize,
    /// Triangles that ran against their neighbours; turned over.
    pub turned_triangles: usize,
}

impl Flaws {
    fn of(mended: &Mended, surface: &Surface) -> Self {
        Self {
            open_edges: surface.open_edges(),
            degenerate: mended.degenerate,
            duplicate: mended.duplicate,
            turned_shells: mended.turned,
            turned_triangles: mended.turned_triangles,
        }
    }
}

/// What a person wants made of something that was found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Choice {
    /// The file it was found in.
    pub file: String,
    /// What people call it.
    pub name: String,
    /// What it is.
    pub role: RoleDocument,
    /// Unit of a mesh's coordinates.
    #[serde(default)]
    pub unit: LengthUnit,
    /// Which axis of a mesh points up.
    #[serde(default)]
    pub up: UpAxis,
    /// Id of the item that carries it; the world frame if absent.
    #[serde(default)]
    pub parent: Option<String>,
    /// The link of that which it hangs on.
    #[serde(default)]
    pub on_link: Option<String>,
    /// Its own colour, `#RRGGBB`.
    #[serde(default)]
    pub colour: Option<String>,
    /// Which geometry of a robot's links is shown and measured.
    #[serde(default)]
    pub geometry: LinkGeometry,
}

/// Looks through dropped files, until they are to be read no further. `told` hears of every thing before it is read, how
/// many are done and how many there are.
///
/// # Errors
/// [`FormatError`] when nothing among the files can become an item, or it was stopped.
pub fn look_through(files: &PackageFiles, mut told: impl FnMut(&str, usize, usize)) -> Result<Vec<Found>> {
    let robots: Vec<&str> = files.iter().map(|(n, _)| n).filter(|n| ending(n) == "urdf").collect();
    let mut used: HashSet<String> = HashSet::new();
    let mut things: Vec<(&str, FoundKind)> = Vec::new();
    for robot in robots {
        things.push((robot, FoundKind::Robot));
        for (_, file) in meshes_of(files, robot).unwrap_or_default() {
            used.extend(file);
        }
    }
    let meshes = files.iter().map(|(n, _)| n).filter(|n| is_mesh(n) && !used.contains(*n));
    things.extend(meshes.map(|n| (n, FoundKind::Mesh)));
    if things.is_empty() {
        let message = "the files hold nothing that is read: a cell package (cell.json), a robot (.urdf with its meshes), or \
            meshes (.stl, .obj, .ply, .dae, .glb, .gltf)";
        return Err(FormatError::said(message));
    }
    let mut found = Vec::new();
    for (index, &(file, kind)) in things.iter().enumerate() {
        told(file, index, things.len());
        files.stop().go_on()?;
        found.push(match kind {
            FoundKind::Robot => robot(files, file),
            FoundKind::Mesh => mesh(files, file),
        });
    }
    files.stop().go_on()?;
    Ok(found)
}

fn nothing(file: &str, kind: FoundKind) -> Found {
    let stem = file.rsplit('/').next().unwrap_or(file).rsplit_once('.').map_or(file, |(stem, _)| stem);
    Found {
        file: file.to_owned(),
        kind,
        name: stem.replace(['_', '-'], " ").trim().to_owned(),
        role: if kind == FoundKind::Robot { RoleDocument::Robot } else { RoleDocument::Fixture },
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
        problem: None,
    }
}

fn mesh(files: &PackageFiles, file: &str) -> Found {
    let mut found = nothing(file, FoundKind::Mesh);
    let says_itself = matches!(ending(file).as_str(), "dae" | "glb" | "gltf");
    // In metres: its numbers as they are.
    let convention = MeshConvention { unit: LengthUnit::M, up: UpAxis::Z };
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
    found.up = if ending(file) == "obj" { UpAxis::Y } else { UpAxis::Z };
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
    if says_itself || largest < 10.0 { LengthUnit::M } else { LengthUnit::Mm }
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
    found.collisions = links_with_both(files, file).unwrap_or_default();
    found.size = size_at_rest(&mechanism);
    let surfaces = || mechanism.links().iter().filter_map(|l| l.surface.as_ref());
    found.triangles = surfaces().map(|s| s.mesh().triangles().len()).sum();
    found.flaws.open_edges = surfaces().map(|s| s.open_edges()).sum();
    for name in meshes.into_iter().filter_map(|(_, at)| at).collect::<HashSet<_>>() {
        let convention = MeshConvention { unit: LengthUnit::M, up: UpAxis::Z };
        if let Ok(read) = read_mesh(files, &name, convention, file) {
            found.flaws.degenerate += read.mended.degenerate;
            found.flaws.duplicate += read.mended.duplicate;
            found.flaws.turned_shells += read.mended.turned;
            found.flaws.turned_triangles += read.mended.turned_triangles;
        }
    }
    found.srdf = srdf_of(files, &mechanism);
    let srdf = found.srdf.as_ref().and_then(|name| read_srdf(files, name, file).ok());
    found.joint_groups = srdf.into_iter().flat_map(|s| s.groups).map(|g| g.name).collect();
    found
}

/// The SRDF whose links this mechanism has.
fn srdf_of(files: &PackageFiles, mechanism: &Mechanism) -> Option<String> {
    let fits = |name: &str| {
        read_srdf(files, name, "the import").is_ok_and(|srdf| {
            srdf.may_touch.iter().all(|(a, b, _)| mechanism.link(a).is_some() && mechanism.link(b).is_some())
        })
    };
    files.iter().map(|(n, _)| n).find(|n| ending(n) == "srdf" && fits(n)).map(str::to_owned)
}

fn size_at_rest(mechanism: &Mechanism) -> Option<[f64; 3]> {
    let moving = mechanism.joints().iter().filter(|j| j.kind.moves());
    let rest: Vec<f64> = moving.map(|j| j.limits.position.clamp(0.0)).collect();
    let poses = mechanism.forward(&rest);
    let points = mechanism.links().iter().zip(&poses).flat_map(|(link, pose)| {
        let mesh = link.surface.as_ref().map(|s| s.mesh());
        mesh.map_or(&[][..], TriangleMesh::vertices).iter().map(move |v| pose * v)
    });
    let size = Aabb::around(points)?.half_extents() * 2.0;
    Some([size.x, size.y, size.z])
}

/// The items that `choices` make of dropped files, and the files they need, below a folder of their own.
/// `taken` are the ids that the cell has.
///
/// # Errors
/// [`FormatError`] for a file that can't become an item.
pub fn items_of(
    files: &PackageFiles,
    choices: &[Choice],
    taken: &HashSet<String>,
    folder: &str,
) -> Result<(Vec<ItemDocument>, PackageFiles)> {
    let mut taken = taken.clone();
    let mut needed: HashSet<String> = HashSet::new();
    let mut items = Vec::new();
    let below = |name: &str| format!("{BROUGHT}/{folder}/{name}");
    for choice in choices {
        let base = slug(&choice.name);
        let id = if taken.insert(base.clone()) { base } else { next_free(&base, '-', &mut taken) };
        let mut item = ItemDocument::new(id, choice.name.trim(), choice.role);
        item.parent.clone_from(&choice.parent);
        item.on_link.clone_from(&choice.on_link);
        item.colour.clone_from(&choice.colour);
        files.get(&choice.file, "the import")?;
        needed.insert(choice.file.clone());
        if ending(&choice.file) == "urdf" {
            let mechanism = read_urdf(files, &choice.file, choice.geometry, "the import")?;
            let srdf = srdf_of(files, &mechanism);
            needed.extend(meshes_of(files, &choice.file)?.into_iter().filter_map(|(_, at)| at));
            needed.extend(srdf.clone());
            item.mechanism = Some(MechanismDocument {
                from: MechanismSource::Urdf(below(&choice.file)),
                rest_deg_or_mm: indexmap::IndexMap::new(),
                acceleration_deg_or_mm_s2: indexmap::IndexMap::new(),
                velocity_deg_or_mm_s: indexmap::IndexMap::new(),
                limits_deg_or_mm: indexmap::IndexMap::new(),
                geometry: choice.geometry,
                srdf: srdf.as_deref().map(below),
            });
        } else {
            let shape = ShapeDocument::Mesh { file: below(&choice.file), unit: choice.unit, up: choice.up };
            item.bodies.push(BodyDocument { shape, pose: PoseDocument::default() });
        }
        items.push(item);
    }
    // Buffers of glTF files stand beside them under names of their own.
    let gltf = needed.iter().any(|n| ending(n) == "gltf");
    let wanted = |name: &str| needed.contains(name) || (gltf && ending(name) == "bin");
    Ok((items, files.renamed(|name| wanted(name).then(|| below(name)))))
}

/// An id made of a name: small letters, digits and hyphens.
fn slug(name: &str) -> String {
    let plain: String =
        name.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let parts: Vec<&str> = plain.split('-').filter(|p| !p.is_empty()).collect();
    if parts.is_empty() { "item".to_owned() } else { parts.join("-") }
}

/// Whether the files are a cell package.
#[must_use]
pub fn is_package(files: &PackageFiles) -> bool {
    files.contains(CELL_FILE)
}

/// The files of a package without those that were brought and that no item names any more.
#[must_use]
pub fn without_unused(files: &PackageFiles, items: &[ItemDocument]) -> PackageFiles {
    let folder = |name: &str| -> Option<String> {
        let rest = name.strip_prefix(BROUGHT)?.strip_prefix('/')?;
        rest.split_once('/').map(|(folder, _)| folder.to_owned())
    };
    let used: HashSet<String> =
        items.iter().flat_map(ItemDocument::files).filter_map(|f| folder(&f)).collect();
    files.renamed(|name| match folder(name) {
        Some(folder) if !used.contains(&folder) => None,
        _ => Some(name.to_owned()),
    })
}

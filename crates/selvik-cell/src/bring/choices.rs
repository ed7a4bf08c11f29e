//! What people want made of things that were found, and what it comes to.

use std::collections::{HashMap, HashSet};

use schemars::JsonSchema;
use selvik_formats::mesh::{LengthUnit, UpAxis, ending};
use selvik_formats::{FormatError, LinkGeometry, PackageFiles, Result, meshes_of, read_urdf};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::RecordingChoice;
use super::recordings::{first_row, go_to, is_recording};
use super::things::srdf_of;
use crate::document::{
    BodyDocument, CELL_FILE, CellDocument, FrameKind, ItemDocument, MechanismDocument,
    MechanismSource, MoveDocument, PoseDocument, ProgramDocument, RecordedJointDocument,
    RoleDocument, ShapeDocument, next_free,
};
use crate::edit::{Edit, MechanismChange};

/// Files that are brought lie below this folder of a package.
pub const BROUGHT: &str = "brought";

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
    /// Id of the item that carries it, or the file of a robot that is brought along; the world frame if absent.
    #[serde(default)]
    pub parent: Option<String>,
    /// The link of that which it hangs on; of a robot that is brought along its flange if absent.
    #[serde(default)]
    pub on_link: Option<String>,
    /// Its own colour, `#RRGGBB`.
    #[serde(default)]
    pub colour: Option<String>,
    /// Which geometry of a robot's links is shown and measured.
    #[serde(default)]
    pub geometry: LinkGeometry,
    /// Whether a robot gets a TCP at its flange.
    #[serde(default)]
    pub with_tcp: bool,
    /// What a recording moves.
    #[serde(default)]
    pub recording: Option<RecordingChoice>,
}

/// What is brought in: items, what they play, and the files they need.
#[derive(Debug, Clone)]
pub struct BroughtIn {
    /// New items.
    pub items: Vec<ItemDocument>,
    /// What is done after they have been added.
    pub then: Vec<Edit>,
    /// Below a folder of their own.
    pub files: PackageFiles,
}

impl BroughtIn {
    /// All of it as one edit.
    #[must_use]
    pub fn edit(self) -> Edit {
        let Self { items, then, .. } = self;
        let added = Edit::AddItems {
            items: items.clone(),
        };
        if then.is_empty() {
            return added;
        }
        let first = (!items.is_empty()).then_some(added);
        Edit::Together {
            label: match items.as_slice() {
                [] => "bring a recording in".to_owned(),
                [one] => format!("add {} with a recording", one.name),
                items => format!("add {} items with a recording", items.len()),
            },
            edits: first.into_iter().chain(then).collect(),
        }
    }
}

/// What `choices` make of dropped files in a cell as it is.
///
/// # Errors
/// [`FormatError`] for a file that can't become what it should.
pub fn brought_in(
    files: &PackageFiles,
    choices: &[Choice],
    cell: &CellDocument,
    folder: &str,
) -> Result<BroughtIn> {
    let (played, things): (Vec<_>, Vec<_>) = choices.iter().partition(|c| is_recording(&c.file));
    let taken = cell.items.iter().map(|i| i.id.clone()).collect();
    let (mut items, mut needed) = items_of(files, &things, &taken, folder)?;
    let of_file: HashMap<&str, usize> = things.iter().map(|c| c.file.as_str()).zip(0..).collect();
    let mut then = Vec::new();
    let mut programs: HashSet<String> = cell.programs.iter().map(|p| p.id.clone()).collect();
    let mut driven: HashSet<String> = cell.programs.iter().map(|p| p.robot.clone()).collect();
    for choice in played {
        let asked = choice.recording.as_ref();
        let missing = || FormatError::file(&choice.file, "say which robot it moves");
        let asked = asked.ok_or_else(missing)?;
        let new = of_file.get(asked.robot.as_str()).copied();
        let robot = new.map_or_else(|| asked.robot.clone(), |at| items[at].id.clone());
        let name = format!("{BROUGHT}/{folder}/{}", choice.file);
        needed.extend(&files.renamed(|file| (file == choice.file).then(|| name.clone())));
        let joint = |joint: &RecordedJointDocument| RecordedJointDocument {
            joint: format!("{robot}/{}", joint.joint),
            ..joint.clone()
        };
        let recorded = MoveDocument::Recorded {
            file: name,
            time_column: asked.time_column,
            time_unit: asked.time_unit,
            joints: asked.joints.iter().map(joint).collect(),
        };
        let first = first_row(files, &choice.file, asked)?;
        let mut moves = Vec::new();
        if !driven.insert(robot.clone()) {
            moves.push(go_to(&first, &robot));
        } else if let Some(mechanism) = new.and_then(|at| items[at].mechanism.as_mut()) {
            mechanism.rest_deg_or_mm.extend(first);
        } else {
            then.push(Edit::ChangeMechanism {
                item: robot.clone(),
                change: MechanismChange::Rest(first),
            });
        }
        moves.push(recorded);
        let id = slug(&choice.name);
        let id = if programs.insert(id.clone()) {
            id
        } else {
            next_free(&id, '-', &mut programs)
        };
        then.push(Edit::SaveProgram {
            program: Box::new(ProgramDocument {
                id,
                name: choice.name.trim().to_owned(),
                robot,
                tcp: None,
                targets: Vec::new(),
                targets_csv: None,
                moves,
            }),
        });
    }
    Ok(BroughtIn {
        items,
        then,
        files: needed,
    })
}

/// The items that `choices` make of dropped files, and the files they need, below a folder of their own.
/// `taken` are the ids that the cell has.
///
/// # Errors
/// [`FormatError`] for a file that can't become an item.
fn items_of(
    files: &PackageFiles,
    choices: &[&Choice],
    taken: &HashSet<String>,
    folder: &str,
) -> Result<(Vec<ItemDocument>, PackageFiles)> {
    let mut taken = taken.clone();
    let mut needed: HashSet<String> = HashSet::new();
    let mut items = Vec::new();
    let mut tips: HashMap<&str, String> = HashMap::new();
    let below = |name: &str| format!("{BROUGHT}/{folder}/{name}");
    for choice in choices {
        let base = slug(&choice.name);
        let id = if taken.insert(base.clone()) {
            base
        } else {
            next_free(&base, '-', &mut taken)
        };
        let mut item = ItemDocument::new(id, choice.name.trim(), choice.role);
        item.parent.clone_from(&choice.parent);
        item.on_link.clone_from(&choice.on_link);
        item.colour.clone_from(&choice.colour);
        files.get(&choice.file, "the import")?;
        needed.insert(choice.file.clone());
        if ending(&choice.file) == "urdf" {
            let mechanism = read_urdf(files, &choice.file, choice.geometry, "the import")?;
            let srdf = srdf_of(files, &mechanism);
            tips.insert(
                &choice.file,
                mechanism.links()[mechanism.tip()].name.clone(),
            );
            needed.extend(
                meshes_of(files, &choice.file)?
                    .into_iter()
                    .filter_map(|(_, at)| at),
            );
            needed.extend(srdf.clone());
            let source = MechanismSource::Urdf(below(&choice.file));
            item.mechanism = Some(MechanismDocument {
                geometry: choice.geometry,
                srdf: srdf.as_deref().map(below),
                ..MechanismDocument::as_described(source)
            });
        } else {
            let shape = ShapeDocument::Mesh {
                file: below(&choice.file),
                unit: choice.unit,
                up: choice.up,
            };
            item.bodies.push(BodyDocument {
                shape,
                pose: PoseDocument::default(),
            });
        }
        items.push(item);
    }
    let of_file: HashMap<&str, usize> = choices.iter().map(|c| c.file.as_str()).zip(0..).collect();
    for (at, choice) in choices.iter().enumerate() {
        let along = choice
            .parent
            .as_deref()
            .and_then(|p| Some((p, *of_file.get(p)?)));
        if let Some((file, carrier)) = along {
            items[at].parent = Some(items[carrier].id.clone());
            let flange = || tips.get(file).cloned();
            items[at].on_link = choice.on_link.clone().or_else(flange);
        }
    }
    for (at, choice) in choices.iter().enumerate().filter(|(_, c)| c.with_tcp) {
        let Some(tip) = tips.get(choice.file.as_str()) else {
            continue;
        };
        let id = format!("{}-tcp", items[at].id);
        let id = if taken.insert(id.clone()) {
            id
        } else {
            next_free(&id, '-', &mut taken)
        };
        let name = format!("TCP {}", items[at].name);
        items.push(ItemDocument {
            parent: Some(items[at].id.clone()),
            on_link: Some(tip.clone()),
            frame_kind: Some(FrameKind::Tcp),
            ..ItemDocument::new(id, name, RoleDocument::Frame)
        });
    }
    // Buffers of glTF files stand beside them under names of their own.
    let gltf = needed.iter().any(|n| ending(n) == "gltf");
    let wanted = |name: &str| needed.contains(name) || (gltf && ending(name) == "bin");
    Ok((
        items,
        files.renamed(|name| wanted(name).then(|| below(name))),
    ))
}

/// An id made of a name: small letters, digits and hyphens.
fn slug(name: &str) -> String {
    let plain: String = name
        .to_lowercase()
        .chars()
        .map(|c| if c.is_alphanumeric() { c } else { '-' })
        .collect();
    let parts: Vec<&str> = plain.split('-').filter(|p| !p.is_empty()).collect();
    if parts.is_empty() {
        "item".to_owned()
    } else {
        parts.join("-")
    }
}

/// Whether the files are a cell package.
#[must_use]
pub fn is_package(files: &PackageFiles) -> bool {
    files.contains(CELL_FILE)
}

/// The files of a package without those that were brought and that nothing names any more.
#[must_use]
pub fn without_unused(files: &PackageFiles, document: &CellDocument) -> PackageFiles {
    let folder = |name: &str| -> Option<String> {
        let rest = name.strip_prefix(BROUGHT)?.strip_prefix('/')?;
        rest.split_once('/').map(|(folder, _)| folder.to_owned())
    };
    let of_items = document.items.iter().flat_map(ItemDocument::files);
    let of_programs = document.programs.iter().flat_map(ProgramDocument::files);
    let used: HashSet<String> = of_items
        .chain(of_programs.cloned())
        .filter_map(|f| folder(&f))
        .collect();
    files.renamed(|name| match folder(name) {
        Some(folder) if !used.contains(&folder) => None,
        _ => Some(name.to_owned()),
    })
}

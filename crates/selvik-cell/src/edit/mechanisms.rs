//! Changes of what mechanisms can do, and where they rest.

use indexmap::IndexMap;
use schemars::JsonSchema;
use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::roster::{position, refuse};
use crate::document::{CellDocument, MechanismDocument, NamedPosture, PoseDocument, checked_name};

/// Something that can be said of a mechanism.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum MechanismChange {
    /// Joint values the cell starts with, by joint name, degrees or mm; joints that are not named keep theirs.
    Rest(IndexMap<String, f64>),
    /// Keeps joint values by a name; one of the same name is replaced.
    KeepPosture(NamedPosture),
    /// Lets go of the joint values of that name.
    DropPosture(String),
    /// What a joint may do, in place of what its description says; what is not given is as described.
    Limits {
        /// Name of the joint.
        joint: String,
        /// Smallest and largest value, degrees or mm.
        #[serde(default)]
        range_deg_or_mm: Option<[f64; 2]>,
        /// Largest speed, degrees/s or mm/s.
        #[serde(default)]
        velocity_deg_or_mm_s: Option<f64>,
        /// Largest acceleration, degrees/s² or mm/s².
        #[serde(default)]
        acceleration_deg_or_mm_s2: Option<f64>,
    },
}

pub(super) fn change(
    document: &mut CellDocument,
    item: &str,
    change: &MechanismChange,
) -> Result<String> {
    let at = position(document, item)?;
    let name = document.items[at].name.clone();
    let mechanism = document.items[at].mechanism.as_mut();
    let mechanism = mechanism.ok_or_else(|| refuse(format!("{name} has no joints")))?;
    Ok(match change {
        MechanismChange::Rest(values) => {
            let values = values.iter().map(|(joint, value)| (joint.clone(), *value));
            mechanism.rest_deg_or_mm.extend(values);
            format!("rest of {name}")
        }
        MechanismChange::KeepPosture(posture) => keep(mechanism, posture, &name)?,
        MechanismChange::DropPosture(called) => {
            let before = mechanism.postures.len();
            mechanism.postures.retain(|p| p.name != *called);
            if mechanism.postures.len() == before {
                return Err(refuse(format!("{name} keeps no posture \"{called}\"")));
            }
            format!("let go of posture {called} of {name}")
        }
        MechanismChange::Limits {
            joint,
            range_deg_or_mm,
            velocity_deg_or_mm_s,
            acceleration_deg_or_mm_s2,
        } => {
            say(&mut mechanism.limits_deg_or_mm, joint, *range_deg_or_mm);
            say(
                &mut mechanism.velocity_deg_or_mm_s,
                joint,
                *velocity_deg_or_mm_s,
            );
            let accelerations = &mut mechanism.acceleration_deg_or_mm_s2;
            say(accelerations, joint, *acceleration_deg_or_mm_s2);
            format!("limits of {joint} of {name}")
        }
    })
}

/// All that hangs on the item, and all targets in its frame, stay where they are.
pub(super) fn make(
    document: &mut CellDocument,
    item: &str,
    (pose, mechanism): (PoseDocument, &MechanismDocument),
    on_link: &str,
) -> Result<String> {
    let at = position(document, item)?;
    let name = document.items[at].name.clone();
    if document.items[at].locked {
        return Err(refuse(format!("{name} is locked; unlock it first")));
    }
    if document.items[at].mechanism.is_some() {
        return Err(refuse(format!("{name} has joints already")));
    }
    let shift = pose.to_pose().inverse() * document.items[at].pose.to_pose();
    let stay = |pose: &mut PoseDocument| *pose = PoseDocument::from_pose(&(shift * pose.to_pose()));
    document.items[at].bodies.clear();
    document.items[at].pose = pose;
    document.items[at].mechanism = Some(mechanism.clone());
    let children = document.items.iter_mut();
    for child in children.filter(|i| i.parent.as_deref() == Some(item)) {
        stay(&mut child.pose);
        child.on_link = Some(on_link.to_owned());
    }
    let targets = document.programs.iter_mut().flat_map(|p| &mut p.targets);
    for target in targets.filter(|t| t.frame.as_deref() == Some(item)) {
        stay(&mut target.pose);
    }
    Ok(format!("give {name} a joint"))
}

fn keep(mechanism: &mut MechanismDocument, posture: &NamedPosture, of: &str) -> Result<String> {
    let called = checked_name(&posture.name)?;
    let posture = NamedPosture {
        name: called.clone(),
        ..posture.clone()
    };
    match mechanism.postures.iter_mut().find(|p| p.name == called) {
        Some(before) => *before = posture,
        None => mechanism.postures.push(posture),
    }
    Ok(format!("keep posture {called} of {of}"))
}

/// Says something of a joint, or no longer.
fn say<T>(of: &mut IndexMap<String, T>, joint: &str, value: Option<T>) {
    match value {
        Some(value) => drop(of.insert(joint.to_owned(), value)),
        None => drop(of.shift_remove(joint)),
    }
}

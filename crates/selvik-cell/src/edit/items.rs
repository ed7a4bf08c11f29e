//! Changes of what is in a cell.

use std::collections::{HashMap, HashSet};

use schemars::JsonSchema;
use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::references::forget;
use super::roster::{called, families, position, positions, refuse};
use crate::document::{
    CellDocument, ItemDocument, PoseDocument, RoleDocument, checked_name, is_colour, next_free,
};

/// Where an item stands in the frame that carries it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Placement {
    /// Its id.
    pub item: String,
    /// Where.
    pub pose: PoseDocument,
}

/// What an item hangs on, and where there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Hanging {
    /// Its id.
    pub item: String,
    /// Id of what carries it; the world frame if absent.
    #[serde(default)]
    pub parent: Option<String>,
    /// The link of that which it hangs on.
    #[serde(default)]
    pub on_link: Option<String>,
    /// Where.
    pub pose: PoseDocument,
}

/// Something that can be said of several items at once.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum ItemChange {
    /// What it is.
    Role(RoleDocument),
    /// Its own colour, `#RRGGBB`, or that of its role.
    Colour(Option<String>),
    /// Whether it stays where it is.
    Locked(bool),
    /// Whether its geometry is a surface only, so that nothing lies inside it.
    SurfaceOnly(bool),
    /// What people want to remember of it; empty for nothing.
    Notes(String),
}

/// The longest note, characters.
const LONGEST_NOTE: usize = 20_000;

fn free(item: &ItemDocument) -> Result<()> {
    if item.locked {
        return Err(refuse(format!(
            "{} is locked and stays where it is; unlock it first",
            item.name
        )));
    }
    Ok(())
}

pub(super) fn rename(document: &mut CellDocument, item: &str, name: &str) -> Result<String> {
    let name = checked_name(name)?;
    let at = position(document, item)?;
    let before = std::mem::replace(&mut document.items[at].name, name.clone());
    Ok(format!("rename {before} to {name}"))
}

pub(super) fn place(document: &mut CellDocument, places: &[Placement]) -> Result<String> {
    let found = positions(document, places.iter().map(|p| &p.item))?;
    for (&at, place) in found.iter().zip(places) {
        free(&document.items[at])?;
        document.items[at].pose = place.pose;
    }
    Ok(format!("move {}", called(document, &found)))
}

pub(super) fn hang(document: &mut CellDocument, places: &[Hanging]) -> Result<String> {
    let found = positions(document, places.iter().map(|p| &p.item))?;
    for (&at, place) in found.iter().zip(places) {
        let item = &mut document.items[at];
        free(item)?;
        item.parent.clone_from(&place.parent);
        item.on_link.clone_from(&place.on_link);
        item.pose = place.pose;
    }
    let onto = match places.first().and_then(|p| p.parent.as_ref()) {
        Some(parent) => document.items[position(document, parent)?].name.clone(),
        None => "the floor".to_owned(),
    };
    Ok(format!("hang {} on {onto}", called(document, &found)))
}

pub(super) fn change(
    document: &mut CellDocument,
    items: &[String],
    change: &ItemChange,
) -> Result<String> {
    let found = positions(document, items)?;
    for &at in &found {
        let item = &mut document.items[at];
        match change {
            ItemChange::Role(role) => item.role = *role,
            ItemChange::Colour(Some(colour)) if !is_colour(colour) => {
                return Err(refuse(format!(
                    "\"{colour}\" is not a colour; write #RRGGBB"
                )));
            }
            ItemChange::Colour(colour) => item.colour.clone_from(colour),
            ItemChange::Locked(locked) => item.locked = *locked,
            ItemChange::SurfaceOnly(only) => item.surface_only = *only,
            ItemChange::Notes(notes) if notes.chars().count() > LONGEST_NOTE => {
                return Err(refuse(format!(
                    "a note has at most {LONGEST_NOTE} characters"
                )));
            }
            ItemChange::Notes(notes) => {
                item.notes = Some(notes.clone()).filter(|n| !n.trim().is_empty())
            }
        }
    }
    let what = called(document, &found);
    Ok(match change {
        ItemChange::SurfaceOnly(true) => format!("take {what} for a surface only"),
        ItemChange::SurfaceOnly(false) => format!("take {what} for a body"),
        ItemChange::Role(_) => format!("change the role of {what}"),
        ItemChange::Colour(_) => format!("colour {what}"),
        ItemChange::Locked(true) => format!("lock {what}"),
        ItemChange::Locked(false) => format!("unlock {what}"),
        ItemChange::Notes(_) => format!("note on {what}"),
    })
}

pub(super) fn add(document: &mut CellDocument, items: &[ItemDocument]) -> Result<String> {
    if items.is_empty() {
        return Err(refuse("it names no item"));
    }
    let first = document.items.len();
    document.items.extend(items.iter().cloned());
    let topmost: Vec<usize> = (first..document.items.len())
        .filter(|&at| {
            let parent = document.items[at].parent.as_ref();
            !document.items[first..]
                .iter()
                .any(|i| Some(&i.id) == parent)
        })
        .collect();
    Ok(format!("add {}", called(document, &topmost)))
}

pub(super) fn duplicate(document: &mut CellDocument, items: &[String]) -> Result<String> {
    let family = families(document, items)?;
    let chosen: Vec<usize> = positions(document, items)?;
    let mut ids: HashSet<String> = document.items.iter().map(|i| i.id.clone()).collect();
    let mut names: HashSet<String> = document.items.iter().map(|i| i.name.clone()).collect();
    let mut copies: HashMap<String, String> = HashMap::new();
    for &at in &family {
        let copy = next_free(&document.items[at].id, '-', &mut ids);
        copies.insert(document.items[at].id.clone(), copy);
    }
    let within: HashSet<&str> = copies.keys().map(String::as_str).collect();
    let top = |item: &ItemDocument| !item.parent.as_deref().is_some_and(|p| within.contains(p));
    let mut added = Vec::new();
    for &at in &family {
        let item = &document.items[at];
        let mut copy = item.clone();
        copy.id.clone_from(&copies[&item.id]);
        copy.locked = false;
        if top(item) {
            copy.name = next_free(&item.name, ' ', &mut names);
        }
        copy.parent = item
            .parent
            .as_ref()
            .map(|p| copies.get(p).unwrap_or(p).clone());
        added.push(copy);
    }
    let label = format!("duplicate {}", called(document, &chosen));
    document.items.extend(added);
    Ok(label)
}

pub(super) fn group(
    document: &mut CellDocument,
    name: &str,
    (parent, on_link): (Option<String>, Option<String>),
    places: &[Placement],
) -> Result<String> {
    let name = checked_name(name)?;
    let found = positions(document, places.iter().map(|p| &p.item))?;
    let mut ids: HashSet<String> = document.items.iter().map(|i| i.id.clone()).collect();
    let id = next_free("group", '-', &mut ids);
    for (&at, place) in found.iter().zip(places) {
        let item = &mut document.items[at];
        free(item)?;
        item.parent = Some(id.clone());
        item.on_link = None;
        item.pose = place.pose;
    }
    let group = ItemDocument {
        parent,
        on_link,
        ..ItemDocument::new(id, name.clone(), RoleDocument::Group)
    };
    document
        .items
        .insert(*found.iter().min().expect("some item"), group);
    Ok(format!("group {} items as {name}", found.len()))
}

pub(super) fn ungroup(document: &mut CellDocument, item: &str) -> Result<String> {
    let at = position(document, item)?;
    free(&document.items[at])?;
    if document.items[at].role != RoleDocument::Group || document.items[at].has_geometry() {
        return Err(refuse(format!(
            "{} is not a group",
            document.items[at].name
        )));
    }
    let group = document.items.remove(at);
    let above = group.pose.to_pose();
    for child in document
        .items
        .iter_mut()
        .filter(|i| i.parent.as_deref() == Some(item))
    {
        child.pose = PoseDocument::from_pose(&(above * child.pose.to_pose()));
        child.parent.clone_from(&group.parent);
        child.on_link.clone_from(&group.on_link);
    }
    forget(document, &HashSet::from([item.to_owned()]));
    Ok(format!("ungroup {}", group.name))
}

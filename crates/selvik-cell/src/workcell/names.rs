//! Things of a cell, looked up by the names that documents use.

use selvik_core::cell::ItemId;
use selvik_core::clearance::Named;
use selvik_core::robot::{Assembly, NodeId};
use selvik_formats::Result;

use super::refusals::refuse;

/// Looks things up by the names that documents use.
pub(super) struct Names<'a> {
    pub(super) assembly: &'a Assembly,
}

impl Names<'_> {
    pub(super) fn item(&self, id: &str, place: &str) -> Result<usize> {
        self.assembly
            .cell()
            .position(&ItemId(id.to_owned()))
            .ok_or_else(|| refuse(place, format!("there is no item \"{id}\"")))
    }

    /// The item `item`, or the link `item/link` of its mechanism.
    pub(super) fn item_or_link(&self, name: &str, place: &str) -> Result<Named> {
        if let Some(item) = self.assembly.cell().position(&ItemId(name.to_owned())) {
            return Ok(Named::item(item));
        }
        let Some((id, link)) = name.split_once('/') else {
            return self.item(name, place).map(Named::item);
        };
        let item = self.item(id, place)?;
        let link = self.assembly.mechanism(item).and_then(|m| m.link(link));
        let unknown = || {
            refuse(
                place,
                format!("\"{id}\" has no link of the name in \"{name}\""),
            )
        };
        Ok(Named::link(item, link.ok_or_else(unknown)?))
    }

    /// The frame of the item `item`, or of the link `item/link`.
    pub(super) fn item_or_link_node(&self, name: &str, place: &str) -> Result<NodeId> {
        let Named { item, link, .. } = self.item_or_link(name, place)?;
        let mechanism = link.zip(self.assembly.mechanism(item));
        let link = mechanism.and_then(|(link, mechanism)| {
            self.assembly.link_node(item, &mechanism.links()[link].name)
        });
        Ok(link.unwrap_or_else(|| self.assembly.item_node(item)))
    }

    pub(super) fn node(&self, id: &str, place: &str) -> Result<NodeId> {
        Ok(self.assembly.item_node(self.item(id, place)?))
    }

    /// The joint called `item/joint`.
    pub(super) fn joint_index(&self, key: &str, place: &str) -> Result<usize> {
        let unknown = || {
            refuse(
                place,
                format!("there is no joint \"{key}\"; write item/joint"),
            )
        };
        let (item, joint) = key.split_once('/').ok_or_else(unknown)?;
        let item = self.item(item, place)?;
        self.assembly.joint_index(item, joint).ok_or_else(unknown)
    }

    /// The joint called `item/joint` and `value` (degrees or mm) in rad or m, within its limits.
    pub(super) fn joint(&self, key: &str, value: f64, place: &str) -> Result<(usize, f64)> {
        let index = self.joint_index(key, place)?;
        let joint = &self.assembly.joints()[index];
        let (value, unit) = if joint.kind.turns() {
            (value.to_radians(), "°")
        } else {
            (value * 1e-3, " mm")
        };
        let excess = joint.limits.position.excess(value);
        if excess > 1e-9 || value.is_nan() {
            let shown = |v: f64| {
                if joint.kind.turns() {
                    v.to_degrees()
                } else {
                    v * 1e3
                }
            };
            let limits = joint.limits.position;
            let message = format!(
                "joint \"{key}\" is at {:.3}{unit}, but goes from {:.3}{unit} to {:.3}{unit} only",
                shown(value),
                shown(limits.low()),
                shown(limits.high()),
            );
            return Err(refuse(place, message));
        }
        Ok((index, value))
    }
}

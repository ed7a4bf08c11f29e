//! A cell package made ready to compute with.

mod geometry;
mod names;
mod programs;
mod refusals;
mod rules;
mod views;

use std::collections::HashMap;

use geometry::Known;
use indexmap::IndexMap;
use names::Names;
use refusals::{Refusals, finite, refuse};
use selvik_core::cell::{Cell, Item, ItemId, Role};
use selvik_core::clearance::RuleSet;
use selvik_core::program::{
    Path, PathTolerance, Planned, ProgramError, Recording, RunPlan, plan_as_far_as_it_goes,
    plan_path,
};
use selvik_core::robot::{Arm, Assembly};
use selvik_formats::{PackageFiles, Result};

use crate::document::{
    CellDocument, ItemDocument, RoleDocument, TargetDocument, check_text, is_colour, read_document,
};

/// A joint without a stated acceleration reaches full speed in this time, s.
const RAMP: f64 = 0.25;

/// A cell package, read, checked and joined into core types.
#[derive(Debug, Clone)]
pub struct Workcell {
    /// What `cell.json` says.
    pub document: CellDocument,
    /// Items and mechanisms in one tree.
    pub assembly: Assembly,
    /// The joint vector the cell starts with, rad or m.
    pub rest: Vec<f64>,
    /// Which programs run when.
    pub plan: RunPlan,
    /// Clearance rules.
    pub rules: RuleSet,
    /// Recordings by how the document describes them, so that none is read twice.
    recordings: HashMap<Vec<u8>, Recording>,
    /// For each program the targets that stand in its file.
    filed: HashMap<String, Vec<TargetDocument>>,
}

impl Workcell {
    /// A target of a program, also one of its file.
    #[must_use]
    pub fn target(&self, program: &str, target: &str) -> Option<&TargetDocument> {
        let own = self.document.programs.iter().find(|p| p.id == program)?;
        let filed = self.filed.get(program).into_iter().flatten();
        let mut all = own.targets.iter().chain(filed);
        all.find(|t| t.id == target)
    }

    /// Reads a whole package.
    ///
    /// # Errors
    /// [`FormatError`] for all that is wrong, as far as that can be told at once.
    pub fn read(files: &PackageFiles) -> Result<Self> {
        Self::from_document(read_document(files)?, files)
    }

    /// Joins `document` with the files it names.
    ///
    /// # Errors
    /// [`FormatError`] for all that is wrong, as far as that can be told at once.
    pub fn from_document(document: CellDocument, files: &PackageFiles) -> Result<Self> {
        Self::built_on(&[], document, files)
    }

    /// Joins `document` with the files it names. Geometry that one of `others` describes by the same
    /// files is taken from there, not read again.
    ///
    /// # Errors
    /// [`FormatError`] for all that is wrong, as far as that can be told at once.
    pub fn built_on(
        others: &[&Self],
        document: CellDocument,
        files: &PackageFiles,
    ) -> Result<Self> {
        let mut refusals = Refusals::default();
        refusals.note(check_text(&document));
        let mut known = Known::of(others);
        let mut items = Vec::with_capacity(document.items.len());
        let mut mechanisms = HashMap::new();
        for (index, item) in document.items.iter().enumerate() {
            let place = format!("items[{index}] \"{}\"", item.id);
            items.extend(refusals.note(read_item(item, files, &mut known, &place)));
            let Some(mechanism) = &item.mechanism else {
                continue;
            };
            let read = known.mechanism(files, (mechanism, item.surface_only), &place);
            mechanisms.extend(refusals.note(read).map(|m| (ItemId(item.id.clone()), m)));
        }
        // What names an item that was refused would be refused for that.
        refusals.end()?;
        let mut refusals = Refusals::default();
        let cell = Cell::new(items).map_err(|e| refuse("items", e))?;
        let assembly = Assembly::new(cell, mechanisms).map_err(|e| refuse("items", e))?;
        let names = Names {
            assembly: &assembly,
        };
        let rest = rest(&document, &names, &mut refusals);
        let plan = programs::run_plan(&document, (files, &mut known), &names, &mut refusals);
        let rules = rules::rules(&document, files, &names, &mut refusals);
        views::check(&document, &names, &mut refusals);
        if let Some(rule) = &document.reach_rule
            && !(0.0..100.0).contains(&rule.spare_percent)
        {
            let message = "spare_percent must be from 0 to below 100";
            refusals.note::<()>(Err(refuse("reach_rule", message)));
        }
        refusals.end()?;
        Ok(Self {
            document,
            assembly,
            rest,
            plan,
            rules,
            recordings: known.recordings,
            filed: known.filed,
        })
    }

    /// The path of the run plan.
    ///
    /// # Errors
    /// [`ProgramError`] names the program and move that can't be run.
    pub fn path(&self) -> std::result::Result<Path, ProgramError> {
        plan_path(
            &self.assembly,
            &self.plan,
            &self.rest,
            &PathTolerance::default(),
        )
    }

    /// What of the run plan can be run, and why the rest can't: to be looked at, not to be certified. Moves that are
    /// `planned` for the same items are not planned again.
    #[must_use]
    pub fn path_as_far_as_it_goes(&self, planned: &mut Planned) -> (Path, Vec<ProgramError>) {
        let (assembly, tolerance) = (&self.assembly, PathTolerance::default());
        plan_as_far_as_it_goes(assembly, &self.plan, &self.rest, &tolerance, planned)
    }

    /// The same with another document that says the same of everything but how it is looked at.
    #[must_use]
    pub fn looked_at(&self, document: CellDocument) -> Self {
        Self {
            document,
            ..self.clone()
        }
    }

    /// Checks the saved views of `document` against this cell's items.
    ///
    /// # Errors
    /// [`FormatError`] for all that is wrong, as far as that can be told at once.
    pub fn check_views(&self, document: &CellDocument) -> Result<()> {
        let mut refusals = Refusals::default();
        refusals.note(check_text(document));
        views::check(
            document,
            &Names {
                assembly: &self.assembly,
            },
            &mut refusals,
        );
        refusals.end()
    }

    /// The arm that a program of the run plan moves.
    #[must_use]
    pub fn arm_of(&self, lane: usize, program: usize) -> Option<Arm> {
        let program = self.plan.lanes.get(lane)?.programs.get(program)?;
        Arm::new(&self.assembly, program.robot, program.tcp?).ok()
    }

    /// A value of joint `index` in degrees or mm.
    #[must_use]
    pub fn joint_value(&self, index: usize, value: f64) -> f64 {
        if self.assembly.joints()[index].kind.turns() {
            value.to_degrees()
        } else {
            value * 1e3
        }
    }

    /// The name of joint `index`: `item/joint`.
    #[must_use]
    pub fn joint_key(&self, index: usize) -> String {
        let joint = &self.assembly.joints()[index];
        format!(
            "{}/{}",
            self.assembly.cell().items()[joint.item].id,
            joint.name
        )
    }

    /// The joint called `item/joint`, as a position in the joint vector.
    ///
    /// # Errors
    /// [`FormatError`](selvik_formats::FormatError) for a joint that is not there.
    pub fn joint_named(&self, key: &str) -> Result<usize> {
        let names = Names {
            assembly: &self.assembly,
        };
        names.joint_index(key, "joints")
    }

    /// The joint vector with the values named by `item/joint` (degrees or mm) put in.
    ///
    /// # Errors
    /// [`FormatError`] for a joint that is not there.
    pub fn joints_from(&self, q: &[f64], named: &IndexMap<String, f64>) -> Result<Vec<f64>> {
        let mut q = q.to_vec();
        for (key, &value) in named {
            let (index, value) = Names {
                assembly: &self.assembly,
            }
            .joint(key, value, "joints")?;
            q[index] = value;
        }
        Ok(q)
    }
}

/// An item of the tree, without its mechanism.
fn read_item(
    item: &ItemDocument,
    files: &PackageFiles,
    known: &mut Known,
    place: &str,
) -> Result<Item> {
    if item.id.is_empty() || item.name.trim().is_empty() {
        return Err(refuse(place, "an item needs an id and a name"));
    }
    finite(place, item.pose.xyz_mm.iter().chain(&item.pose.rpy_deg))?;
    if !item.colour.as_deref().is_none_or(is_colour) {
        return Err(refuse(place, "colour must be written #RRGGBB"));
    }
    Ok(Item {
        id: ItemId(item.id.clone()),
        name: item.name.clone(),
        role: role(item.role),
        parent: item.parent.clone().map(ItemId),
        on_link: item.on_link.clone(),
        pose: item.pose.to_pose(),
        surface: known.surface(files, item, place)?,
    })
}

fn role(role: RoleDocument) -> Role {
    match role {
        RoleDocument::Robot => Role::Robot,
        RoleDocument::Tool => Role::Tool,
        RoleDocument::Fixture => Role::Fixture,
        RoleDocument::Part => Role::Part,
        RoleDocument::Structure => Role::Structure,
        RoleDocument::Frame => Role::Frame,
        RoleDocument::Group => Role::Group,
    }
}

fn rest(document: &CellDocument, names: &Names, refusals: &mut Refusals) -> Vec<f64> {
    let joints = names.assembly.joints();
    let mut rest: Vec<f64> = joints
        .iter()
        .map(|joint| joint.limits.position.clamp(0.0))
        .collect();
    for item in &document.items {
        for (joint, &value) in item.mechanism.iter().flat_map(|m| &m.rest_deg_or_mm) {
            let key = format!("{}/{joint}", item.id);
            if let Some((index, value)) =
                refusals.note(names.joint(&key, value, &format!("item \"{}\"", item.id)))
            {
                rest[index] = value;
            }
        }
        for posture in item.mechanism.iter().flat_map(|m| &m.postures) {
            let place = format!("item \"{}\", posture \"{}\"", item.id, posture.name);
            for (joint, &value) in &posture.joints_deg_or_mm {
                refusals.note(names.joint(&format!("{}/{joint}", item.id), value, &place));
            }
        }
    }
    rest
}

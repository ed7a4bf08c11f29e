//! Changes of a cell that can be undone.

mod delete;
mod items;
mod mechanisms;
mod programs;
mod references;
mod roster;
mod rules;
mod views;

pub use delete::{Consequences, consequences};
pub use items::{Hanging, ItemChange, Placement};
pub use mechanisms::MechanismChange;
pub use programs::ProgramChange;
pub(crate) use roster::families;
use schemars::JsonSchema;
use selvik_formats::Result;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::document::{
    CellDocument, FindingDocument, ItemDocument, KeptSectionDocument, MayTouchDocument,
    MechanismDocument, PoseDocument, ProgramDocument, ReachRuleDocument, RuleDocument,
    RunPlanDocument, SavedViewDocument, TourDocument, VisibilitySetDocument, checked_name,
};

/// A change of a cell that can be undone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(tag = "edit", rename_all = "snake_case", deny_unknown_fields)]
pub enum Edit {
    /// Gives an item another name.
    RenameItem {
        /// Its id.
        item: String,
        /// The name.
        name: String,
    },
    /// Places items in the frames that carry them.
    PlaceItems {
        /// Which, and where.
        places: Vec<Placement>,
    },
    /// Hangs items on something else.
    HangItems {
        /// Which, on what, and where there.
        places: Vec<Hanging>,
    },
    /// Says something else of items.
    ChangeItems {
        /// Their ids.
        items: Vec<String>,
        /// What.
        change: ItemChange,
    },
    /// Adds items at the end of the roster.
    AddItems {
        /// The items.
        items: Vec<ItemDocument>,
    },
    /// Adds copies of items with all that hangs on them, beside them.
    DuplicateItems {
        /// Their ids.
        items: Vec<String>,
    },
    /// Puts items into a new group.
    GroupItems {
        /// What people call the group.
        name: String,
        /// Id of what carries the group; the world frame if absent.
        #[serde(default)]
        parent: Option<String>,
        /// The link of that which it hangs on.
        #[serde(default)]
        on_link: Option<String>,
        /// Which items, and where in the group.
        places: Vec<Placement>,
    },
    /// Takes a group away and leaves its items where they are.
    Ungroup {
        /// Id of the group.
        item: String,
    },
    /// Deletes items with all that hangs on them and all that can't do without them.
    DeleteItems {
        /// Their ids.
        items: Vec<String>,
    },
    /// Keeps a visibility set; one of the same id is replaced.
    SaveSet {
        /// The set.
        set: VisibilitySetDocument,
    },
    /// Deletes a visibility set.
    DeleteSet {
        /// Its id.
        set: String,
    },
    /// Keeps a view; one of the same id is replaced.
    SaveView {
        /// The view.
        view: Box<SavedViewDocument>,
    },
    /// Gives a view another name.
    RenameView {
        /// Its id.
        view: String,
        /// The name.
        name: String,
    },
    /// Deletes a view.
    DeleteView {
        /// Its id.
        view: String,
    },
    /// Puts a view elsewhere in the list.
    MoveView {
        /// Its id.
        view: String,
        /// Where it stands afterwards, from 0; past the end is the end.
        to: usize,
        /// The heading it is listed under.
        #[serde(default)]
        group: Option<String>,
    },
    /// Chooses the view the cell opens with, or none.
    OpenWith {
        /// Its id.
        view: Option<String>,
    },
    /// Keeps a tour; one of the same id is replaced.
    SaveTour {
        /// The tour.
        tour: Box<TourDocument>,
    },
    /// Deletes a tour.
    DeleteTour {
        /// Its id.
        tour: String,
    },
    /// Keeps a section; one of the same id is replaced.
    SaveSection {
        /// The section.
        section: KeptSectionDocument,
    },
    /// Deletes a kept section.
    DeleteSection {
        /// Its id.
        section: String,
    },
    /// Keeps a finding; one of the same id is replaced.
    SaveFinding {
        /// The finding.
        finding: Box<FindingDocument>,
    },
    /// Deletes a kept finding.
    DeleteFinding {
        /// Its id.
        finding: String,
    },
    /// Gives the cell another name.
    RenameCell {
        /// The name.
        name: String,
    },
    /// Says something else of a mechanism.
    ChangeMechanism {
        /// Id of its item.
        item: String,
        /// What.
        change: MechanismChange,
    },
    /// Makes a mechanism of an item that has none.
    MakeMechanism {
        /// Id of the item; its bodies are in the mechanism now.
        item: String,
        /// Where its base stands.
        pose: PoseDocument,
        /// Its links and joints, with its bodies.
        mechanism: Box<MechanismDocument>,
        /// The link that carries what hangs on it.
        on_link: String,
    },
    /// Keeps a clearance rule; one of the same id is replaced.
    SaveRule {
        /// The rule.
        rule: RuleDocument,
    },
    /// Deletes a clearance rule.
    DeleteRule {
        /// Its id.
        rule: String,
    },
    /// Lets two items touch; what was said of the two before is replaced.
    LetTouch {
        /// The pair, why, and within which bounds.
        pair: MayTouchDocument,
    },
    /// Lets two items touch no longer.
    KeepApart {
        /// One, as in the list.
        a: String,
        /// The other.
        b: String,
    },
    /// Requires some of the reach to spare, or none.
    RequireReach {
        /// How much.
        #[serde(default)]
        rule: Option<ReachRuleDocument>,
    },
    /// Keeps a program; one of the same id is replaced, a new one runs after the others of its mechanism.
    SaveProgram {
        /// The program.
        program: Box<ProgramDocument>,
    },
    /// Changes a program.
    ChangeProgram {
        /// Its id.
        program: String,
        /// How.
        change: ProgramChange,
    },
    /// Deletes a program.
    DeleteProgram {
        /// Its id.
        program: String,
    },
    /// Says which programs run when.
    SetRunPlan {
        /// All lanes.
        run_plan: RunPlanDocument,
    },
    /// Several changes as one.
    Together {
        /// What they come to, for the undo menu.
        label: String,
        /// In order.
        #[schema(no_recursion)]
        edits: Vec<Edit>,
    },
}

/// One edit holds no more others, and no others within those.
const MOST_TOGETHER: usize = 1000;

impl Edit {
    /// Changes `document`; returns what was done, for the undo menu.
    ///
    /// # Errors
    /// [`FormatError`] when what is to be changed is not there, is locked, or the name is empty.
    pub fn apply(&self, document: &mut CellDocument) -> Result<String> {
        match self {
            Self::RenameItem { item, name } => items::rename(document, item, name),
            Self::PlaceItems { places } => items::place(document, places),
            Self::HangItems { places } => items::hang(document, places),
            Self::ChangeItems { items, change } => items::change(document, items, change),
            Self::AddItems { items } => items::add(document, items),
            Self::DuplicateItems { items } => items::duplicate(document, items),
            Self::GroupItems {
                name,
                parent,
                on_link,
                places,
            } => items::group(document, name, (parent.clone(), on_link.clone()), places),
            Self::Ungroup { item } => items::ungroup(document, item),
            Self::DeleteItems { items } => delete::delete(document, items),
            Self::SaveSet { set } => views::save_set(document, set),
            Self::DeleteSet { set } => views::delete_set(document, set),
            Self::SaveView { view } => views::save(document, view),
            Self::RenameView { view, name } => views::rename(document, view, name),
            Self::DeleteView { view } => views::delete(document, view),
            Self::MoveView { view, to, group } => {
                views::shift(document, view, *to, group.as_deref())
            }
            Self::OpenWith { view } => Ok(views::open_with(document, view.as_ref())),
            Self::SaveTour { tour } => views::save_tour(document, tour),
            Self::DeleteTour { tour } => views::delete_tour(document, tour),
            Self::SaveSection { section } => views::save_section(document, section),
            Self::DeleteSection { section } => views::delete_section(document, section),
            Self::SaveFinding { finding } => views::save_finding(document, finding),
            Self::DeleteFinding { finding } => views::delete_finding(document, finding),
            Self::RenameCell { name } => {
                document.name = checked_name(name)?;
                Ok(format!("rename the cell to {}", document.name))
            }
            Self::ChangeMechanism { item, change } => mechanisms::change(document, item, change),
            Self::MakeMechanism {
                item,
                pose,
                mechanism,
                on_link,
            } => mechanisms::make(document, item, (*pose, mechanism), on_link),
            Self::SaveRule { rule } => rules::save(document, rule),
            Self::DeleteRule { rule } => rules::delete(document, rule),
            Self::LetTouch { pair } => rules::let_touch(document, pair),
            Self::KeepApart { a, b } => rules::keep_apart(document, a, b),
            Self::RequireReach { rule } => Ok(rules::reach(document, rule.as_ref())),
            Self::SaveProgram { program } => programs::save(document, program),
            Self::ChangeProgram { program, change } => programs::change(document, program, change),
            Self::DeleteProgram { program } => programs::delete(document, program),
            Self::SetRunPlan { run_plan } => Ok(programs::run(document, run_plan)),
            Self::Together { label, edits } => together(document, label, edits),
        }
    }
}

fn together(document: &mut CellDocument, label: &str, edits: &[Edit]) -> Result<String> {
    let nested = |edit: &Edit| matches!(edit, Edit::Together { .. });
    if edits.is_empty() || edits.len() > MOST_TOGETHER || edits.iter().any(nested) {
        let message = format!("several changes as one are 1 to {MOST_TOGETHER}, each by itself");
        return Err(roster::refuse(message));
    }
    let label = checked_name(label)?;
    for edit in edits {
        edit.apply(document)?;
    }
    Ok(label)
}

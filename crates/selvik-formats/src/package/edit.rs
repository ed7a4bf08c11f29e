use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{CellDocument, PoseDocument, SavedViewDocument};
use crate::{FormatError, Result};

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
    /// Places an item in the frame that carries it.
    PlaceItem {
        /// Its id.
        item: String,
        /// Where.
        pose: PoseDocument,
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
}

impl Edit {
    /// Changes `document`; returns what was done, for the undo menu.
    ///
    /// # Errors
    /// [`FormatError`] when what is to be changed is not there, or the name is empty.
    pub fn apply(&self, document: &mut CellDocument) -> Result<String> {
        let refuse = |message: String| FormatError::file("the edit", message);
        let named = |name: &str| {
            let name = name.trim();
            if name.is_empty() || name.len() > 200 {
                return Err(refuse("a name needs 1 to 200 characters".to_owned()));
            }
            Ok(name.to_owned())
        };
        match self {
            Self::RenameItem { item, name } => {
                let name = named(name)?;
                let found = document.items.iter_mut().find(|i| &i.id == item);
                let found = found.ok_or_else(|| refuse(format!("there is no item \"{item}\"")))?;
                let label = format!("rename {} to {name}", found.name);
                found.name = name;
                Ok(label)
            }
            Self::PlaceItem { item, pose } => {
                let found = document.items.iter_mut().find(|i| &i.id == item);
                let found = found.ok_or_else(|| refuse(format!("there is no item \"{item}\"")))?;
                found.pose = *pose;
                Ok(format!("move {}", found.name))
            }
            Self::SaveView { view } => {
                named(&view.name)?;
                let label = format!("save view {}", view.name);
                match document.views.iter_mut().find(|v| v.id == view.id) {
                    Some(old) => old.clone_from(view),
                    None => document.views.push((**view).clone()),
                }
                Ok(label)
            }
            Self::RenameView { view, name } => {
                let name = named(name)?;
                let found = document.views.iter_mut().find(|v| &v.id == view);
                let found = found.ok_or_else(|| refuse(format!("there is no view \"{view}\"")))?;
                let label = format!("rename view {} to {name}", found.name);
                found.name = name;
                Ok(label)
            }
            Self::DeleteView { view } => {
                let at = document.views.iter().position(|v| &v.id == view);
                let at = at.ok_or_else(|| refuse(format!("there is no view \"{view}\"")))?;
                let gone = document.views.remove(at);
                if document.opening_view.as_ref() == Some(view) {
                    document.opening_view = None;
                }
                Ok(format!("delete view {}", gone.name))
            }
        }
    }
}

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{CellDocument, PoseDocument, SavedViewDocument, TourDocument};
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
                for stop in document.tours.iter_mut().flat_map(|t| &mut t.stops) {
                    stop.view.take_if(|v| v == view);
                }
                Ok(format!("delete view {}", gone.name))
            }
            Self::MoveView { view, to, group } => {
                let at = document.views.iter().position(|v| &v.id == view);
                let at = at.ok_or_else(|| refuse(format!("there is no view \"{view}\"")))?;
                let mut moved = document.views.remove(at);
                moved.group = group.as_deref().map(named).transpose()?;
                let label = format!("move view {}", moved.name);
                document.views.insert((*to).min(document.views.len()), moved);
                Ok(label)
            }
            Self::OpenWith { view } => {
                document.opening_view.clone_from(view);
                let name = document.views.iter().find(|v| Some(&v.id) == view.as_ref()).map(|v| &v.name);
                Ok(name.map_or("open with everything".to_owned(), |n| format!("open with {n}")))
            }
            Self::SaveTour { tour } => {
                named(&tour.name)?;
                let label = format!("save tour {}", tour.name);
                match document.tours.iter_mut().find(|t| t.id == tour.id) {
                    Some(old) => old.clone_from(tour),
                    None => document.tours.push((**tour).clone()),
                }
                Ok(label)
            }
            Self::DeleteTour { tour } => {
                let at = document.tours.iter().position(|t| &t.id == tour);
                let at = at.ok_or_else(|| refuse(format!("there is no tour \"{tour}\"")))?;
                Ok(format!("delete tour {}", document.tours.remove(at).name))
            }
        }
    }
}

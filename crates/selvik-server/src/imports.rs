//! Files on their way in: looked through, shown, and stored only when asked.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use selvik_cell::Workcell;
use selvik_cell::bring::{Found, is_package, look_through};
use selvik_formats::{FormatError, PackageFiles, Stop};
use serde::Serialize;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::limits::UPLOADS;

/// What was brought and not stored is forgotten after this.
const KEPT: Duration = Duration::from_secs(30 * 60);
/// No more imports than this are kept at a time; the oldest goes.
const MOST: usize = 4;

/// The imports under way.
#[derive(Clone)]
pub struct Imports {
    staged: Arc<Mutex<HashMap<Uuid, Arc<Staged>>>>,
    uploads: Arc<Semaphore>,
}

impl Default for Imports {
    fn default() -> Self {
        Self {
            staged: Arc::default(),
            uploads: Arc::new(Semaphore::new(UPLOADS)),
        }
    }
}

/// Files that are not stored yet.
pub struct Staged {
    pub files: PackageFiles,
    /// Whether reading them is to end.
    stopped: Arc<AtomicBool>,
    since: Instant,
    state: Mutex<ImportState>,
}

/// How far the look through dropped files has come, or what it found.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "state", rename_all = "snake_case")]
pub enum ImportState {
    /// Still reading.
    Reading {
        /// What is being read.
        what: String,
        /// Things read.
        done: usize,
        /// Things in all; 0 before they are counted.
        total: usize,
    },
    /// A cell package, readable as a whole.
    Package {
        /// What the cell is called.
        name: String,
        /// Items in its roster.
        items: usize,
        /// Files in it.
        files: usize,
        /// Their size.
        bytes: usize,
    },
    /// Things that can become items.
    Things {
        /// In order of their files.
        found: Vec<Found>,
        /// Files that are not read.
        unread: Vec<String>,
    },
    /// Nothing of it can be used.
    Refused {
        /// Why, and what to do.
        reason: String,
    },
    /// It was stopped.
    Stopped,
}

impl Staged {
    /// How it stands.
    pub fn state(&self) -> ImportState {
        self.state.lock().expect("not poisoned").clone()
    }

    /// Stops it; whether it was still to be stopped.
    fn stop(&self) -> bool {
        self.stopped.store(true, Ordering::Relaxed);
        self.set(ImportState::Stopped)
    }

    /// Says how it stands, unless it was stopped: then it answers `false`.
    fn set(&self, state: ImportState) -> bool {
        let mut now = self.state.lock().expect("not poisoned");
        let stopped = matches!(*now, ImportState::Stopped);
        if !stopped {
            *now = state;
        }
        !stopped
    }

    fn look(&self) -> Result<ImportState, FormatError> {
        if is_package(&self.files) {
            let document = Workcell::read(&self.files)?.document;
            let bytes = self.files.total() as usize;
            let (items, files) = (document.items.len(), self.files.iter().count());
            return Ok(ImportState::Package {
                name: document.name,
                items,
                files,
                bytes,
            });
        }
        let found = look_through(&self.files, |what, done, total| {
            self.set(ImportState::Reading {
                what: what.to_owned(),
                done,
                total,
            });
        })?;
        let unread = self
            .files
            .iter()
            .map(|(name, _)| name)
            .filter(|name| !is_read(name));
        Ok(ImportState::Things {
            found,
            unread: unread.map(str::to_owned).collect(),
        })
    }
}

fn is_read(name: &str) -> bool {
    let known = ["urdf", "srdf", "mtl", "bin", "csv", "json"];
    let ending = name
        .rsplit('.')
        .next()
        .unwrap_or_default()
        .to_ascii_lowercase();
    selvik_formats::mesh::is_mesh(name) || known.contains(&ending.as_str())
}

impl Imports {
    /// Waits until an upload may come in; others wait as long as what is answered is held.
    pub async fn turn(&self) -> OwnedSemaphorePermit {
        Arc::clone(&self.uploads)
            .acquire_owned()
            .await
            .expect("never closed")
    }

    /// How many are kept.
    pub fn count(&self) -> usize {
        self.staged.lock().expect("not poisoned").len()
    }

    /// Forgets an import; one under way stops.
    pub fn forget(&self, id: Uuid) -> bool {
        let gone = self.staged.lock().expect("not poisoned").remove(&id);
        gone.is_some_and(|staged| {
            staged.stop();
            true
        })
    }

    /// The import of that id.
    pub fn get(&self, id: Uuid) -> Option<Arc<Staged>> {
        self.staged.lock().expect("not poisoned").get(&id).cloned()
    }
}

impl App {
    /// Begins to look through files.
    pub(crate) fn stage(&self, files: PackageFiles) -> Uuid {
        let id = Uuid::now_v7();
        let reading = ImportState::Reading {
            what: String::new(),
            done: 0,
            total: 0,
        };
        let stopped = Arc::new(AtomicBool::new(false));
        let files = files.stopped_by(Stop::when(Arc::clone(&stopped)));
        let staged = Arc::new(Staged {
            files,
            stopped,
            since: Instant::now(),
            state: Mutex::new(reading),
        });
        {
            let mut kept = self.imports.staged.lock().expect("not poisoned");
            kept.retain(|_, old| old.since.elapsed() < KEPT);
            while kept.len() >= MOST {
                let oldest = kept
                    .iter()
                    .min_by_key(|(_, old)| old.since)
                    .map(|(id, _)| *id);
                if let Some(old) = oldest.and_then(|id| kept.remove(&id)) {
                    old.stop();
                }
            }
            kept.insert(id, Arc::clone(&staged));
        }
        tokio::task::spawn_blocking(move || {
            let state = staged.look().unwrap_or_else(|e| ImportState::Refused {
                reason: e.to_string(),
            });
            staged.set(state);
        });
        id
    }
}

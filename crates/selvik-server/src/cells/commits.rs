//! Changes of cells: worked out from the cell as it is, stored if it still is, taken into memory, told.

use std::sync::Arc;

use selvik_cell::Workcell;
use selvik_cell::document::CellDocument;
use selvik_cell::edit::Edit;
use selvik_cell::entries::{Change, changed, difference};
use selvik_formats::{FormatError, PackageFiles};
use selvik_store::{Done, NewEdit, StoreError, Walk};
use uuid::Uuid;

use super::OpenCell;
use crate::App;
use crate::error::Problem;
use crate::live::Event;

/// What an edit brings along.
#[derive(Default)]
pub struct Brought {
    /// Files for the package.
    pub files: PackageFiles,
    /// A cell in which their geometry is read already.
    pub read: Option<Arc<Workcell>>,
}

/// How often a change is worked out anew because somebody on another server came before it.
const TRIES: usize = 20;

impl App {
    /// Does an edit made looking at revision `base`: stores it, takes it into memory and tells open pages, all of it even
    /// if whoever asked leaves meanwhile. Changes of one cell take turns.
    pub(crate) async fn commit(
        &self,
        id: Uuid,
        base: i64,
        edit: Edit,
        brought: Brought,
    ) -> Result<Arc<OpenCell>, Problem> {
        self.commit_made(id, base, move |_| Ok(edit.clone()), brought)
            .await
    }

    /// Does an edit that is worked out from the cell as it is when its turn comes.
    pub(crate) async fn commit_made(
        &self,
        id: Uuid,
        base: i64,
        make: impl Fn(&OpenCell) -> Result<Edit, FormatError> + Send + Sync + 'static,
        brought: Brought,
    ) -> Result<Arc<OpenCell>, Problem> {
        let (app, make, brought) = (self.clone(), Arc::new(make), Arc::new(brought));
        let committed = self.tasks.spawn(async move {
            let turn = app.cells.changing.of(id);
            let _turn = turn.lock().await;
            let mut before = app.cells.get(id).await?;
            for _ in 0..TRIES {
                match app.try_commit(id, base, &before, &make, &brought).await {
                    // Whoever came before came by another way than this server.
                    Err(Failed::Moved) => before = app.cells.again(id).await?,
                    Err(Failed::For(problem)) => return Err(problem),
                    Ok(cell) => return Ok(cell),
                }
            }
            Err(StoreError::Moved.into())
        });
        committed.await?
    }

    async fn try_commit<M>(
        &self,
        id: Uuid,
        base: i64,
        before: &Arc<OpenCell>,
        make: &Arc<M>,
        brought: &Arc<Brought>,
    ) -> Result<Arc<OpenCell>, Failed>
    where
        M: Fn(&OpenCell) -> Result<Edit, FormatError> + Send + Sync + 'static,
    {
        let (from, make, with) = (Arc::clone(before), Arc::clone(make), Arc::clone(brought));
        let worked_out = tokio::task::spawn_blocking(move || -> Result<_, FormatError> {
            let mut document = from.workcell.document.clone();
            let label = make(&from)?.apply(&mut document)?;
            let (after, changes) = worked_out(&from, document, &with.files, with.read.as_deref())?;
            Ok((after, changes, label))
        });
        let (after, changes, label) = worked_out
            .await
            .map_err(Problem::from)?
            .map_err(Problem::from)?;
        let new = NewEdit {
            base,
            known: before.revision,
            label: &label,
            changes: &changes,
            after: &after.workcell.document,
            added: &brought.files,
            fingerprint: &after.fingerprint,
        };
        let revision = self.store.commit(id, &new).await?;
        if revision == before.revision {
            return Ok(Arc::clone(before));
        }
        Ok(self.follow(id, after, label).await)
    }

    /// Takes back the edit that made revision `step`, or does it again, if that is what comes next.
    pub(crate) async fn walk(
        &self,
        id: Uuid,
        walk: Walk,
        step: i64,
    ) -> Result<Arc<OpenCell>, Problem> {
        let app = self.clone();
        let walked = self.tasks.spawn(async move {
            let turn = app.cells.changing.of(id);
            let _turn = turn.lock().await;
            let mut before = app.cells.get(id).await?;
            for _ in 0..TRIES {
                match app.try_walk(id, walk, step, &before).await {
                    Err(Failed::Moved) => before = app.cells.again(id).await?,
                    Err(Failed::For(problem)) => {
                        // It may be another step, or none, because somebody came by another way than this server.
                        app.cells.again(id).await?;
                        return Err(problem);
                    }
                    Ok(cell) => return Ok(cell),
                }
            }
            Err(StoreError::Moved.into())
        });
        walked.await?
    }

    async fn try_walk(
        &self,
        id: Uuid,
        walk: Walk,
        step: i64,
        before: &Arc<OpenCell>,
    ) -> Result<Arc<OpenCell>, Failed> {
        let step = self.store.step(id, walk, step).await?;
        let (from, changes) = (Arc::clone(before), step.changes.clone());
        let next = move || {
            let document = changed(&from.workcell.document, &changes)?;
            worked_out(&from, document, &PackageFiles::default(), None)
        };
        let worked_out = tokio::task::spawn_blocking(next);
        let (after, changes) = worked_out
            .await
            .map_err(Problem::from)?
            .map_err(Problem::from)?;
        let done = Done {
            changes: &changes,
            after: &after.workcell.document,
            fingerprint: &after.fingerprint,
        };
        self.store
            .commit_step(id, before.revision, &step, &done)
            .await?;
        Ok(self.follow(id, after, step.label).await)
    }

    /// Takes a cell into memory that is stored, and tells of it.
    async fn follow(&self, id: Uuid, after: OpenCell, label: String) -> Arc<OpenCell> {
        let (revision, after) = (after.revision, Arc::new(after));
        let cell = self.cells.keep(id, after).await;
        self.stop_other_sweep(id, &cell.fingerprint).await;
        self.live.tell(Event::Changed {
            cell: id,
            revision,
            label,
        });
        cell
    }
}

/// The cell after a change that left `document`, and the entries in which that differs from what it was.
fn worked_out(
    from: &OpenCell,
    document: CellDocument,
    added: &PackageFiles,
    read: Option<&Workcell>,
) -> Result<(OpenCell, Vec<Change>), FormatError> {
    let before = &from.workcell.document;
    let (after, changes) = rayon::join(
        || from.next(document.clone(), added, read),
        || difference(before, &document),
    );
    Ok((after?, changes))
}

/// Why a change was not stored.
enum Failed {
    /// The cell has gone on meanwhile.
    Moved,
    /// Anything else.
    For(Problem),
}

impl From<StoreError> for Failed {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Moved => Self::Moved,
            other => Self::For(other.into()),
        }
    }
}

impl From<Problem> for Failed {
    fn from(problem: Problem) -> Self {
        Self::For(problem)
    }
}

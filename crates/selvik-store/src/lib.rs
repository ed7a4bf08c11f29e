//! Cells in PostgreSQL: documents entry by entry, files by content hash, an edit log that undo and
//! redo walk.
//!
//! Every change is one transaction that locks the cell's row, writes the changed entries and one row
//! of the log, and raises the revision by one.

mod cells;
mod edits;
pub mod schema;

use diesel_async::pooled_connection::AsyncDieselConnectionManager;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use selvik_formats::FormatError;

pub use cells::{CellSummary, KeptSweep, StoredCell, SweptSummary, Verdicts};
pub use edits::{Change, Committed, Step, UndoState};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// The cells of one database.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
}

/// What can go wrong with stored cells.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer, or not as it should.
    #[error("the database can't be used: {0}")]
    Database(String),
    /// No such cell.
    #[error("there is no such cell")]
    NoCell,
    /// Somebody else changed the same thing meanwhile.
    #[error("{what} was changed meanwhile ({label}); look at it and decide again")]
    Conflict {
        /// What.
        what: String,
        /// What they did.
        label: String,
    },
    /// The cell has gone on to another revision than the one a change was checked against.
    #[error("the cell has changed meanwhile; try again")]
    Moved,
    /// Undo or redo would do something else than what was meant.
    #[error(
        "{which} would now do something else ({label}): somebody has changed the cell; look at it and decide again"
    )]
    OtherStep {
        /// "undo" or "redo".
        which: &'static str,
        /// What it would take back or do again.
        label: String,
    },
    /// Nothing to undo or redo.
    #[error("there is nothing to {0}")]
    Nothing(&'static str),
    /// The change does not make sense.
    #[error("{0}")]
    Refused(#[from] FormatError),
}

impl From<diesel::result::Error> for StoreError {
    fn from(error: diesel::result::Error) -> Self {
        match error {
            diesel::result::Error::NotFound => Self::NoCell,
            other => Self::Database(other.to_string()),
        }
    }
}

impl Store {
    /// Opens the database at `url` and brings its tables up to date.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it can't be reached or migrated.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let broken = |e: &dyn std::fmt::Display| StoreError::Database(e.to_string());
        let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new(url);
        let pool = Pool::builder(manager).max_size(8).build().map_err(|e| broken(&e))?;
        let connection = pool.get().await.map_err(|e| broken(&e))?;
        let mut harness = diesel_async::AsyncMigrationHarness::new(connection);
        tokio_blocking(move || {
            harness.run_pending_migrations(MIGRATIONS).map(drop).map_err(|e| e.to_string())
        })
        .await
        .map_err(|e| broken(&e))?;
        Ok(Self { pool })
    }

    /// Whether the database answers.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it does not.
    pub async fn answers(&self) -> Result<(), StoreError> {
        diesel::sql_query("SELECT 1").execute(&mut self.connection().await?).await?;
        Ok(())
    }

    async fn connection(&self) -> Result<Object<AsyncPgConnection>, StoreError> {
        self.pool.get().await.map_err(|e| StoreError::Database(e.to_string()))
    }
}

async fn tokio_blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, String> + Send + 'static,
) -> Result<T, String> {
    tokio::task::spawn_blocking(work).await.map_err(|e| e.to_string())?
}

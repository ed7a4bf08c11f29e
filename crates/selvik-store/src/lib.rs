//! Cells in PostgreSQL: documents entry by entry, files by content hash, an edit log that undo and
//! redo walk.
//!
//! Every change is one transaction that locks the cell's row, writes the changed entries and one row
//! of the log, and raises the revision by one.

mod cells;
mod edits;
mod entries;
mod files;
mod notes;
pub mod schema;
mod sweeps;
mod variants;
mod wanted;

use std::time::Duration;

pub use cells::{CellSummary, StoredCell};
use deadpool::Runtime;
use deadpool::managed::Timeouts;
use diesel_async::pooled_connection::AsyncDieselConnectionManager;
use diesel_async::pooled_connection::deadpool::{Object, Pool};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
pub use edits::{Done, NewEdit, Step, UndoState, Walk, WalkedStep};
pub use notes::Notes;
use selvik_formats::FormatError;
pub use sweeps::{EarlierSweep, KeptSweep, SweptSummary, Verdicts};
pub use variants::{KeptVariant, WantedVariant};
pub use wanted::{TakenUp, WantedSweep};

type Harness = diesel_async::AsyncMigrationHarness<Object<AsyncPgConnection>>;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// The cells of one database.
#[derive(Clone)]
pub struct Store {
    pool: Pool<AsyncPgConnection>,
    url: String,
}

/// What can go wrong with stored cells.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The database does not answer, or not as it should.
    #[error("the database can't be used: {0}")]
    Database(String),
    /// Its tables are of another version.
    #[error(
        "the tables of this database are not those of this version; `selvik serve`, `selvik work` and `selvik migrate` bring them up to date"
    )]
    Outdated,
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

impl StoreError {
    /// Something stored that is not what it should be.
    fn unreadable(error: serde_json::Error) -> Self {
        Self::Database(error.to_string())
    }
}

/// Connections to the database at a time.
const CONNECTIONS: usize = 8;
/// How long a request waits for one of them, and for a new one to be made.
const PATIENCE: Duration = Duration::from_secs(5);

impl Store {
    /// Opens the database at `url`, whose tables must be up to date.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it can't be reached, [`StoreError::Outdated`] when its tables are not.
    pub async fn open(url: &str) -> Result<Self, StoreError> {
        let store = Self::connect(url)?;
        let pending = store.with_migrations(|harness| {
            harness
                .has_pending_migration(MIGRATIONS)
                .map_err(|e| e.to_string())
        });
        if pending.await? {
            Err(StoreError::Outdated)
        } else {
            Ok(store)
        }
    }

    /// Opens the database at `url` and brings its tables up to date.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it can't be reached or migrated.
    pub async fn open_up_to_date(url: &str) -> Result<Self, StoreError> {
        let store = Self::connect(url)?;
        let run = store.with_migrations(|harness| {
            harness
                .run_pending_migrations(MIGRATIONS)
                .map(drop)
                .map_err(|e| e.to_string())
        });
        run.await?;
        Ok(store)
    }

    fn connect(url: &str) -> Result<Self, StoreError> {
        let manager = AsyncDieselConnectionManager::<AsyncPgConnection>::new(url);
        let pool = Pool::builder(manager)
            .max_size(CONNECTIONS)
            .runtime(Runtime::Tokio1)
            .timeouts(Timeouts {
                wait: Some(PATIENCE),
                create: Some(PATIENCE),
                recycle: Some(PATIENCE),
            })
            .build()
            .map_err(|e| StoreError::Database(e.to_string()))?;
        Ok(Self {
            pool,
            url: url.to_owned(),
        })
    }

    /// Does something about migrations, one server at a time.
    async fn with_migrations<T: Send + 'static>(
        &self,
        work: impl FnOnce(&mut Harness) -> Result<T, String> + Send + 'static,
    ) -> Result<T, StoreError> {
        let mut connection = self.connection().await?;
        // Servers that start together would make the same tables.
        diesel::sql_query("SELECT pg_advisory_lock(7780)")
            .execute(&mut connection)
            .await?;
        let done = tokio::task::spawn_blocking(move || {
            let mut harness = Harness::new(connection);
            let done = work(&mut harness);
            (done, harness.into_inner())
        });
        let (done, mut connection) = done
            .await
            .map_err(|e| StoreError::Database(e.to_string()))?;
        diesel::sql_query("SELECT pg_advisory_unlock(7780)")
            .execute(&mut connection)
            .await?;
        done.map_err(StoreError::Database)
    }

    /// Where the database is.
    #[must_use]
    pub fn url(&self) -> &str {
        &self.url
    }

    /// Whether the database answers.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it does not.
    pub async fn answers(&self) -> Result<(), StoreError> {
        diesel::sql_query("SELECT 1")
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    async fn connection(&self) -> Result<Object<AsyncPgConnection>, StoreError> {
        self.pool
            .get()
            .await
            .map_err(|e| StoreError::Database(e.to_string()))
    }
}

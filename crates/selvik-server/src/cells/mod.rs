//! The cells that are open: each read once however many ask, kept while it is used and there is room.

mod commits;
mod open_cell;

use std::collections::HashMap;
use std::sync::{Arc, Mutex, Weak};
use std::time::Duration;

pub use commits::Brought;
use moka::future::Cache;
use moka::ops::compute::Op;
use moka::policy::EvictionPolicy;
pub use open_cell::OpenCell;
use selvik_store::Store;
use uuid::Uuid;

use crate::error::Problem;

/// A cell that nobody asks for is let go after this.
const IDLE: Duration = Duration::from_secs(15 * 60);

/// How often cells were read from the database.
pub const READ: &str = "selvik_cells_read_total";

/// The cells that are open.
#[derive(Clone)]
pub struct Cells {
    store: Store,
    open: Cache<Uuid, Arc<OpenCell>>,
    /// Whose turn it is to read a cell, and to change it.
    reading: Turns,
    changing: Turns,
}

/// A turn for each cell, for as long as somebody has it or waits for it.
#[derive(Clone, Default)]
struct Turns(Arc<Mutex<HashMap<Uuid, Weak<tokio::sync::Mutex<()>>>>>);

impl Turns {
    fn of(&self, id: Uuid) -> Arc<tokio::sync::Mutex<()>> {
        let mut turns = self.0.lock().expect("not poisoned");
        if let Some(turn) = turns.get(&id).and_then(Weak::upgrade) {
            return turn;
        }
        turns.retain(|_, turn| turn.strong_count() > 0);
        let turn = Arc::default();
        turns.insert(id, Arc::downgrade(&turn));
        turn
    }
}

impl Cells {
    /// No cells yet; no more than `most_mib` of them are kept.
    pub fn new(store: Store, most_mib: u64) -> Self {
        let most_kib = most_mib << 10;
        // One that is larger than all that may be kept is kept alone.
        let heaviest = u32::try_from(most_kib).unwrap_or(u32::MAX);
        let open = Cache::builder()
            .weigher(move |_, cell: &Arc<OpenCell>| cell.weight_kib().min(heaviest))
            .max_capacity(most_kib)
            .eviction_policy(EvictionPolicy::lru())
            .time_to_idle(IDLE)
            .build();
        Self {
            store,
            open,
            reading: Turns::default(),
            changing: Turns::default(),
        }
    }

    /// The cell as it is in memory, or else read from the database: once, however many ask.
    pub async fn get(&self, id: Uuid) -> Result<Arc<OpenCell>, Problem> {
        if let Some(cell) = self.open.get(&id).await {
            return Ok(cell);
        }
        let turn = self.reading.of(id);
        let _turn = turn.lock().await;
        match self.open.get(&id).await {
            Some(cell) => Ok(cell),
            None => self.again(id).await,
        }
    }

    /// The cell at revision `revision` at least: another server on the same database may have changed it.
    pub async fn at_least(&self, id: Uuid, revision: i64) -> Result<Arc<OpenCell>, Problem> {
        let cell = self.get(id).await?;
        if cell.revision < revision {
            self.again(id).await
        } else {
            Ok(cell)
        }
    }

    /// The cell, read anew from the database.
    pub async fn again(&self, id: Uuid) -> Result<Arc<OpenCell>, Problem> {
        metrics::counter!(READ).increment(1);
        let stored = self.store.load(id).await?;
        let cell = Arc::new(tokio::task::spawn_blocking(|| OpenCell::new(stored)).await??);
        Ok(self.keep(id, cell).await)
    }

    /// Takes a cell into memory, unless a newer one is there; answers the newer.
    pub async fn keep(&self, id: Uuid, cell: Arc<OpenCell>) -> Arc<OpenCell> {
        let newer = Arc::clone(&cell);
        let kept = self
            .open
            .entry(id)
            .and_compute_with(async |there| match there {
                Some(there) if there.value().revision >= newer.revision => Op::Nop,
                _ => Op::Put(newer),
            });
        kept.await
            .into_entry()
            .map_or(cell, |entry| entry.into_value())
    }

    /// Lets a cell go if it is older than `revision`.
    pub async fn forget_older(&self, id: Uuid, revision: i64) {
        let older = self
            .open
            .entry(id)
            .and_compute_with(async |there| match there {
                Some(there) if there.value().revision < revision => Op::Remove,
                _ => Op::Nop,
            });
        older.await;
    }

    /// Lets a cell go.
    pub async fn forget(&self, id: Uuid) {
        self.open.invalidate(&id).await;
    }

    /// Lets all cells go: they may be older than the database.
    pub fn forget_all(&self) {
        self.open.invalidate_all();
    }

    /// How many are open, and what they hold, KiB.
    pub fn size(&self) -> (u64, u64) {
        (self.open.entry_count(), self.open.weighted_size())
    }
}

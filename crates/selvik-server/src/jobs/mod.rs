//! Long work: sweeps, in a queue in PostgreSQL, worked on by this server or by others.
//!
//! The queue ([`queue`]) says who works on what, and gives the work of one that died to another. What is wanted, how far
//! it has come and what became of it stands in Selvik's own tables and is told to pages ([`sweeping`]).

mod queue;
mod sweeping;
mod varying;

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use chrono::Utc;
use graphile_worker::WorkerContext;
use graphile_worker::errors::GraphileWorkerError;
use queue::Queue;
use selvik_core::clearance::Progress;
use selvik_store::{Store, StoreError, WantedSweep};
use serde::Serialize;
pub use sweeping::SweepCell;
use utoipa::ToSchema;
use uuid::Uuid;
pub use varying::SweepVariant;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;
use crate::live::{Event, JobState};

/// The jobs of one server or worker.
#[derive(Clone)]
pub struct Jobs {
    queue: Queue,
    /// What it works on itself.
    here: Arc<Mutex<HashMap<Uuid, Arc<Progress>>>>,
}

/// A job that is wanted.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct RunningJob {
    /// Which.
    pub id: Uuid,
    /// Steps done.
    pub done: i64,
    /// Steps in all; 0 before they are counted.
    pub total: i64,
    /// Since it began, or was asked for.
    pub elapsed_s: f64,
    /// Whether nobody has taken it up yet.
    pub waiting: bool,
}

impl RunningJob {
    /// A sweep that is wanted, unless it is to stop or was lost.
    pub fn of(wanted: &WantedSweep) -> Option<Self> {
        if wanted.stop || wanted.lost.is_some() {
            return None;
        }
        let since = wanted.begun_at.unwrap_or(wanted.asked_at);
        let elapsed = (Utc::now() - since).to_std().unwrap_or_default();
        let (done, total) = wanted.pairs;
        let (elapsed_s, waiting) = (elapsed.as_secs_f64(), wanted.begun_at.is_none());
        Some(Self {
            id: wanted.job,
            done,
            total,
            elapsed_s,
            waiting,
        })
    }
}

impl Jobs {
    /// Jobs in the database of `store`.
    ///
    /// # Errors
    /// [`StoreError::Database`] for a database that can't be named so.
    pub fn of(store: &Store) -> Result<Self, StoreError> {
        Ok(Self {
            queue: Queue::in_database(store.url())?,
            here: Arc::default(),
        })
    }

    /// Makes the tables of the queue, or brings them up to date.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn migrate(&self) -> Result<(), StoreError> {
        self.queue.migrate().await
    }

    /// Stops a job, if this server works on it.
    pub fn stop_here(&self, job: Uuid) {
        if let Some(progress) = self.here.lock().expect("not poisoned").get(&job) {
            progress.stop();
        }
    }

    /// How many this server works on.
    pub fn running_here(&self) -> usize {
        self.here.lock().expect("not poisoned").len()
    }
}

/// The app of the worker that has a job.
fn app_of(context: &WorkerContext) -> App {
    let app = context.extensions().get::<App>();
    app.expect("workers have it").clone()
}

impl App {
    /// A job is done, or has failed: then the queue gives it to somebody again, a little later.
    async fn job_ended(&self, done: Result<(), StoreError>) -> Result<(), String> {
        self.jobs.queue.wake().await;
        done.map_err(|error| error.to_string())
    }

    /// Wants a sweep of the cell, unless one of the same model is wanted already; progress and end are told over the
    /// socket.
    pub(crate) async fn start_sweep(&self, id: Uuid, cell: &OpenCell) -> Result<Uuid, Problem> {
        cell.path()?;
        let before = self.store.wanted_sweep(id).await?;
        let (job, new) = self.store.want_sweep(id, &cell.fingerprint).await?;
        if let Some(before) = before.filter(|before| before.job != job) {
            self.stop_worker(before.job).await;
        }
        if new && let Err(error) = self.jobs.queue.add(SweepCell { cell: id, job }).await {
            self.store.end_sweep(job).await?;
            return Err(error.into());
        }
        Ok(job)
    }

    /// Stops a job; whether there was one.
    pub(crate) async fn stop_job(&self, job: Uuid) -> Result<bool, Problem> {
        let Some(cell) = self.store.stop_sweep(job).await? else {
            return Ok(false);
        };
        self.stop_worker(job).await;
        let waiting = self
            .store
            .wanted_sweep(cell)
            .await?
            .filter(|w| w.job == job && w.begun_at.is_none());
        if waiting.is_some() {
            // Nobody will say that it has ended.
            self.store.end_sweep(job).await?;
            let state = JobState::Stopped;
            self.live.tell(Event::Job {
                cell,
                job,
                done: 0,
                total: 0,
                elapsed_s: 0.0,
                state,
            });
        }
        Ok(true)
    }

    /// Stops the sweep of a cell that is not of the model with this fingerprint.
    pub(crate) async fn stop_other_sweep(&self, id: Uuid, fingerprint: &str) {
        match self.store.stop_other_sweep(id, fingerprint).await {
            Ok(Some(job)) => self.stop_worker(job).await,
            Ok(None) => {}
            Err(error) => tracing::warn!("a sweep of an older model runs on: {error}"),
        }
    }

    /// Tells whoever works on a job to stop, and takes it out of the queue if nobody does.
    async fn stop_worker(&self, job: Uuid) {
        self.jobs.stop_here(job);
        self.live.stop(job);
        self.take_out(&[job]).await;
    }

    /// Takes jobs that are not wanted out of the queue.
    async fn take_out(&self, jobs: &[Uuid]) {
        if let Err(error) = self.jobs.queue.remove(jobs).await {
            tracing::warn!("jobs that are not wanted stay in the queue: {error}");
        }
    }
}

impl From<GraphileWorkerError> for Problem {
    fn from(error: GraphileWorkerError) -> Self {
        StoreError::Database(error.to_string()).into()
    }
}

//! The queue: `graphile_worker`, whose tables stand in a schema of their own.

use std::time::Duration;

use graphile_worker::errors::GraphileWorkerError;
use graphile_worker::tokio_postgres::TokioPostgresDatabase;
use graphile_worker::{
    DbError, DbExecutor, DbParams, DbValue, JobKeyMode, JobSpec, TaskHandler, WorkerOptions,
    WorkerRecoveryConfig, WorkerUtils,
};
use selvik_store::StoreError;
use tokio_util::sync::CancellationToken;
use uuid::Uuid;

use super::{SweepCell, SweepVariant};
use crate::App;

/// Where the queue's own tables stand.
const SCHEMA: &str = "selvik_queue";
/// Its connections: one to listen, one to work, one to add.
const CONNECTIONS: usize = 3;
/// A worker says that it lives this often, and one not heard of for so long has died: its job goes to another.
const HEARTBEAT: Duration = Duration::from_secs(2);
const DEAD: Duration = Duration::from_secs(10);
/// How often it is looked for work that nobody was told of.
const POLL: Duration = Duration::from_secs(1);
/// Workers that fail over the database begin anew after this.
const AGAIN: Duration = Duration::from_secs(1);
/// How often a job is tried over a database that fails; one that kills its workers is lost before.
const ATTEMPTS: i16 = 25;

/// A job with its turn: those of a smaller number come first.
pub trait InTurn: TaskHandler {
    const TURN: i16;

    /// Which it is: what is added twice is there once.
    fn job(&self) -> Uuid;
}

/// Somebody looks at the cell and waits.
impl InTurn for SweepCell {
    const TURN: i16 = 0;

    fn job(&self) -> Uuid {
        self.job
    }
}

/// There may be hundreds.
impl InTurn for SweepVariant {
    const TURN: i16 = 10;

    fn job(&self) -> Uuid {
        self.job
    }
}

/// The queue of one database.
#[derive(Clone)]
pub struct Queue {
    database: TokioPostgresDatabase,
}

impl Queue {
    pub fn in_database(url: &str) -> Result<Self, StoreError> {
        let database = TokioPostgresDatabase::from_url(url, CONNECTIONS);
        Ok(Self {
            database: database.map_err(|e| StoreError::Database(e.to_string()))?,
        })
    }

    fn utils(&self) -> WorkerUtils {
        WorkerUtils::new(self.database.clone(), SCHEMA)
    }

    pub async fn migrate(&self) -> Result<(), StoreError> {
        self.utils()
            .migrate()
            .await
            .map_err(|e| StoreError::Database(e.to_string()))
    }

    /// Adds a job, unless it is there already.
    pub async fn add<T: InTurn>(&self, task: T) -> Result<(), GraphileWorkerError> {
        let spec = JobSpec::builder()
            .priority(T::TURN)
            .job_key(task.job().to_string())
            .job_key_mode(JobKeyMode::UnsafeDedupe)
            .max_attempts(ATTEMPTS)
            .build();
        self.utils().add_job(task, spec).await.map(drop)
    }

    /// Adds jobs that are new, all at once, or that nobody has taken up.
    pub async fn add_new<T: InTurn + Clone>(
        &self,
        tasks: impl Iterator<Item = T>,
    ) -> Result<(), GraphileWorkerError> {
        let spec = |task: &T| {
            JobSpec::builder()
                .priority(T::TURN)
                .job_key(task.job().to_string())
                .max_attempts(ATTEMPTS)
                .build()
        };
        let tasks: Vec<T> = tasks.collect();
        let specs: Vec<JobSpec> = tasks.iter().map(spec).collect();
        let jobs: Vec<(T, &JobSpec)> = tasks.into_iter().zip(&specs).collect();
        self.utils().add_jobs(&jobs).await.map(drop)
    }

    /// Tells all workers to look for work. They do so when something is added and once a second, for one job each time: whoever
    /// has ended one asks for the next.
    pub async fn wake(&self) {
        let told = self
            .database
            .execute("SELECT pg_notify('jobs:insert', '')", DbParams::default());
        if let Err(error) = told.await {
            tracing::debug!("workers look for work only once a second: {error}");
        }
    }

    /// Takes jobs out: at once where nobody works on them, else they are not tried again.
    pub async fn remove(&self, jobs: &[Uuid]) -> Result<(), DbError> {
        let keys = jobs.iter().map(Uuid::to_string).collect();
        let remove = format!("SELECT {SCHEMA}.remove_job(key) FROM unnest($1::text[]) AS key");
        let keys = vec![DbValue::TextArray(keys)];
        self.database.execute(&remove, keys.into()).await.map(drop)
    }
}

impl App {
    /// Works on the jobs of this database, one at a time with all cores, until `stop`.
    pub async fn work(self, stop: CancellationToken) {
        loop {
            if let Err(error) = self.work_once(&stop).await {
                tracing::warn!("jobs wait: {error}");
            }
            if stop
                .run_until_cancelled(tokio::time::sleep(AGAIN))
                .await
                .is_none()
            {
                return;
            }
        }
    }

    /// A server that died between wanting something and adding it left it out.
    async fn add_left_out(&self) -> Result<(), String> {
        let sweeps = self.store.wanted_sweeps().await;
        for (cell, job) in sweeps.map_err(|e| e.to_string())? {
            let added = self.jobs.queue.add(SweepCell { cell, job }).await;
            added.map_err(|e| e.to_string())?;
        }
        let variants = self.store.wanted_variants().await;
        let tasks = variants.map_err(|e| e.to_string())?.into_iter();
        let tasks = tasks.map(|(cell, job)| SweepVariant { cell, job });
        let added = self.jobs.queue.add_new(tasks).await;
        added.map_err(|e| e.to_string())
    }

    async fn work_once(&self, stop: &CancellationToken) -> Result<(), String> {
        self.add_left_out().await?;
        let recovery = WorkerRecoveryConfig::default()
            .heartbeat_interval(HEARTBEAT)
            .sweep_interval(HEARTBEAT)
            .sweep_threshold(DEAD)
            .recovery_delay(Duration::ZERO);
        let worker = WorkerOptions::default()
            .database(self.jobs.queue.database.clone())
            .schema(SCHEMA)
            .concurrency(1)
            .poll_interval(POLL)
            .worker_recovery(recovery)
            .listen_os_shutdown_signals(false)
            .shutdown_signal(stop.clone().cancelled_owned())
            .shutdown_grace_period(Duration::ZERO)
            .shutdown_interrupted_job_retry_delay(Duration::ZERO)
            .add_extension(self.clone())
            .define_job::<SweepCell>()
            .define_job::<SweepVariant>()
            .init()
            .await
            .map_err(|e| e.to_string())?;
        worker.run().await.map_err(|e| e.to_string())
    }
}

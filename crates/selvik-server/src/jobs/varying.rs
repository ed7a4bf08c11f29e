//! The sweep of one variant of a cell.

use std::sync::Arc;

use graphile_worker::{IntoTaskHandlerResult, TaskHandler, WorkerContext};
use selvik_cell::variants::{Variant, VariantOutcome, swept};
use selvik_core::clearance::Progress;
use selvik_formats::PackageFiles;
use selvik_store::{StoreError, TakenUp, WantedVariant};
use serde::{Deserialize, Serialize};
use tokio::time::MissedTickBehavior;
use uuid::Uuid;

use super::app_of;
use super::sweeping::{Here, MOST, NOTE, TELL};
use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;
use crate::live::Event;

/// The sweep of a variant, as it stands in the queue.
#[derive(Debug, Serialize, Deserialize)]
pub struct SweepVariant {
    pub cell: Uuid,
    pub job: Uuid,
}

impl TaskHandler for SweepVariant {
    const IDENTIFIER: &'static str = "sweep_variant";

    async fn run(self, context: WorkerContext) -> impl IntoTaskHandlerResult {
        let app = app_of(&context);
        let done = app.vary(&self).await;
        app.job_ended(done).await
    }
}

impl App {
    /// Adds sweeps of variants to the queue.
    pub(crate) async fn queue_variants(&self, cell: Uuid, jobs: &[Uuid]) -> Result<(), Problem> {
        for &job in jobs {
            let task = SweepVariant { cell, job };
            self.jobs.queue.add(job, task).await?;
        }
        self.live.tell(Event::Variants { cell });
        Ok(())
    }

    /// Stops sweeps of variants that nobody wants any longer.
    pub(crate) async fn stop_varying(&self, cell: Uuid, jobs: &[Uuid]) {
        for &job in jobs {
            self.stop_worker(job).await;
        }
        self.live.tell(Event::Variants { cell });
    }

    async fn vary(&self, task: &SweepVariant) -> Result<(), StoreError> {
        let &SweepVariant { cell: id, job } = task;
        let wanted = match self.store.take_up_variant(job, MOST).await? {
            (TakenUp::Yes, Some(wanted)) => wanted,
            (TakenUp::TooOften, _) => {
                let why = format!("it was begun {MOST} times and never ended");
                return self
                    .keep_variant(task, "", &VariantOutcome::Impossible { why })
                    .await;
            }
            _ => return Ok(()),
        };
        self.live.tell(Event::Variants { cell: id });
        let cell = match self.cells.at_least(id, wanted.revision).await {
            Ok(cell) => cell,
            Err(problem) if problem.status >= 500 => {
                return Err(StoreError::Database(problem.detail));
            }
            Err(problem) => {
                let outcome = VariantOutcome::Impossible {
                    why: problem.detail,
                };
                return self.keep_variant(task, "", &outcome).await;
            }
        };
        let here = Here::begin(self, job);
        let (of, progress) = (Arc::clone(&cell), Arc::clone(&here.progress));
        let mut work = tokio::task::spawn_blocking(move || outcome(&of, wanted, &progress));
        let mut ticks = tokio::time::interval(TELL * NOTE);
        ticks.set_missed_tick_behavior(MissedTickBehavior::Delay);
        let found = loop {
            tokio::select! {
                found = &mut work => break found,
                _ = ticks.tick() => {
                    // Whoever stopped it may not have been heard.
                    if matches!(self.store.is_variant_wanted(job).await, Ok(false)) {
                        here.progress.stop();
                    }
                }
            }
        };
        let outcome = match found {
            Ok(Some(outcome)) => outcome,
            Ok(None) if self.stop.is_cancelled() => {
                return Err(StoreError::Database("the worker ends".to_owned()));
            }
            Ok(None) => return Ok(()),
            Err(error) => {
                tracing::error!(cell = %id, %job, "the sweep of a variant failed: {error}");
                let why = "it failed inside the server, whose log says more".to_owned();
                VariantOutcome::Impossible { why }
            }
        };
        self.keep_variant(task, &cell.fingerprint, &outcome).await
    }

    async fn keep_variant(
        &self,
        &SweepVariant { cell, job }: &SweepVariant,
        fingerprint: &str,
        outcome: &VariantOutcome,
    ) -> Result<(), StoreError> {
        let outcome = serde_json::to_value(outcome).expect("plain data");
        self.store.keep_outcome(job, fingerprint, &outcome).await?;
        self.live.tell(Event::Variants { cell });
        Ok(())
    }
}

/// What a variant comes to; `None` when it was stopped.
fn outcome(cell: &OpenCell, wanted: WantedVariant, progress: &Progress) -> Option<VariantOutcome> {
    let (variant, varied) = match varied(cell, wanted) {
        Ok(varied) => varied,
        Err(why) => return Some(VariantOutcome::Impossible { why }),
    };
    let of = (&cell.workcell.document, &variant.edit);
    let after = (&varied.workcell, &*varied.shown);
    swept(of, after, (&varied.known, progress)).map(VariantOutcome::Swept)
}

/// The variant, and the cell with its change; or why that can't be.
fn varied(cell: &OpenCell, wanted: WantedVariant) -> Result<(Variant, OpenCell), String> {
    let edit = serde_json::from_value(wanted.edit).map_err(|e| e.to_string())?;
    let name = wanted.name;
    let variant = Variant { name, edit };
    let changed = variant.applied(&cell.workcell.document);
    let varied = changed.and_then(|changed| cell.next(changed, &PackageFiles::default(), None));
    let varied = varied.map_err(|e| e.to_string())?;
    if varied.faults.is_empty() {
        return Ok((variant, varied));
    }
    let all: Vec<String> = varied.faults.iter().map(ToString::to_string).collect();
    Err(all.join("; "))
}

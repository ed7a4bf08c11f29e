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
#[derive(Debug, Clone, Serialize, Deserialize)]
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
        let tasks = jobs.iter().map(|&job| SweepVariant { cell, job });
        self.jobs.queue.add_new(tasks).await?;
        self.live.tell(Event::Variants { cell });
        Ok(())
    }

    /// Stops sweeps of variants that nobody wants any longer; `true` with those that somebody works on.
    pub(crate) async fn stop_varying(&self, cell: Uuid, jobs: &[(Uuid, bool)]) {
        for &(job, _) in jobs.iter().filter(|(_, begun)| *begun) {
            self.jobs.stop_here(job);
            self.live.stop(job);
        }
        let all: Vec<Uuid> = jobs.iter().map(|(job, _)| *job).collect();
        self.take_out(&all).await;
        self.live.tell(Event::Variants { cell });
    }

    async fn vary(&self, task: &SweepVariant) -> Result<(), StoreError> {
        let &SweepVariant { cell: id, job } = task;
        let wanted = match self.store.take_up_variant(job, MOST).await? {
            (TakenUp::Yes, Some(wanted)) => wanted,
            (TakenUp::TooOften, _) => {
                let why = format!("it was begun {MOST} times and never ended");
                return self.lose_variant(task, why).await;
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
                return self.lose_variant(task, problem.detail).await;
            }
        };
        let here = Here::begin(self, job);
        let (of, progress) = (Arc::clone(&cell), Arc::clone(&here.progress));
        let mut work = self.background.run(move || outcome(&of, wanted, &progress));
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
                let why = "it failed inside the server, whose log says more";
                return self.lose_variant(task, why.to_owned()).await;
            }
        };
        let fingerprint = Some(cell.fingerprint.as_str());
        self.keep_variant(task, fingerprint, &outcome).await
    }

    /// Nobody will sweep it: then it is of no state of the cell, and can be wanted again.
    async fn lose_variant(&self, task: &SweepVariant, why: String) -> Result<(), StoreError> {
        self.keep_variant(task, None, &VariantOutcome::Lost { why })
            .await
    }

    async fn keep_variant(
        &self,
        &SweepVariant { cell, job }: &SweepVariant,
        fingerprint: Option<&str>,
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

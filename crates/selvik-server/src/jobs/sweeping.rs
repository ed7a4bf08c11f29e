//! One sweep, from being taken up to its end.

use std::sync::Arc;
use std::time::{Duration, Instant};

use graphile_worker::{IntoTaskHandlerResult, TaskHandler, WorkerContext};
use selvik_cell::findings::{Findings, WithBand, find_again};
use selvik_cell::report::Verdict;
use selvik_core::clearance::{Progress, SweepOptions};
use selvik_store::{KeptSweep, StoreError, TakenUp, Verdicts};
use serde::{Deserialize, Serialize};
use tokio::time::MissedTickBehavior;
use uuid::Uuid;

use super::app_of;
use crate::App;
use crate::cells::OpenCell;
use crate::live::{Event, JobState};

/// Pages are told this often.
pub(super) const TELL: Duration = Duration::from_millis(100);
/// It is written down, and asked whether to go on, every so many times.
pub(super) const NOTE: u32 = 5;
/// One that was taken up so often and never ended kills whoever works on it.
pub(super) const MOST: i32 = 5;

/// The sweep of a cell, as it stands in the queue.
#[derive(Debug, Serialize, Deserialize)]
pub struct SweepCell {
    pub cell: Uuid,
    pub job: Uuid,
}

impl TaskHandler for SweepCell {
    const IDENTIFIER: &'static str = "sweep_cell";

    async fn run(self, context: WorkerContext) -> impl IntoTaskHandlerResult {
        let app = app_of(&context);
        let done = app.sweep(&self).await;
        app.job_ended(done).await
    }
}

/// A job that this server or worker works on. Ends the work when whoever waits for it goes, as a worker that is told to end does.
pub(super) struct Here<'a> {
    app: &'a App,
    job: Uuid,
    pub progress: Arc<Progress>,
}

impl<'a> Here<'a> {
    pub fn begin(app: &'a App, job: Uuid) -> Self {
        let progress = Arc::new(Progress::default());
        app.jobs
            .here
            .lock()
            .expect("not poisoned")
            .insert(job, Arc::clone(&progress));
        Self { app, job, progress }
    }
}

impl Drop for Here<'_> {
    fn drop(&mut self) {
        self.progress.stop();
        self.app
            .jobs
            .here
            .lock()
            .expect("not poisoned")
            .remove(&self.job);
    }
}

impl App {
    async fn sweep(&self, wanted: &SweepCell) -> Result<(), StoreError> {
        let &SweepCell { cell: id, job } = wanted;
        match self.store.take_up(job, MOST).await? {
            TakenUp::Gone => return Ok(()),
            TakenUp::TooOften => {
                let why = format!("it was begun {MOST} times and never ended");
                self.store.lose_sweep(job, &why).await?;
                self.tell_sweep(wanted, Instant::now(), (0, 0), JobState::Lost);
                return Ok(());
            }
            TakenUp::Yes => {}
        }
        let here = Here::begin(self, job);
        let since = Instant::now();
        let state = match self.found(wanted, &here, since).await? {
            Some((cell, findings)) => {
                self.keep(id, &cell, &findings).await?;
                self.store.end_sweep(job).await?;
                JobState::Finished
            }
            None if self.stop.is_cancelled() => {
                return Err(StoreError::Database("the worker ends".to_owned()));
            }
            None => match self.store.wanted_sweep(id).await?.filter(|w| w.job == job) {
                Some(row) if row.lost.is_some() => JobState::Lost,
                Some(_) => {
                    self.store.end_sweep(job).await?;
                    JobState::Stopped
                }
                // Another one is wanted in its place, or somebody who took this one for dead has ended it.
                None => return Ok(()),
            },
        };
        self.tell_sweep(wanted, since, here.progress.state(), state);
        Ok(())
    }

    /// What the sweep finds, with the cell it is of; nothing if it was stopped, is not wanted any longer, or failed.
    async fn found(
        &self,
        wanted: &SweepCell,
        here: &Here<'_>,
        since: Instant,
    ) -> Result<Option<(Arc<OpenCell>, Findings)>, StoreError> {
        let &SweepCell { cell: id, job } = wanted;
        let Some(row) = self.store.wanted_sweep(id).await?.filter(|w| w.job == job) else {
            return Ok(None);
        };
        let read = match self.cells.get(id).await {
            // This worker may have it from before it was changed.
            Ok(cell) if cell.fingerprint != row.fingerprint => self.cells.again(id).await,
            read => read,
        };
        let cell = match read {
            Ok(cell) => cell,
            Err(problem) if problem.status >= 500 => {
                return Err(StoreError::Database(problem.detail));
            }
            Err(problem) => {
                self.store.lose_sweep(job, &problem.detail).await?;
                return Ok(None);
            }
        };
        if cell.fingerprint != row.fingerprint || !cell.faults.is_empty() {
            return Ok(None);
        }
        cell.finding_out.stop();
        let (of, progress) = (Arc::clone(&cell), Arc::clone(&here.progress));
        let mut work = self.background.run(move || {
            find_again(
                &of.workcell,
                &of.shown,
                &SweepOptions::default(),
                WithBand::Yes,
                (&of.known, &progress),
            )
        });
        let mut ticks = tokio::time::interval(TELL);
        ticks.set_missed_tick_behavior(MissedTickBehavior::Skip);
        let mut count = 0;
        let findings = loop {
            tokio::select! {
                findings = &mut work => break findings,
                _ = ticks.tick() => {
                    count += 1;
                    self.tell_progress(wanted, here, since, count % NOTE == 0).await;
                }
            }
        };
        match findings {
            // One stopped while the band was drawn has all pairs, but half a band.
            Ok(findings) if findings.clearance.complete && !here.progress.stopped() => {
                Ok(Some((cell, findings)))
            }
            Ok(_) => Ok(None),
            Err(error) => {
                tracing::error!(cell = %id, %job, "the sweep failed: {error}");
                self.store
                    .lose_sweep(job, "it failed inside the server, whose log says more")
                    .await?;
                Ok(None)
            }
        }
    }

    /// Tells how far a sweep has come; now and then also writes it down, and stops it if it is no longer wanted.
    async fn tell_progress(&self, wanted: &SweepCell, here: &Here<'_>, since: Instant, note: bool) {
        let (done, total) = here.progress.state();
        self.tell_sweep(wanted, since, (done, total), JobState::Running);
        if !note {
            return;
        }
        match self
            .store
            .note_progress(wanted.job, (done as i64, total as i64))
            .await
        {
            Ok(true) => {}
            Ok(false) => here.progress.stop(),
            Err(error) => tracing::debug!("how far the sweep is can't be written down: {error}"),
        }
    }

    fn tell_sweep(
        &self,
        wanted: &SweepCell,
        since: Instant,
        (done, total): (usize, usize),
        state: JobState,
    ) {
        let &SweepCell { cell, job } = wanted;
        let elapsed_s = since.elapsed().as_secs_f64();
        self.live.tell(Event::Job {
            cell,
            job,
            done,
            total,
            elapsed_s,
            state,
        });
    }

    async fn keep(&self, id: Uuid, cell: &OpenCell, findings: &Findings) -> Result<(), StoreError> {
        let pairs = &findings.clearance.pairs;
        let count = |verdict| pairs.iter().filter(|p| p.verdict == verdict).count() as i32;
        let word = serde_json::to_value(findings.verdict).expect("plain data");
        let verdicts = Verdicts {
            pairs: pairs.len() as i32,
            broken: count(Verdict::Broken),
            tight: count(Verdict::Tight),
            not_certified: count(Verdict::NotCertified),
            verdict: word.as_str().unwrap_or_default().to_owned(),
        };
        let report = serde_json::to_value(findings).expect("plain data");
        let kept = KeptSweep {
            fingerprint: cell.fingerprint.clone(),
            revision: cell.revision,
            report,
        };
        self.store.keep_sweep(id, &kept, &verdicts).await
    }
}

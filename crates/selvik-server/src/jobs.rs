//! Long work: sweeps, with progress and a stop.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use selvik_core::clearance::{Progress, SweepOptions, clearance_band, sweep};
use selvik_cell::report::{
    BandReport, Caveat, ReachReport, SweepReport, Verdict, band_report, caveats, reach_report, sweep_report,
};
use selvik_store::{KeptSweep, Verdicts};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::error::Problem;
use crate::live::Event;
use crate::open_cell::OpenCell;

/// Stretches of time the clearance band is drawn in, and the clearance above which it is flat, m.
const BAND_STRETCHES: usize = 480;
const BAND_CEILING: f64 = 0.2;
/// Less can't be told apart in a chart, m.
const BAND_TOLERANCE: f64 = 1e-3;

/// Everything a sweep finds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Findings {
    /// Clearances over the path.
    pub clearance: SweepReport,
    /// The worst pair over time.
    pub band: BandReport,
    /// Reach along every move.
    pub reach: ReachReport,
    /// What clearance and reach come to together.
    pub verdict: Verdict,
    /// What was not looked at, and what the verdicts rest on.
    pub caveats: Vec<Caveat>,
    /// How long it took.
    pub took_s: f64,
}

/// The running jobs.
#[derive(Clone, Default)]
pub struct Jobs {
    running: Arc<Mutex<HashMap<Uuid, Sweeping>>>,
    closing: Arc<AtomicBool>,
}

/// A sweep under way.
#[derive(Clone)]
struct Sweeping {
    cell: Uuid,
    fingerprint: String,
    progress: Arc<Progress>,
    since: Instant,
}

/// A job that runs.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct RunningJob {
    /// Which.
    pub id: Uuid,
    /// Steps done.
    pub done: usize,
    /// Steps in all; 0 before they are counted.
    pub total: usize,
    /// Since it began.
    pub elapsed_s: f64,
}

impl Jobs {
    /// Asks a job to stop.
    pub fn stop(&self, job: Uuid) -> bool {
        self.running.lock().expect("not poisoned").get(&job).map(|s| s.progress.stop()).is_some()
    }

    /// Asks all jobs to stop, because the server does: nobody wanted them to.
    pub fn close(&self) {
        self.closing.store(true, Ordering::Relaxed);
        self.running.lock().expect("not poisoned").values().for_each(|s| s.progress.stop());
    }

    /// The sweep of a cell that runs now.
    pub fn of_cell(&self, cell: Uuid) -> Option<RunningJob> {
        let running = self.running.lock().expect("not poisoned");
        let (&id, sweeping) = running.iter().filter(|(_, s)| s.cell == cell).max_by_key(|(id, _)| **id)?;
        let (done, total) = sweeping.progress.state();
        let elapsed_s = sweeping.since.elapsed().as_secs_f64();
        Some(RunningJob { id, done, total, elapsed_s })
    }
}

impl App {
    /// Starts a sweep of the cell, unless one of the same model runs already; progress and end are told
    /// over the socket.
    pub(crate) fn start_sweep(&self, id: Uuid, cell: Arc<OpenCell>) -> Result<Uuid, Problem> {
        cell.path()?;
        let job = Uuid::now_v7();
        let progress = Arc::new(Progress::default());
        let since = Instant::now();
        {
            let mut running = self.jobs.running.lock().expect("not poisoned");
            let same =
                |s: &Sweeping| s.cell == id && s.fingerprint == cell.fingerprint && !s.progress.stopped();
            if let Some((&under_way, _)) = running.iter().find(|(_, s)| same(s)) {
                return Ok(under_way);
            }
            let fingerprint = cell.fingerprint.clone();
            let progress = Arc::clone(&progress);
            running.insert(job, Sweeping { cell: id, fingerprint, progress, since });
        }
        self.stop_sweeps_but(id, &cell.fingerprint);
        let app = self.clone();
        tokio::spawn(async move {
            app.note_sweeping(id, true).await;
            let watched = Arc::clone(&progress);
            let tell = |state: &'static str| {
                let (done, total) = watched.state();
                let elapsed_s = since.elapsed().as_secs_f64();
                app.live.tell(Event::Job { cell: id, job, done, total, elapsed_s, state });
            };
            let shared = Arc::clone(&cell);
            let swept = Arc::clone(&progress);
            let mut work = tokio::task::spawn_blocking(move || find(&shared, &progress));
            let findings = loop {
                tokio::select! {
                    findings = &mut work => break findings,
                    () = tokio::time::sleep(Duration::from_millis(100)) => tell("running"),
                }
            };
            let state = match findings {
                // One stopped while the band was drawn has all pairs, but half a band.
                Ok(findings) if findings.clearance.complete && !swept.stopped() => {
                    app.keep(id, &cell, &findings).await
                }
                Ok(_) if app.jobs.closing.load(Ordering::Relaxed) => "lost",
                Ok(_) => "stopped",
                Err(error) => {
                    tracing::error!("the sweep failed: {error}");
                    "lost"
                }
            };
            app.jobs.running.lock().expect("not poisoned").remove(&job);
            // What was lost stays noted, so that it is said until a sweep ends well.
            if state != "lost" && app.jobs.of_cell(id).is_none() {
                app.note_sweeping(id, false).await;
            }
            tell(state);
        });
        Ok(job)
    }

    /// Stops the sweeps of a cell that are not of the model with this fingerprint.
    pub(crate) fn stop_sweeps_but(&self, id: Uuid, fingerprint: &str) {
        let running = self.jobs.running.lock().expect("not poisoned");
        let old = running.values().filter(|s| s.cell == id && s.fingerprint != fingerprint);
        old.for_each(|s| s.progress.stop());
    }

    async fn keep(&self, id: Uuid, cell: &OpenCell, findings: &Findings) -> &'static str {
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
        let kept = KeptSweep { fingerprint: cell.fingerprint.clone(), revision: cell.revision, report };
        match self.store.keep_sweep(id, &kept, &verdicts).await {
            Ok(()) => "finished",
            Err(error) => {
                tracing::error!("the sweep could not be kept: {error}");
                "lost"
            }
        }
    }

    async fn note_sweeping(&self, id: Uuid, under_way: bool) {
        if let Err(error) = self.store.note_sweeping(id, under_way).await {
            tracing::warn!("a sweep lost with the server would not be noticed: {error}");
        }
    }
}

fn find(cell: &OpenCell, progress: &Progress) -> Findings {
    let start = Instant::now();
    let workcell = &cell.workcell;
    let path = cell.path.as_ref().expect("asked before starting");
    let options = SweepOptions::default();
    let swept = sweep(&workcell.assembly, path, &workcell.rules, &options, progress);
    // The nearest pairs first: they lower the band so far that most others need no look.
    let mut nearest: Vec<_> = swept.pairs.iter().collect();
    nearest.sort_by(|a, b| a.clearance.attained().total_cmp(&b.clearance.attained()));
    let pairs: Vec<_> = nearest.iter().map(|p| p.pair).collect();
    let shape = (BAND_STRETCHES, BAND_CEILING, BAND_TOLERANCE);
    let band = clearance_band(&workcell.assembly, path, &pairs, shape, progress);
    let clearance = sweep_report(workcell, path, &swept, options.tolerance);
    let reach = reach_report(workcell, path);
    Findings {
        verdict: Verdict::of_all(&clearance, &reach),
        caveats: caveats(workcell, path),
        clearance,
        band: band_report(&band),
        reach,
        took_s: start.elapsed().as_secs_f64(),
    }
}

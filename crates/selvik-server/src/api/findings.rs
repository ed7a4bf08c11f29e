//! Sweeps, and what they found.

use std::sync::Arc;
use std::time::Duration;

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use moka::sync::Cache;
use selvik_cell::findings::Findings;
use selvik_cell::report::{
    BandReport, Caveat, LeftOutReport, PairReport, ReachReport, RuleReport, Verdict,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;
use crate::jobs::RunningJob;

/// A job that was asked for.
#[derive(Serialize, ToSchema)]
pub struct Started {
    job: Uuid,
}

/// Starts a sweep of the run plan.
#[utoipa::path(post, path = "/api/cells/{id}/sweep", params(("id" = Uuid, Path)),
    responses((status = 202, body = Started)))]
pub async fn start_sweep(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<(StatusCode, Json<Started>), Problem> {
    let cell = app.cells.get(id).await?;
    let job = app.start_sweep(id, &cell).await?;
    Ok((StatusCode::ACCEPTED, Json(Started { job })))
}

/// The last finished sweep, and the one that is wanted.
#[derive(Serialize, ToSchema)]
pub struct LastSweep {
    /// `false` when the model has changed since.
    fresh: bool,
    /// Changes with what it found, and with the names that things have; absent when there was none.
    tag: Option<String>,
    /// The fingerprint of the model that it was made of.
    fingerprint: Option<String>,
    /// The sweep that is wanted now, if one is.
    running: Option<RunningJob>,
    /// Why a sweep that was begun will not end.
    lost: Option<String>,
}

/// How the last finished sweep stands to the cell as it is: that of the same model, or else the newest.
#[utoipa::path(get, path = "/api/cells/{id}/sweep", params(("id" = Uuid, Path)), responses((status = 200, body = LastSweep)))]
pub async fn last_sweep(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<LastSweep>, Problem> {
    let cell = app.cells.get(id).await?;
    // Asked first: a sweep that ends in between is then told over the socket.
    let wanted = app.store.wanted_sweep(id).await?;
    let running = wanted.as_ref().and_then(RunningJob::of);
    let lost = wanted.and_then(|w| w.lost);
    let kept = app.store.last_sweep(id, &cell.fingerprint).await?;
    let fingerprint = kept.map(|(fingerprint, _)| fingerprint);
    let fresh = fingerprint.as_ref() == Some(&cell.fingerprint);
    let tag = fingerprint
        .as_ref()
        .map(|fingerprint| tag(fingerprint, &cell));
    Ok(Json(LastSweep {
        fresh,
        tag,
        fingerprint,
        running,
        lost,
    }))
}

/// Changes with what a sweep found, and with the names that things have in it: those of now if the model is the same.
fn tag(fingerprint: &str, cell: &OpenCell) -> String {
    let names = if fingerprint == cell.fingerprint {
        cell.names.as_str()
    } else {
        ""
    };
    format!("{fingerprint}{names}")
}

/// Which sweep.
#[derive(Deserialize, IntoParams)]
pub struct OfSweep {
    /// The fingerprint of the model that it was made of.
    fingerprint: String,
}

/// What a sweep found. Of its pairs those that are told first, worst first; the rest come in pages.
#[derive(Serialize, ToSchema)]
pub struct FindingsFound {
    /// Brackets of what matters are no wider than this.
    tolerance_mm: f64,
    /// Length of the path.
    duration_s: f64,
    /// What clearance and reach come to together.
    verdict: Verdict,
    /// What the clearance rules come to.
    clearance: Verdict,
    /// One a clearance rule, in their order.
    rules: Vec<RuleReport>,
    /// How many pairs there are of each verdict.
    counts: PairCounts,
    /// The first page of pairs.
    pairs: Vec<PairReport>,
    /// Pairs named by a rule that are not measured, the first of very many.
    left_out: Vec<LeftOutReport>,
    /// How many of them there are.
    left_out_count: usize,
    /// The worst pair over time.
    band: Option<BandReport>,
    /// Reach along every move.
    reach: ReachReport,
    /// What was not looked at, and what the verdicts rest on.
    caveats: Vec<Caveat>,
    /// How long it took.
    took_s: f64,
}

/// How many pairs there are of each verdict.
#[derive(Serialize, ToSchema, Default)]
pub struct PairCounts {
    broken: usize,
    not_certified: usize,
    tight: usize,
    meets: usize,
}

/// Pairs of a page.
const PAGE: usize = 100;
/// Pairs left out that are told by name.
const LEFT_OUT: usize = 500;

/// What a sweep found, with the names that things have now.
#[utoipa::path(get, path = "/api/cells/{id}/findings", params(("id" = Uuid, Path), OfSweep),
    responses((status = 200, body = FindingsFound)))]
pub async fn findings(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(of): Query<OfSweep>,
) -> Result<Json<FindingsFound>, Problem> {
    let found = app.findings_of(id, &of.fingerprint).await?;
    let mut counts = PairCounts::default();
    for pair in &found.clearance.pairs {
        *match pair.verdict {
            Verdict::Broken => &mut counts.broken,
            Verdict::NotCertified => &mut counts.not_certified,
            Verdict::Tight => &mut counts.tight,
            Verdict::Meets => &mut counts.meets,
        } += 1;
    }
    let some = |all: &[LeftOutReport]| all.iter().take(LEFT_OUT).cloned().collect();
    Ok(Json(FindingsFound {
        tolerance_mm: found.clearance.tolerance_mm,
        duration_s: found.clearance.duration_s,
        verdict: found.verdict,
        clearance: found.clearance.verdict,
        rules: found.clearance.rules.clone(),
        counts,
        pairs: page(found.clearance.pairs.iter(), 0),
        left_out: some(&found.clearance.left_out),
        left_out_count: found.clearance.left_out.len(),
        band: found.band.clone(),
        reach: found.reach.clone(),
        caveats: found.caveats.clone(),
        took_s: found.took_s,
    }))
}

/// From where on.
#[derive(Deserialize, IntoParams)]
pub struct FromPair {
    /// The fingerprint of the model that the sweep was made of.
    fingerprint: String,
    /// How many pairs come before, worst first.
    from: usize,
    /// Only those whose bodies, rule or moves are called so, in part.
    #[serde(default)]
    called: String,
    /// Only those of this verdict.
    #[serde(default)]
    verdict: Option<Verdict>,
}

impl FromPair {
    fn is_wanted(&self, pair: &PairReport, called: &str) -> bool {
        let names = [&pair.a.name, &pair.b.name, &pair.rule];
        let mut names = names.into_iter().chain(&pair.moves);
        self.verdict.is_none_or(|verdict| verdict == pair.verdict)
            && (called.is_empty() || names.any(|name| name.to_lowercase().contains(called)))
    }
}

/// More pairs of a sweep, a hundred at a time, worst first; of those that are wanted, if not all are.
#[utoipa::path(get, path = "/api/cells/{id}/findings/pairs", params(("id" = Uuid, Path), FromPair),
    responses((status = 200, body = [PairReport])))]
pub async fn more_pairs(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(asked): Query<FromPair>,
) -> Result<Json<Vec<PairReport>>, Problem> {
    let found = app.findings_of(id, &asked.fingerprint).await?;
    let called = asked.called.to_lowercase();
    let wanted = found.clearance.pairs.iter();
    let wanted = wanted.filter(|pair| asked.is_wanted(pair, &called));
    Ok(Json(page(wanted, asked.from)))
}

fn page<'a>(pairs: impl Iterator<Item = &'a PairReport>, from: usize) -> Vec<PairReport> {
    pairs.skip(from).take(PAGE).cloned().collect()
}

/// Findings that were read, by cell and tag: pages of them are asked for one after the other.
#[derive(Clone)]
pub struct FindingsRead(Cache<(Uuid, String), Arc<Findings>>);

/// Findings are kept in memory up to this, KiB, and let go when nobody asks for so long.
const FINDINGS_KIB: u64 = 64 << 10;
const FINDINGS_IDLE: Duration = Duration::from_secs(5 * 60);

impl Default for FindingsRead {
    fn default() -> Self {
        let kib = |_: &(Uuid, String), found: &Arc<Findings>| {
            (found.clearance.pairs.len() as u32) * 2 + 16
        };
        Self(
            Cache::builder()
                .weigher(kib)
                .max_capacity(FINDINGS_KIB)
                .time_to_idle(FINDINGS_IDLE)
                .build(),
        )
    }
}

impl App {
    /// What the sweep of a state of a cell found; with the names of now, if the cell is in that state.
    pub(super) async fn findings_of(
        &self,
        id: Uuid,
        fingerprint: &str,
    ) -> Result<Arc<Findings>, Problem> {
        let cell = self.cells.get(id).await?;
        let key = (id, tag(fingerprint, &cell));
        if let Some(found) = self.findings.0.get(&key) {
            return Ok(found);
        }
        let missing = || {
            Problem::missing("there are no findings of this state of the cell any more; sweep it")
        };
        if !fingerprint.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Err(missing());
        }
        let kept = self
            .store
            .sweep(id, fingerprint)
            .await?
            .ok_or_else(missing)?;
        let same = fingerprint == cell.fingerprint && kept.revision != cell.revision;
        let read = tokio::task::spawn_blocking(move || {
            let found: Option<Findings> = serde_json::from_value(kept.report).ok();
            Some(match (found?, cell.path()) {
                (found, Ok(path)) if same => found.renamed(&cell.workcell, path),
                (found, _) => found,
            })
        });
        let found = Arc::new(read.await?.ok_or_else(|| {
            Problem::missing(
                "these findings are of another version of this program and can't be read; sweep again",
            )
        })?);
        self.findings.0.insert(key, Arc::clone(&found));
        Ok(found)
    }
}

/// Stops a job.
#[utoipa::path(delete, path = "/api/jobs/{job}", params(("job" = Uuid, Path)),
    responses((status = 204)))]
pub async fn stop_job(
    State(app): State<App>,
    Path(job): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    if app.stop_job(job).await? {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(Problem::missing("that job is over"))
    }
}

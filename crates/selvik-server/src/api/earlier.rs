//! Earlier sweeps of a cell, and what changed since.

use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use chrono::{DateTime, Utc};
use selvik_cell::comparison::{Change, Earlier, compared};
use selvik_cell::report::BandReport;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use crate::App;
use crate::error::Problem;

/// A sweep that is kept.
#[derive(Serialize, ToSchema)]
pub struct SweepKept {
    /// The fingerprint of the model that it was made of.
    fingerprint: String,
    /// Of which revision.
    revision: i64,
    /// When it ended.
    at: DateTime<Utc>,
    /// What somebody called it; one that has a name is kept.
    name: Option<String>,
    /// What it came to.
    verdict: String,
    broken: i32,
    not_certified: i32,
    tight: i32,
    pairs: i32,
}

/// The sweeps of a cell that are kept, the newest first.
#[utoipa::path(get, path = "/api/cells/{id}/sweeps", params(("id" = Uuid, Path)),
    responses((status = 200, body = [SweepKept])))]
pub async fn earlier_sweeps(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<SweepKept>>, Problem> {
    app.cells.get(id).await?;
    let told = |sweep: selvik_store::EarlierSweep| SweepKept {
        fingerprint: sweep.fingerprint,
        revision: sweep.revision,
        at: sweep.at,
        name: sweep.name,
        verdict: sweep.verdicts.verdict,
        broken: sweep.verdicts.broken,
        not_certified: sweep.verdicts.not_certified,
        tight: sweep.verdicts.tight,
        pairs: sweep.verdicts.pairs,
    };
    let sweeps = app.store.sweeps(id).await?;
    Ok(Json(sweeps.into_iter().map(told).collect()))
}

/// What a sweep is called.
#[derive(Deserialize, ToSchema)]
pub struct SweepName {
    /// No name lets it go in time.
    name: Option<String>,
}

/// Names longer than this are none, letters.
const LONGEST_NAME: usize = 200;

/// Gives a sweep a name, by which it is kept, or takes it away.
#[utoipa::path(put, path = "/api/cells/{id}/sweeps/{fingerprint}", params(("id" = Uuid, Path), ("fingerprint" = String, Path)),
    request_body = SweepName, responses((status = 204)))]
pub async fn name_sweep(
    State(app): State<App>,
    Path((id, fingerprint)): Path<(Uuid, String)>,
    Json(wanted): Json<SweepName>,
) -> Result<StatusCode, Problem> {
    app.cells.get(id).await?;
    let name = wanted
        .name
        .as_deref()
        .map(str::trim)
        .filter(|n| !n.is_empty());
    let fits = |name: &str| name.chars().count() <= LONGEST_NAME && !name.contains('\0');
    if name.is_some_and(|name| !fits(name)) {
        let said =
            format!("a name has at most {LONGEST_NAME} letters, and none that can't be shown");
        return Err(Problem::refused(said));
    }
    if app.store.name_sweep(id, &fingerprint, name).await? {
        Ok(StatusCode::NO_CONTENT)
    } else {
        Err(Problem::missing("that sweep is not kept any more"))
    }
}

/// Which sweep beside which.
#[derive(Deserialize, IntoParams)]
pub struct Beside {
    /// The fingerprint of the model that the later one was made of.
    fingerprint: String,
    /// That of the earlier one.
    with: String,
}

/// What changed from one sweep to another.
#[derive(Serialize, ToSchema)]
pub struct Comparison {
    /// The worst first.
    changes: Vec<Change>,
    /// The worst pair over time at the earlier one.
    band: Option<BandReport>,
}

/// What changed from one sweep of a cell to another.
#[utoipa::path(get, path = "/api/cells/{id}/comparison", params(("id" = Uuid, Path), Beside),
    responses((status = 200, body = Comparison)))]
pub async fn compare(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Query(of): Query<Beside>,
) -> Result<Json<Comparison>, Problem> {
    let now = app.findings_of(id, &of.fingerprint).await?;
    let before = app.findings_of(id, &of.with).await?;
    let compared = tokio::task::spawn_blocking(move || {
        let earlier = Earlier {
            clearance: before.clearance.clone(),
            reach: before.reach.clone(),
        };
        Comparison {
            changes: compared(&earlier, &now.clearance, &now.reach),
            band: before.band.clone(),
        }
    });
    Ok(Json(compared.await?))
}

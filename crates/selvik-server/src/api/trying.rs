//! What a change comes to over the whole path before it is made.

use std::sync::Arc;
use std::time::Duration;

use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use selvik_cell::arranging::{Arrange, FrameChoice, Posed, Subject, edit_of};
use selvik_cell::document::PoseDocument;
use selvik_cell::profile::{
    CertainAlready, PartFound, ProfileWanted, certain_already, profile, swept_part,
};
use selvik_cell::report::BandReport;
use selvik_cell::trying::{
    Asked, ShiftFound, ShiftWanted, Shifted, Tentative, Tried, smallest_shift,
};
use selvik_core::spatial::{Pose, Vector};
use selvik_formats::PackageFiles;
use serde::Deserialize;
use tokio::time::Instant;
use utoipa::ToSchema;
use uuid::Uuid;

use super::waiting::{Waiting, nobody_waits};
use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// What is tried: arranging something, as it would be done at an instant of the path.
#[derive(Deserialize, ToSchema)]
pub struct TryRequest {
    #[serde(flatten)]
    subject: Subject,
    /// For a target the time it is reached that is nearest to this one is looked at.
    time_s: f64,
    how: Arrange,
    /// So soon an answer is wanted, ms: what is certain by then is told. Without it all is looked at.
    within_ms: Option<u32>,
}

/// What a shift is looked for, and at which instant it would be made.
#[derive(Deserialize, ToSchema)]
pub struct ShiftRequest {
    time_s: f64,
    #[serde(flatten)]
    wanted: ShiftWanted,
}

/// What arranging items or a target would come to over the whole path. Nothing is changed.
#[utoipa::path(post, path = "/api/cells/{id}/try", params(("id" = Uuid, Path)), request_body = TryRequest,
    responses((status = 200, body = Tried)))]
pub async fn try_out(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<TryRequest>,
) -> Result<Json<Tried>, Problem> {
    let within = request.within_ms.map(u64::from).map(Duration::from_millis);
    let soon = within.map(|within| Instant::now() + within);
    let cell = app.cells.get(id).await?;
    find_out(&app, &cell);
    let waiting = Waiting::default();
    let progress = Arc::clone(&waiting.0);
    let tried = tokio::task::spawn_blocking(move || {
        let TryRequest {
            subject,
            time_s,
            how,
            within_ms: _,
        } = request;
        let after = arranged(&cell, &subject, time_s, &how)?;
        after.path()?;
        let of = tentative(&after);
        let time = of.instant(&subject, &cell.shown, time_s)?;
        let asked = Asked {
            subject: &subject,
            time,
            pairs: &after.pairs_at(Some(time)),
            before: &cell.poses_at(Some(time_s)),
        };
        of.told(asked, &progress)?.ok_or_else(nobody_waits)
    });
    Ok(Json(waiting.told_by(soon, tried).await??))
}

/// The smallest shift after which items keep all their rules over the whole path, or a target those of the moves to and from it.
/// Nothing is changed.
#[utoipa::path(post, path = "/api/cells/{id}/smallest-shift", params(("id" = Uuid, Path)), request_body = ShiftRequest,
    responses((status = 200, body = ShiftFound)))]
pub async fn find_shift(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ShiftRequest>,
) -> Result<Json<ShiftFound>, Problem> {
    let cell = app.cells.get(id).await?;
    cell.path()?;
    let waiting = Waiting::default();
    let progress = Arc::clone(&waiting.0);
    let found = tokio::task::spawn_blocking(move || {
        let ShiftRequest { time_s, wanted } = request;
        let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(time_s)));
        smallest_shift(&posed, &wanted, |shift: Vector| {
            let by = PoseDocument::from_pose(&Pose::from(shift));
            let how = Arrange::Shift {
                frame: FrameChoice::World,
                by,
                about_mm: None,
            };
            let after = arranged(&cell, &wanted.subject, time_s, &how)?;
            let fault = after.faults.first().map(ToString::to_string);
            let same_path = after.shown == cell.shown;
            let of = tentative(&after);
            Shifted::of(of, &wanted.subject, (same_path, fault), &progress)
        })
    });
    Ok(Json(found.await??))
}

/// The certified clearance over a part of the path, of all pairs or of one.
#[utoipa::path(post, path = "/api/cells/{id}/profile", params(("id" = Uuid, Path)), request_body = ProfileWanted,
    responses((status = 200, body = BandReport)))]
pub async fn clearance_profile(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(wanted): Json<ProfileWanted>,
) -> Result<Json<BandReport>, Problem> {
    let cell = app.cells.get(id).await?;
    cell.path()?;
    let waiting = Waiting::default();
    let progress = Arc::clone(&waiting.0);
    let found = tokio::task::spawn_blocking(move || {
        let of = tentative(&cell);
        let swept = of.swept(&progress).ok_or_else(nobody_waits)?;
        let band = profile(of, &swept, &wanted, &progress)?;
        // Half a band is none.
        if progress.stopped() {
            Err(nobody_waits())
        } else {
            Ok(band)
        }
    });
    Ok(Json(found.await??))
}

/// What is certain of the cell as it is, though it was not swept to the end: a sweep was stopped, or something has changed since.
/// Known where its sweeps are worked on, as far as it is in memory there.
#[utoipa::path(get, path = "/api/cells/{id}/certain", params(("id" = Uuid, Path)),
    responses((status = 200, body = CertainAlready)))]
pub async fn certain(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<CertainAlready>, Problem> {
    let cell = app.cells.get(id).await?;
    cell.path()?;
    let found = tokio::task::spawn_blocking(move || certain_already(tentative(&cell)));
    Ok(Json(found.await?))
}

/// A part of the path.
#[derive(Deserialize, ToSchema)]
pub struct PartWanted {
    from_s: f64,
    to_s: f64,
}

/// What pairs come to in a part of the path alone. It is no finding of the cell: nothing is kept.
#[utoipa::path(post, path = "/api/cells/{id}/sweep-part", params(("id" = Uuid, Path)), request_body = PartWanted,
    responses((status = 200, body = PartFound)))]
pub async fn sweep_part(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(wanted): Json<PartWanted>,
) -> Result<Json<PartFound>, Problem> {
    let cell = app.cells.get(id).await?;
    cell.path()?;
    let waiting = Waiting::default();
    let progress = Arc::clone(&waiting.0);
    let found = tokio::task::spawn_blocking(move || {
        let found = swept_part(tentative(&cell), (wanted.from_s, wanted.to_s), &progress)?;
        found.ok_or_else(nobody_waits)
    });
    Ok(Json(found.await??))
}

/// Makes ready for what will be tried, as somebody takes hold of it. Nothing is waited for.
#[utoipa::path(post, path = "/api/cells/{id}/try/ready", params(("id" = Uuid, Path)), responses((status = 204)))]
pub async fn make_ready(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    find_out(&app, &app.cells.get(id).await?);
    Ok(StatusCode::NO_CONTENT)
}

/// Where another process has swept the cell, or this one before it was started anew, nothing of that is in memory: it is found
/// out once, beside what is asked, and what is tried then goes on from it.
fn find_out(app: &App, cell: &Arc<OpenCell>) {
    let may = cell.path().is_ok() && !cell.finding_out.stopped();
    if may && cell.known.first_to_ask() {
        let cell = Arc::clone(cell);
        let swept = move || tentative(&cell).swept(&cell.finding_out);
        app.background.run(swept);
    }
}

fn tentative(cell: &OpenCell) -> Tentative<'_> {
    Tentative {
        workcell: &cell.workcell,
        path: &cell.shown,
        known: &cell.known,
    }
}

/// The cell with something arranged.
fn arranged(
    cell: &OpenCell,
    subject: &Subject,
    time_s: f64,
    how: &Arrange,
) -> selvik_formats::Result<OpenCell> {
    let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(time_s)));
    let mut document = cell.workcell.document.clone();
    edit_of(&posed, subject, how)?.apply(&mut document)?;
    cell.next(document, &PackageFiles::default(), None)
}

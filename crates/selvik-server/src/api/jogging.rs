//! Joints moved by hand, and what can be asked with them anywhere.

use std::sync::Arc;

use axum::Json;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::extract::{Path, State};
use axum::response::Response;
use indexmap::IndexMap;
use selvik_cell::document::PoseDocument;
use selvik_cell::jog::{JogAnswer, JogRequest, Jogging, Ruled};
use selvik_cell::questions::{Asked, DistanceAnswer, InverseAnswer, PosesAnswer};
use selvik_formats::Result as FormatResult;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// Moves joints, and tells what becomes of it; nothing of it is kept.
#[utoipa::path(post, path = "/api/cells/{id}/jog", params(("id" = Uuid, Path)), request_body = JogRequest,
    responses((status = 200, body = JogAnswer)))]
pub async fn jog(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<JogRequest>,
) -> Result<Json<JogAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let answer =
        tokio::task::spawn_blocking(move || jogged(&mut Jogging::default(), &cell, &request));
    Ok(Json(answer.await??))
}

fn jogged(jogging: &mut Jogging, cell: &OpenCell, request: &JogRequest) -> FormatResult<JogAnswer> {
    let ruled = Ruled {
        workcell: &cell.workcell,
        pairs: &cell.pairs_at(request.time_s),
    };
    jogging.answer(ruled, &cell.moment_at(request.time_s), request)
}

/// A request is no longer than this, bytes.
const LONGEST: usize = 64 << 10;

/// What is said fits in this: buffers of many sockets stay small.
const BUFFER: usize = 4096;

/// The same over a socket, as fast as the hand: each message a request, each answered by one, in order. A refusal is a
/// problem document.
pub async fn socket(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    upgrade: WebSocketUpgrade,
) -> Result<Response, Problem> {
    app.cells.get(id).await?;
    let bounded = upgrade
        .read_buffer_size(BUFFER)
        .write_buffer_size(0)
        .max_message_size(LONGEST);
    Ok(bounded.on_upgrade(move |socket| async move {
        let stop = app.stop.clone();
        stop.run_until_cancelled(converse(app, id, socket)).await;
    }))
}

async fn converse(app: App, id: Uuid, mut socket: WebSocket) {
    let mut known: Option<(Arc<OpenCell>, Jogging)> = None;
    while let Some(Ok(message)) = socket.recv().await {
        let text = match message {
            Message::Text(text) => text,
            Message::Close(_) => return,
            _ => continue,
        };
        let answer = match app.cells.get(id).await {
            Ok(cell) => {
                // What was near in another state of the cell is no hint for this one.
                let same = known.take().filter(|(of, _)| Arc::ptr_eq(of, &cell));
                let (cell, mut jogging) = same.unwrap_or_else(|| (cell, Jogging::default()));
                let worked_out = tokio::task::spawn_blocking(move || {
                    let said = answered(&mut jogging, &cell, &text);
                    (said, cell, jogging)
                });
                let Ok((said, cell, jogging)) = worked_out.await else {
                    return;
                };
                known = Some((cell, jogging));
                said
            }
            Err(problem) => problem.to_json(),
        };
        if socket.send(Message::text(answer)).await.is_err() {
            return;
        }
    }
}

fn answered(jogging: &mut Jogging, cell: &OpenCell, text: &str) -> String {
    let request = match serde_json::from_str::<JogRequest>(text) {
        Ok(request) => request,
        Err(error) => return Problem::refused(error.to_string()).to_json(),
    };
    match jogged(jogging, cell, &request) {
        Ok(answer) => serde_json::to_string(&answer).expect("plain data"),
        Err(error) => Problem::from(error).to_json(),
    }
}

/// Where joints are.
#[derive(Deserialize, ToSchema)]
pub struct WithJoints {
    /// The instant of the path; at rest where absent.
    #[serde(default)]
    time_s: Option<f64>,
    /// Joints that are elsewhere, by `item/joint`, degrees or mm.
    #[serde(default)]
    joints_deg_or_mm: IndexMap<String, f64>,
}

impl WithJoints {
    pub fn of<'a>(&self, cell: &'a OpenCell) -> FormatResult<Asked<'a>> {
        let asked = match self.time_s {
            Some(_) => Asked::with(&cell.workcell, cell.moment_at(self.time_s)),
            None => Asked::at_rest(&cell.workcell),
        };
        asked.moved(&self.joints_deg_or_mm)
    }
}

/// Where everything is, with joints anywhere.
#[utoipa::path(post, path = "/api/cells/{id}/ask/poses", params(("id" = Uuid, Path)), request_body = WithJoints,
    responses((status = 200, body = PosesAnswer)))]
pub async fn poses_with(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<WithJoints>,
) -> Result<Json<PosesAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let poses = tokio::task::spawn_blocking(move || Ok::<_, Problem>(request.of(&cell)?.poses()));
    Ok(Json(poses.await??))
}

/// Which two.
#[derive(Deserialize, ToSchema)]
pub struct DistanceRequest {
    /// Id of an item, or `item/link`.
    a: String,
    /// The other.
    b: String,
    #[serde(flatten)]
    with: WithJoints,
}

/// The exact distance between two items, with joints anywhere.
#[utoipa::path(post, path = "/api/cells/{id}/ask/distance", params(("id" = Uuid, Path)), request_body = DistanceRequest,
    responses((status = 200, body = DistanceAnswer)))]
pub async fn distance_with(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<DistanceRequest>,
) -> Result<Json<DistanceAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(asked.distance(&request.a, &request.b)?)
    });
    Ok(Json(found.await??))
}

/// Which frame is to go where.
#[derive(Deserialize, ToSchema)]
pub struct InverseRequest {
    /// Id of the robot.
    robot: String,
    /// Id of the frame that it carries.
    tcp: String,
    /// Where in the world.
    pose: PoseDocument,
    #[serde(flatten)]
    with: WithJoints,
}

/// All joint values that take a frame to a pose, the nearest to where the joints are first.
#[utoipa::path(post, path = "/api/cells/{id}/ask/inverse", params(("id" = Uuid, Path)), request_body = InverseRequest,
    responses((status = 200, body = InverseAnswer)))]
pub async fn inverse_with(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<InverseRequest>,
) -> Result<Json<InverseAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(asked.inverse(&request.robot, &request.tcp, &request.pose)?)
    });
    Ok(Json(found.await??))
}

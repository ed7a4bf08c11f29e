//! The socket that tells open pages what happened.

use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use serde::Serialize;
use tokio::sync::broadcast;
use uuid::Uuid;

use crate::App;

/// What happened.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "event", rename_all = "snake_case")]
pub enum Event {
    /// A cell has a new revision.
    Changed {
        /// Which cell.
        cell: Uuid,
        /// Its revision now.
        revision: i64,
        /// What was done.
        label: String,
    },
    /// A job has come further.
    Job {
        /// Which cell.
        cell: Uuid,
        /// Which job.
        job: Uuid,
        /// Steps done.
        done: usize,
        /// Steps in all.
        total: usize,
        /// Since it began.
        elapsed_s: f64,
        /// `running`, `finished`, `stopped`, or `lost` when what it found could not be kept.
        state: &'static str,
    },
}

/// Everyone who listens.
#[derive(Clone)]
pub struct Live(broadcast::Sender<Event>);

impl Default for Live {
    fn default() -> Self {
        Self(broadcast::channel(256).0)
    }
}

impl Live {
    /// Tells all open pages.
    pub fn tell(&self, event: Event) {
        // Nobody listening is not an error.
        let _ = self.0.send(event);
    }
}

pub async fn socket(State(app): State<App>, upgrade: WebSocketUpgrade) -> Response {
    let events = app.live.0.subscribe();
    upgrade.on_upgrade(move |socket| pass_on(socket, events))
}

async fn pass_on(mut socket: WebSocket, mut events: broadcast::Receiver<Event>) {
    loop {
        tokio::select! {
            event = events.recv() => match event {
                Ok(event) => {
                    let text = serde_json::to_string(&event).expect("plain data");
                    if socket.send(Message::text(text)).await.is_err() {
                        return;
                    }
                }
                // Too slow to follow: the page reconnects and catches up.
                Err(_) => return,
            },
            message = socket.recv() => if !matches!(message, Some(Ok(_))) {
                return;
            },
        }
    }
}

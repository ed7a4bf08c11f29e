//! What happens, told to open pages, also to those of other servers on the same database.

use std::time::Duration;

use axum::extract::State;
use axum::extract::ws::{Message, WebSocket, WebSocketUpgrade};
use axum::response::Response;
use futures_util::StreamExt;
use selvik_store::Store;
use serde::{Deserialize, Serialize};
use tokio::sync::{broadcast, mpsc};
use tokio_util::sync::CancellationToken;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;

/// What happened.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
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
    /// Variants of a cell were added, taken up, swept or deleted.
    Variants {
        /// Which cell.
        cell: Uuid,
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
        /// How it stands.
        state: JobState,
    },
}

/// How a job stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    /// Somebody works on it.
    Running,
    /// What it found is kept.
    Finished,
    /// It was asked to stop.
    Stopped,
    /// It will not end.
    Lost,
}

/// What servers and workers on one database tell each other.
#[derive(Debug, Serialize, Deserialize)]
struct Note {
    /// Who tells.
    from: Uuid,
    what: Told,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Told {
    /// Something happened.
    Happened(Event),
    /// A job is to stop, whoever works on it.
    Stop(Uuid),
}

/// What reaches one page.
#[derive(Debug, Clone)]
enum ToPage {
    Event(Event),
    /// Something may have been missed: connect again and catch up.
    CatchUp,
}

/// Everyone who listens.
#[derive(Clone)]
pub struct Live {
    me: Uuid,
    pages: broadcast::Sender<ToPage>,
    others: mpsc::UnboundedSender<Told>,
}

/// Events that a slow page may be behind.
const BEHIND: usize = 256;
/// A broken connection to the database is tried again after this.
const AGAIN: Duration = Duration::from_secs(1);
/// Notes of PostgreSQL hold less than 8000 bytes.
const LONGEST_NOTE: usize = 7900;

impl Live {
    /// Nobody listens yet. What is told reaches others over `store`, until `stop`.
    pub fn over(store: Store, stop: CancellationToken) -> Self {
        let (others, told) = mpsc::unbounded_channel();
        let me = Uuid::now_v7();
        tokio::spawn(stop.run_until_cancelled_owned(pass_to_others(store, me, told)));
        Self {
            me,
            pages: broadcast::channel(BEHIND).0,
            others,
        }
    }

    /// Tells all open pages.
    pub fn tell(&self, event: Event) {
        // Nobody listening is not an error, and the server ending is no time to tell.
        let _ = self.pages.send(ToPage::Event(event.clone()));
        let _ = self.others.send(Told::Happened(event));
    }

    /// Asks whoever works on a job to stop.
    pub fn stop(&self, job: Uuid) {
        let _ = self.others.send(Told::Stop(job));
    }

    /// How many pages listen.
    pub fn pages(&self) -> usize {
        self.pages.receiver_count()
    }
}

async fn pass_to_others(store: Store, from: Uuid, mut told: mpsc::UnboundedReceiver<Told>) {
    while let Some(what) = told.recv().await {
        let note = serde_json::to_string(&Note { from, what }).expect("plain data");
        if note.len() > LONGEST_NOTE {
            tracing::warn!("too long to be told to other servers: {} bytes", note.len());
            continue;
        }
        if let Err(error) = store.send_note(&note).await {
            tracing::debug!("other servers are not told: {error}");
        }
    }
}

impl App {
    /// Hears what other servers and workers tell, until `stop`.
    pub async fn hear(self, stop: CancellationToken) {
        let mut lost = false;
        loop {
            match self.store.listen().await {
                Ok(mut notes) => {
                    if lost {
                        // What was told meanwhile was missed.
                        self.cells.forget_all();
                        let _ = self.live.pages.send(ToPage::CatchUp);
                    }
                    let mut heard = std::pin::pin!(notes.stream());
                    while let Some(note) = stop.run_until_cancelled(heard.next()).await.flatten() {
                        self.heard(&note).await;
                    }
                }
                Err(error) => tracing::warn!("other servers are not heard: {error}"),
            }
            lost = true;
            if stop
                .run_until_cancelled(tokio::time::sleep(AGAIN))
                .await
                .is_none()
            {
                return;
            }
        }
    }

    async fn heard(&self, note: &str) {
        let Ok(note) = serde_json::from_str::<Note>(note) else {
            return tracing::warn!("a note of another version was not understood");
        };
        match note.what {
            Told::Stop(job) => self.jobs.stop_here(job),
            Told::Happened(_) if note.from == self.live.me => {}
            Told::Happened(event) => {
                if let Event::Changed { cell, revision, .. } = &event {
                    self.cells.forget_older(*cell, *revision).await;
                }
                let _ = self.live.pages.send(ToPage::Event(event));
            }
        }
    }
}

/// What a page says is short, and what it is told fits in this: buffers of thousands of sockets stay small.
const BUFFER: usize = 4096;

pub async fn socket(State(app): State<App>, upgrade: WebSocketUpgrade) -> Response {
    let events = app.live.pages.subscribe();
    let small = upgrade
        .read_buffer_size(BUFFER)
        .write_buffer_size(0)
        .max_message_size(BUFFER);
    small.on_upgrade(move |socket| async move {
        app.stop.run_until_cancelled(pass_on(socket, events)).await;
    })
}

async fn pass_on(mut socket: WebSocket, mut events: broadcast::Receiver<ToPage>) {
    loop {
        tokio::select! {
            event = events.recv() => match event {
                Ok(ToPage::Event(event)) => {
                    let text = serde_json::to_string(&event).expect("plain data");
                    if socket.send(Message::text(text)).await.is_err() {
                        return;
                    }
                }
                // Too slow to follow, or something was missed: the page reconnects and catches up.
                Ok(ToPage::CatchUp) | Err(_) => return,
            },
            message = socket.recv() => if !matches!(message, Some(Ok(_))) {
                return;
            },
        }
    }
}

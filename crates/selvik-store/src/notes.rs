//! Short notes that everybody on one database hears: PostgreSQL's NOTIFY and LISTEN.

use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use futures_util::{Stream, StreamExt};

use crate::{Store, StoreError};

/// The channel of the notes.
const CHANNEL: &str = "selvik";

diesel::define_sql_function! {
    /// Sends a note.
    fn pg_notify(channel: diesel::sql_types::Text, payload: diesel::sql_types::Text);
}

impl Store {
    /// Sends a note of at most 8000 bytes to everybody who listens on this database.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn send_note(&self, note: &str) -> Result<(), StoreError> {
        diesel::select(pg_notify(CHANNEL, note))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Listens to the notes of everybody, on a connection of its own.
    ///
    /// # Errors
    /// [`StoreError::Database`] when it can't be made.
    pub async fn listen(&self) -> Result<Notes, StoreError> {
        let connecting = AsyncPgConnection::establish(&self.url);
        let mut connection = connecting
            .await
            .map_err(|e| StoreError::Database(e.to_string()))?;
        diesel::sql_query(format!("LISTEN {CHANNEL}"))
            .execute(&mut connection)
            .await?;
        Ok(Notes(connection))
    }
}

/// The notes that come in.
pub struct Notes(AsyncPgConnection);

impl Notes {
    /// All that come, until the connection is lost.
    pub fn stream(&mut self) -> impl Stream<Item = String> + '_ {
        let notes = self.0.notifications_stream();
        notes
            .take_while(|note| std::future::ready(note.is_ok()))
            .filter_map(|note| std::future::ready(note.ok()))
            .map(|note| note.payload)
    }
}

//! The sweep that is wanted of each cell.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::{cells, wanted_sweeps};
use crate::{Store, StoreError};

/// The sweep that is wanted of a cell.
#[derive(Debug, Clone, PartialEq)]
pub struct WantedSweep {
    /// Its id.
    pub job: Uuid,
    /// Of which state of the cell.
    pub fingerprint: String,
    /// When it was asked for.
    pub asked_at: DateTime<Utc>,
    /// When it was taken up; never yet if absent.
    pub begun_at: Option<DateTime<Utc>>,
    /// Pairs done and in all.
    pub pairs: (i64, i64),
    /// Whether it is to stop.
    pub stop: bool,
    /// Why it will not end, in a sentence.
    pub lost: Option<String>,
}

/// What became of a sweep that somebody wants to take up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TakenUp {
    /// It is theirs.
    Yes,
    /// It is no longer wanted.
    Gone,
    /// It was taken up too often and never ended: it is lost.
    TooOften,
}

impl Store {
    /// Wants a sweep of the state `fingerprint` of a cell, in place of what was wanted before. Answers the id of the
    /// sweep, and whether it is a new one: the same state is not swept twice at a time.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn want_sweep(
        &self,
        id: Uuid,
        fingerprint: &str,
    ) -> Result<(Uuid, bool), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let _: i64 = cells::table
                    .find(id)
                    .select(cells::revision)
                    .for_update()
                    .first(connection)
                    .await?;
                let wanted = wanted(connection, id).await?;
                if let Some(same) =
                    wanted.filter(|w| w.fingerprint == fingerprint && !w.stop && w.lost.is_none())
                {
                    return Ok((same.job, false));
                }
                diesel::delete(wanted_sweeps::table.find(id))
                    .execute(connection)
                    .await?;
                let job = Uuid::now_v7();
                diesel::insert_into(wanted_sweeps::table)
                    .values((
                        wanted_sweeps::cell_id.eq(id),
                        wanted_sweeps::job.eq(job),
                        wanted_sweeps::fingerprint.eq(fingerprint),
                    ))
                    .execute(connection)
                    .await?;
                Ok((job, true))
            })
            .await
    }

    /// The sweep that is wanted of a cell.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn wanted_sweep(&self, id: Uuid) -> Result<Option<WantedSweep>, StoreError> {
        wanted(&mut *self.connection().await?, id).await
    }

    /// All sweeps that are wanted and neither stopped nor lost: their cells and ids.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn wanted_sweeps(&self) -> Result<Vec<(Uuid, Uuid)>, StoreError> {
        let wanted = wanted_sweeps::table
            .filter(
                wanted_sweeps::stop
                    .eq(false)
                    .and(wanted_sweeps::lost.is_null()),
            )
            .select((wanted_sweeps::cell_id, wanted_sweeps::job));
        Ok(wanted.load(&mut self.connection().await?).await?)
    }

    /// Takes up the sweep `job`, unless it is no longer wanted or was taken up `most` times before.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn take_up(&self, job: Uuid, most: i32) -> Result<TakenUp, StoreError> {
        let wanted = wanted_sweeps::table
            .filter(
                wanted_sweeps::job
                    .eq(job)
                    .and(wanted_sweeps::stop.eq(false)),
            )
            .filter(wanted_sweeps::lost.is_null());
        let attempts: Option<i32> = diesel::update(wanted)
            .set((
                wanted_sweeps::attempts.eq(wanted_sweeps::attempts + 1),
                wanted_sweeps::begun_at.eq(Utc::now()),
                wanted_sweeps::heard_at.eq(Utc::now()),
                wanted_sweeps::pairs_done.eq(0),
            ))
            .returning(wanted_sweeps::attempts)
            .get_result(&mut self.connection().await?)
            .await
            .optional()?;
        Ok(match attempts {
            None => TakenUp::Gone,
            Some(attempts) if attempts > most => TakenUp::TooOften,
            Some(_) => TakenUp::Yes,
        })
    }

    /// Notes how far the sweep `job` has come; answers whether it is to go on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_progress(
        &self,
        job: Uuid,
        (done, total): (i64, i64),
    ) -> Result<bool, StoreError> {
        let stop: Option<bool> =
            diesel::update(wanted_sweeps::table.filter(wanted_sweeps::job.eq(job)))
                .set((
                    wanted_sweeps::heard_at.eq(Utc::now()),
                    wanted_sweeps::pairs_done.eq(done),
                    wanted_sweeps::pairs_total.eq(total),
                ))
                .returning(wanted_sweeps::stop)
                .get_result(&mut self.connection().await?)
                .await
                .optional()?;
        Ok(stop == Some(false))
    }

    /// Wants the sweep `job` to stop. Answers its cell; nothing if it is over.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn stop_sweep(&self, job: Uuid) -> Result<Option<Uuid>, StoreError> {
        let wanted = wanted_sweeps::table
            .filter(wanted_sweeps::job.eq(job))
            .filter(wanted_sweeps::lost.is_null());
        let stopped = diesel::update(wanted)
            .set(wanted_sweeps::stop.eq(true))
            .returning(wanted_sweeps::cell_id)
            .get_result(&mut self.connection().await?)
            .await;
        Ok(stopped.optional()?)
    }

    /// Wants the sweep of a cell to stop unless it is of the state `fingerprint`. Answers which it was.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn stop_other_sweep(
        &self,
        id: Uuid,
        fingerprint: &str,
    ) -> Result<Option<Uuid>, StoreError> {
        let other = wanted_sweeps::table
            .filter(
                wanted_sweeps::cell_id
                    .eq(id)
                    .and(wanted_sweeps::fingerprint.ne(fingerprint)),
            )
            .filter(
                wanted_sweeps::stop
                    .eq(false)
                    .and(wanted_sweeps::lost.is_null()),
            );
        let stopped = diesel::update(other)
            .set(wanted_sweeps::stop.eq(true))
            .returning(wanted_sweeps::job)
            .get_result(&mut self.connection().await?)
            .await;
        Ok(stopped.optional()?)
    }

    /// The sweep `job` is over: it is no longer wanted.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn end_sweep(&self, job: Uuid) -> Result<(), StoreError> {
        let wanted = wanted_sweeps::table.filter(wanted_sweeps::job.eq(job));
        diesel::delete(wanted)
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// The sweep `job` will not end, and why.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn lose_sweep(&self, job: Uuid, why: &str) -> Result<(), StoreError> {
        let wanted = wanted_sweeps::table.filter(wanted_sweeps::job.eq(job));
        let lost = diesel::update(wanted).set(wanted_sweeps::lost.eq(why));
        lost.execute(&mut self.connection().await?).await?;
        Ok(())
    }
}

async fn wanted(
    connection: &mut AsyncPgConnection,
    id: Uuid,
) -> Result<Option<WantedSweep>, StoreError> {
    type Row = (
        Uuid,
        String,
        DateTime<Utc>,
        Option<DateTime<Utc>>,
        (i64, i64),
        bool,
        Option<String>,
    );
    let row: Option<Row> = wanted_sweeps::table
        .find(id)
        .select((
            wanted_sweeps::job,
            wanted_sweeps::fingerprint,
            wanted_sweeps::asked_at,
            wanted_sweeps::begun_at,
            (wanted_sweeps::pairs_done, wanted_sweeps::pairs_total),
            wanted_sweeps::stop,
            wanted_sweeps::lost,
        ))
        .first(connection)
        .await
        .optional()?;
    Ok(row.map(
        |(job, fingerprint, asked_at, begun_at, pairs, stop, lost)| WantedSweep {
            job,
            fingerprint,
            asked_at,
            begun_at,
            pairs,
            stop,
            lost,
        },
    ))
}

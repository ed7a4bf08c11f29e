//! Sweeps: those that ended well, and the one that is wanted of each cell.

use std::collections::HashMap;

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{cells, sweeps, wanted_sweeps};
use crate::{Store, StoreError};

/// So many sweeps of a cell are kept beside those that have a name, each of another state of it.
const KEPT: i64 = 8;

/// How the rules of a cell stood at its last sweep.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SweptSummary {
    /// What came out.
    pub verdicts: Verdicts,
    /// Whether anything it depends on was changed afterwards.
    pub changed_since: bool,
}

/// How many pairs a sweep looked at, and how they stood to their rules.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdicts {
    /// All of them.
    pub pairs: i32,
    /// Those that broke theirs.
    pub broken: i32,
    /// Those that were tight.
    pub tight: i32,
    /// Those that were neither certainly broken nor certainly kept.
    pub not_certified: i32,
    /// What it all came to: `broken`, `not_certified`, `tight` or `meets`.
    pub verdict: String,
}

/// The last finished sweep of a cell.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptSweep {
    /// Of what it was computed.
    pub fingerprint: String,
    /// Of which revision.
    pub revision: i64,
    /// What it found.
    pub report: Value,
}

/// A sweep that is kept, without what it found.
#[derive(Debug, Clone, PartialEq)]
pub struct EarlierSweep {
    /// Of what it was computed.
    pub fingerprint: String,
    /// Of which revision.
    pub revision: i64,
    /// When it ended.
    pub at: DateTime<Utc>,
    /// What somebody called it.
    pub name: Option<String>,
    /// How its pairs stood.
    pub verdicts: Verdicts,
}

/// The sweeps of one cell without their reports, the newest first.
pub(crate) struct Kept(Vec<(String, Verdicts)>);

impl Kept {
    /// Those of all cells.
    pub(crate) async fn of_all(
        connection: &mut AsyncPgConnection,
    ) -> Result<HashMap<Uuid, Self>, StoreError> {
        type Row = (Uuid, String, (i32, i32, i32, i32, String));
        let counts = (
            sweeps::pairs,
            sweeps::broken,
            sweeps::tight,
            sweeps::not_certified,
            sweeps::verdict,
        );
        let rows: Vec<Row> = sweeps::table
            .order((sweeps::revision.desc(), sweeps::at.desc()))
            .select((sweeps::cell_id, sweeps::fingerprint, counts))
            .load(connection)
            .await?;
        let mut all: HashMap<Uuid, Self> = HashMap::new();
        for (cell, fingerprint, (pairs, broken, tight, not_certified, verdict)) in rows {
            let verdicts = Verdicts {
                pairs,
                broken,
                tight,
                not_certified,
                verdict,
            };
            all.entry(cell)
                .or_insert_with(|| Self(Vec::new()))
                .0
                .push((fingerprint, verdicts));
        }
        Ok(all)
    }

    /// What stands in the list of cells: the sweep that fits the cell as it is `now`, or else the newest.
    pub(crate) fn summary(mut self, now: Option<&str>) -> Option<SweptSummary> {
        let fits = self
            .0
            .iter()
            .position(|(fingerprint, _)| Some(fingerprint.as_str()) == now);
        let verdicts = (!self.0.is_empty()).then(|| self.0.swap_remove(fits.unwrap_or(0)).1)?;
        Some(SweptSummary {
            verdicts,
            changed_since: fits.is_none(),
        })
    }
}

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
    /// Keeps a finished sweep of a cell, with how its pairs stood.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn keep_sweep(
        &self,
        id: Uuid,
        sweep: &KeptSweep,
        verdicts: &Verdicts,
    ) -> Result<(), StoreError> {
        let Verdicts {
            pairs,
            broken,
            tight,
            not_certified,
            verdict,
        } = verdicts;
        let counts = (
            sweeps::pairs.eq(pairs),
            sweeps::broken.eq(broken),
            sweeps::tight.eq(tight),
            sweeps::not_certified.eq(not_certified),
            sweeps::verdict.eq(verdict),
        );
        let found = (
            sweeps::fingerprint.eq(&sweep.fingerprint),
            sweeps::report.eq(&sweep.report),
            sweeps::revision.eq(sweep.revision),
        );
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                // The cell's row is the turn that sweeps of one cell take.
                let _: i64 = cells::table
                    .find(id)
                    .select(cells::revision)
                    .for_update()
                    .first(connection)
                    .await?;
                diesel::insert_into(sweeps::table)
                    .values((sweeps::cell_id.eq(id), found, counts))
                    .on_conflict((sweeps::cell_id, sweeps::fingerprint))
                    .do_update()
                    .set((
                        sweeps::report.eq(excluded(sweeps::report)),
                        sweeps::revision.eq(excluded(sweeps::revision)),
                        counts,
                        sweeps::at.eq(Utc::now()),
                    ))
                    .execute(connection)
                    .await?;
                let older: Vec<String> = sweeps::table
                    .filter(sweeps::cell_id.eq(id).and(sweeps::name.is_null()))
                    .order((sweeps::revision.desc(), sweeps::at.desc()))
                    .offset(KEPT)
                    .select(sweeps::fingerprint)
                    .load(connection)
                    .await?;
                let older = sweeps::table.filter(
                    sweeps::cell_id
                        .eq(id)
                        .and(sweeps::fingerprint.eq_any(older)),
                );
                diesel::delete(older).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// The sweeps of a cell that are kept, without what they found, the newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sweeps(&self, id: Uuid) -> Result<Vec<EarlierSweep>, StoreError> {
        type Row = (
            String,
            i64,
            DateTime<Utc>,
            Option<String>,
            (i32, i32, i32, i32, String),
        );
        let counts = (
            sweeps::pairs,
            sweeps::broken,
            sweeps::tight,
            sweeps::not_certified,
            sweeps::verdict,
        );
        let rows: Vec<Row> = sweeps::table
            .filter(sweeps::cell_id.eq(id))
            .order((sweeps::revision.desc(), sweeps::at.desc()))
            .select((
                sweeps::fingerprint,
                sweeps::revision,
                sweeps::at,
                sweeps::name,
                counts,
            ))
            .load(&mut self.connection().await?)
            .await?;
        let told = |(fingerprint, revision, at, name, counts): Row| {
            let (pairs, broken, tight, not_certified, verdict) = counts;
            EarlierSweep {
                fingerprint,
                revision,
                at,
                name,
                verdicts: Verdicts {
                    pairs,
                    broken,
                    tight,
                    not_certified,
                    verdict,
                },
            }
        };
        Ok(rows.into_iter().map(told).collect())
    }

    /// Gives a sweep a name, or none; whether it is there.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn name_sweep(
        &self,
        id: Uuid,
        fingerprint: &str,
        name: Option<&str>,
    ) -> Result<bool, StoreError> {
        let named = diesel::update(sweeps::table.find((id, fingerprint)))
            .set(sweeps::name.eq(name))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(named > 0)
    }

    /// The fingerprint and revision of the sweep that fits the state `fingerprint` of a cell, or else of the newest.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn last_sweep(
        &self,
        id: Uuid,
        fingerprint: &str,
    ) -> Result<Option<(String, i64)>, StoreError> {
        let of_cell = sweeps::table.filter(sweeps::cell_id.eq(id));
        let found = of_cell
            .order((
                sweeps::fingerprint.eq(fingerprint).desc(),
                sweeps::revision.desc(),
                sweeps::at.desc(),
            ))
            .select((sweeps::fingerprint, sweeps::revision))
            .first(&mut self.connection().await?)
            .await;
        Ok(found.optional()?)
    }

    /// The sweep of the state `fingerprint` of a cell.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sweep(
        &self,
        id: Uuid,
        fingerprint: &str,
    ) -> Result<Option<KeptSweep>, StoreError> {
        let row: Option<(String, i64, Value)> = sweeps::table
            .find((id, fingerprint))
            .select((sweeps::fingerprint, sweeps::revision, sweeps::report))
            .first(&mut self.connection().await?)
            .await
            .optional()?;
        Ok(row.map(|(fingerprint, revision, report)| KeptSweep {
            fingerprint,
            revision,
            report,
        }))
    }

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

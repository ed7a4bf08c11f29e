//! Sweeps that ended well.

use std::collections::HashMap;

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::upsert::excluded;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{cells, sweeps};
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

type Counts = (i32, i32, i32, i32, String);

/// The columns of [`Verdicts`], in its order.
const COUNTS: (
    sweeps::pairs,
    sweeps::broken,
    sweeps::tight,
    sweeps::not_certified,
    sweeps::verdict,
) = (
    sweeps::pairs,
    sweeps::broken,
    sweeps::tight,
    sweeps::not_certified,
    sweeps::verdict,
);

impl From<Counts> for Verdicts {
    fn from((pairs, broken, tight, not_certified, verdict): Counts) -> Self {
        Self {
            pairs,
            broken,
            tight,
            not_certified,
            verdict,
        }
    }
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
        type Row = (Uuid, String, Counts);
        let rows: Vec<Row> = sweeps::table
            .order((sweeps::revision.desc(), sweeps::at.desc()))
            .select((sweeps::cell_id, sweeps::fingerprint, COUNTS))
            .load(connection)
            .await?;
        let mut all: HashMap<Uuid, Self> = HashMap::new();
        for (cell, fingerprint, counts) in rows {
            let verdicts = Verdicts::from(counts);
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
        type Row = (String, i64, DateTime<Utc>, Option<String>, Counts);
        let rows: Vec<Row> = sweeps::table
            .filter(sweeps::cell_id.eq(id))
            .order((sweeps::revision.desc(), sweeps::at.desc()))
            .select((
                sweeps::fingerprint,
                sweeps::revision,
                sweeps::at,
                sweeps::name,
                COUNTS,
            ))
            .load(&mut self.connection().await?)
            .await?;
        let told = |(fingerprint, revision, at, name, counts): Row| EarlierSweep {
            fingerprint,
            revision,
            at,
            name,
            verdicts: counts.into(),
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
}

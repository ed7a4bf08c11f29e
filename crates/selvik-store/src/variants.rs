//! Variants of cells: changes that are swept without being made.

use chrono::Utc;
use diesel::dsl::max;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{cells, variants};
use crate::{Store, StoreError, TakenUp};

#[diesel::declare_sql_function]
extern "SQL" {
    fn gen_random_uuid() -> diesel::sql_types::Uuid;
}

/// A variant that is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct KeptVariant {
    /// Its id.
    pub id: Uuid,
    /// What people call it.
    pub name: String,
    /// The change.
    pub edit: Value,
    /// Whether a sweep of it is wanted.
    pub wanted: bool,
    /// Whether somebody works on that.
    pub begun: bool,
    /// The state of the cell, without the change, that it was swept on last.
    pub fingerprint: Option<String>,
    /// What it came to then.
    pub outcome: Option<Value>,
}

/// A variant that somebody works on.
#[derive(Debug, Clone, PartialEq)]
pub struct WantedVariant {
    /// What people call it.
    pub name: String,
    /// The change.
    pub edit: Value,
    /// The revision that its cell has, at least.
    pub revision: i64,
}

impl Store {
    /// Adds variants to a cell behind those that are there, and wants them swept. Answers the ids of the sweeps; nothing where there would be
    /// more than `most` then.
    ///
    /// # Errors
    /// [`StoreError::NoCell`] or [`StoreError::Database`].
    pub async fn add_variants(
        &self,
        cell: Uuid,
        added: &[(String, Value)],
        most: usize,
    ) -> Result<Option<Vec<Uuid>>, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                // The cell's row is the turn that those who add take.
                let _: i64 = cells::table
                    .find(cell)
                    .select(cells::revision)
                    .for_update()
                    .first(connection)
                    .await?;
                let own = variants::table.filter(variants::cell_id.eq(cell));
                let there: i64 = own.count().get_result(connection).await?;
                if there as usize + added.len() > most {
                    return Ok(None);
                }
                let last: Option<i32> = own
                    .select(max(variants::position))
                    .first(connection)
                    .await?;
                let jobs: Vec<Uuid> = added.iter().map(|_| Uuid::now_v7()).collect();
                let mut rows = Vec::with_capacity(added.len());
                let places = last.unwrap_or(0) + 1..;
                for ((place, job), (name, edit)) in places.zip(&jobs).zip(added) {
                    rows.push((
                        variants::id.eq(Uuid::now_v7()),
                        variants::job.eq(*job),
                        variants::cell_id.eq(cell),
                        variants::position.eq(place),
                        variants::name.eq(name),
                        variants::edit.eq(edit),
                    ));
                }
                diesel::insert_into(variants::table)
                    .values(rows)
                    .execute(connection)
                    .await?;
                Ok(Some(jobs))
            })
            .await
    }

    /// The variants of a cell, in their order.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn variants(&self, cell: Uuid) -> Result<Vec<KeptVariant>, StoreError> {
        type Row = (
            Uuid,
            String,
            Value,
            bool,
            bool,
            Option<String>,
            Option<Value>,
        );
        let rows: Vec<Row> = variants::table
            .filter(variants::cell_id.eq(cell))
            .order(variants::position)
            .select((
                variants::id,
                variants::name,
                variants::edit,
                variants::job.is_not_null(),
                variants::begun_at.is_not_null(),
                variants::fingerprint,
                variants::outcome,
            ))
            .load(&mut self.connection().await?)
            .await?;
        let kept = |(id, name, edit, wanted, begun, fingerprint, outcome): Row| KeptVariant {
            id,
            name,
            edit,
            wanted,
            begun: wanted && begun,
            fingerprint,
            outcome,
        };
        Ok(rows.into_iter().map(kept).collect())
    }

    /// All sweeps of variants that are wanted and that nobody has taken up: their cells and ids.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn wanted_variants(&self) -> Result<Vec<(Uuid, Uuid)>, StoreError> {
        let wanted = variants::table
            .order((variants::cell_id, variants::position))
            .select((variants::cell_id, variants::job.assume_not_null()))
            .filter(variants::job.is_not_null())
            .filter(variants::begun_at.is_null());
        Ok(wanted.load(&mut self.connection().await?).await?)
    }

    /// Wants those variants of a cell swept that were not on its state `fingerprint`. Answers the ids of the sweeps.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn want_variants(
        &self,
        cell: Uuid,
        fingerprint: &str,
    ) -> Result<Vec<Uuid>, StoreError> {
        let other = variants::fingerprint
            .is_distinct_from(fingerprint)
            .or(variants::outcome.is_null());
        let asked = variants::table
            .filter(variants::cell_id.eq(cell).and(variants::job.is_null()))
            .filter(other);
        let jobs: Vec<Option<Uuid>> = diesel::update(asked)
            .set((
                variants::job.eq(gen_random_uuid().nullable()),
                variants::attempts.eq(0),
                variants::begun_at.eq(None::<chrono::DateTime<Utc>>),
            ))
            .returning(variants::job)
            .get_results(&mut self.connection().await?)
            .await?;
        Ok(jobs.into_iter().flatten().collect())
    }

    /// Takes up the sweep `job` of a variant, unless it is no longer wanted or was taken up `most` times before.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn take_up_variant(
        &self,
        job: Uuid,
        most: i32,
    ) -> Result<(TakenUp, Option<WantedVariant>), StoreError> {
        let wanted = variants::table.filter(variants::job.eq(job));
        let mut connection = self.connection().await?;
        let row: Option<(i32, Uuid, String, Value)> = diesel::update(wanted)
            .set((
                variants::attempts.eq(variants::attempts + 1),
                variants::begun_at.eq(Utc::now()),
            ))
            .returning((
                variants::attempts,
                variants::cell_id,
                variants::name,
                variants::edit,
            ))
            .get_result(&mut connection)
            .await
            .optional()?;
        let Some((attempts, cell, name, edit)) = row else {
            return Ok((TakenUp::Gone, None));
        };
        if attempts > most {
            return Ok((TakenUp::TooOften, None));
        }
        let revision = cells::table.find(cell).select(cells::revision);
        let revision = revision.first(&mut connection).await?;
        let wanted = WantedVariant {
            name,
            edit,
            revision,
        };
        Ok((TakenUp::Yes, Some(wanted)))
    }

    /// Whether the sweep `job` of a variant is still wanted.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn is_variant_wanted(&self, job: Uuid) -> Result<bool, StoreError> {
        let wanted = variants::table.filter(variants::job.eq(job)).count();
        let wanted: i64 = wanted.get_result(&mut self.connection().await?).await?;
        Ok(wanted > 0)
    }

    /// Keeps what the sweep `job` of a variant came to on the state `fingerprint` of its cell, or on none where it was lost, unless
    /// nobody wants to know any longer.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_outcome(
        &self,
        job: Uuid,
        fingerprint: Option<&str>,
        outcome: &Value,
    ) -> Result<(), StoreError> {
        diesel::update(variants::table.filter(variants::job.eq(job)))
            .set((
                variants::job.eq(None::<Uuid>),
                variants::fingerprint.eq(fingerprint),
                variants::outcome.eq(outcome),
            ))
            .execute(&mut self.connection().await?)
            .await?;
        Ok(())
    }

    /// Wants no more sweeps of the variants of a cell. Answers which were wanted, `true` with those that somebody works on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn stop_variants(&self, cell: Uuid) -> Result<Vec<(Uuid, bool)>, StoreError> {
        let own = variants::table.filter(variants::cell_id.eq(cell));
        let mut connection = self.connection().await?;
        connection
            .transaction::<_, StoreError, _>(async |connection| {
                let wanted = own.filter(variants::job.is_not_null());
                let jobs: Vec<(Uuid, bool)> = wanted
                    .select((
                        variants::job.assume_not_null(),
                        variants::begun_at.is_not_null(),
                    ))
                    .for_update()
                    .load(connection)
                    .await?;
                let all = jobs.iter().map(|(job, _)| *job);
                diesel::update(variants::table.filter(variants::job.eq_any(all)))
                    .set(variants::job.eq(None::<Uuid>))
                    .execute(connection)
                    .await?;
                Ok(jobs)
            })
            .await
    }

    /// Deletes variants of a cell: one, or all. Answers how many that were, and their sweeps as above.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn delete_variants(
        &self,
        cell: Uuid,
        one: Option<Uuid>,
    ) -> Result<(usize, Vec<(Uuid, bool)>), StoreError> {
        let mut deleted = diesel::delete(variants::table)
            .filter(variants::cell_id.eq(cell))
            .into_boxed();
        if let Some(id) = one {
            deleted = deleted.filter(variants::id.eq(id));
        }
        let gone: Vec<(Option<Uuid>, bool)> = deleted
            .returning((variants::job, variants::begun_at.is_not_null()))
            .get_results(&mut self.connection().await?)
            .await?;
        let wanted = gone.iter().filter_map(|&(job, begun)| Some((job?, begun)));
        Ok((gone.len(), wanted.collect()))
    }
}

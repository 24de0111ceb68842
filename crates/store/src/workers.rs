//! Who does long work, on which host, and what keeps a job waiting.

use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Bool, Text, Uuid as SqlUuid};
use diesel_async::RunQueryDsl;
use serde::Serialize;
use uuid::Uuid;

use crate::lease::HEARTBEAT_STALE_SECONDS;
use crate::prepared::Prepare;
use crate::schema::{jobs, workers};
use crate::sql_functions::database_now;
use crate::working::FIRST_OF_ITS_PIN;
use crate::{Store, StoreError};

/// A process that does long work.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize)]
#[diesel(table_name = workers)]
pub struct WorkerRow {
    /// Identity, new each time it is started.
    pub id: Uuid,
    /// Name of its host.
    pub host: String,
    /// Number of its process there.
    pub process: i32,
    /// Kinds of jobs that it takes.
    pub kinds: Vec<String>,
    /// By these it holds jobs: as many as it does at once.
    pub lanes: Vec<Uuid>,
    /// Where its planes are.
    pub place: Option<Uuid>,
}

/// A worker, and how much it has to do.
#[derive(Clone, Debug, Serialize)]
pub struct BusyWorker {
    /// Which.
    #[serde(flatten)]
    pub worker: WorkerRow,
    /// When it was started.
    pub began_at: DateTime<Utc>,
    /// Lanes that are at work.
    pub busy: i64,
}

#[derive(QueryableByName)]
struct AtWork {
    #[diesel(sql_type = SqlUuid)]
    job: Uuid,
    #[diesel(sql_type = Text)]
    host: String,
}

impl Store {
    /// Says that a worker is there. Those that have not said so for a while are forgotten.
    pub async fn worker_is_there(&self, worker: &WorkerRow) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let silent = sql::<Bool>(&format!("seen_at < now() - interval '{HEARTBEAT_STALE_SECONDS} seconds'"));
        diesel::delete(workers::table.filter(silent)).prepared().execute(&mut connection).await?;
        diesel::insert_into(workers::table)
            .values(worker)
            .on_conflict(workers::id)
            .do_update()
            .set(workers::seen_at.eq(database_now().assume_not_null()))
            .prepared()
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// A worker ends.
    pub async fn worker_leaves(&self, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        diesel::delete(workers::table.filter(workers::id.eq(id))).execute(&mut connection).await?;
        Ok(())
    }

    /// The workers that are there, by host.
    pub async fn workers(&self) -> Result<Vec<BusyWorker>, StoreError> {
        let mut connection = self.connection().await?;
        let alive = sql::<Bool>(&format!("workers.seen_at > now() - interval '{HEARTBEAT_STALE_SECONDS} seconds'"));
        let busy = sql::<BigInt>(
            "(SELECT count(*) FROM jobs WHERE jobs.state = 'running' AND jobs.worker = ANY(workers.lanes))",
        );
        let rows: Vec<(WorkerRow, DateTime<Utc>, i64)> = workers::table
            .filter(alive)
            .order((workers::host, workers::began_at))
            .select((WorkerRow::as_select(), workers::began_at, busy))
            .load(&mut connection)
            .await?;
        Ok(rows.into_iter().map(|(worker, began_at, busy)| BusyWorker { worker, began_at, busy }).collect())
    }

    /// On which hosts the jobs that run are done, each host once; pieces count for their export.
    pub async fn hosts_at_work(&self) -> Result<Vec<(Uuid, String)>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<AtWork> = diesel::sql_query(
            "SELECT DISTINCT COALESCE((jobs.payload->>'export')::uuid, jobs.id) AS job, workers.host FROM jobs \
             JOIN workers ON jobs.worker = ANY (workers.lanes) WHERE jobs.state = 'running' ORDER BY workers.host",
        )
        .load(&mut connection)
        .await?;
        Ok(rows.into_iter().map(|AtWork { job, host }| (job, host)).collect())
    }

    /// Which of these jobs wait for earlier work on the same pin.
    pub async fn held_up(&self, ids: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
        let mut connection = self.connection().await?;
        let waiting = jobs::table.filter(jobs::id.eq_any(ids)).filter(jobs::state.eq("waiting"));
        let held_up = waiting.filter(diesel::dsl::not(sql::<Bool>(FIRST_OF_ITS_PIN)));
        Ok(held_up.select(jobs::id).load(&mut connection).await?)
    }
}

//! Doing a job: taken by one worker, taken again when that worker dies.

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use futures_util::try_join;
use serde_json::Value;
use uuid::Uuid;

use crate::events::{JOB_NEWS, JobNews, announce_job, announce_job_as};
use crate::lease::{HEARTBEAT_STALE_SECONDS, held, hold};
use crate::pieces::{PIECE, is_part_of};
use crate::prepared::Prepare;
use crate::rows::JobRow;
use crate::schema::{jobs, projects, shots};
use crate::shots::lock;
use crate::sql_functions::database_now;
use crate::{Job, Lease, Store, StoreError, places, samples};

/// A job that broke off this many times is not tried again.
pub const MAX_ATTEMPTS: i32 = 3;

/// Work on the same pin is done in the order in which it was asked for, never two at once: each builds on the samples
/// of the one before.
pub(crate) const FIRST_OF_ITS_PIN: &str = "NOT EXISTS (SELECT 1 FROM jobs AS older WHERE older.state IN ('waiting', 'running') \
     AND older.payload->>'pin' = jobs.payload->>'pin' AND older.created_at < jobs.created_at)";

/// Who looks for work.
#[derive(Clone, Copy, Debug)]
pub struct Seeker {
    /// By this the job is going to be held.
    pub lane: Uuid,
    /// Where its planes are, if they lie apart from those of others.
    pub place: Option<Uuid>,
}

impl Seeker {
    /// One to whom all clips are equally near.
    pub fn anywhere(lane: Uuid) -> Self {
        Self { lane, place: None }
    }
}

impl Store {
    /// Takes the oldest job of these kinds that waits, or whose worker has died; rather one whose planes are at hand
    /// ([`crate::places`]). A job that broke off too often is failed instead.
    pub async fn claim(&self, seeker: Seeker, kinds: &[&str]) -> Result<Option<(Job, Lease)>, StoreError> {
        self.claim_among(seeker, kinds, None).await
    }

    /// Takes a piece of this export.
    pub async fn claim_piece(&self, seeker: Seeker, export: Uuid) -> Result<Option<(Job, Lease)>, StoreError> {
        self.claim_among(seeker, &[PIECE], Some(export)).await
    }

    async fn claim_among(
        &self,
        seeker: Seeker,
        kinds: &[&str],
        part_of: Option<Uuid>,
    ) -> Result<Option<(Job, Lease)>, StoreError> {
        let mut connection = self.connection().await?;
        let claimed: Option<JobRow> = connection
            .transaction(async |connection| {
                let orphaned = sql::<Bool>(&format!(
                    "(state = 'running' AND heartbeat < now() - interval '{HEARTBEAT_STALE_SECONDS} seconds')"
                ));
                let next: Option<JobRow> = jobs::table
                    .filter(jobs::kind.eq_any(kinds))
                    .filter(jobs::state.eq("waiting").or(orphaned))
                    .filter(sql::<Bool>(FIRST_OF_ITS_PIN))
                    .filter(is_part_of(part_of))
                    .filter(seeker.place.map_or_else(|| sql("TRUE"), places::may_be_taken_at))
                    .order(seeker.place.map_or_else(|| sql("jobs.created_at"), places::nearness))
                    .select(JobRow::as_select())
                    .for_update()
                    .skip_locked()
                    .limit(1)
                    .prepared()
                    .get_result(connection)
                    .await
                    .optional()?;
                let Some(next) = next else { return Ok::<_, StoreError>(None) };
                if next.attempts >= MAX_ATTEMPTS {
                    let why = "It broke off three times and is not tried again.";
                    end(connection, next.id, "failed", None, Some(why)).await?;
                    return Ok(None);
                }
                let taken = (
                    jobs::state.eq("running"),
                    jobs::attempts.eq(jobs::attempts + 1),
                    jobs::worker.eq(seeker.lane),
                    jobs::heartbeat.eq(database_now()),
                    jobs::problem.eq(None::<String>),
                );
                let job = diesel::update(jobs::table.filter(jobs::id.eq(next.id)));
                let row: JobRow =
                    job.set(taken).returning(JobRow::as_returning()).prepared().get_result(connection).await?;
                let news = (row.id, row.project_id, row.shot_id, row.state.clone(), row.progress.clone());
                announce_job_as(connection, news).await?;
                Ok(Some(row))
            })
            .await?;
        let with_lease = |row: JobRow| {
            let lease = Lease { job: row.id, worker: seeker.lane, attempt: row.attempts };
            Ok((Job::try_from(row)?, lease))
        };
        claimed.map(with_lease).transpose()
    }

    /// Says that the worker is still at the job. `false` when it should stop: somebody cancelled the job, or the lease
    /// is lost.
    pub async fn heartbeat(&self, lease: &Lease) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let alive = diesel::update(held!(lease)).set(jobs::heartbeat.eq(database_now()));
        let cancel: Option<bool> =
            alive.returning(jobs::cancel).prepared().get_result(&mut connection).await.optional()?;
        Ok(cancel == Some(false))
    }

    /// Whether the lease is still held.
    pub async fn is_held(&self, lease: &Lease) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let row: Option<Uuid> = held!(lease).select(jobs::id).first(&mut connection).await.optional()?;
        Ok(row.is_some())
    }

    /// Takes note of how far a job has come, and tells those who watch.
    pub async fn job_progress(&self, lease: &Lease, progress: &Value) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let update = diesel::update(held!(lease)).set(jobs::progress.eq(progress)).returning(JOB_NEWS);
        let news: Option<JobNews> = update.prepared().get_result(&mut connection).await.optional()?;
        announce_job_as(&connection, news.ok_or(StoreError::LostLease)?).await
    }

    /// Ends a job well.
    pub async fn job_done(&self, lease: &Lease, result: Value) -> Result<(), StoreError> {
        self.end_held(lease, "done", Some(result), None).await
    }

    /// Ends a job badly.
    pub async fn job_failed(&self, lease: &Lease, problem: &str) -> Result<(), StoreError> {
        self.end_held(lease, "failed", None, Some(problem)).await
    }

    /// Ends a job that somebody stopped.
    pub async fn job_cancelled(&self, lease: &Lease) -> Result<(), StoreError> {
        self.end_held(lease, "cancelled", None, None).await
    }

    /// Gives a job back that broke off for a reason that may pass; after [`MAX_ATTEMPTS`] it fails. `true` when it is
    /// tried again.
    pub async fn job_again(&self, lease: &Lease, problem: &str) -> Result<bool, StoreError> {
        if lease.attempt >= MAX_ATTEMPTS {
            let problem = format!("{problem} It was tried {MAX_ATTEMPTS} times.");
            return self.job_failed(lease, &problem).await.map(|()| false);
        }
        let mut connection = self.connection().await?;
        let waiting = diesel::update(held!(lease)).set((jobs::state.eq("waiting"), jobs::worker.eq(None::<Uuid>)));
        if waiting.execute(&mut connection).await? == 0 {
            return Err(StoreError::LostLease);
        }
        announce_job(&connection, lease.job).await.map(|()| true)
    }

    /// Gives a job back that cannot be done for a reason that has nothing to do with it. That is no attempt.
    pub async fn job_waits(&self, lease: &Lease, problem: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let waits = (
            jobs::state.eq("waiting"),
            jobs::worker.eq(None::<Uuid>),
            jobs::attempts.eq(jobs::attempts - 1),
            jobs::problem.eq(problem),
        );
        if diesel::update(held!(lease)).set(waits).execute(&mut connection).await? == 0 {
            return Err(StoreError::LostLease);
        }
        announce_job(&connection, lease.job).await
    }

    async fn end_held(
        &self,
        lease: &Lease,
        state: &str,
        result: Option<Value>,
        problem: Option<&str>,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let followed = pin_of(connection, lease.job).await?;
                if let Some((shot, _)) = followed {
                    lock(connection, shot).await?;
                }
                let rows = async {
                    let Some(place) = followed else { return Ok(Vec::new()) };
                    samples::of_pin(connection, place).await
                };
                let (_, rows) = try_join!(hold(connection, lease), rows)?;
                samples::compact(connection, rows).await?;
                end(connection, lease.job, state, result, problem).await
            })
            .await
    }
}

/// The shot and the pin that a job is about, if it is about one that is there.
async fn pin_of(connection: &mut AsyncPgConnection, job: Uuid) -> Result<Option<(Uuid, Uuid)>, StoreError> {
    let about = jobs::table.filter(jobs::id.eq(job)).inner_join(shots::table.inner_join(projects::table));
    let living = about.filter(projects::deleted_at.is_null()).select((shots::id, jobs::payload));
    let found: Option<(Uuid, Value)> = living.first(connection).await.optional()?;
    let pin = |payload: &Value| Uuid::parse_str(payload.get("pin")?.as_str()?).ok();
    Ok(found.and_then(|(shot, payload)| Some((shot, pin(&payload)?))))
}

/// Ends a job; a clip that it should have prepared, and did not, cannot be used.
async fn end(
    connection: &mut AsyncPgConnection,
    job: Uuid,
    state: &str,
    result: Option<Value>,
    problem: Option<&str>,
) -> Result<(), StoreError> {
    let values =
        (jobs::state.eq(state), jobs::result.eq(result), jobs::problem.eq(problem), jobs::ended_at.eq(database_now()));
    let ended = diesel::update(jobs::table.filter(jobs::id.eq(job))).set(values).returning(JOB_NEWS);
    let news: JobNews = ended.prepared().get_result(connection).await?;
    if state != "done" {
        crate::clips::give_up(connection, job, problem.unwrap_or("Preparing was stopped.")).await?;
    }
    try_join!(crate::pieces::forget(connection, job), announce_job_as(connection, news)).map(|_| ())
}

//! Long work as rows: asked for, watched, stopped. How it is done: [`crate::lease`].

use chrono::{DateTime, Utc};
use diesel::dsl::{count_star, sql};
use diesel::expression::SqlLiteral;
use diesel::prelude::*;
use diesel::sql_types::{Nullable, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::events::announce_job;
use crate::rows::JobRow;
use crate::schema::{clips, jobs, projects, shots};
use crate::{Store, StoreError};

/// How far a job is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum JobState {
    /// Nobody has taken it yet.
    Waiting,
    /// A worker is at it.
    Running,
    /// It is finished.
    Done,
    /// It could not be finished; its problem says why.
    Failed,
    /// Somebody stopped it.
    Cancelled,
}

/// A piece of long work.
#[derive(Clone, Debug, Serialize)]
pub struct Job {
    /// Identity.
    pub id: Uuid,
    /// For which project.
    pub project_id: Uuid,
    /// About which shot.
    pub shot_id: Option<Uuid>,
    /// About which clip.
    pub clip_id: Option<Uuid>,
    /// What kind of work.
    pub kind: String,
    /// What exactly is to be done.
    pub payload: Value,
    /// How far it is.
    pub state: JobState,
    /// How far it has come.
    pub progress: Value,
    /// What came out.
    pub result: Option<Value>,
    /// Why it could not be finished.
    pub problem: Option<String>,
    /// How often it was taken.
    pub attempts: i32,
    /// Whether somebody wants it stopped.
    pub cancel: bool,
    /// When it was asked for.
    pub created_at: DateTime<Utc>,
    /// When it ended.
    pub ended_at: Option<DateTime<Utc>>,
}

/// Work to be done.
#[derive(Clone, Debug)]
pub struct NewJob {
    /// For which project.
    pub project: Uuid,
    /// About which shot.
    pub shot: Option<Uuid>,
    /// About which clip.
    pub clip: Option<Uuid>,
    /// What kind of work.
    pub kind: String,
    /// What exactly is to be done.
    pub payload: Value,
}

impl TryFrom<JobRow> for Job {
    type Error = StoreError;
    fn try_from(row: JobRow) -> Result<Self, StoreError> {
        let state = match row.state.as_str() {
            "running" => JobState::Running,
            "done" => JobState::Done,
            "failed" => JobState::Failed,
            "cancelled" => JobState::Cancelled,
            _ => JobState::Waiting,
        };
        Ok(Self {
            id: row.id,
            project_id: row.project_id,
            shot_id: row.shot_id,
            clip_id: row.clip_id,
            kind: row.kind,
            payload: row.payload,
            state,
            progress: row.progress,
            result: row.result,
            problem: row.problem,
            attempts: row.attempts,
            cancel: row.cancel,
            created_at: row.created_at,
            ended_at: row.ended_at,
        })
    }
}

/// The database's clock: the only one that all workers share.
pub(crate) fn database_now() -> SqlLiteral<Nullable<Timestamptz>> {
    sql("now()")
}

pub(crate) async fn insert(connection: &mut AsyncPgConnection, job: NewJob) -> Result<Uuid, StoreError> {
    let id = Uuid::new_v4();
    let values = (
        jobs::id.eq(id),
        jobs::project_id.eq(job.project),
        jobs::shot_id.eq(job.shot),
        jobs::clip_id.eq(job.clip),
        jobs::kind.eq(job.kind),
        jobs::payload.eq(job.payload),
    );
    diesel::insert_into(jobs::table).values(values).execute(connection).await?;
    announce_job(connection, id).await?;
    Ok(id)
}

pub(crate) async fn ask_to_cancel(connection: &mut AsyncPgConnection, id: Uuid) -> Result<(), StoreError> {
    let waiting = jobs::table.filter(jobs::id.eq(id)).filter(jobs::state.eq("waiting"));
    let ended = (jobs::state.eq("cancelled"), jobs::cancel.eq(true), jobs::ended_at.eq(database_now()));
    if diesel::update(waiting).set(ended).execute(connection).await? > 0 {
        crate::clips::give_up(connection, id, "Preparing was stopped.").await?;
    }
    let running = jobs::table.filter(jobs::id.eq(id)).filter(jobs::state.eq("running"));
    diesel::update(running).set(jobs::cancel.eq(true)).execute(connection).await?;
    announce_job(connection, id).await
}

impl Store {
    /// Asks for work to be done.
    pub async fn enqueue(&self, job: NewJob) -> Result<Uuid, StoreError> {
        let mut connection = self.connection().await?;
        connection.transaction(async |connection| insert(connection, job).await).await
    }

    /// Asks for work on a clip to be done, unless somebody has asked for the same already and it is not done yet.
    pub async fn enqueue_once(&self, job: NewJob) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                // Who asks at the same time waits here, and sees what came of it.
                let clip = clips::table.filter(clips::id.nullable().eq(job.clip)).select(clips::id).for_update();
                clip.first::<Uuid>(connection).await.optional()?.ok_or(StoreError::NotFound("clip"))?;
                let same = jobs::table
                    .filter(jobs::clip_id.eq(job.clip))
                    .filter(jobs::kind.eq(&job.kind))
                    .filter(jobs::payload.eq(&job.payload))
                    .filter(jobs::state.eq_any(["waiting", "running"]));
                let asked: i64 = same.count().get_result(connection).await?;
                if asked == 0 {
                    insert(connection, job).await?;
                }
                Ok(())
            })
            .await
    }

    /// One job.
    pub async fn job(&self, id: Uuid) -> Result<Job, StoreError> {
        let mut connection = self.connection().await?;
        let found = jobs::table.filter(jobs::id.eq(id)).select(JobRow::as_select());
        let row: Option<JobRow> = found.first(&mut connection).await.optional()?;
        row.ok_or(StoreError::NotFound("job"))?.try_into()
    }

    /// The newest jobs about a shot, newest first.
    pub async fn shot_jobs(&self, shot: Uuid, most: i64) -> Result<Vec<Job>, StoreError> {
        let mut connection = self.connection().await?;
        let found = jobs::table.filter(jobs::shot_id.eq(shot)).order(jobs::created_at.desc()).limit(most);
        let rows: Vec<JobRow> = found.select(JobRow::as_select()).load(&mut connection).await?;
        rows.into_iter().map(Job::try_from).collect()
    }

    /// The newest jobs that write the film of a whole project, newest first.
    pub async fn project_films(&self, project: Uuid, most: i64) -> Result<Vec<Job>, StoreError> {
        let mut connection = self.connection().await?;
        let own = jobs::table.filter(jobs::project_id.eq(project)).filter(jobs::kind.eq("sequence"));
        let newest = own.order(jobs::created_at.desc()).limit(most);
        let rows: Vec<JobRow> = newest.select(JobRow::as_select()).load(&mut connection).await?;
        rows.into_iter().map(Job::try_from).collect()
    }

    /// The newest jobs of all projects, newest first: each with the names of its project and of the shot or clip that it is about.
    pub async fn newest_jobs(&self, most: i64) -> Result<Vec<(Job, String, Option<String>)>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<(JobRow, String, Option<String>, Option<String>)> = jobs::table
            .inner_join(projects::table.on(projects::id.eq(jobs::project_id)))
            .left_join(shots::table.on(shots::id.nullable().eq(jobs::shot_id)))
            .left_join(clips::table.on(clips::id.nullable().eq(jobs::clip_id)))
            .order(jobs::created_at.desc())
            .limit(most)
            .select((JobRow::as_select(), projects::name, shots::name.nullable(), clips::name.nullable()))
            .load(&mut connection)
            .await?;
        rows.into_iter().map(|(row, project, shot, clip)| Ok((Job::try_from(row)?, project, shot.or(clip)))).collect()
    }

    /// How many jobs there are of each kind and state.
    pub async fn job_counts(&self) -> Result<Vec<(String, String, i64)>, StoreError> {
        let mut connection = self.connection().await?;
        let groups = jobs::table.group_by((jobs::kind, jobs::state));
        Ok(groups.select((jobs::kind, jobs::state, count_star())).load(&mut connection).await?)
    }

    /// Asks for a job to be stopped. One that nobody has taken yet ends at once.
    pub async fn cancel_job(&self, job: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection.transaction(async |connection| ask_to_cancel(connection, job).await).await
    }
}

//! A piece of long work as a row.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::StoreError;
use crate::events::announce_job;
use crate::rows::JobRow;
use crate::schema::jobs;

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

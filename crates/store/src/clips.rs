//! Clips: films as they came in.

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::events::announce;
use crate::lease::hold;
use crate::schema::{clips, jobs, shots};
use crate::{Event, Lease, NewJob, NewShot, Store, StoreError};

/// How far a clip is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum ClipState {
    /// Its pictures and planes are being made.
    Preparing,
    /// All of it is there.
    Ready,
    /// It cannot be used; its problem says why.
    Failed,
}

/// A film file.
#[derive(Clone, Debug, Queryable, Selectable, Serialize)]
#[diesel(table_name = clips)]
pub struct Clip {
    /// Identity.
    pub id: Uuid,
    /// In which project.
    pub project_id: Uuid,
    /// Name of the file as it came in.
    pub name: String,
    /// Its length.
    pub bytes: i64,
    #[diesel(column_name = state)]
    state_word: String,
    /// What the media crate knows of it.
    pub info: Value,
    /// Its frame times, as the media crate wrote them.
    pub frames: Value,
    /// Frames whose pictures and planes are there.
    pub prepared: i32,
    /// First frame of every shot but the first.
    pub cuts: Vec<i32>,
    /// How far the picture as a whole moved since the frame before, in pixels, one number a frame.
    pub speeds: Vec<f32>,
    /// What a person should know of it.
    pub remarks: Vec<String>,
    /// Why it cannot be used.
    pub problem: Option<String>,
}

impl Clip {
    pub(crate) fn is_at(&self, state: &str, prepared: i32) -> bool {
        self.state_word == state && self.prepared == prepared
    }

    /// How far it is.
    pub fn state(&self) -> ClipState {
        match self.state_word.as_str() {
            "ready" => ClipState::Ready,
            "failed" => ClipState::Failed,
            _ => ClipState::Preparing,
        }
    }
}

/// A clip that has just come in.
#[derive(Clone, Debug)]
pub struct NewClip<'a> {
    /// Identity, chosen by the caller, whose files carry it already.
    pub id: Uuid,
    /// In which project.
    pub project: Uuid,
    /// Name of the file as it came in.
    pub name: &'a str,
    /// Its length.
    pub bytes: u64,
    /// What the media crate knows of it.
    pub info: Value,
    /// Its frame times.
    pub frames: Value,
    /// What a person should know of it.
    pub remarks: Vec<String>,
}

/// What preparing a clip has found.
#[derive(Clone, Debug)]
pub struct ReadyClip {
    /// Its frame times, made sure of.
    pub frames: Value,
    /// How many frames it has.
    pub count: u32,
    /// First frame of every shot but the first.
    pub cuts: Vec<i32>,
    /// How far the picture as a whole moved since the frame before, in pixels.
    pub speeds: Vec<f32>,
    /// What a person should know of it.
    pub remarks: Vec<String>,
}

impl Store {
    /// Takes note of a clip whose pictures are still to be made, with a shot of all of it and the job that makes them:
    /// all of it or nothing.
    /// The identities of shot and job.
    pub async fn bring_in(
        &self,
        clip: NewClip<'_>,
        shot: NewShot<'_>,
        job: NewJob,
    ) -> Result<(Uuid, Uuid), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                crate::projects::living(connection, clip.project).await?;
                insert(connection, clip).await?;
                let shot = crate::shots::insert(connection, shot).await?;
                Ok((shot, crate::job::insert(connection, job).await?))
            })
            .await
    }

    /// Prepares a clip once more that could not be prepared; one that is ready, or at work, stays as it is.
    pub async fn prepare_again(&self, id: Uuid, job: NewJob) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let failed = clips::table.filter(clips::id.eq(id)).filter(clips::state.eq("failed"));
                let values = (clips::state.eq("preparing"), clips::prepared.eq(0), clips::problem.eq(None::<String>));
                let changed = diesel::update(failed).set(values).returning(Clip::as_returning());
                let Some(clip) = changed.get_result(connection).await.optional()? else { return Ok(()) };
                crate::job::insert(connection, job).await?;
                tell(connection, &clip).await
            })
            .await
    }

    /// One clip.
    pub async fn clip(&self, id: Uuid) -> Result<Clip, StoreError> {
        let mut connection = self.connection().await?;
        let found = clips::table.filter(clips::id.eq(id)).select(Clip::as_select());
        found.first(&mut connection).await.optional()?.ok_or(StoreError::NotFound("clip"))
    }

    /// The clips of a project, in the order they came in.
    pub async fn clips(&self, project: Uuid) -> Result<Vec<Clip>, StoreError> {
        let mut connection = self.connection().await?;
        let found = clips::table.filter(clips::project_id.eq(project)).order(clips::created_at);
        Ok(found.select(Clip::as_select()).load(&mut connection).await?)
    }

    /// Takes note of how many frames are prepared.
    pub async fn clip_progress(&self, lease: &Lease, id: Uuid, prepared: u32) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                hold(connection, lease).await?;
                let update = diesel::update(clips::table.filter(clips::id.eq(id)));
                let changed = update.set(clips::prepared.eq(prepared as i32)).returning(Clip::as_returning());
                let clip = changed.get_result(connection).await?;
                tell(connection, &clip).await
            })
            .await
    }

    /// Takes note that a clip is wholly prepared. Shots that reach beyond it end with it: fewer frames were decoded
    /// than announced.
    pub async fn clip_ready(&self, lease: &Lease, id: Uuid, ready: ReadyClip) -> Result<(), StoreError> {
        let values = (
            clips::state.eq("ready"),
            clips::frames.eq(ready.frames),
            clips::prepared.eq(ready.count as i32),
            clips::cuts.eq(ready.cuts),
            clips::speeds.eq(ready.speeds),
            clips::remarks.eq(ready.remarks),
            clips::problem.eq(None::<String>),
        );
        let last = ready.count.saturating_sub(1) as i32;
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                hold(connection, lease).await?;
                let beyond = shots::table.filter(shots::clip_id.eq(id)).filter(shots::last_frame.gt(last));
                diesel::update(beyond).set(shots::last_frame.eq(last)).execute(connection).await?;
                let update = diesel::update(clips::table.filter(clips::id.eq(id)));
                let changed = update.set(values).returning(Clip::as_returning());
                let clip = changed.get_result(connection).await?;
                tell(connection, &clip).await
            })
            .await
    }
}

async fn insert(connection: &mut AsyncPgConnection, clip: NewClip<'_>) -> Result<(), StoreError> {
    let values = (
        clips::id.eq(clip.id),
        clips::project_id.eq(clip.project),
        clips::name.eq(clip.name),
        clips::bytes.eq(i64::try_from(clip.bytes).unwrap_or(i64::MAX)),
        clips::state.eq("preparing"),
        clips::info.eq(clip.info),
        clips::frames.eq(clip.frames),
        clips::remarks.eq(clip.remarks),
    );
    diesel::insert_into(clips::table).values(values).execute(connection).await?;
    Ok(())
}

/// Takes note that the clip that a job should have prepared cannot be used, and why. One that was ready stays ready.
pub(crate) async fn give_up(connection: &mut AsyncPgConnection, job: Uuid, why: &str) -> Result<(), StoreError> {
    let of_job = jobs::table
        .filter(jobs::id.eq(job))
        .filter(jobs::kind.eq("prepare"))
        .filter(sql::<Bool>("coalesce(payload->>'colour', 'false') = 'false'"));
    let clip: Option<Option<Uuid>> = of_job.select(jobs::clip_id).first(connection).await.optional()?;
    let Some(id) = clip.flatten() else { return Ok(()) };
    let preparing = clips::table.filter(clips::id.eq(id)).filter(clips::state.eq("preparing"));
    let update = diesel::update(preparing).set((clips::state.eq("failed"), clips::problem.eq(Some(why))));
    match update.returning(Clip::as_returning()).get_result(connection).await.optional()? {
        Some(clip) => tell(connection, &clip).await,
        None => Ok(()),
    }
}

async fn tell(connection: &mut AsyncPgConnection, clip: &Clip) -> Result<(), StoreError> {
    let prepared = clip.prepared.max(0) as u32;
    announce(connection, &Event::Clip { clip: clip.id, project: clip.project_id, prepared }).await
}

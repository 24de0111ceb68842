//! Clips: films as they came in.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::events::announce;
use crate::schema::clips;
use crate::{Event, Store, StoreError};

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
    /// Takes note of a clip whose pictures are still to be made.
    pub async fn create_clip(&self, clip: NewClip<'_>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
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
        diesel::insert_into(clips::table).values(values).execute(&mut connection).await?;
        Ok(())
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

    /// Takes a clip away, with its shots.
    pub async fn delete_clip(&self, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        diesel::delete(clips::table.filter(clips::id.eq(id))).execute(&mut connection).await?;
        Ok(())
    }

    /// Takes note of how many frames are prepared.
    pub async fn clip_progress(&self, id: Uuid, prepared: u32) -> Result<(), StoreError> {
        let update = diesel::update(clips::table.filter(clips::id.eq(id)));
        self.update_clip(update.set(clips::prepared.eq(prepared as i32)).returning(Clip::as_returning())).await
    }

    /// Takes note that a clip is wholly prepared.
    pub async fn clip_ready(&self, id: Uuid, ready: ReadyClip) -> Result<(), StoreError> {
        let values = (
            clips::state.eq("ready"),
            clips::frames.eq(ready.frames),
            clips::prepared.eq(ready.count as i32),
            clips::cuts.eq(ready.cuts),
            clips::speeds.eq(ready.speeds),
            clips::remarks.eq(ready.remarks),
            clips::problem.eq(None::<String>),
        );
        let update = diesel::update(clips::table.filter(clips::id.eq(id)));
        self.update_clip(update.set(values).returning(Clip::as_returning())).await
    }

    /// Takes note that a clip cannot be used, and why.
    pub async fn clip_failed(&self, id: Uuid, problem: &str) -> Result<(), StoreError> {
        let values = (clips::state.eq("failed"), clips::problem.eq(Some(problem)));
        let update = diesel::update(clips::table.filter(clips::id.eq(id)));
        self.update_clip(update.set(values).returning(Clip::as_returning())).await
    }

    async fn update_clip<'a, Q>(&self, update: Q) -> Result<(), StoreError>
    where
        Q: diesel_async::methods::LoadQuery<'a, diesel_async::AsyncPgConnection, Clip> + Send + 'a,
    {
        let mut connection = self.connection().await?;
        let changed: Option<Clip> = update.get_result(&mut connection).await.optional()?;
        let clip = changed.ok_or(StoreError::NotFound("clip"))?;
        let prepared = clip.prepared.max(0) as u32;
        announce(&mut connection, &Event::Clip { clip: clip.id, project: clip.project_id, prepared }).await
    }
}

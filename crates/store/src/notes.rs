//! Notes on frames: what somebody wants of them, answered and done.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::events::announce;
use crate::schema::{notes, shots};
use crate::sql_functions::database_now;
use crate::{Event, Store, StoreError};

/// Notes that a shot may have, and answers that a note may have: nobody works through more.
const MOST: i64 = 500;

/// Where in the picture, in its pixels.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mark {
    /// The place that is meant.
    pub at: [f64; 2],
    /// Where the arrow begins that points at it.
    pub from: Option<[f64; 2]>,
}

/// What somebody wants of a frame.
#[derive(Clone, Debug)]
pub struct NewNote<'a> {
    /// Which.
    pub frame: u32,
    /// Where in it.
    pub mark: Option<Mark>,
    /// Who.
    pub author: &'a str,
    /// In words.
    pub text: &'a str,
}

/// A note, with what was answered.
#[derive(Clone, Debug, Queryable, Selectable, Serialize)]
#[diesel(table_name = notes)]
pub struct Note {
    /// Identity.
    pub id: Uuid,
    /// On which frame.
    pub frame: i32,
    /// Where in it: a [`Mark`].
    pub mark: Option<Value>,
    /// Who wrote it.
    pub author: String,
    /// What they want.
    pub text: String,
    /// What was answered: author, text and time of each, in order.
    pub answers: Value,
    /// When it was written.
    pub made_at: DateTime<Utc>,
    /// When it was done.
    pub done_at: Option<DateTime<Utc>>,
}

impl Store {
    /// The notes of a shot, by frame.
    pub async fn notes(&self, shot: Uuid) -> Result<Vec<Note>, StoreError> {
        let mut connection = self.connection().await?;
        let of = notes::table.filter(notes::shot_id.eq(shot)).order((notes::frame, notes::made_at));
        Ok(of.select(Note::as_select()).load(&mut connection).await?)
    }

    /// Writes a note on a frame of a shot.
    pub async fn add_note(&self, shot: Uuid, new: NewNote<'_>) -> Result<Uuid, StoreError> {
        let mut connection = self.connection().await?;
        let mark = new.mark.map(serde_json::to_value).transpose()?;
        connection
            .transaction(async |connection| {
                // Who writes at the same time waits here: the count holds.
                let of = shots::table.filter(shots::id.eq(shot)).select((shots::first_frame, shots::last_frame));
                let range = of.for_update().first(connection).await.optional()?;
                let (first, last): (i32, i32) = range.ok_or(StoreError::NotFound("shot"))?;
                let frame = i32::try_from(new.frame).unwrap_or(i32::MAX);
                if !(first..=last).contains(&frame) {
                    return Err(StoreError::NotFound("frame"));
                }
                let there = notes::table.filter(notes::shot_id.eq(shot));
                let count: i64 = there.count().get_result(connection).await?;
                enough(count)?;
                let id = Uuid::new_v4();
                let values = (
                    (notes::id.eq(id), notes::shot_id.eq(shot), notes::frame.eq(frame), notes::mark.eq(mark)),
                    (notes::author.eq(new.author), notes::text.eq(new.text)),
                );
                diesel::insert_into(notes::table).values(values).execute(connection).await?;
                announce(connection, &Event::Notes { shot }).await?;
                Ok(id)
            })
            .await
    }

    /// Answers a note of a shot.
    pub async fn answer_note(&self, shot: Uuid, id: Uuid, author: &str, text: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let row = of(shot, id).select(notes::answers).for_update();
                let answers: Option<Value> = row.first(connection).await.optional()?;
                let mut answers: Vec<Value> = serde_json::from_value(answers.ok_or(StoreError::NotFound("note"))?)?;
                enough(answers.len() as i64)?;
                answers.push(json!({ "author": author, "text": text, "at": Utc::now() }));
                let update = diesel::update(of(shot, id)).set(notes::answers.eq(json!(answers)));
                update.execute(connection).await?;
                announce(connection, &Event::Notes { shot }).await
            })
            .await
    }

    /// Says that a note of a shot is done, or is not.
    pub async fn set_note_done(&self, shot: Uuid, id: Uuid, done: bool) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let row = diesel::update(of(shot, id));
                let changed = if done {
                    row.set(notes::done_at.eq(database_now())).execute(connection).await?
                } else {
                    row.set(notes::done_at.eq(None::<DateTime<Utc>>)).execute(connection).await?
                };
                told(connection, shot, changed).await
            })
            .await
    }

    /// Takes a note of a shot away.
    pub async fn remove_note(&self, shot: Uuid, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let gone = diesel::delete(of(shot, id)).execute(connection).await?;
                told(connection, shot, gone).await
            })
            .await
    }
}

type OfShot = diesel::dsl::Filter<
    diesel::dsl::Filter<notes::table, diesel::dsl::Eq<notes::shot_id, Uuid>>,
    diesel::dsl::Eq<notes::id, Uuid>,
>;

fn of(shot: Uuid, id: Uuid) -> OfShot {
    notes::table.filter(notes::shot_id.eq(shot)).filter(notes::id.eq(id))
}

async fn told(connection: &mut AsyncPgConnection, shot: Uuid, changed: usize) -> Result<(), StoreError> {
    if changed == 0 {
        return Err(StoreError::NotFound("note"));
    }
    announce(connection, &Event::Notes { shot }).await
}

fn enough(count: i64) -> Result<(), StoreError> {
    let why = format!("there are {MOST} already: take some away first");
    (count < MOST).then_some(()).ok_or(StoreError::InUse(why))
}

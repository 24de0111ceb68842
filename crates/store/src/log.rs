//! The edit log: every change of a shot with its inverse, in the same transaction as the change itself.

use std::collections::BTreeSet;

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use jampin_core::document::Shot;
use jampin_core::edit::{Edit, EditError};
use serde::Serialize;
use uuid::Uuid;

use crate::events::announce;
use crate::prepared::Prepare;
use crate::rows::{LogRow, ShotRow};
use crate::schema::{log, people, shots};
use crate::shots::{document, lock, parsed};
use crate::{Event, NewJob, Store, StoreError, changes, log_parts, samples};

/// What became of an edit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Edited {
    /// The shot's revision now.
    pub revision: i64,
}

/// An entry of the log, for showing.
#[derive(Clone, Debug, Serialize)]
pub struct LogEntry {
    /// Its number, counted from 1.
    pub number: i64,
    /// What it was, in words.
    pub title: String,
    /// When it was made.
    pub made_at: DateTime<Utc>,
    /// Whether it is in force, not undone.
    pub in_force: bool,
    /// Name of whoever made it, where that is known.
    pub by: Option<String>,
}

impl Store {
    /// Makes an edit, if what it is about is as it was at the revision it was made for.
    pub async fn edit(&self, shot: Uuid, revision: i64, title: &str, edit: &Edit) -> Result<Edited, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let mut row = lock(connection, shot).await?;
                changes::fits(connection, &row, revision, edit, &parsed(&row)?).await?;
                push(connection, &mut row, title, edit, (None, self.person)).await
            })
            .await
    }

    /// Starts a job that will add samples under one entry of the log, so that one undo takes all of it back. `edit` is
    /// made at once.
    pub async fn edit_with_job(
        &self,
        shot: Uuid,
        revision: i64,
        title: &str,
        edit: &Edit,
        job: NewJob,
    ) -> Result<(Edited, Uuid), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let mut row = lock(connection, shot).await?;
                changes::fits(connection, &row, revision, edit, &parsed(&row)?).await?;
                let job = crate::job::insert(connection, job).await?;
                let edited = push(connection, &mut row, title, edit, (Some(job), self.person)).await?;
                Ok((edited, job))
            })
            .await
    }

    /// Takes the newest edit back; a job that still adds to it is cancelled.
    pub async fn undo(&self, shot: Uuid, revision: i64) -> Result<Edited, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let mut row = lock(connection, shot).await?;
                fresh(&row, revision)?;
                let entry = entry(connection, shot, row.log_head).await?.ok_or(StoreError::NothingTo("undo"))?;
                if let Some(job) = entry.job_id {
                    crate::jobs::ask_to_cancel(connection, job).await?;
                }
                let inverse = log_parts::inverse(connection, &entry).await?;
                let (again, about) = apply(connection, &mut row, &inverse, Edit::again).await?;
                let of_entry = log::table.filter(log::shot_id.eq(shot)).filter(log::number.eq(entry.number));
                diesel::update(of_entry).set(log::edit.eq(serde_json::to_value(again)?)).execute(connection).await?;
                save(connection, &row, row.log_head - 1, &about).await
            })
            .await
    }

    /// Makes the newest undone edit again.
    pub async fn redo(&self, shot: Uuid, revision: i64) -> Result<Edited, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let mut row = lock(connection, shot).await?;
                fresh(&row, revision)?;
                let entry = entry(connection, shot, row.log_head + 1).await?.ok_or(StoreError::NothingTo("redo"))?;
                let edit: Edit = serde_json::from_value(entry.edit.ok_or(StoreError::NothingTo("redo"))?)?;
                let (_, about) = apply(connection, &mut row, &edit, Edit::again).await?;
                save(connection, &row, row.log_head + 1, &about).await
            })
            .await
    }

    /// The log of a shot, newest first.
    pub async fn log(&self, shot: Uuid, most: i64) -> Result<Vec<LogEntry>, StoreError> {
        let mut connection = self.connection().await?;
        let head: i64 = shots::table.filter(shots::id.eq(shot)).select(shots::log_head).first(&mut connection).await?;
        let rows: Vec<(i64, String, DateTime<Utc>, Option<String>)> = log::table
            .left_join(people::table.on(people::id.nullable().eq(log::person_id)))
            .filter(log::shot_id.eq(shot))
            .order(log::number.desc())
            .limit(most)
            .select((log::number, log::title, log::made_at, people::name.nullable()))
            .load(&mut connection)
            .await?;
        let entry = |(number, title, made_at, by)| LogEntry { number, title, made_at, in_force: number <= head, by };
        Ok(rows.into_iter().map(entry).collect())
    }
}

fn fresh(row: &ShotRow, revision: i64) -> Result<(), StoreError> {
    if row.revision == revision { Ok(()) } else { Err(StoreError::Stale { revision: row.revision }) }
}

async fn entry(connection: &mut AsyncPgConnection, shot: Uuid, number: i64) -> Result<Option<LogRow>, StoreError> {
    let found = log::table.filter(log::shot_id.eq(shot)).filter(log::number.eq(number));
    Ok(found.select(LogRow::as_select()).first(connection).await.optional()?)
}

/// Makes an edit and writes it into the log; what was undone before is forgotten.
async fn push(
    connection: &mut AsyncPgConnection,
    row: &mut ShotRow,
    title: &str,
    edit: &Edit,
    (job, person): (Option<Uuid>, Option<Uuid>),
) -> Result<Edited, StoreError> {
    let (inverse, about) = apply(connection, row, edit, Edit::apply).await?;
    let undone = log::table.filter(log::shot_id.eq(row.id)).filter(log::number.gt(row.log_head));
    diesel::delete(undone).execute(connection).await?;
    let entry = LogRow {
        shot_id: row.id,
        number: row.log_head + 1,
        title: title.to_owned(),
        edit: None,
        inverse: serde_json::to_value(&inverse)?,
        job_id: job,
        person_id: person,
    };
    diesel::insert_into(log::table).values(&entry).prepared().execute(connection).await?;
    save(connection, row, entry.number, &about).await
}

/// Changes document and samples; gives the inverse, and the subjects that it was about. Only samples that may be touched
/// are read.
async fn apply(
    connection: &mut AsyncPgConnection,
    row: &mut ShotRow,
    edit: &Edit,
    how: fn(&Edit, &mut Shot) -> Result<Edit, EditError>,
) -> Result<(Edit, BTreeSet<Uuid>), StoreError> {
    let mut shot = parsed(row)?;
    let about = edit.subjects(&shot);
    let touched: BTreeSet<Uuid> = edit.touched_tracks(&shot).into_iter().collect();
    let touched: Vec<Uuid> = touched.into_iter().collect();
    if !touched.is_empty() {
        shot.tracks = samples::load_pins(connection, row.id, &touched).await?;
    }
    let inverse = how(edit, &mut shot)?;
    row.document = document(&shot)?;
    row.samples_version += i64::from(!touched.is_empty());
    if !touched.is_empty() {
        samples::save(connection, row.id, &shot.tracks, &touched).await?;
    }
    Ok((inverse, about))
}

async fn save(
    connection: &mut AsyncPgConnection,
    row: &ShotRow,
    log_head: i64,
    about: &BTreeSet<Uuid>,
) -> Result<Edited, StoreError> {
    let revision = row.revision + 1;
    let values = (
        shots::document.eq(&row.document),
        shots::revision.eq(revision),
        shots::samples_version.eq(row.samples_version),
        shots::log_head.eq(log_head),
    );
    diesel::update(shots::table.filter(shots::id.eq(row.id))).set(values).prepared().execute(connection).await?;
    changes::remember(connection, row.id, revision, about).await?;
    announce(connection, &Event::Shot { shot: row.id, revision }).await?;
    Ok(Edited { revision })
}

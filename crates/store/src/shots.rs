//! Shots: their description and what was made of them.

use diesel::dsl::exists;
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::document::Shot;
use jampin_core::time::{Frame, FrameRange};
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::rows::ShotRow;
use crate::schema::{log, people, projects, shots};
use crate::{Store, StoreError, samples};

/// What a shot is.
#[derive(Clone, Debug, Serialize)]
pub struct ShotInfo {
    /// Identity.
    pub id: Uuid,
    /// In which project.
    pub project_id: Uuid,
    /// Of which clip.
    pub clip_id: Uuid,
    /// Name, as typed.
    pub name: String,
    /// Which frames of the clip.
    pub range: FrameRange,
    /// Grows with every edit.
    pub revision: i64,
    /// Grows with every change of its samples, which following makes without an edit.
    pub samples_version: i64,
    /// Number of subjects in it.
    pub subjects: usize,
    /// Whether it is in the project's film.
    pub in_film: bool,
}

/// A shot with everything made of it.
#[derive(Clone, Debug)]
pub struct StoredShot {
    /// What it is.
    pub info: ShotInfo,
    /// Subjects, pins, attachments and samples.
    pub shot: Shot,
    /// Title of the edit that undo would take back.
    pub undo: Option<String>,
    /// Whose edit it is, where that is known.
    pub undo_by: Option<(Uuid, String)>,
    /// Title of the edit that redo would make again.
    pub redo: Option<String>,
}

/// A new shot.
#[derive(Clone, Debug)]
pub struct NewShot<'a> {
    /// In which project.
    pub project: Uuid,
    /// Of which clip.
    pub clip: Uuid,
    /// Name.
    pub name: &'a str,
    /// Which frames of the clip.
    pub range: FrameRange,
}

impl ShotInfo {
    fn new(row: &ShotRow, subjects: usize) -> Self {
        Self {
            id: row.id,
            project_id: row.project_id,
            clip_id: row.clip_id,
            name: row.name.clone(),
            range: FrameRange { first: Frame(row.first_frame as u32), last: Frame(row.last_frame as u32) },
            revision: row.revision,
            samples_version: row.samples_version,
            subjects,
            in_film: row.in_film,
        }
    }
}

/// The shot, its row locked against other writers until the transaction ends.
pub(crate) async fn lock(connection: &mut AsyncPgConnection, id: Uuid) -> Result<ShotRow, StoreError> {
    let row = shots::table.filter(shots::id.eq(id)).select((ShotRow::as_select(), is_deleted())).for_update();
    living(row.first(connection).await.optional()?)
}

/// Whether the shot's project was deleted.
#[diesel::dsl::auto_type]
pub(crate) fn is_deleted() -> _ {
    exists(projects::table.filter(projects::id.eq(shots::project_id)).filter(projects::deleted_at.is_not_null()))
}

fn living(found: Option<(ShotRow, bool)>) -> Result<ShotRow, StoreError> {
    let (row, deleted) = found.ok_or(StoreError::NotFound("shot"))?;
    if deleted { Err(StoreError::Deleted) } else { Ok(row) }
}

/// Subjects, pins and attachments of a row, without samples.
pub(crate) fn parsed(row: &ShotRow) -> Result<Shot, StoreError> {
    let shot: Shot = serde_json::from_value(row.document.clone())?;
    // As an older version left it: it opens all the same, and what is wrong can be mended.
    if let Err(problem) = shot.validate() {
        tracing::warn!(shot = %row.id, %problem, "the document is not as one is left today");
    }
    Ok(shot)
}

impl Store {
    /// The shots of a project, in the order of its film; those that were not put in order as they were made.
    pub async fn shots(&self, project: Uuid) -> Result<Vec<ShotInfo>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<ShotRow> = shots::table
            .filter(shots::project_id.eq(project))
            // Parts of a film are made at one moment.
            .order((shots::place, shots::created_at, shots::first_frame))
            .select(ShotRow::as_select())
            .load(&mut connection)
            .await?;
        rows.iter().map(|row| Ok(ShotInfo::new(row, parsed(row)?.subjects.len()))).collect()
    }

    /// What a shot is, without anything made of it.
    pub async fn shot_info(&self, id: Uuid) -> Result<ShotInfo, StoreError> {
        let mut connection = self.connection().await?;
        let row = row(&mut connection, id).await?;
        Ok(ShotInfo::new(&row, parsed(&row)?.subjects.len()))
    }

    /// One shot with everything made of it, as of one moment.
    pub async fn shot(&self, id: Uuid) -> Result<StoredShot, StoreError> {
        self.shot_again(id, None).await
    }

    /// The same; samples that have not changed since they were read for `known` are not read again.
    pub async fn shot_again(&self, id: Uuid, known: Option<&StoredShot>) -> Result<StoredShot, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .build_transaction()
            .read_only()
            .repeatable_read()
            .run(async |connection| read(connection, id, known).await)
            .await
    }
}

/// Makes a shot of a range of a clip.
pub(crate) async fn insert(connection: &mut AsyncPgConnection, new: NewShot<'_>) -> Result<Uuid, StoreError> {
    let id = Uuid::new_v4();
    let values = (
        shots::id.eq(id),
        shots::project_id.eq(new.project),
        shots::clip_id.eq(new.clip),
        shots::name.eq(new.name),
        shots::first_frame.eq(new.range.first.0 as i32),
        shots::last_frame.eq(new.range.last.0 as i32),
        shots::document.eq(serde_json::to_value(Shot::default())?),
    );
    diesel::insert_into(shots::table).values(values).execute(connection).await?;
    Ok(id)
}

pub(crate) async fn row(connection: &mut AsyncPgConnection, id: Uuid) -> Result<ShotRow, StoreError> {
    let row = shots::table.filter(shots::id.eq(id)).select((ShotRow::as_select(), is_deleted()));
    living(row.first(connection).await.optional()?)
}

async fn read(
    connection: &mut AsyncPgConnection,
    id: Uuid,
    known: Option<&StoredShot>,
) -> Result<StoredShot, StoreError> {
    let row = row(connection, id).await?;
    let mut shot = parsed(&row)?;
    let same = known.filter(|known| known.info.id == id && known.info.samples_version == row.samples_version);
    shot.tracks = match same {
        Some(known) => known.shot.tracks.clone(),
        None => samples::load(connection, id).await?,
    };
    let neighbours: Vec<(i64, String, Option<Uuid>, Option<String>)> = log::table
        .left_join(people::table.on(people::id.nullable().eq(log::person_id)))
        .filter(log::shot_id.eq(id))
        .filter(log::number.eq_any([row.log_head, row.log_head + 1]))
        .select((log::number, log::title, people::id.nullable(), people::name.nullable()))
        .load(connection)
        .await?;
    let [undo, redo] =
        [0, 1].map(|next| neighbours.iter().find(|(number, ..)| *number == row.log_head + next).cloned());
    let (undo, undo_by) = undo.map(|(_, title, id, name)| (title, id.zip(name))).unzip();
    let info = ShotInfo::new(&row, shot.subjects.len());
    Ok(StoredShot { info, shot, undo, undo_by: undo_by.flatten(), redo: redo.map(|(_, title, ..)| title) })
}

/// The document as it is stored.
pub(crate) fn document(shot: &Shot) -> Result<Value, StoreError> {
    Ok(serde_json::to_value(shot)?)
}

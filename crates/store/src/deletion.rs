//! Taking away: projects (which can be had back for a while), clips, pictures, exports. Each is written down in the
//! audit.

use chrono::{DateTime, Days, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::audit::note;
use crate::jobs::ask_to_cancel;
use crate::members::owned_by;
use crate::schema::{clips, jobs, pictures, projects, shots};
use crate::sql_functions::database_now;
use crate::{Project, Store, StoreError};

/// Days for which a deleted project can be had back.
pub const KEPT_DAYS: u64 = 30;

/// Kinds of jobs that write a film.
const WRITING: [&str; 2] = ["export", "sequence"];

/// Where a picture is still needed although nobody is offered it any more: what hangs in a shot, what undo and redo
/// bring back, and looks.
const MENTIONED: &str = "\
    EXISTS (SELECT 1 FROM shots WHERE shots.project_id = pictures.project_id \
            AND (shots.document::text LIKE '%' || pictures.id || '%' OR EXISTS (SELECT 1 FROM log WHERE log.shot_id = shots.id \
                 AND (log.edit::text LIKE '%' || pictures.id || '%' OR log.inverse::text LIKE '%' || pictures.id || '%')))) \
    OR EXISTS (SELECT 1 FROM looks WHERE looks.project_id = pictures.project_id \
               AND looks.attachment::text LIKE '%' || pictures.id || '%')";

/// A project that was deleted and can be had back.
#[derive(Clone, Debug, Serialize)]
pub struct DeletedProject {
    /// The project.
    pub project: Project,
    /// When it was deleted.
    pub deleted_at: DateTime<Utc>,
    /// When it goes for good.
    pub goes_at: DateTime<Utc>,
}

/// Identities that files are named after whose rows are gone.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Remains {
    /// Clips.
    pub clips: Vec<Uuid>,
    /// Pictures.
    pub pictures: Vec<Uuid>,
    /// Jobs that wrote a film.
    pub films: Vec<Uuid>,
}

impl Store {
    /// Deletes a project: it is not listed any more, its work is stopped, nobody can change it; it can be had back for
    /// [`KEPT_DAYS`].
    pub async fn delete_project(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let project = crate::projects::living(connection, id).await?;
                let active = jobs::table.filter(jobs::project_id.eq(id));
                let active = active.filter(jobs::state.eq_any(["waiting", "running"])).order(jobs::id);
                let active: Vec<Uuid> = active.select(jobs::id).load(connection).await?;
                for job in active {
                    ask_to_cancel(connection, job).await?;
                }
                let update = diesel::update(projects::table.filter(projects::id.eq(id)));
                update.set(projects::deleted_at.eq(database_now())).execute(connection).await?;
                note(connection, Some(by), &format!("Project “{}” deleted", project.name)).await
            })
            .await
    }

    /// Gives a deleted project back as it was; work on it that was stopped stays so, and can be asked for again.
    pub async fn restore_project(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let deleted = projects::table.filter(projects::id.eq(id)).filter(projects::deleted_at.is_not_null());
                let update = diesel::update(deleted).set(projects::deleted_at.eq(None::<DateTime<Utc>>));
                let name: Option<String> = update.returning(projects::name).get_result(connection).await.optional()?;
                let name = name.ok_or(StoreError::NotFound("deleted project"))?;
                note(connection, Some(by), &format!("Project “{name}” had back")).await
            })
            .await
    }

    /// The projects of this owner that can be had back, the one deleted last first.
    pub async fn deleted_projects(&self, owner: Uuid) -> Result<Vec<DeletedProject>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<(Project, DateTime<Utc>)> = projects::table
            .filter(projects::deleted_at.is_not_null())
            .filter(projects::id.eq_any(owned_by(owner)))
            .order(projects::deleted_at.desc())
            .select((Project::as_select(), projects::deleted_at.assume_not_null()))
            .load(&mut connection)
            .await?;
        let with_end =
            |(project, deleted_at)| DeletedProject { project, deleted_at, goes_at: deleted_at + Days::new(KEPT_DAYS) };
        Ok(rows.into_iter().map(with_end).collect())
    }

    /// Takes a deleted project away for good, by a person or because its time is over. What is left of it on disk is the caller's to remove.
    pub async fn purge_project(&self, id: Uuid, by: Option<Uuid>) -> Result<Remains, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let deleted = projects::table.filter(projects::id.eq(id)).filter(projects::deleted_at.is_not_null());
                let name: Option<String> =
                    deleted.select(projects::name).for_update().first(connection).await.optional()?;
                let name = name.ok_or(StoreError::NotFound("deleted project"))?;
                let remains = remains_of(connection, id).await?;
                diesel::delete(projects::table.filter(projects::id.eq(id))).execute(connection).await?;
                note(connection, by, &format!("Project “{name}” deleted for good")).await?;
                Ok(remains)
            })
            .await
    }

    /// Projects that were deleted so long ago that nobody can have them back any more.
    pub async fn outdated_projects(&self) -> Result<Vec<Uuid>, StoreError> {
        let mut connection = self.connection().await?;
        let old = sql::<Bool>(&format!("deleted_at < now() - interval '{KEPT_DAYS} days'"));
        Ok(projects::table.filter(old).select(projects::id).load(&mut connection).await?)
    }

    /// Takes a clip away, with its shots.
    pub async fn delete_clip(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let clip: Option<(Uuid, String)> = clips::table
                    .filter(clips::id.eq(id))
                    .select((clips::project_id, clips::name))
                    .first(connection)
                    .await
                    .optional()?;
                let (project, name) = clip.ok_or(StoreError::NotFound("clip"))?;
                let project = crate::projects::living(connection, project).await?;
                diesel::delete(clips::table.filter(clips::id.eq(id))).execute(connection).await?;
                note(
                    connection,
                    Some(by),
                    &format!("Film “{name}” removed from “{}”, with all made of it", project.name),
                )
                .await
            })
            .await
    }

    /// Takes a picture out of its project, unless it hangs in a shot.
    pub async fn delete_picture(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let there = pictures::table.filter(pictures::id.eq(id)).filter(pictures::deleted_at.is_null());
                let row: Option<(Uuid, String)> = there
                    .select((pictures::project_id, pictures::name))
                    .for_update()
                    .first(connection)
                    .await
                    .optional()?;
                let (project, name) = row.ok_or(StoreError::NotFound("picture"))?;
                let project = crate::projects::living(connection, project).await?;
                let hangs = hangs_in(connection, project.id, id).await?;
                if !hangs.is_empty() {
                    let why = format!("“{name}” hangs in {}. Take it off there first", hangs.join(", "));
                    return Err(StoreError::InUse(why));
                }
                let update = diesel::update(pictures::table.filter(pictures::id.eq(id)));
                update.set(pictures::deleted_at.eq(database_now())).execute(connection).await?;
                note(connection, Some(by), &format!("Picture “{name}” removed from “{}”", project.name)).await
            })
            .await
    }

    /// Forgets deleted pictures that nothing mentions any more. How many.
    pub async fn forget_pictures(&self) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        let unneeded = pictures::table
            .filter(pictures::deleted_at.is_not_null())
            .filter(sql::<Bool>(&format!("NOT ({MENTIONED})")));
        Ok(diesel::delete(unneeded).execute(&mut connection).await?)
    }

    /// Takes an export away that has ended. What is left of it on disk is the caller's to remove.
    pub async fn delete_export(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let export = jobs::table.filter(jobs::id.eq(id)).filter(jobs::kind.eq_any(WRITING));
                let row: Option<(Uuid, Option<Uuid>, String)> = export
                    .select((jobs::project_id, jobs::shot_id, jobs::state))
                    .for_update()
                    .first(connection)
                    .await
                    .optional()?;
                let (project, shot, state) = row.ok_or(StoreError::NotFound("export"))?;
                if matches!(state.as_str(), "waiting" | "running") {
                    return Err(StoreError::InUse("this film is still being written. Cancel it first".into()));
                }
                let project = crate::projects::living(connection, project).await?;
                let shot = shots::table.filter(shots::id.nullable().eq(shot)).select(shots::name);
                let shot: Option<String> = shot.first(connection).await.optional()?;
                diesel::delete(jobs::table.filter(jobs::id.eq(id))).execute(connection).await?;
                let of = shot.map_or_else(|| "all shots".to_owned(), |shot| format!("“{shot}”"));
                note(connection, Some(by), &format!("Finished film of {of} in “{}” deleted", project.name)).await
            })
            .await
    }
}

async fn remains_of(connection: &mut AsyncPgConnection, project: Uuid) -> Result<Remains, StoreError> {
    let clips = clips::table.filter(clips::project_id.eq(project)).select(clips::id);
    let pictures = pictures::table.filter(pictures::project_id.eq(project)).select(pictures::id);
    let films = jobs::table.filter(jobs::project_id.eq(project)).filter(jobs::kind.eq_any(WRITING)).select(jobs::id);
    Ok(Remains {
        clips: clips.load(connection).await?,
        pictures: pictures.load(connection).await?,
        films: films.load(connection).await?,
    })
}

/// Names of the shots in which a picture hangs.
async fn hangs_in(connection: &mut AsyncPgConnection, project: Uuid, picture: Uuid) -> Result<Vec<String>, StoreError> {
    // An identity is made of digits and dashes: nothing in it means anything to SQL.
    let hangs = shots::table.filter(shots::project_id.eq(project));
    let hangs = hangs.filter(sql::<Bool>(&format!("document::text LIKE '%{picture}%'"))).order(shots::name);
    Ok(hangs.select(shots::name).load(connection).await?)
}

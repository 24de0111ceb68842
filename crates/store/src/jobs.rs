//! Long work as rows: asked for, watched, stopped. How it is done: [`crate::lease`].

use diesel::dsl::count_star;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::events::announce_job;
use crate::job::insert;
use crate::pieces::PIECE;
use crate::rows::JobRow;
use crate::schema::{clips, jobs, projects, shots};
use crate::sql_functions::database_now;
use crate::{Job, NewJob, Store, StoreError};

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
        let about = jobs::table.filter(jobs::shot_id.eq(shot)).filter(jobs::kind.ne(PIECE));
        let found = about.order(jobs::created_at.desc()).limit(most);
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

    /// The newest jobs of all projects that this person is a member of, newest first: each with the names of its project and of the shot or clip that
    /// it is about.
    pub async fn newest_jobs(&self, person: Uuid, most: i64) -> Result<Vec<(Job, String, Option<String>)>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<(JobRow, String, Option<String>, Option<String>)> = jobs::table
            .inner_join(projects::table.on(projects::id.eq(jobs::project_id)))
            .left_join(shots::table.on(shots::id.nullable().eq(jobs::shot_id)))
            .left_join(clips::table.on(clips::id.nullable().eq(jobs::clip_id)))
            .filter(projects::deleted_at.is_null())
            .filter(projects::id.eq_any(crate::members::projects_of(person)))
            .filter(jobs::kind.ne(PIECE))
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

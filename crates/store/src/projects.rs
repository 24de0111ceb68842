//! Projects.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::schema::{clips, members, projects, shots};
use crate::{Role, Store, StoreError};

/// A piece of work.
#[derive(Clone, Debug, Queryable, Selectable, Serialize)]
#[diesel(table_name = projects)]
pub struct Project {
    /// Identity.
    pub id: Uuid,
    /// Name, as typed.
    pub name: String,
    /// When it was begun.
    pub created_at: DateTime<Utc>,
}

/// A project in the list.
#[derive(Clone, Debug, Serialize)]
pub struct ProjectSummary {
    /// The project.
    pub project: Project,
    /// What the asker is in it.
    pub role: Role,
    /// Number of shots.
    pub shots: i64,
    /// The clip whose first picture stands for the project.
    pub cover: Option<Uuid>,
}

#[derive(QueryableByName)]
struct Used {
    #[diesel(sql_type = BigInt)]
    own: i64,
    #[diesel(sql_type = BigInt)]
    all: i64,
}

impl Store {
    /// Begins a project that this person owns.
    pub async fn create_project(&self, name: &str, owner: Uuid) -> Result<Project, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let values = (projects::id.eq(Uuid::new_v4()), projects::name.eq(name));
                let inserted = diesel::insert_into(projects::table).values(values).returning(Project::as_returning());
                let project: Project = inserted.get_result(connection).await?;
                crate::members::put(connection, project.id, owner, Role::Owner).await?;
                Ok(project)
            })
            .await
    }

    /// The projects that this person is a member of, newest first.
    pub async fn projects(&self, person: Uuid) -> Result<Vec<ProjectSummary>, StoreError> {
        let mut connection = self.connection().await?;
        let all: Vec<(Project, String)> = projects::table
            .inner_join(members::table)
            .filter(members::person_id.eq(person))
            .filter(projects::deleted_at.is_null())
            .order(projects::created_at.desc())
            .select((Project::as_select(), members::role))
            .load(&mut connection)
            .await?;
        let counts: Vec<(Uuid, i64)> = shots::table
            .group_by(shots::project_id)
            .select((shots::project_id, diesel::dsl::count_star()))
            .load(&mut connection)
            .await?;
        let covers: Vec<(Uuid, Uuid)> = clips::table
            .filter(clips::state.ne("failed"))
            .order((clips::project_id, clips::created_at))
            .distinct_on(clips::project_id)
            .select((clips::project_id, clips::id))
            .load(&mut connection)
            .await?;
        let of = |id: Uuid| move |(project, _): &&(Uuid, i64)| *project == id;
        Ok(all
            .into_iter()
            .map(|(project, role)| ProjectSummary {
                role: Role::read(&role),
                shots: counts.iter().find(of(project.id)).map_or(0, |(_, count)| *count),
                cover: covers.iter().find(|(of, _)| *of == project.id).map(|(_, clip)| *clip),
                project,
            })
            .collect())
    }

    /// One project.
    pub async fn project(&self, id: Uuid) -> Result<Project, StoreError> {
        let mut connection = self.connection().await?;
        living(&mut connection, id).await
    }

    /// Bytes that the films and exports of a project take, and those of all projects.
    pub async fn bytes_used(&self, project: Uuid) -> Result<[u64; 2], StoreError> {
        let mut connection = self.connection().await?;
        let sums = "SELECT coalesce(sum(bytes) FILTER (WHERE project_id = $1), 0)::bigint AS own, coalesce(sum(bytes), 0)::bigint AS \"all\" FROM \
            (SELECT project_id, bytes FROM clips UNION ALL \
             SELECT project_id, (result->>'bytes')::bigint FROM jobs WHERE state = 'done' AND kind IN ('export', 'sequence')) AS files";
        let Used { own, all } = diesel::sql_query(sums).bind::<SqlUuid, _>(project).get_result(&mut connection).await?;
        Ok([own, all].map(|bytes| u64::try_from(bytes).unwrap_or(0)))
    }

    /// Gives a project another name.
    pub async fn rename_project(&self, id: Uuid, name: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        living(&mut connection, id).await?;
        let update = diesel::update(projects::table.filter(projects::id.eq(id))).set(projects::name.eq(name));
        update.execute(&mut connection).await?;
        Ok(())
    }
}

/// A project that is there and was not deleted.
pub(crate) async fn living(connection: &mut AsyncPgConnection, id: Uuid) -> Result<Project, StoreError> {
    let found = projects::table.filter(projects::id.eq(id));
    let found = found.select((Project::as_select(), projects::deleted_at)).first(connection).await.optional()?;
    let (project, deleted): (Project, Option<DateTime<Utc>>) = found.ok_or(StoreError::NotFound("project"))?;
    deleted.map_or(Ok(project), |_| Err(StoreError::Deleted))
}

//! Who may do what in which project.

use std::collections::HashSet;

use diesel::dsl::{Eq, Filter, Select};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::audit::note;
use crate::events::announce;
use crate::schema::{clips, jobs, members, people, pictures, projects, shots};
use crate::sql_functions::lower;
use crate::{Event, Store, StoreError};

/// What somebody is in a project; each may do all that those before it may.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// Looks, and fetches what was made.
    Viewer,
    /// Works in it.
    Editor,
    /// Says who is in it, and may delete it.
    Owner,
}

impl Role {
    /// The word that is stored and shown.
    pub fn word(self) -> &'static str {
        match self {
            Self::Viewer => "viewer",
            Self::Editor => "editor",
            Self::Owner => "owner",
        }
    }

    /// The same with its article.
    pub fn phrase(self) -> &'static str {
        match self {
            Self::Viewer => "a viewer",
            Self::Editor => "an editor",
            Self::Owner => "an owner",
        }
    }

    /// What is stored is one of the three words: the table makes sure of that.
    pub(crate) fn read(word: &str) -> Self {
        match word {
            "owner" => Self::Owner,
            "editor" => Self::Editor,
            _ => Self::Viewer,
        }
    }
}

/// Something that belongs to a project.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Thing {
    /// The project itself.
    Project(Uuid),
    /// A clip.
    Clip(Uuid),
    /// A shot.
    Shot(Uuid),
    /// A picture.
    Picture(Uuid),
    /// A job, also one that wrote a film.
    Job(Uuid),
}

/// A member of a project.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Member {
    /// Who.
    pub id: Uuid,
    /// Their name.
    pub name: String,
    /// What they are in it.
    pub role: Role,
}

type Of = Filter<members::table, Eq<members::person_id, Uuid>>;

/// The projects that somebody is a member of.
pub(crate) fn projects_of(person: Uuid) -> Select<Of, members::project_id> {
    members::table.filter(members::person_id.eq(person)).select(members::project_id)
}

/// The projects that somebody owns.
pub(crate) fn owned_by(person: Uuid) -> Select<Filter<Of, Eq<members::role, &'static str>>, members::project_id> {
    let own = members::table.filter(members::person_id.eq(person)).filter(members::role.eq("owner"));
    own.select(members::project_id)
}

pub(crate) async fn put(
    connection: &mut AsyncPgConnection,
    project: Uuid,
    person: Uuid,
    role: Role,
) -> Result<(), StoreError> {
    let values = (members::project_id.eq(project), members::person_id.eq(person), members::role.eq(role.word()));
    diesel::insert_into(members::table)
        .values(values)
        .on_conflict((members::project_id, members::person_id))
        .do_update()
        .set(members::role.eq(role.word()))
        .execute(connection)
        .await?;
    Ok(())
}

/// Takes somebody out of all projects; what only they owned is another's.
pub(crate) async fn hand_over(connection: &mut AsyncPgConnection, from: Uuid, to: Uuid) -> Result<(), StoreError> {
    let owned: Vec<Uuid> = owned_by(from).load(connection).await?;
    diesel::delete(members::table.filter(members::person_id.eq(from))).execute(connection).await?;
    let kept = members::table.filter(members::role.eq("owner")).select(members::project_id);
    let kept: HashSet<Uuid> = kept.load(connection).await?.into_iter().collect();
    for project in owned.into_iter().filter(|project| !kept.contains(project)) {
        put(connection, project, to, Role::Owner).await?;
    }
    Ok(())
}

impl Store {
    /// What somebody is in the project that a thing belongs to; nothing where there is no such thing, or where it is
    /// none of theirs.
    pub async fn role(&self, person: Uuid, thing: Thing) -> Result<Option<Role>, StoreError> {
        let mut connection = self.connection().await?;
        let own = members::table.filter(members::person_id.eq(person)).select(members::role).into_boxed();
        let of = members::project_id;
        let own = match thing {
            Thing::Project(id) => own.filter(of.eq(id)),
            Thing::Clip(id) => own.filter(of.eq_any(clips::table.filter(clips::id.eq(id)).select(clips::project_id))),
            Thing::Shot(id) => own.filter(of.eq_any(shots::table.filter(shots::id.eq(id)).select(shots::project_id))),
            Thing::Picture(id) => {
                own.filter(of.eq_any(pictures::table.filter(pictures::id.eq(id)).select(pictures::project_id)))
            }
            Thing::Job(id) => own.filter(of.eq_any(jobs::table.filter(jobs::id.eq(id)).select(jobs::project_id))),
        };
        let role: Option<String> = own.first(&mut connection).await.optional()?;
        Ok(role.map(|role| Role::read(&role)))
    }

    /// The members of a project, by name.
    pub async fn members(&self, project: Uuid) -> Result<Vec<Member>, StoreError> {
        let mut connection = self.connection().await?;
        let rows: Vec<(Uuid, String, String)> = members::table
            .inner_join(people::table)
            .filter(members::project_id.eq(project))
            .order(lower(people::name))
            .select((people::id, people::name, members::role))
            .load(&mut connection)
            .await?;
        Ok(rows.into_iter().map(|(id, name, role)| Member { id, name, role: Role::read(&role) }).collect())
    }

    /// Makes somebody of this name a member, or another kind of member. An owner stays.
    pub async fn set_member(&self, project: Uuid, name: &str, role: Role, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let project = locked(connection, project).await?;
                let called = people::table.filter(lower(people::name).eq(lower(name)));
                let called = called.filter(people::left_at.is_null()).select((people::id, people::name));
                let person: Option<(Uuid, String)> = called.first(connection).await.optional()?;
                let (person, name) = person.ok_or(StoreError::NotFound("person"))?;
                put(connection, project.0, person, role).await?;
                one_owner_stays(connection, project.0).await?;
                announce(connection, &Event::Project { project: project.0 }).await?;
                let what = format!("“{name}” is now {} of “{}”", role.phrase(), project.1);
                note(connection, Some(by), &what).await
            })
            .await
    }

    /// Takes somebody out of a project. An owner stays.
    pub async fn remove_member(&self, project: Uuid, person: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let project = locked(connection, project).await?;
                let name = people::table.filter(people::id.eq(person)).select(people::name);
                let name: String = name.first(connection).await.optional()?.ok_or(StoreError::NotFound("person"))?;
                let row = members::table.filter(members::project_id.eq(project.0));
                let row = row.filter(members::person_id.eq(person));
                if diesel::delete(row).execute(connection).await? == 0 {
                    return Err(StoreError::NotFound("member"));
                }
                one_owner_stays(connection, project.0).await?;
                announce(connection, &Event::Project { project: project.0 }).await?;
                note(connection, Some(by), &format!("“{name}” taken out of “{}”", project.1)).await
            })
            .await
    }
}

/// The project's identity and name; who changes its members at the same time waits.
async fn locked(connection: &mut AsyncPgConnection, project: Uuid) -> Result<(Uuid, String), StoreError> {
    let row = projects::table.filter(projects::id.eq(project)).filter(projects::deleted_at.is_null());
    let row = row.select((projects::id, projects::name)).for_update().first(connection).await.optional()?;
    row.ok_or(StoreError::NotFound("project"))
}

async fn one_owner_stays(connection: &mut AsyncPgConnection, project: Uuid) -> Result<(), StoreError> {
    let owners = members::table.filter(members::project_id.eq(project)).filter(members::role.eq("owner"));
    let count: i64 = owners.count().get_result(connection).await?;
    (count > 0)
        .then_some(())
        .ok_or_else(|| StoreError::InUse("a project has an owner: make somebody else one first".into()))
}

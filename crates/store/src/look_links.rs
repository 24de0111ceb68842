//! Links by which somebody who does not sign in looks at one shot. Each ends by itself, and can be taken back.

use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Timestamptz};
use diesel_async::{AsyncConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::audit::note;
use crate::schema::{clips, look_links, pictures, shots};
use crate::{Store, StoreError, Thing};

/// A link to look at a shot.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Serialize)]
#[diesel(table_name = look_links)]
pub struct LookLink {
    /// Identity; by it nobody can look.
    pub id: Uuid,
    /// At which shot.
    pub shot_id: Uuid,
    /// For whom, as typed.
    pub name: String,
    /// When it was made.
    pub made_at: DateTime<Utc>,
    /// When it ends.
    pub ends_at: DateTime<Utc>,
}

fn holds() -> diesel::expression::SqlLiteral<Bool> {
    sql("look_links.ends_at > now()")
}

impl Store {
    /// Makes a link for so many days, known by the hash of its key.
    pub async fn make_look_link(
        &self,
        shot: Uuid,
        name: &str,
        days: u32,
        key_hash: &[u8],
        by: Uuid,
    ) -> Result<LookLink, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let of = shots::table.filter(shots::id.eq(shot)).select(shots::name);
                let of: String = of.first(connection).await.optional()?.ok_or(StoreError::NotFound("shot"))?;
                let end = sql::<Timestamptz>(&format!("now() + interval '{days} days'"));
                let values = (
                    look_links::id.eq(Uuid::new_v4()),
                    look_links::shot_id.eq(shot),
                    look_links::key_hash.eq(key_hash),
                    look_links::name.eq(name),
                    look_links::ends_at.eq(end),
                );
                let inserted = diesel::insert_into(look_links::table).values(values);
                let link = inserted.returning(LookLink::as_returning()).get_result(connection).await?;
                note(connection, Some(by), &format!("Link made for “{name}” to look at “{of}”")).await?;
                Ok(link)
            })
            .await
    }

    /// The links of a shot that still work, the newest first.
    pub async fn look_links(&self, shot: Uuid) -> Result<Vec<LookLink>, StoreError> {
        let mut connection = self.connection().await?;
        let of = look_links::table.filter(look_links::shot_id.eq(shot)).filter(holds());
        Ok(of.order(look_links::made_at.desc()).select(LookLink::as_select()).load(&mut connection).await?)
    }

    /// Takes a link of a shot back.
    pub async fn end_look_link(&self, shot: Uuid, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let link = look_links::table.filter(look_links::id.eq(id)).filter(look_links::shot_id.eq(shot));
                let gone = diesel::delete(link).returning(look_links::name).get_result(connection).await.optional()?;
                let name: String = gone.ok_or(StoreError::NotFound("link"))?;
                note(connection, Some(by), &format!("Link of “{name}” taken back")).await
            })
            .await
    }

    /// The link that has a key of this hash, if it still works.
    pub async fn look_link_of_key(&self, key_hash: &[u8]) -> Result<Option<LookLink>, StoreError> {
        let mut connection = self.connection().await?;
        let link = look_links::table.filter(look_links::key_hash.eq(key_hash)).filter(holds());
        Ok(link.select(LookLink::as_select()).first(&mut connection).await.optional()?)
    }

    /// A link, if it still works.
    pub async fn look_link(&self, id: Uuid) -> Result<Option<LookLink>, StoreError> {
        let mut connection = self.connection().await?;
        let link = look_links::table.filter(look_links::id.eq(id)).filter(holds());
        Ok(link.select(LookLink::as_select()).first(&mut connection).await.optional()?)
    }

    /// Whether a thing is seen in a shot: the shot itself, its film, and the pictures and film clips that hang in it.
    pub async fn is_seen_in(&self, shot: Uuid, thing: Thing) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        // An identity is made of digits and dashes: nothing in it means anything to SQL.
        let hangs = |id: Uuid| sql::<Bool>(&format!("shots.document::text LIKE '%{id}%'"));
        let own = shots::table.filter(shots::id.eq(shot));
        let count: i64 = match thing {
            Thing::Shot(id) => return Ok(id == shot),
            Thing::Clip(id) => {
                let of = own.inner_join(clips::table.on(clips::project_id.eq(shots::project_id)));
                let of = of.filter(clips::id.eq(id)).filter(shots::clip_id.eq(id).or(hangs(id)));
                of.count().get_result(&mut connection).await?
            }
            Thing::Picture(id) => {
                let of = own.inner_join(pictures::table.on(pictures::project_id.eq(shots::project_id)));
                of.filter(pictures::id.eq(id)).filter(hangs(id)).count().get_result(&mut connection).await?
            }
            Thing::Project(_) | Thing::Job(_) => 0,
        };
        Ok(count > 0)
    }
}

//! Who is signed in where. The key of a session is a cookie's; here it is known by its hash.

use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::RunQueryDsl;
use serde::Serialize;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{installation, sessions};
use crate::sql_functions::database_now;
use crate::{Store, StoreError};

/// When a session ends by itself.
#[derive(Clone, Copy, Debug)]
pub struct SessionBounds {
    /// Hours after it was last used.
    pub idle_hours: u32,
    /// Hours after it was begun.
    pub hours: u32,
}

impl SessionBounds {
    fn holds(self) -> diesel::expression::SqlLiteral<Bool> {
        let Self { idle_hours, hours } = self;
        sql(&format!(
            "sessions.seen_at > now() - interval '{idle_hours} hours' AND sessions.began_at > now() - interval '{hours} hours'"
        ))
    }
}

/// A session, as its person sees it.
#[derive(Clone, Debug, Queryable, Selectable, Serialize)]
#[diesel(table_name = sessions)]
pub struct Session {
    /// Identity; by it nobody can sign in.
    pub id: Uuid,
    /// What the web server knows of it.
    pub state: Value,
    /// When it was begun.
    pub began_at: DateTime<Utc>,
    /// When it was last used, to the minute.
    pub seen_at: DateTime<Utc>,
}

impl Store {
    /// What cookies are sealed with: `fresh`, if nobody gave this database a key before.
    pub async fn cookie_key(&self, fresh: &[u8]) -> Result<Vec<u8>, StoreError> {
        let mut connection = self.connection().await?;
        let unset = installation::table.filter(installation::cookie_key.is_null());
        diesel::update(unset).set(installation::cookie_key.eq(fresh)).execute(&mut connection).await?;
        let key: Option<Vec<u8>> = installation::table.select(installation::cookie_key).first(&mut connection).await?;
        key.ok_or(StoreError::NotFound("key"))
    }

    /// Begins a session of somebody, or of nobody who has signed in; with an identity that is new or that a session had whose key was another.
    pub async fn begin_session(
        &self,
        id: Uuid,
        key_hash: &[u8],
        person: Option<Uuid>,
        state: &Value,
    ) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let values = (sessions::id.eq(id), sessions::key_hash.eq(key_hash), sessions::person_id.eq(person));
        let inserted = diesel::insert_into(sessions::table).values((values, sessions::state.eq(state)));
        inserted.execute(&mut connection).await?;
        Ok(())
    }

    /// What is known of a session that has not ended, which it is kept from for as long as it is used.
    pub async fn session_state(&self, key_hash: &[u8], bounds: SessionBounds) -> Result<Option<Value>, StoreError> {
        let mut connection = self.connection().await?;
        let own = sessions::table.filter(sessions::key_hash.eq(key_hash));
        let living = own.filter(bounds.holds());
        // Once a minute: a page that plays asks for thirty pictures a second.
        let is_fresh = sql::<Bool>("sessions.seen_at > now() - interval '1 minute'");
        let found = living.select((sessions::state, is_fresh));
        let found: Option<(Value, bool)> = found.first(&mut connection).await.optional()?;
        let Some((state, is_fresh)) = found else { return Ok(None) };
        if !is_fresh {
            diesel::update(own)
                .set(sessions::seen_at.eq(database_now().assume_not_null()))
                .execute(&mut connection)
                .await?;
        }
        Ok(Some(state))
    }

    /// Keeps what is known of a session.
    pub async fn change_session(&self, key_hash: &[u8], state: &Value) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let own = sessions::table.filter(sessions::key_hash.eq(key_hash));
        diesel::update(own).set(sessions::state.eq(state)).execute(&mut connection).await?;
        Ok(())
    }

    /// Ends the session of this key.
    pub async fn end_session(&self, key_hash: &[u8]) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        diesel::delete(sessions::table.filter(sessions::key_hash.eq(key_hash))).execute(&mut connection).await?;
        Ok(())
    }

    /// Somebody's sessions that have not ended, the one used last first.
    pub async fn sessions(&self, person: Uuid, bounds: SessionBounds) -> Result<Vec<Session>, StoreError> {
        let mut connection = self.connection().await?;
        let own = sessions::table.filter(sessions::person_id.eq(person)).filter(bounds.holds());
        Ok(own.order(sessions::seen_at.desc()).select(Session::as_select()).load(&mut connection).await?)
    }

    /// Whether somebody's session is there and has not ended.
    pub async fn has_session(&self, person: Uuid, id: Uuid, bounds: SessionBounds) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let own = sessions::table.filter(sessions::id.eq(id)).filter(sessions::person_id.eq(person));
        let count: i64 = own.filter(bounds.holds()).count().get_result(&mut connection).await?;
        Ok(count > 0)
    }

    /// Ends one of somebody's sessions.
    pub async fn end_session_of(&self, person: Uuid, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let own = sessions::table.filter(sessions::person_id.eq(person)).filter(sessions::id.eq(id));
        let ended = diesel::delete(own).execute(&mut connection).await?;
        (ended == 1).then_some(()).ok_or(StoreError::NotFound("session"))
    }

    /// Ends all of somebody's sessions but this one.
    pub async fn end_other_sessions(&self, person: Uuid, id: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let others = sessions::table.filter(sessions::person_id.eq(person)).filter(sessions::id.ne(id));
        diesel::delete(others).execute(&mut connection).await?;
        Ok(())
    }

    /// Takes the rows away of sessions that have ended.
    pub async fn forget_ended_sessions(&self, bounds: SessionBounds) -> Result<usize, StoreError> {
        let mut connection = self.connection().await?;
        let ended = sessions::table.filter(diesel::dsl::not(bounds.holds()));
        Ok(diesel::delete(ended).execute(&mut connection).await?)
    }
}

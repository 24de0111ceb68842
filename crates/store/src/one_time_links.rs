//! Links by which a passphrase is set without the old one: each works once, and ends by itself.

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Timestamptz};
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::audit::note;
use crate::people::{active, rename, set_passphrase};
use crate::schema::{one_time_links, people, sessions};
use crate::{Person, Store, StoreError};

/// Hours for which a link works.
const HOURS: u32 = 48;

impl Store {
    /// Makes a link for somebody, known by the hash of its key; one made before works no more. `by` nobody: on the
    /// terminal.
    pub async fn make_link(&self, person: Uuid, key_hash: &[u8], by: Option<Uuid>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let person = active(connection, person).await?;
                let old = one_time_links::table.filter(one_time_links::person_id.eq(person.id));
                diesel::delete(old).execute(connection).await?;
                let end = sql::<Timestamptz>(&format!("now() + interval '{HOURS} hours'"));
                let values = (one_time_links::key_hash.eq(key_hash), one_time_links::person_id.eq(person.id));
                let values = (values, one_time_links::ends_at.eq(end));
                diesel::insert_into(one_time_links::table).values(values).execute(connection).await?;
                note(connection, by, &format!("One-time link made for “{}”", person.name)).await
            })
            .await
    }

    /// Whose link it is, if it still works.
    pub async fn person_of_link(&self, key_hash: &[u8]) -> Result<Option<Person>, StoreError> {
        let mut connection = self.connection().await?;
        whose(&mut connection, key_hash).await
    }

    /// Uses a link up: its person gets this name and the passphrase of this hash; all their sessions end.
    pub async fn use_link(&self, key_hash: &[u8], name: &str, hash: &str) -> Result<Person, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let person = used(connection, key_hash).await?;
                rename(connection, person.id, name).await?;
                set_passphrase(connection, person.id, hash).await?;
                active(connection, person.id).await
            })
            .await
    }
}

/// Whose link it was; it works no more, all their sessions end, and their authenticator is forgotten: who needs a link may
/// have lost it.
pub(crate) async fn used(connection: &mut AsyncPgConnection, key_hash: &[u8]) -> Result<Person, StoreError> {
    let person = whose(connection, key_hash).await?.ok_or(StoreError::NotFound("link"))?;
    let link = one_time_links::table.filter(one_time_links::key_hash.eq(key_hash));
    if diesel::delete(link).execute(connection).await? == 0 {
        return Err(StoreError::NotFound("link"));
    }
    diesel::delete(sessions::table.filter(sessions::person_id.eq(person.id))).execute(connection).await?;
    let none = diesel::update(people::table.filter(people::id.eq(person.id))).set(people::totp.eq(None::<Vec<u8>>));
    none.execute(connection).await?;
    Ok(person)
}

async fn whose(connection: &mut AsyncPgConnection, key_hash: &[u8]) -> Result<Option<Person>, StoreError> {
    let link = one_time_links::table.filter(one_time_links::key_hash.eq(key_hash));
    let link = link.filter(sql::<Bool>("ends_at > now()")).select(one_time_links::person_id);
    match link.first(connection).await.optional()? {
        Some(person) => Ok(active(connection, person).await.ok()),
        None => Ok(None),
    }
}

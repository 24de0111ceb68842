//! Whoever works here.

use diesel::dsl::exists;
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::audit::note;
use crate::schema::{identities, one_time_links, people, sessions};
use crate::sql_functions::{database_now, lower};
use crate::{Store, StoreError};

/// The owner of the installation, there from the start.
pub const FIRST_OWNER: Uuid = Uuid::from_u128(1);

/// Somebody who works here.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Serialize)]
#[diesel(table_name = people)]
pub struct Person {
    /// Identity.
    pub id: Uuid,
    /// Name, as typed; no two have the same, however it is written.
    pub name: String,
    /// Whether they may add people and give links.
    pub administrator: bool,
    /// Whether they have set one.
    #[diesel(select_expression = people::passphrase.is_not_null())]
    pub has_passphrase: bool,
    /// Whether their authenticator has to show a code, too.
    #[diesel(select_expression = people::totp.is_not_null())]
    pub has_second_factor: bool,
    /// Whether they can sign in, by a passphrase or by an identity elsewhere: who cannot needs a one-time link, or is the
    /// first owner and sits at the machine.
    #[diesel(select_expression = signs_in())]
    pub signs_in: bool,
}

#[diesel::dsl::auto_type]
fn signs_in() -> _ {
    let elsewhere = identities::table.filter(identities::person_id.eq(people::id));
    people::passphrase.is_not_null().or(exists(elsewhere))
}

impl Store {
    /// Somebody who did not leave.
    pub async fn person(&self, id: Uuid) -> Result<Person, StoreError> {
        active(&mut *self.connection().await?, id).await
    }

    /// Everybody who did not leave, by name.
    pub async fn people(&self) -> Result<Vec<Person>, StoreError> {
        let mut connection = self.connection().await?;
        let here = people::table.filter(people::left_at.is_null()).order(lower(people::name));
        Ok(here.select(Person::as_select()).load(&mut connection).await?)
    }

    /// Who is called so, with the hash of their passphrase.
    pub async fn secret_of(&self, name: &str) -> Result<Option<(Uuid, Option<String>)>, StoreError> {
        let mut connection = self.connection().await?;
        let called = people::table.filter(lower(people::name).eq(lower(name))).filter(people::left_at.is_null());
        Ok(called.select((people::id, people::passphrase)).first(&mut connection).await.optional()?)
    }

    /// Adds somebody; they set their passphrase by a one-time link.
    pub async fn add_person(&self, name: &str, by: Uuid) -> Result<Person, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                make_sure_it_is_free(connection, name, None).await?;
                let values = (people::id.eq(Uuid::new_v4()), people::name.eq(name));
                let inserted = diesel::insert_into(people::table).values(values).returning(Person::as_returning());
                let person = inserted.get_result(connection).await?;
                note(connection, Some(by), &format!("“{name}” added")).await?;
                Ok(person)
            })
            .await
    }

    /// Gives somebody another name.
    pub async fn rename_person(&self, id: Uuid, name: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection.transaction(async |connection| rename(connection, id, name).await).await
    }

    /// Keeps the hash of somebody's new passphrase. All their sessions end: somebody else may have had the old one.
    pub async fn set_passphrase(&self, id: Uuid, hash: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                set_passphrase(connection, id, hash).await?;
                diesel::delete(sessions::table.filter(sessions::person_id.eq(id))).execute(connection).await?;
                Ok(())
            })
            .await
    }

    /// Makes somebody an administrator, or takes that back. One of them stays.
    pub async fn set_administrator(&self, id: Uuid, administrator: bool, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                lock(connection).await?;
                let person = active(connection, id).await?;
                let update = diesel::update(people::table.filter(people::id.eq(id)));
                update.set(people::administrator.eq(administrator)).execute(connection).await?;
                one_administrator_stays(connection).await?;
                let what = if administrator { "made an administrator" } else { "no administrator any more" };
                note(connection, Some(by), &format!("“{}” {what}", person.name)).await
            })
            .await
    }

    /// Somebody leaves: they cannot sign in any more and are in no project. What only they owned is the administrator's
    /// who does this.
    pub async fn dismiss(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                lock(connection).await?;
                let person = active(connection, id).await?;
                crate::members::hand_over(connection, id, by).await?;
                let left = (people::left_at.eq(database_now()), people::administrator.eq(false));
                let update = diesel::update(people::table.filter(people::id.eq(id)));
                update
                    .set((left, people::passphrase.eq(None::<String>), people::totp.eq(None::<Vec<u8>>)))
                    .execute(connection)
                    .await?;
                one_administrator_stays(connection).await?;
                diesel::delete(sessions::table.filter(sessions::person_id.eq(id))).execute(connection).await?;
                let links = one_time_links::table.filter(one_time_links::person_id.eq(id));
                diesel::delete(links).execute(connection).await?;
                let elsewhere = identities::table.filter(identities::person_id.eq(id));
                diesel::delete(elsewhere).execute(connection).await?;
                note(connection, Some(by), &format!("“{}” taken out", person.name)).await
            })
            .await
    }
}

pub(crate) async fn active(connection: &mut AsyncPgConnection, id: Uuid) -> Result<Person, StoreError> {
    let found = people::table.filter(people::id.eq(id)).filter(people::left_at.is_null());
    let found = found.select(Person::as_select()).first(connection).await.optional()?;
    found.ok_or(StoreError::NotFound("person"))
}

pub(crate) async fn set_passphrase(connection: &mut AsyncPgConnection, id: Uuid, hash: &str) -> Result<(), StoreError> {
    let update = diesel::update(people::table.filter(people::id.eq(id)));
    update.set(people::passphrase.eq(hash)).execute(connection).await?;
    Ok(())
}

pub(crate) async fn rename(connection: &mut AsyncPgConnection, id: Uuid, name: &str) -> Result<(), StoreError> {
    make_sure_it_is_free(connection, name, Some(id)).await?;
    let update = diesel::update(people::table.filter(people::id.eq(id)));
    update.set(people::name.eq(name)).execute(connection).await?;
    Ok(())
}

/// Two who do this at the same time do it one after the other.
async fn lock(connection: &mut AsyncPgConnection) -> Result<(), StoreError> {
    people::table.order(people::id).select(people::id).for_update().load::<Uuid>(connection).await?;
    Ok(())
}

async fn make_sure_it_is_free(
    connection: &mut AsyncPgConnection,
    name: &str,
    of: Option<Uuid>,
) -> Result<(), StoreError> {
    lock(connection).await?;
    let called = people::table.filter(lower(people::name).eq(lower(name))).filter(people::left_at.is_null());
    let taken: Option<Uuid> = called.select(people::id).first(connection).await.optional()?;
    let is_free = taken.is_none_or(|id| Some(id) == of);
    is_free.then_some(()).ok_or_else(|| StoreError::InUse(format!("somebody here is called “{name}” already")))
}

async fn one_administrator_stays(connection: &mut AsyncPgConnection) -> Result<(), StoreError> {
    let left = people::table.filter(people::administrator).filter(people::left_at.is_null());
    let count: i64 = left.count().get_result(connection).await?;
    (count > 0)
        .then_some(())
        .ok_or_else(|| StoreError::InUse("there has to be an administrator: make somebody else one first".into()))
}

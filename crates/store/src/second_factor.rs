//! What somebody's authenticator shares with us, and that no code of it counts twice.

use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::audit::note;
use crate::people::active;
use crate::schema::people;
use crate::{Store, StoreError};

impl Store {
    /// What the authenticator of somebody shares with us, if they have one.
    pub async fn second_factor(&self, person: Uuid) -> Result<Option<Vec<u8>>, StoreError> {
        let mut connection = self.connection().await?;
        let found = people::table.filter(people::id.eq(person)).filter(people::left_at.is_null()).select(people::totp);
        Ok(found.first(&mut connection).await.optional()?.flatten())
    }

    /// From now on somebody has this one, or none.
    pub async fn set_second_factor(&self, person: Uuid, secret: Option<&[u8]>) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let name = active(connection, person).await?.name;
                let update = diesel::update(people::table.filter(people::id.eq(person)));
                update.set((people::totp.eq(secret), people::totp_step.eq(0))).execute(connection).await?;
                let what = if secret.is_some() { "added" } else { "taken away" };
                note(connection, Some(person), &format!("Second factor of “{name}” {what}")).await
            })
            .await
    }

    /// Uses the code of a step up; `false` where it, or a later one, was used before.
    pub async fn use_code_of(&self, person: Uuid, step: u64) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let step = i64::try_from(step).unwrap_or(i64::MAX);
        let unused = people::table.filter(people::id.eq(person)).filter(people::totp_step.lt(step));
        Ok(diesel::update(unused).set(people::totp_step.eq(step)).execute(&mut connection).await? > 0)
    }
}

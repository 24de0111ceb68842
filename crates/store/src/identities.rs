//! By whom people are known elsewhere: what an identity provider calls them.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::audit::note;
use crate::one_time_links::used;
use crate::people::active;
use crate::schema::identities;
use crate::{Person, Store, StoreError};

/// Somebody as a provider knows them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Identity {
    /// Who says so: the address of the provider.
    pub issuer: String,
    /// What they are to the provider, for ever.
    pub subject: String,
    /// What they are called there, to be shown.
    pub called: String,
}

/// An identity that somebody signs in by.
#[derive(Clone, Debug, Queryable, Serialize)]
pub struct BoundIdentity {
    /// Who says so.
    pub issuer: String,
    /// What they are called there.
    pub called: String,
    /// Since when.
    pub made_at: DateTime<Utc>,
}

impl Store {
    /// Who signs in by an identity, if anybody does.
    pub async fn person_by_identity(&self, identity: &Identity) -> Result<Option<Person>, StoreError> {
        let mut connection = self.connection().await?;
        match owner(&mut connection, identity).await? {
            Some(person) => Ok(active(&mut connection, person).await.ok()),
            None => Ok(None),
        }
    }

    /// The identities that somebody signs in by.
    pub async fn identities(&self, person: Uuid) -> Result<Vec<BoundIdentity>, StoreError> {
        let mut connection = self.connection().await?;
        let own = identities::table.filter(identities::person_id.eq(person)).order(identities::made_at);
        Ok(own.select((identities::issuer, identities::called, identities::made_at)).load(&mut connection).await?)
    }

    /// From now on somebody signs in by this identity, too. One that is somebody else's is refused.
    pub async fn bind_identity(&self, person: Uuid, identity: &Identity) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection.transaction(async |connection| bind(connection, person, identity).await).await
    }

    /// Uses a one-time link up: its person signs in by this identity from now on.
    pub async fn use_link_by(&self, key_hash: &[u8], identity: &Identity) -> Result<Person, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let person = used(connection, key_hash).await?;
                bind(connection, person.id, identity).await?;
                active(connection, person.id).await
            })
            .await
    }

    /// Somebody does not sign in by this provider any more. They need a passphrase, or nobody could be them.
    pub async fn unbind_identity(&self, person: Uuid, issuer: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let found = active(connection, person).await?;
                if !found.has_passphrase {
                    return Err(StoreError::InUse("set a passphrase first, or you could not sign in any more".into()));
                }
                let own = identities::table.filter(identities::person_id.eq(person));
                diesel::delete(own.filter(identities::issuer.eq(issuer))).execute(connection).await?;
                note(connection, Some(person), &format!("“{}” does not sign in by {issuer} any more", found.name)).await
            })
            .await
    }
}

async fn owner(connection: &mut AsyncPgConnection, identity: &Identity) -> Result<Option<Uuid>, StoreError> {
    let known = identities::table.find((&identity.issuer, &identity.subject)).select(identities::person_id);
    Ok(known.first(connection).await.optional()?)
}

async fn bind(connection: &mut AsyncPgConnection, person: Uuid, identity: &Identity) -> Result<(), StoreError> {
    let Identity { issuer, subject, called } = identity;
    let values = (
        identities::issuer.eq(issuer),
        identities::subject.eq(subject),
        identities::person_id.eq(person),
        identities::called.eq(called),
    );
    let inserted = diesel::insert_into(identities::table).values(values).on_conflict_do_nothing();
    if inserted.execute(connection).await? == 0 && owner(connection, identity).await? != Some(person) {
        return Err(StoreError::InUse(format!("somebody else here signs in as {called} of {issuer}")));
    }
    let name = active(connection, person).await?.name;
    note(connection, Some(person), &format!("“{name}” signs in as {called} of {issuer}")).await
}

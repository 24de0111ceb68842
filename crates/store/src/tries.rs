//! Tries to sign in, so that nobody can guess for long, whichever server they ask.

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Text};
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::sign_in_tries;
use crate::{Store, StoreError};

/// Tries are forgotten after this many minutes.
const MINUTES: u32 = 15;

/// Tries of late that did not succeed, the latest among them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, QueryableByName)]
pub struct Tries {
    /// For this name from this address.
    #[diesel(sql_type = BigInt)]
    pub both: i64,
    /// For this name from anywhere.
    #[diesel(sql_type = BigInt)]
    pub name: i64,
    /// From this address for any name.
    #[diesel(sql_type = BigInt)]
    pub address: i64,
}

impl Store {
    /// Notes a try as failed, before it is known whether it is: many at once cannot get past the count.
    pub async fn note_try(&self, id: Uuid, name: &str, address: &str) -> Result<Tries, StoreError> {
        let mut connection = self.connection().await?;
        let name = name.to_lowercase();
        let old = sql::<diesel::sql_types::Bool>(&format!("at < now() - interval '{MINUTES} minutes'"));
        connection
            .transaction(async |connection| {
                diesel::delete(sign_in_tries::table.filter(old)).execute(connection).await?;
                let values =
                    (sign_in_tries::id.eq(id), sign_in_tries::name.eq(&name), sign_in_tries::address.eq(address));
                diesel::insert_into(sign_in_tries::table).values(values).execute(connection).await?;
                let counted = "SELECT count(*) FILTER (WHERE name = $1 AND address = $2) AS both, \
                               count(*) FILTER (WHERE name = $1) AS name, \
                               count(*) FILTER (WHERE address = $2) AS address FROM sign_in_tries";
                let counted = diesel::sql_query(counted).bind::<Text, _>(&name).bind::<Text, _>(address);
                Ok(counted.get_result(connection).await?)
            })
            .await
    }

    /// A try has succeeded: it counts no more, nor do those before it for this name from this address.
    pub async fn forgive(&self, name: &str, address: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let own = sign_in_tries::table.filter(sign_in_tries::name.eq(name.to_lowercase()));
        diesel::delete(own.filter(sign_in_tries::address.eq(address))).execute(&mut connection).await?;
        Ok(())
    }
}

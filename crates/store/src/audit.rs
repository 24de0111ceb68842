//! Who took what away, in words that a person reads.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde::Serialize;
use uuid::Uuid;

use crate::schema::{audit, people};
use crate::{Store, StoreError};

/// An entry of the audit.
#[derive(Clone, Debug, Queryable, Serialize)]
pub struct AuditEntry {
    /// When it was done.
    pub at: DateTime<Utc>,
    /// Who did it; nobody where Jam Pin itself did.
    pub who: Option<String>,
    /// What was done.
    pub what: String,
}

/// Writes down what is done in the running transaction.
pub(crate) async fn note(connection: &mut AsyncPgConnection, by: Option<Uuid>, what: &str) -> Result<(), StoreError> {
    let values = (audit::person_id.eq(by), audit::what.eq(what));
    diesel::insert_into(audit::table).values(values).execute(connection).await?;
    Ok(())
}

impl Store {
    /// What was taken away, given and had back, by this person or by anybody; the latest first.
    pub async fn audit(&self, by: Option<Uuid>, most: i64) -> Result<Vec<AuditEntry>, StoreError> {
        let mut connection = self.connection().await?;
        let mut newest = audit::table.left_join(people::table).order(audit::number.desc()).limit(most).into_boxed();
        if let Some(by) = by {
            newest = newest.filter(audit::person_id.eq(by));
        }
        Ok(newest.select((audit::at, people::name.nullable(), audit::what)).load(&mut connection).await?)
    }
}

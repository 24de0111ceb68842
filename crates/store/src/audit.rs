//! Who took what away, in words that a person reads.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use serde::Serialize;

use crate::schema::{audit, owners};
use crate::{LOCAL_OWNER, Store, StoreError};

/// An entry of the audit.
#[derive(Clone, Debug, Queryable, Serialize)]
pub struct AuditEntry {
    /// When it was done.
    pub at: DateTime<Utc>,
    /// Who did it.
    pub who: String,
    /// What was done.
    pub what: String,
}

/// Writes down what is done in the running transaction.
pub(crate) async fn note(connection: &mut AsyncPgConnection, what: &str) -> Result<(), StoreError> {
    let values = (audit::owner_id.eq(LOCAL_OWNER), audit::what.eq(what));
    diesel::insert_into(audit::table).values(values).execute(connection).await?;
    Ok(())
}

impl Store {
    /// What was taken away, and had back; the latest first.
    pub async fn audit(&self, most: i64) -> Result<Vec<AuditEntry>, StoreError> {
        let mut connection = self.connection().await?;
        let newest = audit::table.inner_join(owners::table).order(audit::number.desc()).limit(most);
        Ok(newest.select((audit::at, owners::name, audit::what)).load(&mut connection).await?)
    }
}

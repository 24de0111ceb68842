//! Films that are being made for a project elsewhere, as those of the demo: shown until they are there.

use chrono::{DateTime, TimeDelta, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use uuid::Uuid;

use crate::events::announce;
use crate::schema::projects;
use crate::{Event, Store, StoreError};

/// Whoever makes them says so at least this often, or is taken for gone.
const SAID_WITHIN: TimeDelta = TimeDelta::seconds(15);

/// A film that is on its way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Arriving {
    /// Its name.
    pub name: String,
    /// How much of it is made, 0 to 1.
    pub share: f64,
}

impl Store {
    /// Says what is on its way to a project; nothing once all is there.
    pub async fn set_arriving(&self, project: Uuid, films: &[Arriving]) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let said = serde_json::to_value(films)?;
        let change = (projects::arriving.eq(Some(said)), projects::arriving_at.eq(diesel::dsl::now));
        diesel::update(projects::table.filter(projects::id.eq(project))).set(change).execute(&mut connection).await?;
        announce(&connection, &Event::Project { project }).await
    }

    /// What is on its way to a project.
    pub async fn arriving(&self, project: Uuid) -> Result<Vec<Arriving>, StoreError> {
        let mut connection = self.connection().await?;
        let columns = (projects::arriving, projects::arriving_at);
        let found = projects::table.filter(projects::id.eq(project)).select(columns).first(&mut connection).await;
        let (said, at): (Option<Value>, Option<DateTime<Utc>>) = found.optional()?.unwrap_or_default();
        let is_new = at.is_some_and(|at| Utc::now() - at < SAID_WITHIN);
        let said = said.filter(|_| is_new).map(serde_json::from_value).transpose();
        Ok(said?.unwrap_or_default())
    }
}

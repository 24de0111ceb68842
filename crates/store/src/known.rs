//! What there are rows for: by it files that nobody needs are told from those that are promised.

use std::collections::HashSet;

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::{clips, installation, jobs, pictures};
use crate::{Store, StoreError};

/// Identities that files are named after.
#[derive(Clone, Debug, Default)]
pub struct Known {
    /// All clips.
    pub clips: HashSet<Uuid>,
    /// All pictures.
    pub pictures: HashSet<Uuid>,
    /// Jobs whose film is there to be fetched.
    pub written: HashSet<Uuid>,
    /// Jobs that are at work, or wait for it.
    pub active: HashSet<Uuid>,
}

impl Known {
    /// Whether one of these clips or pictures is not there.
    pub fn lacks_any(&self, ids: &HashSet<Uuid>) -> bool {
        ids.iter().any(|id| !self.clips.contains(id) && !self.pictures.contains(id))
    }
}

impl Store {
    /// Which database it is: another one has another.
    pub async fn installation(&self) -> Result<Uuid, StoreError> {
        let mut connection = self.connection().await?;
        Ok(installation::table.select(installation::id).first(&mut connection).await?)
    }

    /// What there are rows for now.
    pub async fn known(&self) -> Result<Known, StoreError> {
        let mut connection = self.connection().await?;
        known(&mut connection).await
    }

    /// Clips that are to be prepared, and that nobody prepares: each with its project.
    pub async fn forsaken_clips(&self) -> Result<Vec<(Uuid, Uuid)>, StoreError> {
        let nobody = "NOT EXISTS (SELECT 1 FROM jobs WHERE jobs.clip_id = clips.id AND jobs.kind = 'prepare' \
             AND jobs.state IN ('waiting', 'running'))";
        let mut connection = self.connection().await?;
        let forsaken = clips::table.filter(clips::state.eq("preparing")).filter(sql::<Bool>(nobody));
        Ok(forsaken.select((clips::id, clips::project_id)).load(&mut connection).await?)
    }
}

pub(crate) async fn known(connection: &mut AsyncPgConnection) -> Result<Known, StoreError> {
    let clips: Vec<Uuid> = clips::table.select(clips::id).load(connection).await?;
    let pictures: Vec<Uuid> = pictures::table.select(pictures::id).load(connection).await?;
    let jobs: Vec<(Uuid, String)> = jobs::table
        .filter(jobs::state.eq_any(["waiting", "running", "done"]))
        .select((jobs::id, jobs::state))
        .load(connection)
        .await?;
    let (written, active): (Vec<_>, Vec<_>) = jobs.into_iter().partition(|(_, state)| state == "done");
    let ids = |jobs: Vec<(Uuid, String)>| jobs.into_iter().map(|(id, _)| id).collect();
    Ok(Known {
        clips: clips.into_iter().collect(),
        pictures: pictures.into_iter().collect(),
        written: ids(written),
        active: ids(active),
    })
}

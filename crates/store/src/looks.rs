//! Looks of attachments, kept under a name for every shot of a project.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jampin_core::attachment::Attachment;
use uuid::Uuid;

use crate::schema::looks;
use crate::{Store, StoreError};

impl Store {
    /// The looks of a project, by name: each an attachment that has it.
    pub async fn looks(&self, project: Uuid) -> Result<Vec<Attachment>, StoreError> {
        let mut connection = self.connection().await?;
        let kept = looks::table.filter(looks::project_id.eq(project)).order(looks::name);
        let rows: Vec<serde_json::Value> = kept.select(looks::attachment).load(&mut connection).await?;
        rows.into_iter().map(|look| Ok(serde_json::from_value(look)?)).collect()
    }

    /// Keeps the look of an attachment under the name that it has; one that is there already is replaced.
    pub async fn keep_look(&self, project: Uuid, attachment: &Attachment) -> Result<(), StoreError> {
        let Some(name) = &attachment.look else { return Ok(()) };
        self.project(project).await?;
        let mut connection = self.connection().await?;
        let look = looks::attachment.eq(serde_json::to_value(attachment)?);
        diesel::insert_into(looks::table)
            .values((looks::project_id.eq(project), looks::name.eq(name), look.clone()))
            .on_conflict((looks::project_id, looks::name))
            .do_update()
            .set(look)
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// Forgets a look; attachments that have it stay as they are.
    pub async fn forget_look(&self, project: Uuid, name: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let kept = looks::table.filter(looks::project_id.eq(project)).filter(looks::name.eq(name));
        let gone = diesel::delete(kept).execute(&mut connection).await?;
        (gone == 1).then_some(()).ok_or(StoreError::NotFound("look"))
    }
}

//! Pictures and logos of a project.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::Serialize;
use uuid::Uuid;

use crate::schema::pictures;
use crate::{Store, StoreError};

/// A picture; its file is the media folder's.
#[derive(Clone, Debug, PartialEq, Eq, Queryable, Selectable, Serialize)]
#[diesel(table_name = pictures)]
pub struct Picture {
    /// Identity.
    pub id: Uuid,
    /// In which project.
    pub project_id: Uuid,
    /// Name of the file as it came in.
    pub name: String,
    /// Its own width, in pixels.
    pub width: i32,
    /// Its own height, in pixels.
    pub height: i32,
}

impl Store {
    /// Takes note of a picture whose file is in its place.
    pub async fn create_picture(&self, picture: &Picture) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let values = (
            pictures::id.eq(picture.id),
            pictures::project_id.eq(picture.project_id),
            pictures::name.eq(&picture.name),
            pictures::width.eq(picture.width),
            pictures::height.eq(picture.height),
        );
        diesel::insert_into(pictures::table).values(values).execute(&mut connection).await?;
        Ok(())
    }

    /// One picture.
    pub async fn picture(&self, id: Uuid) -> Result<Picture, StoreError> {
        let mut connection = self.connection().await?;
        let found = pictures::table.filter(pictures::id.eq(id)).filter(pictures::deleted_at.is_null());
        let found = found.select(Picture::as_select());
        found.first(&mut connection).await.optional()?.ok_or(StoreError::NotFound("picture"))
    }

    /// The pictures of a project, in the order they came in.
    pub async fn pictures(&self, project: Uuid) -> Result<Vec<Picture>, StoreError> {
        let mut connection = self.connection().await?;
        let found = pictures::table.filter(pictures::project_id.eq(project)).filter(pictures::deleted_at.is_null());
        let found = found.order(pictures::created_at);
        Ok(found.select(Picture::as_select()).load(&mut connection).await?)
    }

    /// Which of these are pictures of a project, also of those that are not offered any more.
    pub async fn pictures_among(&self, project: Uuid, ids: &[Uuid]) -> Result<Vec<Uuid>, StoreError> {
        let mut connection = self.connection().await?;
        let own = pictures::table.filter(pictures::project_id.eq(project)).filter(pictures::id.eq_any(ids));
        Ok(own.select(pictures::id).load(&mut connection).await?)
    }
}

//! Shots of parts of a clip: cut out of one that is there, and taken away again.

use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use jampin_core::time::FrameRange;
use uuid::Uuid;

use crate::audit::note;
use crate::events::announce;
use crate::schema::shots;
use crate::shots::{NewShot, insert, parsed, row};
use crate::{Event, Store, StoreError};

impl Store {
    /// Makes shots of parts of a shot's clip, which come after it. It stays as it is; if nothing was made of it yet, its
    /// parts take its place in the project's film.
    pub async fn add_parts(&self, of: Uuid, parts: &[(String, FrameRange)]) -> Result<Vec<Uuid>, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let whole = row(connection, of).await?;
                let mut made = Vec::new();
                for (name, range) in parts {
                    let (project, clip) = (whole.project_id, whole.clip_id);
                    made.push(insert(connection, NewShot { project, clip, name, range: *range }).await?);
                }
                let place: i32 = shots::table.filter(shots::id.eq(of)).select(shots::place).first(connection).await?;
                let after = diesel::update(shots::table.filter(shots::id.eq_any(&made)));
                after.set(shots::place.eq(place)).execute(connection).await?;
                if parsed(&whole)?.subjects.is_empty() {
                    let whole = diesel::update(shots::table.filter(shots::id.eq(of)));
                    whole.set(shots::in_film.eq(false)).execute(connection).await?;
                }
                announce(connection, &Event::Project { project: whole.project_id }).await?;
                Ok(made)
            })
            .await
    }

    /// Takes a shot away with all that was made of it, unless it is the only one of its clip.
    pub async fn delete_shot(&self, id: Uuid, by: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let gone = row(connection, id).await?;
                if others_of(connection, gone.clip_id, id).await? == 0 {
                    let why = "this is the only shot of its film; remove the film instead";
                    return Err(StoreError::InUse(why.into()));
                }
                diesel::delete(shots::table.filter(shots::id.eq(id))).execute(connection).await?;
                announce(connection, &Event::Project { project: gone.project_id }).await?;
                note(connection, Some(by), &format!("Shot “{}” removed, with all made of it", gone.name)).await
            })
            .await
    }
}

async fn others_of(connection: &mut AsyncPgConnection, clip: Uuid, but: Uuid) -> Result<i64, StoreError> {
    let others = shots::table.filter(shots::clip_id.eq(clip)).filter(shots::id.ne(but));
    Ok(others.count().get_result(connection).await?)
}

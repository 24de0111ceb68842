//! The order of a project's shots, for its film.

use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::shots;
use crate::{Store, StoreError};

impl Store {
    /// Puts shots of a project in this order, those that are not named after them; and says which are in its film.
    pub async fn arrange(&self, project: Uuid, order: &[(Uuid, bool)]) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let own = shots::table.filter(shots::project_id.eq(project));
                diesel::update(own).set(shots::place.eq(order.len() as i32)).execute(connection).await?;
                for (place, (shot, in_film)) in order.iter().enumerate() {
                    let one = shots::table.filter(shots::project_id.eq(project)).filter(shots::id.eq(shot));
                    let values = (shots::place.eq(place as i32), shots::in_film.eq(in_film));
                    if diesel::update(one).set(values).execute(connection).await? == 0 {
                        return Err(StoreError::NotFound("shot"));
                    }
                }
                Ok(())
            })
            .await
    }
}

//! The order of a project's shots, for its film.

use diesel::prelude::*;
use diesel::sql_types::{Array, Bool, Int4, Uuid as SqlUuid};
use diesel_async::{AsyncConnection, RunQueryDsl};
use uuid::Uuid;

use crate::schema::shots;
use crate::{Store, StoreError};

/// All of them in one go: thousands one by one would hold the connection for seconds.
const ARRANGE: &str = "UPDATE shots SET place = new.place, in_film = new.in_film \
     FROM unnest($1, $2, $3) AS new (id, place, in_film) WHERE shots.id = new.id AND shots.project_id = $4";

impl Store {
    /// Puts shots of a project in this order, those that are not named after them; and says which are in its film.
    pub async fn arrange(&self, project: Uuid, order: &[(Uuid, bool)]) -> Result<(), StoreError> {
        let ids: Vec<Uuid> = order.iter().map(|(shot, _)| *shot).collect();
        let places: Vec<i32> = (0..order.len() as i32).collect();
        let in_film: Vec<bool> = order.iter().map(|(_, in_film)| *in_film).collect();
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let own = shots::table.filter(shots::project_id.eq(project));
                diesel::update(own).set(shots::place.eq(order.len() as i32)).execute(connection).await?;
                let arranged = diesel::sql_query(ARRANGE)
                    .bind::<Array<SqlUuid>, _>(ids)
                    .bind::<Array<Int4>, _>(places)
                    .bind::<Array<Bool>, _>(in_film)
                    .bind::<SqlUuid, _>(project)
                    .execute(connection)
                    .await?;
                (arranged == order.len()).then_some(()).ok_or(StoreError::NotFound("shot"))
            })
            .await
    }
}

//! Where the planes of a clip are. Workers whose folders lie apart have each their own: a job is done best where the
//! planes of its clip are already, but rather somewhere else than late.

use diesel::dsl::sql;
use diesel::expression::SqlLiteral;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Timestamptz};
use diesel_async::RunQueryDsl;
use uuid::Uuid;

use crate::lease::HEARTBEAT_STALE_SECONDS;
use crate::schema::clip_places;
use crate::sql_functions::database_now;
use crate::{Store, StoreError};

/// So long a job waits for a worker that is nearer, in milliseconds.
pub const GRACE_MILLIS: u32 = 400;
/// A job whose planes are at hand is taken before others that are this much older, in seconds: about as long as planes
/// take to be made.
const HEAD_START_SECONDS: u32 = 5;

/// The clip that a job needs.
const CLIP: &str = "COALESCE(jobs.clip_id, (SELECT shots.clip_id FROM shots WHERE shots.id = jobs.shot_id))";

/// The planes of a job's clip are at this place. An identity is made of digits and dashes: nothing in it means anything
/// to SQL.
fn is_near(place: Uuid) -> String {
    format!("EXISTS (SELECT 1 FROM clip_places WHERE clip_id = {CLIP} AND place = '{place}')")
}

/// Jobs that a worker at this place should not leave to another that has the planes.
pub(crate) fn may_be_taken_at(place: Uuid) -> SqlLiteral<Bool> {
    let nearer = format!(
        "EXISTS (SELECT 1 FROM clip_places JOIN workers USING (place) WHERE clip_id = {CLIP} AND \
         jobs.kind = ANY (workers.kinds) AND workers.seen_at > now() - interval '{HEARTBEAT_STALE_SECONDS} seconds')"
    );
    let has_waited = format!("jobs.created_at < now() - interval '{GRACE_MILLIS} milliseconds'");
    sql(&format!("({has_waited} OR {} OR NOT {nearer})", is_near(place)))
}

/// The order in which a worker at this place takes jobs.
pub(crate) fn nearness(place: Uuid) -> SqlLiteral<Timestamptz> {
    let near = is_near(place);
    sql(&format!(
        "(jobs.created_at - CASE WHEN {near} THEN interval '{HEAD_START_SECONDS} seconds' ELSE interval '0' END)"
    ))
}

impl Store {
    /// Says that the planes of a clip are at a place, or are being made there.
    pub async fn planes_are_at(&self, clip: Uuid, place: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let row = (clip_places::clip_id.eq(clip), clip_places::place.eq(place));
        diesel::insert_into(clip_places::table)
            .values(row)
            .on_conflict((clip_places::clip_id, clip_places::place))
            .do_update()
            .set(clip_places::used_at.eq(database_now().assume_not_null()))
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// They were dropped there.
    pub async fn planes_left(&self, clips: &[Uuid], place: Uuid) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let gone = clip_places::table.filter(clip_places::clip_id.eq_any(clips)).filter(clip_places::place.eq(place));
        diesel::delete(gone).execute(&mut connection).await?;
        Ok(())
    }
}

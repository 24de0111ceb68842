//! What the latest revisions of a shot were about. A write made for an older one is taken if it is about something else.

use std::collections::BTreeSet;

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::document::Shot;
use jampin_core::edit::Edit;
use uuid::Uuid;

use crate::StoreError;
use crate::rows::ShotRow;
use crate::schema::changes;

/// Revisions that are remembered: a page that is further behind reads the shot anew.
const REMEMBERED: i64 = 200;

/// Refuses a change that was made for an older revision, if what it is about was changed since.
pub(crate) async fn fits(
    connection: &mut AsyncPgConnection,
    row: &ShotRow,
    revision: i64,
    edit: &Edit,
    shot: &Shot,
) -> Result<(), StoreError> {
    if row.revision == revision {
        return Ok(());
    }
    let stale = StoreError::Stale { revision: row.revision };
    let behind = row.revision - revision;
    if !(1..=REMEMBERED).contains(&behind) {
        return Err(stale);
    }
    let since = changes::table.filter(changes::shot_id.eq(row.id)).filter(changes::revision.gt(revision));
    let since: Vec<Vec<Uuid>> = since.select(changes::subjects).load(connection).await?;
    let own = edit.subjects(shot);
    let is_known = since.len() as i64 == behind;
    let is_apart = since.iter().flatten().all(|subject| !subject.is_nil() && !own.contains(subject));
    if is_known && is_apart && !own.contains(&Uuid::nil()) { Ok(()) } else { Err(stale) }
}

/// Remembers what a revision is about.
pub(crate) async fn remember(
    connection: &mut AsyncPgConnection,
    shot: Uuid,
    revision: i64,
    subjects: &BTreeSet<Uuid>,
) -> Result<(), StoreError> {
    let subjects: Vec<Uuid> = subjects.iter().copied().collect();
    let values = (changes::shot_id.eq(shot), changes::revision.eq(revision), changes::subjects.eq(subjects));
    diesel::insert_into(changes::table).values(values).execute(connection).await?;
    let old = changes::table.filter(changes::shot_id.eq(shot)).filter(changes::revision.le(revision - REMEMBERED));
    diesel::delete(old).execute(connection).await?;
    Ok(())
}

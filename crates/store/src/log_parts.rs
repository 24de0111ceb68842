//! What a job that adds to an entry of the log has changed so far: kept beside the entry, so that writing grows with
//! what was found.

use std::collections::BTreeSet;

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::edit::Edit;
use jampin_core::time::Frame;
use jampin_core::track::Sample;
use serde_json::Value;
use uuid::Uuid;

use crate::StoreError;
use crate::rows::LogRow;
use crate::schema::log_parts;

/// Keeps what was there before, of frames of which the entry does not know it yet: one undo takes back all that the job
/// did.
pub(crate) async fn keep(
    connection: &mut AsyncPgConnection,
    entry: &LogRow,
    pin: Uuid,
    before: Vec<(Frame, Option<Sample>)>,
) -> Result<(), StoreError> {
    let parts = log_parts::table
        .filter(log_parts::shot_id.eq(entry.shot_id))
        .filter(log_parts::number.eq(entry.number))
        .filter(log_parts::pin_id.eq(pin));
    let known: Vec<Vec<i32>> = parts.select(log_parts::frames).load(connection).await?;
    let known: BTreeSet<i32> = known.into_iter().flatten().collect();
    let mut samples: Vec<(Frame, Option<Sample>)> =
        before.into_iter().filter(|(frame, _)| !known.contains(&(frame.0 as i32))).collect();
    if samples.is_empty() {
        return Ok(());
    }
    let frames: Vec<i32> = samples.iter().map(|(frame, _)| frame.0 as i32).collect();
    // A frame named twice must get back what was there first.
    samples.reverse();
    let values = (
        log_parts::shot_id.eq(entry.shot_id),
        log_parts::number.eq(entry.number),
        log_parts::pin_id.eq(pin),
        log_parts::frames.eq(frames),
        log_parts::inverse.eq(serde_json::to_value(Edit::SetSamples { pin, samples })?),
    );
    diesel::insert_into(log_parts::table).values(values).execute(connection).await?;
    Ok(())
}

/// The edit that takes back an entry with all of its parts.
pub(crate) async fn inverse(connection: &mut AsyncPgConnection, entry: &LogRow) -> Result<Edit, StoreError> {
    let parts = log_parts::table
        .filter(log_parts::shot_id.eq(entry.shot_id))
        .filter(log_parts::number.eq(entry.number))
        .order(log_parts::part.desc());
    let parts: Vec<Value> = parts.select(log_parts::inverse).load(connection).await?;
    let own = serde_json::from_value(entry.inverse.clone())?;
    if parts.is_empty() {
        return Ok(own);
    }
    let parts = parts.into_iter().map(serde_json::from_value).collect::<Result<Vec<Edit>, _>>()?;
    Ok(Edit::All { edits: parts.into_iter().chain([own]).collect() })
}

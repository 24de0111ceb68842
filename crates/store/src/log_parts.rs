//! What a job that adds to an entry of the log has changed so far: kept beside the entry, so that writing grows with
//! what was found.

use std::collections::{BTreeMap, BTreeSet};

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::edit::Edit;
use jampin_core::time::Frame;
use jampin_core::track::Sample;
use serde_json::Value;
use uuid::Uuid;

use crate::StoreError;
use crate::rows::LogRow;
use crate::schema::{log, log_parts};

/// What was on frames before.
pub(crate) type Before = Vec<(Frame, Option<Sample>)>;

/// The frames, by pin, of which the entry of a job knows what was there before.
pub(crate) async fn known(
    mut connection: &AsyncPgConnection,
    shot: Uuid,
    job: Uuid,
) -> Result<BTreeMap<Uuid, BTreeSet<Frame>>, StoreError> {
    let entry = log::table.filter(log::shot_id.eq(shot)).filter(log::job_id.eq(job)).select(log::number);
    let parts = log_parts::table.filter(log_parts::shot_id.eq(shot)).filter(log_parts::number.eq_any(entry));
    let rows: Vec<(Uuid, Vec<i32>)> =
        parts.select((log_parts::pin_id, log_parts::frames)).load(&mut connection).await?;
    let mut known: BTreeMap<Uuid, BTreeSet<Frame>> = BTreeMap::new();
    for (pin, frames) in rows {
        known.entry(pin).or_default().extend(frames.into_iter().map(|frame| Frame(frame as u32)));
    }
    Ok(known)
}

/// Keeps what was there before: one undo takes back all that the job did.
pub(crate) async fn keep(
    mut connection: &AsyncPgConnection,
    entry: &LogRow,
    before: BTreeMap<Uuid, Before>,
) -> Result<(), StoreError> {
    let part = |(pin, mut samples): (Uuid, Before)| {
        let frames: Vec<i32> = samples.iter().map(|(frame, _)| frame.0 as i32).collect();
        // A frame named twice must get back what was there first.
        samples.reverse();
        let inverse = serde_json::to_value(Edit::SetSamples { pin, samples })?;
        Ok((
            log_parts::shot_id.eq(entry.shot_id),
            log_parts::number.eq(entry.number),
            log_parts::pin_id.eq(pin),
            log_parts::frames.eq(frames),
            log_parts::inverse.eq(inverse),
        ))
    };
    let parts = before.into_iter().filter(|(_, samples)| !samples.is_empty()).map(part);
    let mut parts = parts.collect::<Result<Vec<_>, StoreError>>()?;
    // The text for one is always the same.
    match parts.len() {
        0 => {}
        1 => drop(diesel::insert_into(log_parts::table).values(parts.remove(0)).execute(&mut connection).await?),
        _ => drop(diesel::insert_into(log_parts::table).values(parts).execute(&mut connection).await?),
    }
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

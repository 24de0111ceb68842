//! Samples that a job adds to its entry of the log, again and again while it is at work.

use std::collections::{BTreeMap, BTreeSet};

use diesel::prelude::*;
use diesel_async::{AsyncConnection, AsyncPgConnection, RunQueryDsl};
use futures_util::future::try_join_all;
use futures_util::try_join;
use jampin_core::document::Shot;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, SampleState, Track};
use serde_json::Value;
use uuid::Uuid;

use crate::events::announce;
use crate::lease::hold;
use crate::log_parts::Before;
use crate::prepared::Prepare;
use crate::rows::{LogRow, SpanRow};
use crate::schema::{jobs, log, shots};
use crate::shots::{lock, parsed};
use crate::{Event, Lease, Store, StoreError, log_parts, samples};

/// Whether samples of a job could still be added.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Appended {
    /// They are in.
    Yes,
    /// The job's entry was undone, or its pin removed: nobody wants them any more.
    Unwanted,
}

/// A pin, with what is to be on some of its frames.
pub type NewSamples<'a> = (Uuid, &'a [(Frame, Option<Sample>)]);

impl Store {
    /// Adds samples of some pins to a job's entry, and takes note of how far the job is, in one transaction.
    ///
    /// The shot is locked meanwhile, and the database may be far: what does not need the answer of what is asked
    /// before it is sent after it at once.
    pub async fn append_samples(
        &self,
        lease: &Lease,
        shot: Uuid,
        new: &[NewSamples<'_>],
        progress: &Value,
    ) -> Result<Appended, StoreError> {
        let mut connection = self.connection().await?;
        connection
            .transaction(async |connection| {
                let row = lock(connection, shot).await?;
                let document = parsed(&row)?;
                let ranges: BTreeMap<Uuid, FrameRange> = new.iter().filter_map(range).collect();
                let entry = entry_of(connection, shot, lease.job);
                let known = log_parts::known(connection, shot, lease.job);
                let (_, entry, known, old) =
                    try_join!(hold(connection, lease), entry, known, rows(connection, shot, &ranges))?;
                let Some(entry) = entry.filter(|entry| entry.number <= row.log_head) else {
                    return Ok(Appended::Unwanted);
                };
                if new.iter().any(|(track, _)| !document.has_track(*track)) {
                    return Ok(Appended::Unwanted);
                }
                let Change { before, after } = change(new, &old, known);
                let removed = old.iter().map(|(pin, rows)| samples::remove(connection, (shot, *pin), rows));
                try_join_all(removed).await?;
                let after = after.iter().flat_map(|(pin, track)| samples::pieces((shot, *pin), &old[pin], track));
                try_join!(
                    log_parts::keep(connection, &entry, before),
                    samples::insert(connection, after.collect()),
                    tell(connection, shot, &document, &ranges),
                    count(connection, shot),
                    reached(connection, lease, progress),
                )?;
                Ok(Appended::Yes)
            })
            .await
    }
}

/// A pin and the frames that are new.
fn range((pin, new): &NewSamples<'_>) -> Option<(Uuid, FrameRange)> {
    let frames = || new.iter().map(|(frame, _)| *frame);
    Some((*pin, FrameRange { first: frames().min()?, last: frames().max()? }))
}

async fn entry_of(mut connection: &AsyncPgConnection, shot: Uuid, job: Uuid) -> Result<Option<LogRow>, StoreError> {
    let entry = log::table.filter(log::shot_id.eq(shot)).filter(log::job_id.eq(job));
    Ok(entry.select(LogRow::as_select()).first(&mut connection).await.optional()?)
}

/// What there is of each pin, on these frames and some beside them.
async fn rows(
    connection: &AsyncPgConnection,
    shot: Uuid,
    ranges: &BTreeMap<Uuid, FrameRange>,
) -> Result<BTreeMap<Uuid, Vec<SpanRow>>, StoreError> {
    let of_pins = ranges.iter().map(|(pin, range)| samples::near(connection, shot, *pin, *range));
    Ok(ranges.keys().copied().zip(try_join_all(of_pins).await?).collect())
}

/// What becomes of pins, and what was on frames of which the job's entry does not know that yet.
struct Change {
    before: BTreeMap<Uuid, Before>,
    after: BTreeMap<Uuid, Track>,
}

fn change(
    new: &[NewSamples<'_>],
    old: &BTreeMap<Uuid, Vec<SpanRow>>,
    known: BTreeMap<Uuid, BTreeSet<Frame>>,
) -> Change {
    let mut change = Change { before: BTreeMap::new(), after: BTreeMap::new() };
    for (pin, new) in new {
        let Some(rows) = old.get(pin) else { continue };
        let track = change.after.entry(*pin).or_insert_with(|| samples::track(rows));
        let before = put(track, new).into_iter();
        let news = before.filter(|(frame, _)| known.get(pin).is_none_or(|known| !known.contains(frame)));
        change.before.entry(*pin).or_default().extend(news);
    }
    change
}

/// The knots of a net are told of together, as news of the pin that leads its area.
async fn tell(
    connection: &AsyncPgConnection,
    shot: Uuid,
    document: &Shot,
    ranges: &BTreeMap<Uuid, FrameRange>,
) -> Result<(), StoreError> {
    let leading = |track: Uuid| document.pin(track).map(|_| track).or_else(|| document.leading_pin_of(track));
    let news: BTreeMap<Uuid, FrameRange> =
        ranges.iter().filter_map(|(track, range)| Some((leading(*track)?, *range))).collect();
    let events = news.into_iter().map(async |(pin, FrameRange { first, last })| {
        announce(connection, &Event::Samples { shot, pin, first: first.0, last: last.0 }).await
    });
    try_join_all(events).await.map(|_| ())
}

async fn count(mut connection: &AsyncPgConnection, shot: Uuid) -> Result<(), StoreError> {
    let newer = diesel::update(shots::table.filter(shots::id.eq(shot)));
    let newer = newer.set(shots::samples_version.eq(shots::samples_version + 1));
    newer.prepared().execute(&mut connection).await?;
    Ok(())
}

async fn reached(mut connection: &AsyncPgConnection, lease: &Lease, progress: &Value) -> Result<(), StoreError> {
    let job = diesel::update(jobs::table.filter(jobs::id.eq(lease.job))).set(jobs::progress.eq(progress));
    job.prepared().execute(&mut connection).await?;
    Ok(())
}

/// Puts samples into a track; what was there before, for each frame. A place set by hand while the job was at work
/// stays; what the job says of a guide it knew is taken.
fn put(track: &mut Track, new: &[(Frame, Option<Sample>)]) -> Before {
    let mut before = Vec::with_capacity(new.len());
    for &(frame, sample) in new {
        let is_wanted = match track.get(frame) {
            Some(now) if now.state == SampleState::Guide => {
                sample.is_some_and(|new| new.state == SampleState::Guide && new.at == now.at)
            }
            _ => true,
        };
        if is_wanted {
            before.push((frame, track.set(frame, sample)));
        }
    }
    before
}

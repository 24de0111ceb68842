//! Samples in compact columns: one row for each run of frames without a hole.

use std::collections::BTreeMap;

use diesel::prelude::*;
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::geometry::Point;
use jampin_core::shot::{Covariance, Sample, SampleState, Track};
use jampin_core::time::Frame;
use uuid::Uuid;

use crate::StoreError;
use crate::rows::SpanRow;
use crate::schema::samples;

const STATES: [SampleState; 5] =
    [SampleState::Found, SampleState::Guide, SampleState::Hidden, SampleState::Bridged, SampleState::Outside];

/// All samples of a shot, by pin.
pub(crate) async fn load(connection: &mut AsyncPgConnection, shot: Uuid) -> Result<BTreeMap<Uuid, Track>, StoreError> {
    let rows: Vec<SpanRow> =
        samples::table.filter(samples::shot_id.eq(shot)).select(SpanRow::as_select()).load(connection).await?;
    let mut tracks: BTreeMap<Uuid, Track> = BTreeMap::new();
    for row in rows {
        let track = tracks.entry(row.pin_id).or_default();
        unpack(&row).for_each(|(frame, sample)| {
            track.set(frame, Some(sample));
        });
    }
    Ok(tracks)
}

/// Replaces all samples of a pin.
pub(crate) async fn save(
    connection: &mut AsyncPgConnection,
    shot: Uuid,
    pin: Uuid,
    track: Option<&Track>,
) -> Result<(), StoreError> {
    let old = samples::table.filter(samples::shot_id.eq(shot)).filter(samples::pin_id.eq(pin));
    diesel::delete(old).execute(connection).await?;
    let rows = track.map(|track| pack(shot, pin, track)).unwrap_or_default();
    // PostgreSQL takes at most 65535 values a statement; a row has nine.
    for some in rows.chunks(1000) {
        diesel::insert_into(samples::table).values(some).execute(connection).await?;
    }
    Ok(())
}

fn pack(shot: Uuid, pin: Uuid, track: &Track) -> Vec<SpanRow> {
    let mut rows: Vec<SpanRow> = Vec::new();
    for (frame, sample) in track.iter() {
        let number = frame.0 as i32;
        let goes_on = rows.last().is_some_and(|row| row.first_frame + row.x.len() as i32 == number);
        if !goes_on {
            rows.push(SpanRow {
                shot_id: shot,
                pin_id: pin,
                first_frame: number,
                x: Vec::new(),
                y: Vec::new(),
                matched: Vec::new(),
                sd_x: Vec::new(),
                sd_y: Vec::new(),
                state: Vec::new(),
            });
        }
        let row = rows.last_mut().expect("just pushed");
        row.x.push(sample.at.x);
        row.y.push(sample.at.y);
        row.matched.push(sample.matched as f32);
        let deviation = sample.covariance.deviation();
        row.sd_x.push(deviation.x as f32);
        row.sd_y.push(deviation.y as f32);
        row.state.push(STATES.iter().position(|state| *state == sample.state).unwrap_or(0) as i16);
    }
    rows
}

fn unpack(row: &SpanRow) -> impl Iterator<Item = (Frame, Sample)> + '_ {
    (0..row.x.len()).map(|i| {
        let (sd_x, sd_y) = (f64::from(row.sd_x[i]), f64::from(row.sd_y[i]));
        let covariance = Covariance::new([sd_x * sd_x, 0.0, sd_y * sd_y]);
        let state = STATES.get(row.state[i] as usize).copied().unwrap_or(SampleState::Found);
        let sample = Sample::bare(Point::new(row.x[i], row.y[i]), f64::from(row.matched[i]), covariance, state);
        (Frame((row.first_frame + i as i32) as u32), sample)
    })
}

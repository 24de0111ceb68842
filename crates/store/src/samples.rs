//! Samples in compact columns: one row for each run of frames without a hole.

use std::collections::BTreeMap;
use std::sync::Arc;

use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Integer};
use diesel_async::{AsyncPgConnection, RunQueryDsl};
use jampin_core::geometry::{LocalWarp, Point};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Covariance, Grasp, Sample, SampleState, Track};
use uuid::Uuid;

use crate::prepared::Prepare;
use crate::rows::SpanRow;
use crate::schema::samples;
use crate::{Store, StoreError};

/// What the numbers of the column `state` stand for.
const STATES: [(SampleState, Grasp); 6] = [
    (SampleState::Found, Grasp::Exact),
    (SampleState::Guide, Grasp::Exact),
    (SampleState::Hidden, Grasp::Exact),
    (SampleState::Bridged, Grasp::Exact),
    (SampleState::Outside, Grasp::Exact),
    (SampleState::Found, Grasp::Rough),
];

/// Frames of a row that is cut out of a longer one: the next change beside it then rewrites no more. Smaller, and there
/// are many rows; larger, and following over old samples rewrites many of them each time.
const PIECE: usize = 64;

/// All samples of a shot, by pin.
pub(crate) async fn load(
    connection: &mut AsyncPgConnection,
    shot: Uuid,
) -> Result<BTreeMap<Uuid, Arc<Track>>, StoreError> {
    let rows = samples::table.filter(samples::shot_id.eq(shot)).select(SpanRow::as_select());
    Ok(tracks(rows.load(connection).await?))
}

/// The samples of some pins only.
pub(crate) async fn load_pins(
    connection: &mut AsyncPgConnection,
    shot: Uuid,
    pins: &[Uuid],
) -> Result<BTreeMap<Uuid, Arc<Track>>, StoreError> {
    let rows = samples::table.filter(samples::shot_id.eq(shot)).filter(samples::pin_id.eq_any(pins));
    Ok(tracks(rows.select(SpanRow::as_select()).load(connection).await?))
}

fn tracks(rows: Vec<SpanRow>) -> BTreeMap<Uuid, Arc<Track>> {
    let mut pins: BTreeMap<Uuid, Vec<SpanRow>> = BTreeMap::new();
    rows.into_iter().for_each(|row| pins.entry(row.pin_id).or_default().push(row));
    pins.into_iter().map(|(pin, rows)| (pin, Arc::new(track(&rows)))).collect()
}

/// The samples of a pin in the rows that have frames of a range: those of the range, and some beside it.
pub(crate) async fn near(
    mut connection: &AsyncPgConnection,
    shot: Uuid,
    pin: Uuid,
    range: FrameRange,
) -> Result<Vec<SpanRow>, StoreError> {
    let ends_within = sql::<Bool>("first_frame + cardinality(x) > ").bind::<Integer, _>(range.first.0 as i32);
    let found = samples::table
        .filter(samples::shot_id.eq(shot))
        .filter(samples::pin_id.eq(pin))
        .filter(samples::first_frame.le(range.last.0 as i32))
        .filter(ends_within);
    Ok(found.select(SpanRow::as_select()).prepared().load(&mut connection).await?)
}

pub(crate) async fn of_pin(
    mut connection: &AsyncPgConnection,
    (shot, pin): (Uuid, Uuid),
) -> Result<Vec<SpanRow>, StoreError> {
    let found = samples::table.filter(samples::shot_id.eq(shot)).filter(samples::pin_id.eq(pin));
    Ok(found.select(SpanRow::as_select()).load(&mut connection).await?)
}

/// The samples of rows.
pub(crate) fn track(rows: &[SpanRow]) -> Track {
    rows.iter().flat_map(unpack).collect()
}

/// Replaces all samples of some pins by these; a pin without a track has none then.
pub(crate) async fn save(
    connection: &mut AsyncPgConnection,
    shot: Uuid,
    tracks: &BTreeMap<Uuid, Arc<Track>>,
    pins: &[Uuid],
) -> Result<(), StoreError> {
    let old = samples::table.filter(samples::shot_id.eq(shot)).filter(samples::pin_id.eq_any(pins));
    diesel::delete(old).execute(connection).await?;
    let of_pin = |pin: &Uuid| tracks.get(pin).map(|track| pack(shot, *pin, track, usize::MAX));
    insert(connection, pins.iter().filter_map(of_pin).flatten().collect()).await
}

/// Removes rows of a pin.
pub(crate) async fn remove(
    mut connection: &AsyncPgConnection,
    (shot, pin): (Uuid, Uuid),
    rows: &[SpanRow],
) -> Result<(), StoreError> {
    let firsts: Vec<i32> = rows.iter().map(|row| row.first_frame).collect();
    if firsts.is_empty() {
        return Ok(());
    }
    let old = samples::table.filter(samples::shot_id.eq(shot)).filter(samples::pin_id.eq(pin));
    diesel::delete(old.filter(samples::first_frame.eq_any(firsts))).execute(&mut connection).await?;
    Ok(())
}

/// Rows of these samples, in the place of `rows`. What is long and was touched at one place is cut into pieces.
pub(crate) fn pieces((shot, pin): (Uuid, Uuid), rows: &[SpanRow], track: &Track) -> Vec<SpanRow> {
    pack(shot, pin, track, if rows.is_empty() { usize::MAX } else { PIECE })
}

/// Joins those of all rows of a pin that follow one another.
pub(crate) async fn compact(connection: &mut AsyncPgConnection, rows: Vec<SpanRow>) -> Result<(), StoreError> {
    let [SpanRow { shot_id, pin_id, .. }, ..] = &*rows else { return Ok(()) };
    let track = track(&rows);
    if rows.len() > pack(*shot_id, *pin_id, &track, usize::MAX).len() {
        save(connection, *shot_id, &BTreeMap::from([(*pin_id, Arc::new(track))]), &[*pin_id]).await?;
    }
    Ok(())
}

pub(crate) async fn insert(mut connection: &AsyncPgConnection, rows: Vec<SpanRow>) -> Result<(), StoreError> {
    // The text of this is always the same.
    if let [row] = &*rows {
        diesel::insert_into(samples::table).values(row).execute(&mut connection).await?;
        return Ok(());
    }
    // PostgreSQL takes at most 65535 values a statement; a row has fourteen.
    for some in rows.chunks(1000) {
        diesel::insert_into(samples::table).values(some).execute(&mut connection).await?;
    }
    Ok(())
}

impl Store {
    /// The samples of a pin on some frames.
    pub async fn samples(&self, shot: Uuid, pin: Uuid, range: FrameRange) -> Result<Track, StoreError> {
        let connection = self.connection().await?;
        let rows = near(&connection, shot, pin, range).await?;
        Ok(track(&rows).iter().filter(|(frame, _)| range.contains(*frame)).collect())
    }
}

/// A row goes on as long as frames follow one another and all of them have a shape, or none has, up to `most` frames.
fn pack(shot: Uuid, pin: Uuid, track: &Track, most: usize) -> Vec<SpanRow> {
    let mut rows: Vec<SpanRow> = Vec::new();
    for (frame, sample) in track.iter() {
        let number = frame.0 as i32;
        let goes_on = rows.last().is_some_and(|row| {
            row.first_frame + row.x.len() as i32 == number
                && row.shape.is_empty() == sample.shape.is_none()
                && row.x.len() < most
        });
        if !goes_on {
            rows.push(SpanRow::begin(shot, pin, number));
        }
        rows.last_mut().expect("just pushed").push(&sample);
    }
    rows
}

impl SpanRow {
    fn begin(shot_id: Uuid, pin_id: Uuid, first_frame: i32) -> Self {
        Self {
            shot_id,
            pin_id,
            first_frame,
            x: Vec::new(),
            y: Vec::new(),
            matched: Vec::new(),
            sd_x: Vec::new(),
            sd_y: Vec::new(),
            state: Vec::new(),
            cov_xy: Vec::new(),
            peak_ratio: Vec::new(),
            back_error: Vec::new(),
            solved: Vec::new(),
            shape: Vec::new(),
        }
    }

    fn push(&mut self, sample: &Sample) {
        self.x.push(sample.at.x);
        self.y.push(sample.at.y);
        self.matched.push(sample.matched as f32);
        let deviation = sample.covariance.deviation();
        self.sd_x.push(deviation.x as f32);
        self.sd_y.push(deviation.y as f32);
        self.cov_xy.push(sample.covariance.xy as f32);
        let known = STATES.iter().position(|known| *known == (sample.state, sample.grasp));
        let known = known.or_else(|| STATES.iter().position(|(state, _)| *state == sample.state));
        self.state.push(known.unwrap_or(0) as i16);
        self.peak_ratio.push(sample.peak_ratio.unwrap_or(f64::NAN) as f32);
        self.back_error.push(sample.back_error.unwrap_or(f64::NAN) as f32);
        self.solved.push(sample.solved);
        let numbers = sample.shape.map(|shape| [shape.xx, shape.xy, shape.yx, shape.yy, shape.px, shape.py]);
        self.shape.extend(numbers.into_iter().flatten());
    }

    /// Columns that a row does not have were written before they were known.
    fn sample(&self, i: usize) -> Sample {
        let known = |column: &[f32]| column.get(i).copied().map(f64::from).filter(|value| value.is_finite());
        let (sd_x, sd_y) = (f64::from(self.sd_x[i]), f64::from(self.sd_y[i]));
        let shape = self.shape.as_chunks::<6>().0.get(i);
        let (state, grasp) = STATES.get(self.state[i] as usize).copied().unwrap_or(STATES[0]);
        Sample {
            at: Point::new(self.x[i], self.y[i]),
            matched: f64::from(self.matched[i]),
            covariance: Covariance::new([sd_x * sd_x, known(&self.cov_xy).unwrap_or(0.0), sd_y * sd_y]),
            state,
            grasp,
            peak_ratio: known(&self.peak_ratio),
            back_error: known(&self.back_error),
            shape: shape.map(|&[xx, xy, yx, yy, px, py]| LocalWarp { xx, xy, yx, yy, px, py }),
            solved: self.solved.get(i).copied().unwrap_or(false),
        }
    }
}

fn unpack(row: &SpanRow) -> impl Iterator<Item = (Frame, Sample)> + '_ {
    (0..row.x.len()).map(|i| (Frame((row.first_frame + i as i32) as u32), row.sample(i)))
}

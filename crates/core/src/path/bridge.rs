//! Paths across gaps, past the edge of the picture, and from one feature to another.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::PathKeyframe;
use crate::geometry::Point;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// Frames over which the velocity at the edge of a gap is measured: fewer are at the mercy of jitter, more miss a turn.
/// Of 2 to 24, three come nearest to the truth on the demo's walkers (docs/decisions.md).
const VELOCITY_OVER: i64 = 3;
/// Frames on each side of a hand-over over which the offset is averaged.
const AVERAGED_OVER: i64 = 12;

/// How a gap is crossed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Bridge {
    /// In a straight line at even pace.
    Straight,
    /// With the velocities that it has on both sides.
    Smooth,
    /// As another pin of the subject moves.
    Riding,
}

/// Why a gap cannot be crossed.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum BridgeProblem {
    /// Nothing to start from.
    #[error(
        "before frame {0} the pin is nowhere: a bridge needs a place on each side; to carry the path on past an end, use “carry on”"
    )]
    NothingBefore(Frame),
    /// Nothing to get to.
    #[error(
        "after frame {0} the pin is nowhere: a bridge needs a place on each side; to carry the path on past an end, use “carry on”"
    )]
    NothingAfter(Frame),
    /// The other pin is not there all the time.
    #[error("the other pin is not there on frame {0}, so it cannot be ridden on")]
    OtherAway(Frame),
}

/// Bridged samples for every frame of `range`, from the nearest place before it to the nearest after it. `other` is
/// ridden on.
pub fn bridge(
    track: &Track,
    range: FrameRange,
    kind: Bridge,
    other: Option<&Track>,
) -> Result<Vec<(Frame, Sample)>, BridgeProblem> {
    let from = before(track, range.first).ok_or(BridgeProblem::NothingBefore(range.first))?;
    let to = after(track, range.last).ok_or(BridgeProblem::NothingAfter(range.last))?;
    let length = from.0.until(to.0) as f64;
    let edges = [(from, -1), (to, 1)]
        .map(|((frame, at), inward)| PathKeyframe::smooth(frame, at, velocity(track, frame, inward)));
    let place = |frame: Frame| -> Result<Point, BridgeProblem> {
        let share = from.0.until(frame) as f64 / length;
        Ok(match kind {
            Bridge::Straight => from.1 + (to.1 - from.1) * share,
            Bridge::Smooth => edges[0].between(&edges[1], frame),
            Bridge::Riding => {
                let on =
                    |frame: Frame| other.and_then(|other| other.position(frame)).ok_or(BridgeProblem::OtherAway(frame));
                let (first, last) = (from.1 - on(from.0)?, to.1 - on(to.0)?);
                on(frame)? + first + (last - first) * share
            }
        })
    };
    range.frames().map(|frame| Ok((frame, Sample::predicted(place(frame)?, SampleState::Bridged)))).collect()
}

/// Bridged samples that carry the path on over `range`, before its first place or after its last: at its velocity, or
/// as `other` moves. They may lie outside the picture.
pub fn continue_outside(
    track: &Track,
    range: FrameRange,
    other: Option<&Track>,
) -> Result<Vec<(Frame, Sample)>, BridgeProblem> {
    let (edge, inward) = match (before(track, range.first), after(track, range.last)) {
        (Some(edge), _) => (edge, -1),
        (None, Some(edge)) => (edge, 1),
        (None, None) => return Err(BridgeProblem::NothingBefore(range.first)),
    };
    let pace = velocity(track, edge.0, inward);
    let place = |frame: Frame| match other {
        None => Ok(edge.1 + pace * edge.0.until(frame) as f64),
        Some(other) => {
            let on = |frame: Frame| other.position(frame).ok_or(BridgeProblem::OtherAway(frame));
            Ok(edge.1 + on(frame)? - on(edge.0)?)
        }
    };
    range.frames().map(|frame| Ok((frame, Sample::predicted(place(frame)?, SampleState::Bridged)))).collect()
}

/// The samples of `range` as a person put them: a guide on each frame of `places` (in order of frames), the frames
/// between them bridged by a smooth curve (Catmull & Rom 1974, uneven steps) that also joins what is there before and
/// after the range. `None` takes away what is on a frame beyond the last place, or before the first, that nothing joins
/// on.
pub fn by_hand(track: &Track, range: FrameRange, places: &[(Frame, Point)]) -> Vec<(Frame, Option<Sample>)> {
    let joined = before(track, range.first).into_iter().chain(places.iter().copied()).chain(after(track, range.last));
    let knots: Vec<(Frame, Point)> = joined.collect();
    let key = |i: usize| {
        let (a, b) = (knots[i.saturating_sub(1)], knots[(i + 1).min(knots.len() - 1)]);
        PathKeyframe::smooth(knots[i].0, knots[i].1, (b.1 - a.1) * (1.0 / a.0.until(b.0).max(1) as f64))
    };
    let keys: Vec<PathKeyframe> = (0..knots.len()).map(key).collect();
    let sample = |frame: Frame| {
        if let Some((_, at)) = places.iter().find(|(on, _)| *on == frame) {
            return Some(Sample::guide(*at));
        }
        let piece = keys.windows(2).find(|pair| pair[0].frame < frame && frame < pair[1].frame)?;
        Some(Sample::predicted(piece[0].between(&piece[1], frame), SampleState::Bridged))
    };
    range.frames().map(|frame| (frame, sample(frame))).collect()
}

/// One track out of two: the first until just before `from`, then the second, moved so that nothing jumps.
///
/// The offset is averaged over the frames near `from` on which both are there; without any, the first is carried on at
/// its velocity to where the second begins. `None` when either is nowhere.
pub fn hand_over(first: &Track, second: &Track, from: Frame) -> Option<Track> {
    let near = |frame: &Frame| from.until(*frame).abs() <= AVERAGED_OVER;
    let both: Vec<Point> = first
        .iter()
        .map(|(frame, _)| frame)
        .filter(near)
        .filter_map(|frame| Some(first.position(frame)? - second.position(frame)?))
        .collect();
    let offset = if both.is_empty() {
        let (last, at) = before(first, from).or_else(|| after(first, from))?;
        let (begins, there) = after(second, Frame(from.0.saturating_sub(1)))?;
        at + velocity(first, last, -1) * last.until(begins) as f64 - there
    } else {
        both.iter().fold(Point::default(), |sum, offset| sum + *offset) * (1.0 / both.len() as f64)
    };
    let kept = first.iter().filter(|(frame, _)| *frame < from);
    let moved = second.iter().filter(|(frame, _)| *frame >= from);
    Some(kept.chain(moved.map(|(frame, sample)| (frame, Sample { at: sample.at + offset, ..sample }))).collect())
}

/// The nearest place before a frame.
fn before(track: &Track, frame: Frame) -> Option<(Frame, Point)> {
    let present = track.iter().rev().find(|(other, sample)| *other < frame && sample.state.is_present());
    present.map(|(frame, sample)| (frame, sample.at))
}

/// The nearest place after a frame.
fn after(track: &Track, frame: Frame) -> Option<(Frame, Point)> {
    let present = track.iter().find(|(other, sample)| *other > frame && sample.state.is_present());
    present.map(|(frame, sample)| (frame, sample.at))
}

/// Velocity at the edge of a run, in pixels a frame: slope of the line of least squares through the frames next to it,
/// `inward` into the run.
fn velocity(track: &Track, edge: Frame, inward: i32) -> Point {
    let places: Vec<(f64, Point)> = (0..=VELOCITY_OVER as i32)
        .map_while(|n| {
            let frame = edge.step(inward * n)?;
            Some((f64::from(inward * n), track.position(frame)?))
        })
        .collect();
    let count = places.len().max(1) as f64;
    let mean_t = places.iter().map(|(t, _)| t).sum::<f64>() / count;
    let mean = places.iter().fold(Point::default(), |sum, (_, at)| sum + *at) * (1.0 / count);
    let spread: f64 = places.iter().map(|(t, _)| (t - mean_t) * (t - mean_t)).sum();
    if spread == 0.0 {
        return Point::default();
    }
    places.iter().fold(Point::default(), |sum, (t, at)| sum + (*at - mean) * ((t - mean_t) / spread))
}

//! From what was found to a sample for each frame.

use std::collections::BTreeMap;

use super::beam::KEPT_VELOCITY;
use super::guides::{ChosenCandidates, Guides};
use super::refine::BackErrors;
use crate::geometry::{Point, Size};
use crate::path::PathKeyframe;
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// Frames over which the velocity at the edge of a hidden run is measured: one frame alone is at the mercy of its
/// noise.
const VELOCITY_OVER: i64 = 4;

/// A sample for every frame of the range: found, guide, and hidden or outside with the predicted place.
pub(super) fn fill(
    pin: &Pin,
    size: Size,
    guides: &Guides,
    range: FrameRange,
    (path, errors): (&ChosenCandidates, &BackErrors),
    rough: &BTreeMap<Frame, Sample>,
) -> Track {
    let mut track: Track = path
        .iter()
        .map(|(frame, find)| {
            let sample = find.sample(pin, SampleState::Found);
            (*frame, Sample { back_error: errors.get(frame).copied(), solved: true, ..sample })
        })
        .chain(rough.iter().map(|(frame, sample)| (*frame, Sample { solved: true, ..*sample })))
        .collect();
    for guide in guides.within(range) {
        let shape = (pin.motion != crate::track::MotionModel::Position).then_some(guide.shape);
        let back_error = errors.get(&guide.frame).copied();
        track.set(guide.frame, Some(Sample { shape, back_error, solved: true, ..Sample::guide(guide.at) }));
    }
    let seen: Vec<(Frame, Point)> = track.iter().map(|(frame, sample)| (frame, sample.at)).collect();
    for frame in range.frames().filter(|frame| track.get(*frame).is_none()).collect::<Vec<_>>() {
        let at = predicted(&seen, frame);
        // A person who says that it is hidden is believed, wherever the guess leads.
        let is_hidden = pin.is_hidden(frame) || size.contains(at);
        let state = if is_hidden { SampleState::Hidden } else { SampleState::Outside };
        track.set(frame, Some(Sample { solved: true, ..Sample::predicted(at, state) }));
    }
    track
}

/// Between two places a cubic that keeps the velocities of both ends (Hermite); beyond the last, slowing motion.
fn predicted(seen: &[(Frame, Point)], frame: Frame) -> Point {
    let after = seen.partition_point(|(other, _)| *other < frame);
    match (after.checked_sub(1), seen.get(after)) {
        (Some(before), Some(_)) => {
            let edge = |i: usize, inward: i64| PathKeyframe::smooth(seen[i].0, seen[i].1, velocity(seen, i, inward));
            edge(before, -1).between(&edge(after, 1), frame)
        }
        (Some(last), None) => extrapolated(seen, last, -1, frame),
        (None, Some(_)) => extrapolated(seen, after, 1, frame),
        (None, None) => Point::default(),
    }
}

fn extrapolated(seen: &[(Frame, Point)], from: usize, inward: i64, frame: Frame) -> Point {
    let count = seen[from].0.until(frame).unsigned_abs() as i32;
    let outward = velocity(seen, from, inward) * -(inward as f64);
    // The sum of a geometric series.
    seen[from].1 + outward * ((1.0 - KEPT_VELOCITY.powi(count)) / (1.0 - KEPT_VELOCITY))
}

/// Pixels per frame at the edge of a run, looking into the run.
fn velocity(seen: &[(Frame, Point)], edge: usize, inward: i64) -> Point {
    let (frame, at) = seen[edge];
    let mut other = None;
    for steps in 1..=VELOCITY_OVER {
        let index = edge as i64 + inward * steps;
        let next = usize::try_from(index).ok().and_then(|index| seen.get(index));
        match next {
            Some((next, place)) if frame.until(*next) == inward * steps => other = Some((*next, *place)),
            _ => break,
        }
    }
    other.map_or(Point::default(), |(next, place)| (place - at) * (1.0 / frame.until(next) as f64))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn straight(frames: &[u32]) -> Vec<(Frame, Point)> {
        frames.iter().map(|&n| (Frame(n), Point::new(3.0 * f64::from(n), 100.0 - f64::from(n)))).collect()
    }

    #[test]
    fn a_straight_path_goes_on_straight_through_a_gap() {
        let seen = straight(&[0, 1, 2, 3, 4, 5, 20, 21, 22, 23]);
        for n in 6..20 {
            let want = Point::new(3.0 * f64::from(n), 100.0 - f64::from(n));
            assert!(predicted(&seen, Frame(n)).distance(want) < 1e-9, "frame {n}");
        }
    }

    #[test]
    fn beyond_the_ends_it_goes_on_and_slows_down() {
        let seen = straight(&[10, 11, 12, 13, 14]);
        let next = predicted(&seen, Frame(15));
        assert!(next.distance(Point::new(45.0, 85.0)) < 0.2, "{next:?}");
        let before = predicted(&seen, Frame(9));
        assert!(before.distance(Point::new(27.0, 91.0)) < 0.2, "{before:?}");
        let far = predicted(&seen, Frame(400));
        assert!(far.x < 42.0 + 3.0 * 34.0 && far.x > 42.0 + 3.0 * 30.0, "{far:?}");
    }

    #[test]
    fn a_single_place_stays_put() {
        assert_eq!(predicted(&straight(&[7]), Frame(20)), Point::new(21.0, 93.0));
    }
}

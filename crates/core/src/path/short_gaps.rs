//! Gaps that are crossed without being asked: a label does not go out while a lamp post passes.

use super::bridge::{Bridge, bridge};
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// Bridged samples for every gap of at most so many frames on both sides of which the pin was found. What a person
/// said is hidden stays so, and who left the picture is not there.
///
/// A gap that `before` has just as hidden is left: it was crossed once, and somebody took that back.
pub fn cross_short_gaps(track: &Track, before: &Track, pin: &Pin, most: u32) -> Vec<(Frame, Sample)> {
    let between = |pair: &[FrameRange]| FrameRange::new(pair[0].last.step(1)?, pair[1].first.step(-1)?);
    let hidden_in =
        |track: &Track, frame: Frame| track.get(frame).is_some_and(|sample| sample.state == SampleState::Hidden);
    let is_hidden = |frame: Frame| hidden_in(track, frame) && !pin.is_hidden(frame);
    let was_left = |gap: FrameRange| gap.frames().all(|frame| hidden_in(before, frame));
    let spans = track.spans();
    let is_crossed = |gap: &FrameRange| gap.count() <= most && gap.frames().all(is_hidden) && !was_left(*gap);
    let gaps = spans.windows(2).filter_map(between).filter(is_crossed);
    // Both sides are there, so that none of them fails.
    let crossed = gaps.flat_map(|gap| bridge(track, gap, Bridge::Smooth, None).unwrap_or_default());
    crossed.map(|(frame, sample)| (frame, Sample { solved: true, ..sample })).collect()
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::geometry::Point;

    fn at(n: u32, state: SampleState) -> (Frame, Sample) {
        (Frame(n), Sample { state, ..Sample::guide(Point::new(f64::from(n) * 3.0, 50.0)) })
    }

    #[test]
    fn what_is_short_and_seen_on_both_sides_is_crossed() {
        let state = |n: u32| match n {
            20..30 | 70..75 => SampleState::Hidden,
            40..52 => SampleState::Outside,
            90..100 => SampleState::Hidden,
            _ => SampleState::Found,
        };
        let track: Track = (0..100).map(|n| at(n, state(n))).collect();
        let mut pin = Pin::new(Uuid::nil(), Frame(0), Point::default(), [31, 31], [40, 40]);
        let crossed = |pin: &Pin, most: u32| {
            let frames = cross_short_gaps(&track, &Track::default(), pin, most);
            assert!(frames.iter().all(|(frame, sample)| (sample.at.x - f64::from(frame.0) * 3.0).abs() < 1e-6));
            assert!(frames.iter().all(|(_, sample)| sample.state == SampleState::Bridged));
            FrameRange::runs(frames.into_iter().map(|(frame, _)| frame))
        };
        let range = |first: u32, last: u32| FrameRange { first: Frame(first), last: Frame(last) };
        // The last gap has no other side, and who is outside is not there.
        assert_eq!(crossed(&pin, 25), [range(20, 29), range(70, 74)]);
        assert_eq!(crossed(&pin, 9), [range(70, 74)]);
        pin.set_hidden(range(72, 72), true);
        assert_eq!(crossed(&pin, 25), [range(20, 29)]);
        // Taken back once, it stays hidden when the rest is solved again.
        assert!(cross_short_gaps(&track, &track, &pin, 25).is_empty());
    }
}

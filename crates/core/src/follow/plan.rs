//! What following touches: which samples go before it starts, and where it has to pause.

use super::direction::Direction;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// The part of `range` between two cuts that holds `frame`: no track runs across a cut. `cuts` lists the first frame of
/// every shot but the first, in order.
pub fn shot_part(range: FrameRange, cuts: &[Frame], frame: Frame) -> FrameRange {
    let first = cuts.iter().copied().filter(|cut| *cut <= frame).max().unwrap_or(range.first).max(range.first);
    let next = cuts.iter().copied().find(|cut| *cut > frame).and_then(|cut| cut.step(-1));
    FrameRange { first, last: next.unwrap_or(range.last).min(range.last).max(first) }
}

/// The samples that following from `from` to `last` replaces: all on the way that were not set by hand. Given as the
/// changes that remove them.
pub fn cleared_ahead(track: &Track, from: Frame, direction: Direction, last: Frame) -> Vec<(Frame, Option<Sample>)> {
    let on_the_way = |frame: Frame| match direction {
        Direction::Forward => from < frame && frame <= last,
        Direction::Backward => last <= frame && frame < from,
    };
    let found = track.iter().filter(|(_, sample)| sample.state != SampleState::Guide);
    found.filter(|(frame, _)| on_the_way(*frame)).map(|(frame, _)| (frame, None)).collect()
}

/// Where following from `from` has to pause: one frame before the next guide, from which it then goes on, or `last`.
/// The guide is given too, if there is one.
pub fn segment_end(track: &Track, from: Frame, direction: Direction, last: Frame) -> (Frame, Option<Frame>) {
    let mut guides = track.guides().map(|(frame, _)| frame);
    match direction {
        Direction::Forward => match guides.find(|guide| from < *guide && *guide <= last) {
            Some(guide) => (Frame(guide.0 - 1), Some(guide)),
            None => (last, None),
        },
        Direction::Backward => match guides.filter(|guide| last <= *guide && *guide < from).last() {
            Some(guide) => (Frame(guide.0 + 1), Some(guide)),
            None => (last, None),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;

    fn track() -> Track {
        let found = |frame: u32| {
            let state = if frame.is_multiple_of(10) { SampleState::Guide } else { SampleState::Found };
            (Frame(frame), Sample { state, ..Sample::guide(Point::default()) })
        };
        (0..35).map(found).collect()
    }

    #[test]
    fn a_part_ends_at_the_cuts_around_it() {
        let range = FrameRange { first: Frame(5), last: Frame(99) };
        let cuts = [Frame(20), Frame(60)];
        let part = |frame| shot_part(range, &cuts, Frame(frame));
        assert_eq!(part(7), FrameRange { first: Frame(5), last: Frame(19) });
        assert_eq!(part(20), FrameRange { first: Frame(20), last: Frame(59) });
        assert_eq!(part(99), FrameRange { first: Frame(60), last: Frame(99) });
    }

    #[test]
    fn guides_are_kept_and_paused_at() {
        let track = track();
        let cleared = cleared_ahead(&track, Frame(8), Direction::Forward, Frame(34));
        assert!(cleared.iter().all(|(frame, sample)| frame.0 > 8 && frame.0 % 10 != 0 && sample.is_none()));
        assert_eq!(cleared.len(), 26 - 3);
        assert_eq!(segment_end(&track, Frame(8), Direction::Forward, Frame(34)), (Frame(9), Some(Frame(10))));
        assert_eq!(segment_end(&track, Frame(30), Direction::Forward, Frame(34)), (Frame(34), None));
        assert_eq!(segment_end(&track, Frame(25), Direction::Backward, Frame(0)), (Frame(21), Some(Frame(20))));
        assert_eq!(segment_end(&track, Frame(5), Direction::Backward, Frame(3)), (Frame(3), None));
    }
}

//! What a path goes through.

use std::collections::BTreeMap;

use crate::geometry::{Homography, LocalWarp, Point};
use crate::look::Candidate;
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{SampleState, Track};

/// A place that the path goes through, with how the pattern looked there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Guide {
    pub frame: Frame,
    pub at: Point,
    pub shape: LocalWarp,
}

impl Guide {
    pub fn map(&self) -> Homography {
        self.shape.placed(self.at)
    }
}

/// All guides of a pin in order of frames; there is at least one.
#[derive(Clone, Debug)]
pub(super) struct Guides(Vec<Guide>);

/// Where it was found, by frame; frames without an entry are hidden.
pub(super) type ChosenCandidates = BTreeMap<Frame, Candidate>;

impl Guides {
    pub fn of(pin: &Pin, track: &Track) -> Self {
        let guide = |frame, at, shape: Option<LocalWarp>| Guide { frame, at, shape: shape.unwrap_or_default() };
        let mut all: Vec<Guide> = track.guides().map(|(frame, sample)| guide(frame, sample.at, sample.shape)).collect();
        let taken = track.get(pin.frame).is_some_and(|sample| sample.state == SampleState::Guide);
        if !taken {
            all.push(guide(pin.frame, pin.at, None));
            all.sort_by_key(|guide| guide.frame);
        }
        Self(all)
    }

    pub fn all(&self) -> &[Guide] {
        &self.0
    }

    pub fn within(&self, range: FrameRange) -> impl Iterator<Item = &Guide> {
        self.0.iter().filter(move |guide| range.contains(guide.frame))
    }

    /// The nearest guides at or before, and at or after a frame.
    pub fn around(&self, frame: Frame) -> (Option<&Guide>, Option<&Guide>) {
        let before = self.0.iter().rev().find(|guide| guide.frame <= frame);
        let after = self.0.iter().find(|guide| guide.frame >= frame);
        (before, after)
    }
}

/// The frames that have to be solved anew when something changes on `frame`: to the next guide on each side, or to the
/// end of `part`, which is the shot between two cuts.
pub fn affected(pin: &Pin, track: &Track, frame: Frame, part: FrameRange) -> FrameRange {
    let guides = Guides::of(pin, track);
    let others = || guides.all().iter().map(|guide| guide.frame).filter(|other| part.contains(*other));
    FrameRange {
        first: others().filter(|other| *other < frame).max().unwrap_or(part.first),
        last: others().filter(|other| *other > frame).min().unwrap_or(part.last),
    }
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::track::Sample;

    #[test]
    fn what_a_guide_changes_ends_at_its_neighbours() {
        let pin = Pin::new(Uuid::nil(), Frame(20), Point::new(5.0, 5.0), [31, 31], [24, 24]);
        let track: Track = [20, 40, 60].into_iter().map(|n| (Frame(n), Sample::guide(Point::default()))).collect();
        let part = FrameRange { first: Frame(10), last: Frame(99) };
        let ends = |frame| {
            let range = affected(&pin, &track, Frame(frame), part);
            (range.first.0, range.last.0)
        };
        assert_eq!(ends(30), (20, 40));
        assert_eq!(ends(40), (20, 60));
        assert_eq!(ends(12), (10, 20));
        assert_eq!(ends(80), (60, 99));
    }
}

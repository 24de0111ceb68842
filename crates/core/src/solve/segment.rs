//! The stretch between two guides, or between a guide and an end: looked at from both sides, then solved as one.

use super::beam::Beam;
use super::candidates::{Found, search_candidates};
use super::guides::{ChosenCandidates, Guide, Guides};
use super::sightings::Sightings;
use super::task::Task;
use super::watch::{Halt, Watch};
use crate::image::FrameSource;
use crate::look::{Candidate, FrameMatcher, References, Target};
use crate::time::{Frame, FrameRange};

/// Frames on each side of a find that say what match is usual there.
const USUAL_WITHIN: usize = 12;
/// Next to a hidden run, a find this much below the usual match is half covered already: its place is pulled.
const HALF_COVERED: f64 = 0.07;
/// So much of it may still show that its place is known to this, in pixels: then it stays.
const STILL_SURE: f64 = 0.15;
/// But not this far below the usual match: what covers it then pulls by more than the covariance knows of.
const MOSTLY_COVERED: f64 = 0.105;

/// Frames without a hole between two guides.
pub(super) struct Segment<'g> {
    left: Option<&'g Guide>,
    right: Option<&'g Guide>,
    frames: Vec<Frame>,
}

/// A segment as seen from the guide at one of its ends.
pub(super) struct Side<'g> {
    pub guide: &'g Guide,
    pub backward: bool,
    pub frames: &'g [Frame],
}

impl Side<'_> {
    /// What can be found on each frame of the segment, in the order of the frames.
    pub fn search<S: FrameSource>(
        &self,
        source: &mut S,
        matcher: &mut FrameMatcher<'_>,
        sightings: &Sightings,
        watch: &dyn Watch,
    ) -> Result<Found, Halt<S::Error>> {
        let Self { guide, backward, frames } = *self;
        let target = Target::pick(source, guide.frame, guide.map(), matcher.pin).map_err(Halt::Source)?;
        let mut references = References::new(target.ok_or(Halt::Flat(guide.frame))?);
        let mut frames = frames.to_vec();
        if backward {
            frames.reverse();
        }
        let mut found = search_candidates(source, matcher, &mut references, guide, (&frames, sightings), watch)?;
        if backward {
            found.reverse();
        }
        Ok(found)
    }
}

/// The stretches of the range without guides.
pub(super) fn segments(guides: &Guides, range: FrameRange) -> Vec<Segment<'_>> {
    let mut segments: Vec<Segment<'_>> = Vec::new();
    for frame in range.frames().filter(|frame| guides.all().iter().all(|guide| guide.frame != *frame)) {
        match segments.last_mut() {
            Some(segment) if segment.frames.last().is_some_and(|last| last.until(frame) == 1) => {
                segment.frames.push(frame);
            }
            _ => {
                let (left, right) = guides.around(frame);
                segments.push(Segment { left, right, frames: vec![frame] });
            }
        }
    }
    segments
}

impl<'g> Segment<'g> {
    /// From where it can be looked at: one side or two.
    pub fn sides(&self) -> impl Iterator<Item = Side<'_>> {
        let ends = [(self.left, false), (self.right, true)];
        let side =
            |(guide, backward): (Option<&'g Guide>, bool)| Some(Side { guide: guide?, backward, frames: &self.frames });
        ends.into_iter().filter_map(side)
    }

    /// No finds on any of its frames.
    pub fn nothing_found(&self) -> Found {
        vec![Vec::new(); self.frames.len()]
    }

    /// The best path through the finds.
    pub fn choose(&self, task: Task<'_>, finds: &Found) -> ChosenCandidates {
        let mut path = self.best_path(task, finds);
        uncover(&mut path, &self.frames);
        path
    }

    fn best_path(&self, task: Task<'_>, finds: &Found) -> ChosenCandidates {
        let backward = self.left.is_none();
        let (from, to) = if backward { (self.right, self.left) } else { (self.left, self.right) };
        let Some(from) = from else { return ChosenCandidates::new() };
        let mut order: Vec<usize> = (0..self.frames.len()).collect();
        if backward {
            order.reverse();
        }
        let mut beam = Beam::new(task.size, task.pin.least_match(), from);
        order.iter().for_each(|&i| beam.advance(&finds[i]));
        if let Some(to) = to {
            beam.arrive(&Candidate { matched: 1.0, ..Candidate::nothing(to.map()) });
        }
        let way = beam.best_way();
        let chosen = order.iter().zip(way);
        chosen.filter_map(|(&i, find)| Some((self.frames[i], finds[i][find?]))).collect()
    }
}

/// Takes away finds at the edges of hidden runs whose match is clearly below what is usual around: whatever comes in
/// front covers part of the pattern before it covers the pin.
fn uncover(path: &mut ChosenCandidates, frames: &[Frame]) {
    let usual = |path: &ChosenCandidates, frame: Frame, step: i32| {
        let mut near: Vec<f64> = Vec::with_capacity(USUAL_WITHIN);
        let mut at = Some(frame);
        while let Some(find) = at.and_then(|frame| path.get(&frame)).filter(|_| near.len() < USUAL_WITHIN) {
            near.push(find.matched);
            at = at.and_then(|frame| frame.step(step));
        }
        near.sort_by(f64::total_cmp);
        near[near.len() / 2]
    };
    let hidden: Vec<Frame> = frames.iter().copied().filter(|frame| !path.contains_key(frame)).collect();
    for step in [1, -1] {
        for edge in hidden.iter().filter_map(|frame| frame.step(step)) {
            let mut at = edge;
            while let Some(find) = path.get(&at) {
                let below = usual(path, at, step) - find.matched;
                if below <= HALF_COVERED || below < MOSTLY_COVERED && find.covariance.worst() < STILL_SURE {
                    break;
                }
                path.remove(&at);
                let Some(next) = at.step(step) else { break };
                at = next;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{Homography, Point};
    use crate::pin::Pin;
    use crate::track::{Sample, Track};
    use uuid::Uuid;

    fn find(matched: f64) -> Candidate {
        Candidate { matched, ..Candidate::nothing(Homography::shift(Point::default())) }
    }

    #[test]
    fn half_covered_frames_beside_a_hidden_run_go_with_it() {
        let frames: Vec<Frame> = (0..40).map(Frame).collect();
        let matched = |n: u32| match n {
            18 | 27 => 0.86,
            19 | 26 => 0.81,
            5 => 0.82,
            _ => 0.97,
        };
        let mut path: ChosenCandidates = frames
            .iter()
            .filter(|frame| !(20..26).contains(&frame.0))
            .map(|frame| (*frame, find(matched(frame.0))))
            .collect();
        uncover(&mut path, &frames);
        let gone: Vec<u32> = frames.iter().filter(|frame| !path.contains_key(frame)).map(|frame| frame.0).collect();
        // Frame 5 is a dip of its own, with nothing hidden beside it.
        assert_eq!(gone, (18..28).collect::<Vec<u32>>());
    }

    #[test]
    fn segments_lie_between_guides() {
        let pin = Pin::new(Uuid::nil(), Frame(20), Point::new(5.0, 5.0), [31, 31], [24, 24]);
        let track: Track = [20, 40, 60].into_iter().map(|n| (Frame(n), Sample::guide(Point::default()))).collect();
        let part = FrameRange { first: Frame(10), last: Frame(99) };
        let guides = Guides::of(&pin, &track);
        let lengths: Vec<usize> = segments(&guides, part).iter().map(|segment| segment.frames.len()).collect();
        assert_eq!(lengths, [10, 19, 19, 39]);
    }
}

//! The path of a pin over the whole shot.
//!
//! Between two guides (or a guide and an end of the range) each frame is looked at from both sides, wherever the
//! subject may have got to; dynamic programming then chooses among the places found and *hidden*; the places are
//! refined, at last against a reference made of the whole shot; and each is judged.

mod beam;
mod candidates;
mod covered;
mod doubts;
mod every;
mod fill;
mod guides;
mod refine;
mod rough;
mod segment;
mod share;
mod sightings;
mod task;
#[cfg(test)]
mod tests;
mod threshold;
mod watch;
mod whole;

use std::cmp::Reverse;

use crate::image::{AnySource, FrameSource, Lost, with_all};
pub use crate::locate::Film;
use crate::locate::{Settings, View};
use crate::look::FrameMatcher;
use crate::path::{Bridge, bridge, continue_outside};
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

use candidates::{Found, merge_all};
pub use doubts::{Doubt, DoubtReason, doubts, next_guide};
pub use every::solve_every;
pub use guides::affected;
use guides::{ChosenCandidates, Guides};
use refine::refine;
use segment::{Segment, Side, segments};
use share::share;
use sightings::Sightings;
use task::Task;
use threshold::threshold;
use watch::Halt;
pub use watch::{Step, Unwatched, Watch};

/// Candidates are aligned to this, in pixels, and refined afterwards: finer costs time that refining spends again.
const CANDIDATE_ACCURACY: f64 = 0.01;

/// How a solve ended.
#[derive(Clone, Debug, PartialEq)]
pub enum Solution {
    /// A sample for each frame of the range.
    Solved(Track),
    /// The pattern picked on this frame has nothing to hold on to.
    FlatPattern(Frame),
    /// The watch said stop.
    Stopped,
}

/// Solves for the samples of `range`, which is bounded by guides or by the ends of the shot ([`affected`] gives such a
/// range).
///
/// Each of `sources` gives the same frames; the work is shared among as many threads. The result does not depend on how
/// many there are.
///
/// `track` has the guides, which the path goes through exactly, and the samples outside the range, which help. The
/// pin's own frame is a guide, unless the track says something else there.
///
/// # Errors
/// Those of the source.
///
/// # Panics
/// When there is no source.
pub fn solve<S: FrameSource>(
    sources: &mut [S],
    film: Film<'_>,
    pin: &Pin,
    track: &Track,
    range: FrameRange,
    watch: &dyn Watch,
) -> Result<Solution, S::Error> {
    let size = sources[0].size();
    let guides = Guides::of(pin, track);
    let view = View::new(film, size, Settings::default());
    let task = Task { pin, size, track, guides: &guides, range };
    with_all(sources, |sources| match solved(sources, &view, task, watch) {
        Ok(track) => Ok(Solution::Solved(track)),
        Err(Halt::Flat(frame)) => Ok(Solution::FlatPattern(frame)),
        Err(Halt::Stopped) => Ok(Solution::Stopped),
        Err(Halt::Source(lost)) => Err(lost),
    })
}

/// Gaps that a person had bridged are bridged again, smoothly, where they still are gaps.
fn bridged_again(before: &Track, range: FrameRange, track: &mut Track) {
    let was_bridged = |frame: &Frame| before.get(*frame).is_some_and(|sample| sample.state == SampleState::Bridged);
    let is_gap = |frame: &Frame| track.get(*frame).is_some_and(|sample| !sample.state.is_present());
    let gaps = FrameRange::runs(range.frames().filter(|frame| was_bridged(frame) && is_gap(frame)));
    // The samples on both sides of the range count too.
    let mut whole: Track = before.iter().filter(|(frame, _)| !range.contains(*frame)).chain(track.iter()).collect();
    for gap in gaps {
        let bridged = bridge(&whole, gap, Bridge::Smooth, None).or_else(|_| continue_outside(&whole, gap, None));
        for (frame, sample) in bridged.unwrap_or_default() {
            let sample = Sample { solved: true, ..sample };
            whole.set(frame, Some(sample));
            track.set(frame, Some(sample));
        }
    }
}

/// The pin with the match that is believed: what a person has set, or what suits it on this shot.
fn believing<S: FrameSource>(source: &mut S, task: Task<'_>, sightings: &Sightings) -> Result<Pin, Halt<S::Error>> {
    let mut pin = task.pin.clone();
    if pin.stop_below.is_none() {
        let first = task.guides.within(task.range).next().or(task.guides.all().first());
        pin.stop_below = first.map(|guide| threshold(source, task, guide, sightings)).transpose()?;
    }
    Ok(pin)
}

/// Of one type, so that it is compiled here.
fn solved(
    sources: &mut [AnySource<'_>],
    view: &View<'_>,
    task: Task<'_>,
    watch: &dyn Watch,
) -> Result<Track, Halt<Lost>> {
    let Task { size, guides, range, .. } = task;
    let segments = segments(guides, range);
    let sightings = rough::sightings(sources, view, task, &segments, watch)?;
    let pin = &believing(&mut sources[0], task, &sightings)?;
    let task = Task { pin, ..task };
    let mut sides: Vec<(usize, Side<'_>)> =
        segments.iter().enumerate().flat_map(|(i, segment)| segment.sides().map(move |side| (i, side))).collect();
    // The longest first, so that no thread is left with a long one at the end.
    sides.sort_by_key(|(_, side)| Reverse(side.frames.len()));
    let seen = share(sources, sides, |source, (segment, side)| {
        let mut matcher = FrameMatcher::new(pin, size).roughly(CANDIDATE_ACCURACY);
        side.search(source, &mut matcher, &sightings, watch).map(|found| (segment, found))
    })?;
    let mut finds: Vec<Found> = segments.iter().map(Segment::nothing_found).collect();
    seen.into_iter().for_each(|(segment, found)| merge_all(&mut finds[segment], found));
    let mut path = ChosenCandidates::new();
    for (segment, finds) in segments.iter().zip(&finds) {
        path.extend(segment.choose(task, finds));
    }
    rough::reconcile(&mut path, &sightings, view, task);
    let errors = refine(sources, task, &mut path, watch)?;
    rough::weigh_both(&mut path, &sightings);
    let mut rough = rough::samples(task, &path, &sightings);
    covered::leave_out(sources, task, (&path, &sightings), &mut rough).map_err(Halt::Source)?;
    let mut track = fill::fill(pin, size, guides, range, (&path, &errors), &rough);
    bridged_again(task.track, range, &mut track);
    Ok(track)
}

//! The path of a pin over the whole shot.
//!
//! Between two guides (or a guide and an end of the range) each frame is looked at from both sides, wherever the subject may
//! have got to; dynamic programming then chooses among the places found and *hidden*; the places are refined, at last against
//! a reference made of the whole shot; and each is judged.

mod beam;
mod doubts;
mod fill;
mod refine;
mod scout;
mod segment;
#[cfg(test)]
mod tests;
mod whole;

use crate::follow::Continue;
use crate::image::FrameSource;
use crate::look::Looker;
use crate::shot::{Pin, Track};
use crate::time::{Frame, FrameRange};

pub use doubts::{Doubt, DoubtReason, doubts, next_guide};
use refine::Refiner;
pub use segment::affected;
use segment::{Guides, Outcome, Path};

/// Places are scouted to this, in pixels, and refined afterwards.
const SCOUTED_TO: f64 = 0.01;

/// What the solve is doing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Step {
    /// A frame was searched.
    Looked,
    /// A place was compared with another reference.
    Compared,
    /// A frame was refined and judged.
    Refined,
}

/// Is told of every step, and may say stop.
pub trait Watch {
    /// A step is done.
    fn step(&mut self, step: Step) -> Continue;
}

/// A watch that never stops anything.
#[derive(Clone, Copy, Debug, Default)]
pub struct Unwatched;

impl Watch for Unwatched {
    fn step(&mut self, _: Step) -> Continue {
        Continue::Yes
    }
}

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

/// Solves for the samples of `range`, which is bounded by guides or by the ends of the shot ([`affected`] gives such a range).
///
/// `track` has the guides, which the path goes through exactly, and the samples outside the range, which help. The pin's
/// own frame is a guide, unless the track says something else there.
///
/// # Errors
/// Those of the source.
pub fn solve<S: FrameSource>(
    source: &mut S,
    pin: &Pin,
    track: &Track,
    range: FrameRange,
    watch: &mut dyn Watch,
) -> Result<Solution, S::Error> {
    let guides = Guides::of(pin, track);
    let mut looker = Looker::new(pin, source.size());
    looker.roughly = SCOUTED_TO;
    let mut path = Path::new();
    for segment in guides.segments(range) {
        match segment.solve(source, &mut looker, track, watch)? {
            Outcome::Done(found) => path.extend(found),
            Outcome::Flat(frame) => return Ok(Solution::FlatPattern(frame)),
            Outcome::Stopped => return Ok(Solution::Stopped),
        }
    }
    let size = looker.size;
    looker.roughly = 0.0;
    let mut refiner =
        Refiner { source, looker: &mut looker, guides: &guides, track, range, windows: Default::default() };
    let Some(errors) = refiner.refine(&mut path, watch)? else { return Ok(Solution::Stopped) };
    Ok(Solution::Solved(fill::fill(pin, size, &guides, range, &path, &errors)))
}

//! The live pass: a pin followed from frame to frame, in one direction, until it stops.

mod direction;
mod plan;
mod start;

use serde::{Deserialize, Serialize};

use crate::geometry::{Homography, Point};
use crate::image::{AnySource, FrameSource, Lost, Window, with_any};
use crate::look::{Candidate, FrameMatcher, Prediction, References, Target};
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{Sample, SampleState};

pub use direction::Direction;
pub use plan::{cleared_ahead, segment_end, shot_part};
pub use start::Start;

/// A candidate this much of the search distance away from the prediction loses this share of match to one right on it.
/// Larger, and a real jump is missed; smaller, and of two equal windows either may win.
const FAR_PENALTY: f64 = 0.04;
/// Before following is given up, it looks once more, this many times as far.
const SECOND_LOOK: f64 = 2.0;

/// Whether the receiver of results wants more of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Continue {
    /// Go on.
    Yes,
    /// Stop cleanly; what was reported stays valid.
    No,
}

/// Receives the results of a long computation. The computation calls; it never prints or stores.
pub trait FollowSink {
    /// Once per frame, in the order they are followed.
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue;
}

/// Why following ended.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "reason", rename_all = "snake_case")]
pub enum FollowEnd {
    /// The end of the range was reached.
    EndOfRange,
    /// The best match on this frame is below the pin's threshold.
    LowMatch {
        /// The frame that was not written.
        frame: Frame,
        /// The best match there, 0 to 1.
        #[serde(rename = "match")]
        matched: f64,
        /// Where that best match was.
        at: Point,
    },
    /// The pin is past the edge of the picture on this frame.
    LeftPicture {
        /// The frame that was not written.
        frame: Frame,
        /// Where the pin was predicted.
        at: Point,
    },
    /// The pattern has nothing to hold on to.
    FlatPattern {
        /// The frame it was picked on.
        frame: Frame,
    },
    /// The receiver said stop.
    Stopped,
}

impl FollowEnd {
    /// One sentence for people: where it stopped, and why.
    pub fn sentence(&self) -> String {
        let percent = |matched: f64| (matched * 100.0).floor();
        match self {
            Self::EndOfRange => "Followed to the end.".into(),
            Self::LowMatch { frame, matched, .. } => {
                format!("Stopped at frame {frame}: the best match there is only {} %.", percent(*matched))
            }
            Self::LeftPicture { frame, .. } => format!("Stopped at frame {frame}: the pin leaves the picture."),
            Self::FlatPattern { frame } => {
                format!("Not started: the pattern on frame {frame} is flat. Move the pin to a spot with contrast.")
            }
            Self::Stopped => "Stopped by hand.".into(),
        }
    }
}

/// Follows a pin from its start towards `last` (included), frame by frame.
///
/// Each frame: predict by constant velocity, search by correlation with the newest reference, align the best
/// candidates below the pixel, then align to the first pattern and believe that where both agree, so nothing drifts
/// (Matthews, Ishikawa & Baker 2004). A sample below the pin's threshold is not reported; following ends there.
pub fn follow<S: FrameSource>(
    source: &mut S,
    pin: &Pin,
    start: &Start,
    direction: Direction,
    last: Frame,
    sink: &mut dyn FollowSink,
) -> Result<FollowEnd, S::Error> {
    with_any(source, |source| followed(source, pin, start, (direction, last), sink))
}

/// Of one type, so that it is compiled here.
fn followed(
    source: &mut AnySource<'_>,
    pin: &Pin,
    start: &Start,
    (direction, last): (Direction, Frame),
    sink: &mut dyn FollowSink,
) -> Result<FollowEnd, Lost> {
    let Some(first) = Target::pick(source, start.reference.0, Homography::shift(start.reference.1), pin)? else {
        return Ok(FollowEnd::FlatPattern { frame: start.reference.0 });
    };
    let mut references = References::new(first);
    let mut matcher = FrameMatcher::new(pin, source.size());
    let (mut frame, mut at, mut velocity, mut shape) = (start.frame, start.at, start.velocity, start.shape);
    while let Some(next) = direction.next(frame, last) {
        let predicted = at + velocity;
        if !matcher.size.contains(predicted) {
            return Ok(FollowEnd::LeftPicture { frame: next, at: predicted });
        }
        let near = Prediction { at: predicted, reach: matcher.reach(1.0), shape, velocity, is_hidden: false };
        let mut seen = see(&mut matcher, &mut references, source, next, &near)?;
        if seen.find.matched < pin.least_match() {
            // Perhaps it only changed its pace: once more, further, from where it last was.
            let far = Prediction { at, reach: matcher.reach(SECOND_LOOK), ..near };
            let second = see(&mut matcher, &mut references, source, next, &far)?;
            if second.find.matched > seen.find.matched {
                seen = second;
            }
        }
        let found = seen.find;
        if !matcher.size.contains(found.at()) {
            return Ok(FollowEnd::LeftPicture { frame: next, at: found.at() });
        }
        if found.matched < pin.least_match() {
            return Ok(FollowEnd::LowMatch { frame: next, matched: found.matched, at: found.at() });
        }
        velocity = found.at() - at;
        (frame, at, shape) = (next, found.at(), found.map.warp());
        matcher.learn_softness(references.newest(), &seen.windows, &found, velocity);
        references.learn(&matcher, source, frame, &found, found.to_newest)?;
        if sink.sample(frame, found.sample(pin, SampleState::Found)) == Continue::No {
            return Ok(FollowEnd::Stopped);
        }
    }
    Ok(FollowEnd::EndOfRange)
}

/// What was seen on one frame.
struct Seen {
    /// The judgement that counts.
    find: Candidate,
    windows: Vec<Window>,
}

fn see<S: FrameSource>(
    matcher: &mut FrameMatcher<'_>,
    references: &mut References,
    source: &mut S,
    frame: Frame,
    prediction: &Prediction,
) -> Result<Seen, S::Error> {
    let look = references.look(matcher, source, frame, prediction)?;
    let reach = prediction.reach.0.max(prediction.reach.1);
    let worth = |find: &Candidate| find.matched - FAR_PENALTY * find.at().distance(prediction.at) / reach;
    let best = look.finds.iter().max_by(|a, b| worth(a).total_cmp(&worth(b))).copied();
    let find = best.unwrap_or_else(|| Candidate::nothing(prediction.shape.placed(prediction.at)));
    Ok(Seen { find, windows: look.windows })
}

#[cfg(test)]
mod tests;

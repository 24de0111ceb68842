//! The live pass: a pin followed from frame to frame, in one direction, until it stops.

mod plan;
mod reference;
mod start;

use serde::{Deserialize, Serialize};

use crate::align::{Aligner, Alignment, Pattern, StopReason};
use crate::geometry::{Point, Size};
use crate::image::FrameSource;
use crate::matching::Candidate;
use crate::shot::{Pin, Sample, SampleState};
use crate::time::Frame;

pub use plan::{cleared_ahead, segment_end, shot_part};
use reference::References;
pub use start::Start;

/// Candidates of the search that are aligned and compared; the others score too low to win.
const ALIGNED_CANDIDATES: usize = 3;
/// Candidates that score this much below the best are not aligned: alignment below the pixel adds less than that.
const CLEARLY_WORSE: f32 = 0.15;
/// How far the alignment may move a candidate, in pixels: the search is right to the pixel, plus its coarse levels' slip.
const ALIGN_REACH: f64 = 3.0;
/// A candidate this much of the search distance away from the prediction loses this share of match to one right on it.
/// Larger, and a real jump is missed; smaller, and of two equal windows either may win.
const FAR_PENALTY: f64 = 0.04;
/// Before following is given up, it looks once more, this many times as far.
const SECOND_LOOK: f64 = 2.0;

/// Which way through the film.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// Towards later frames.
    Forward,
    /// Towards earlier frames.
    Backward,
}

impl Direction {
    /// The frame after `frame` in this direction; `None` past `last`.
    fn next(self, frame: Frame, last: Frame) -> Option<Frame> {
        match self {
            Self::Forward => frame.step(1).filter(|next| *next <= last),
            Self::Backward => frame.step(-1).filter(|next| *next >= last),
        }
    }
}

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
    let [cols, rows] = pin.pattern.map(|side| side as usize);
    let window = source.window(start.reference.0, Pattern::rect(start.reference.1, cols + 8, rows + 8))?;
    let pattern = Pattern::pick(&window, start.reference.1, cols, rows);
    let Some(mut references) = References::new(pattern) else {
        return Ok(FollowEnd::FlatPattern { frame: start.reference.0 });
    };
    let mut follower = Follower { pin, size: source.size(), aligner: Aligner::default() };
    let (mut frame, mut at, mut velocity) = (start.frame, start.at, start.velocity);
    while let Some(next) = direction.next(frame, last) {
        let predicted = at + velocity;
        if !follower.size.contains(predicted) {
            return Ok(FollowEnd::LeftPicture { frame: next, at: predicted });
        }
        let mut look = follower.look(source, next, &mut references, predicted, 1.0)?;
        if look.best.matched < pin.stop_below {
            // Perhaps it only changed its pace: once more, further, from where it last was.
            let second = follower.look(source, next, &mut references, at, SECOND_LOOK)?;
            if second.best.matched > look.best.matched {
                look = second;
            }
        }
        let found = look.best;
        if !follower.size.contains(found.centre) {
            return Ok(FollowEnd::LeftPicture { frame: next, at: found.centre });
        }
        if found.matched < pin.stop_below {
            return Ok(FollowEnd::LowMatch { frame: next, matched: found.matched, at: found.centre });
        }
        references.learn(look.picked, look.match_to_newest);
        velocity = found.centre - at;
        (frame, at) = (next, found.centre);
        let sample = Sample { at, matched: found.matched, deviation: found.deviation, state: SampleState::Found };
        if sink.sample(frame, sample) == Continue::No {
            return Ok(FollowEnd::Stopped);
        }
    }
    Ok(FollowEnd::EndOfRange)
}

struct Follower<'a> {
    pin: &'a Pin,
    size: Size,
    aligner: Aligner,
}

/// What was seen on one frame.
struct Look {
    /// The judgement that counts.
    best: Alignment,
    /// Match to the newest reference.
    match_to_newest: f64,
    /// The pattern as it is on this frame, for renewing the reference.
    picked: Pattern,
}

impl Follower<'_> {
    fn look<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        references: &mut References,
        predicted: Point,
        wider: f64,
    ) -> Result<Look, S::Error> {
        let [across, down] = self.pin.search.map(|reach| f64::from(reach) * wider);
        let area = references.searcher().area(predicted, (across, down));
        let window = source.window(frame, area)?;
        let mut candidates = references.searcher().find(&window);
        candidates.truncate(ALIGNED_CANDIDATES);
        let best = candidates.first().map_or(0.0, |candidate| candidate.score);
        candidates.retain(|candidate| candidate.score >= best - CLEARLY_WORSE);
        if candidates.is_empty() {
            candidates.push(Candidate { centre: predicted, score: 0.0 });
        }
        let reach = across.max(down);
        let worth = |found: &Alignment| found.matched - FAR_PENALTY * found.centre.distance(predicted) / reach;
        let newest = candidates
            .iter()
            .map(|candidate| self.align(references.newest(), &window, candidate.centre))
            .max_by(|a, b| worth(a).total_cmp(&worth(b)))
            .expect("there is at least one candidate");
        let best = self.check_against_first(references, &window, newest);
        let [cols, rows] = self.pin.pattern.map(|side| side as usize);
        let picked = Pattern::pick(&window, best.centre, cols, rows);
        Ok(Look { best, match_to_newest: newest.matched, picked })
    }

    fn align(&mut self, pattern: &Pattern, window: &crate::image::Window, start: Point) -> Alignment {
        let found = self.aligner.align(pattern, window, start, ALIGN_REACH);
        match found.stop {
            StopReason::Converged | StopReason::IterationLimit => found,
            // A place it could not settle on is not a find.
            StopReason::TooLittleTexture | StopReason::WalkedAway => {
                Alignment { centre: start, matched: found.matched.min(self.pin.stop_below * 0.5), ..found }
            }
        }
    }

    fn check_against_first(
        &mut self,
        references: &References,
        window: &crate::image::Window,
        newest: Alignment,
    ) -> Alignment {
        if !references.is_renewed() {
            return newest;
        }
        let first = self.align(references.first(), window, newest.centre);
        // Agreement with the first pattern undoes any drift; below the threshold the first no longer says anything.
        if first.matched >= self.pin.stop_below { first } else { newest }
    }
}

#[cfg(test)]
mod tests;

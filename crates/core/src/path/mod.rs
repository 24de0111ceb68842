//! A subject's cleaned motion, made from its raw samples by a recipe that can be changed at any time.
//!
//! The raw samples are never touched. Each span (a run of frames in which the subject is there) is cleaned on its own:
//! a gap stays a gap. Time is a coordinate too: every tolerance is measured at equal frames, not to the nearest point
//! of the curve.

mod bridge;
mod clean;
mod ease;
mod fit;
mod keys;
mod outliers;
mod recipe;
mod reduce;
mod report;
mod savitzky_golay;
mod short_gaps;
mod smooth;
#[cfg(test)]
mod tests;

use crate::geometry::Point;
use crate::time::{Frame, FrameRange};
use crate::track::Track;

pub use bridge::{Bridge, BridgeProblem, bridge, by_hand, continue_outside, hand_over};
pub use clean::clean;
pub use ease::Easing;
pub use fit::fit_curve;
pub use keys::{Curve, PathKeyframe, Tangent};
pub use outliers::hampel;
pub use recipe::{HandKey, Recipe, RecipeProblem, Step, StepKind, StepNumber};
pub use reduce::reduce;
pub use report::Report;
pub use savitzky_golay::{savitzky_golay, savitzky_golay_weights};
pub use short_gaps::cross_short_gaps;
pub use smooth::{Smoother, smoothed};

/// Where a subject is on each frame on which it is there.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Path {
    /// In order of frames; no two touch.
    pub runs: Vec<Run>,
}

/// One span of a path.
#[derive(Clone, Debug, PartialEq)]
pub struct Run {
    /// Its first frame.
    pub first: Frame,
    /// Where the subject is, one place a frame; at least one.
    pub places: Vec<Point>,
    /// The same as a keyframed curve, when the recipe makes one.
    pub curve: Option<Curve>,
}

impl Run {
    /// Its frames.
    pub fn range(&self) -> FrameRange {
        FrameRange { first: self.first, last: Frame(self.first.0 + self.places.len() as u32 - 1) }
    }

    fn at(&self, frame: Frame) -> Option<Point> {
        usize::try_from(self.first.until(frame)).ok().and_then(|index| self.places.get(index)).copied()
    }
}

impl Path {
    /// The samples as they are.
    pub fn raw(track: &Track) -> Self {
        let run = |span: FrameRange| Run {
            first: span.first,
            places: span.frames().filter_map(|frame| track.position(frame)).collect(),
            curve: None,
        };
        Self { runs: track.spans().into_iter().map(run).collect() }
    }

    /// Where the subject is on a frame, if it is there.
    pub fn position(&self, frame: Frame) -> Option<Point> {
        self.runs.iter().find_map(|run| run.at(frame))
    }

    /// The runs of frames in which the subject is there.
    pub fn spans(&self) -> Vec<FrameRange> {
        self.runs.iter().map(Run::range).collect()
    }

    /// All frames with their places.
    pub fn iter(&self) -> impl Iterator<Item = (Frame, Point)> + '_ {
        self.runs.iter().flat_map(|run| run.range().frames().zip(run.places.iter().copied()))
    }

    /// Keyframes of all its curves.
    pub fn keys(&self) -> impl Iterator<Item = &PathKeyframe> {
        self.runs.iter().filter_map(|run| run.curve.as_ref()).flat_map(|curve| curve.keys())
    }
}

//! The recipe behind a path: an ordered list of cleaning steps, and keyframes set by hand.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::PathKeyframe;
use crate::time::{Frame, FrameRange};

/// Most steps in a recipe.
const MOST_STEPS: usize = 40;

/// How a subject's samples become its path.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Recipe {
    /// The steps, done in this order.
    pub steps: Vec<Step>,
    /// Keyframes set or taken away by hand; they stay when the recipe is run again.
    #[serde(default)]
    pub hand_keys: Vec<HandKey>,
}

/// One step of a recipe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// What it does.
    #[serde(flatten)]
    pub kind: StepKind,
    /// Whether it is done at all.
    #[serde(default = "yes")]
    pub on: bool,
    /// Only on these frames; nothing for all.
    #[serde(default)]
    pub range: Option<FrameRange>,
}

fn yes() -> bool {
    true
}

/// What a cleaning step does.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "step", rename_all = "snake_case")]
pub enum StepKind {
    /// Takes out jumps away and back, and crosses them in a straight line.
    Outliers {
        /// Frames that say what is usual, in all.
        window: u32,
        /// Standard deviations from the usual at which a place is taken out.
        sigmas: f64,
        /// Jumps below this many pixels stay.
        least: f64,
    },
    /// Takes out jitter; the surer a sample, the less it is moved. Guides are not moved.
    Smooth {
        /// 1 believes the uncertainty of the samples; 5 takes them for five times less sure, and smooths more.
        strength: f64,
    },
    /// Takes out jitter by a polynomial through the neighbours of each frame.
    Polynomial {
        /// Frames that it goes through, an odd number.
        window: u32,
        /// Its degree.
        degree: u32,
    },
    /// Pulled back to the raw path where it strays from it.
    #[serde(rename = "pull_back")]
    MaxDeviation {
        /// By more than this many pixels.
        distance: f64,
    },
    /// Fewer points: straight pieces within a tolerance.
    Straight {
        /// How far it may stray, in pixels.
        tolerance: f64,
    },
    /// A smooth curve of few keyframes within a tolerance.
    Curve {
        /// How far it may stray, in pixels.
        tolerance: f64,
    },
    /// No stretch without a keyframe is longer than this.
    LongestStretch {
        /// Frames from one keyframe to the next at most.
        frames: u32,
    },
    /// Sets off from rest.
    EaseIn {
        /// Over this many frames.
        frames: u32,
    },
    /// Comes to rest.
    EaseOut {
        /// Over this many frames.
        frames: u32,
    },
    /// Drops the last keyframes but keeps the final one.
    DropLast {
        /// How many.
        count: u32,
    },
}

/// A keyframe set by hand, or taken away.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct HandKey {
    /// When.
    pub frame: Frame,
    /// The key; nothing when there is to be none.
    pub key: Option<PathKeyframe>,
}

/// What is wrong with a recipe.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum RecipeProblem {
    /// Too many steps.
    #[error("a recipe has at most {MOST_STEPS} steps")]
    TooLong,
    /// A number is out of its bounds.
    #[error("step {step}: {what}")]
    Number {
        /// Which step, counted from 1.
        step: usize,
        /// What the number has to be.
        what: &'static str,
    },
    /// A keyframe set by hand is no place in ordinary numbers, or is on another frame than it says.
    #[error("the keyframe on frame {0} is no place in ordinary numbers")]
    PathKeyframe(Frame),
}

impl Default for Recipe {
    /// Good for most tracks as it is: jumps out, jitter out, at most half a pixel from what was seen, few keyframes.
    fn default() -> Self {
        let kinds = [
            StepKind::Outliers { window: 15, sigmas: 5.0, least: 0.75 },
            StepKind::Smooth { strength: 1.0 },
            StepKind::MaxDeviation { distance: 0.5 },
            StepKind::Curve { tolerance: 0.15 },
        ];
        Self { steps: kinds.map(Step::new).into(), hand_keys: Vec::new() }
    }
}

impl Step {
    /// A step on all frames.
    pub fn new(kind: StepKind) -> Self {
        Self { kind, on: true, range: None }
    }
}

impl Recipe {
    /// Checks every number.
    pub fn check(&self) -> Result<(), RecipeProblem> {
        if self.steps.len() > MOST_STEPS {
            return Err(RecipeProblem::TooLong);
        }
        for (index, step) in self.steps.iter().enumerate() {
            if let Some(what) = step.kind.problem() {
                return Err(RecipeProblem::Number { step: index + 1, what });
            }
        }
        let is_bad = |hand: &&HandKey| hand.key.is_some_and(|key| key.frame != hand.frame || !key.is_finite());
        self.hand_keys.iter().find(is_bad).map_or(Ok(()), |hand| Err(RecipeProblem::PathKeyframe(hand.frame)))
    }
}

impl StepKind {
    /// What a number has to be that is not.
    fn problem(self) -> Option<&'static str> {
        let (fine, what) = match self {
            Self::Outliers { window, sigmas, least } => (
                (3..=999).contains(&window) && (0.0..=1000.0).contains(&sigmas) && (0.0..=10_000.0).contains(&least),
                "the window has 3 to 999 frames, the limit 0 to 1000 deviations, the least jump 0 to 10000 pixels",
            ),
            Self::Smooth { strength } => {
                ((1e-6..=1e6).contains(&strength), "the strength is between 0.000001 and 1000000")
            }
            Self::Polynomial { window, degree } => (
                window % 2 == 1 && (3..=999).contains(&window) && degree <= 6 && degree < window,
                "the window is an odd number of frames from 3 to 999, the degree below it and at most 6",
            ),
            Self::MaxDeviation { distance } => {
                ((0.0..=10_000.0).contains(&distance), "the distance is 0 to 10000 pixels")
            }
            Self::Straight { tolerance } | Self::Curve { tolerance } => {
                ((0.0..=10_000.0).contains(&tolerance), "the tolerance is 0 to 10000 pixels")
            }
            Self::LongestStretch { frames } | Self::EaseIn { frames } | Self::EaseOut { frames } => {
                ((1..=100_000).contains(&frames), "the number of frames is at least 1")
            }
            Self::DropLast { count } => (count <= 100_000, "the number of keyframes is 0 or more"),
        };
        (!fine).then_some(what)
    }
}

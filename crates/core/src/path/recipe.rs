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
#[derive(Clone, Debug, Error, PartialEq)]
pub enum RecipeProblem {
    /// Too many steps.
    #[error("a recipe has at most {MOST_STEPS} steps")]
    TooLong,
    /// A number is out of its limits.
    #[error("step {step}: {name} has to be between {least} and {most}")]
    Number {
        /// Which step, counted from 1.
        step: usize,
        /// Which number.
        name: &'static str,
        /// What it may be at least, ...
        least: f64,
        /// ... and at most.
        most: f64,
    },
    /// No polynomial goes through such a window.
    #[error("step {step}: the window is an odd number of frames, and the degree below it")]
    Polynomial {
        /// Which step, counted from 1.
        step: usize,
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
            step.kind.check(index + 1)?;
        }
        let is_bad = |hand: &&HandKey| hand.key.is_some_and(|key| key.frame != hand.frame || !key.is_finite());
        self.hand_keys.iter().find(is_bad).map_or(Ok(()), |hand| Err(RecipeProblem::PathKeyframe(hand.frame)))
    }
}

impl StepKind {
    /// Every kind, as it begins.
    pub const ALL: [Self; 10] = [
        Self::Outliers { window: 15, sigmas: 5.0, least: 0.75 },
        Self::Smooth { strength: 1.0 },
        Self::Polynomial { window: 11, degree: 2 },
        Self::MaxDeviation { distance: 0.5 },
        Self::Straight { tolerance: 0.5 },
        Self::Curve { tolerance: 0.15 },
        Self::LongestStretch { frames: 25 },
        Self::EaseIn { frames: 12 },
        Self::EaseOut { frames: 12 },
        Self::DropLast { count: 2 },
    ];

    /// Its numbers, with their limits.
    pub fn numbers(self) -> Vec<StepNumber> {
        let number = |name, value, least, most| StepNumber { name, value, least, most };
        let pixels = |name, value| number(name, value, 0.0, 10_000.0);
        let frames = |least, frames| number("frames", f64::from(frames), least, 100_000.0);
        let window = |window| number("window", f64::from(window), 3.0, 999.0);
        match self {
            Self::Outliers { window: among, sigmas, least } => {
                vec![window(among), number("sigmas", sigmas, 0.0, 1000.0), pixels("least", least)]
            }
            Self::Smooth { strength } => vec![number("strength", strength, 1e-6, 1e6)],
            Self::Polynomial { window: over, degree } => {
                vec![window(over), number("degree", f64::from(degree), 0.0, 6.0)]
            }
            Self::MaxDeviation { distance } => vec![pixels("distance", distance)],
            Self::Straight { tolerance } | Self::Curve { tolerance } => vec![pixels("tolerance", tolerance)],
            Self::LongestStretch { frames: most } => vec![frames(1.0, most)],
            Self::EaseIn { frames: over } | Self::EaseOut { frames: over } => vec![frames(1.0, over)],
            Self::DropLast { count } => vec![number("count", f64::from(count), 0.0, 100_000.0)],
        }
    }

    fn check(self, step: usize) -> Result<(), RecipeProblem> {
        let numbers = self.numbers();
        let bad = numbers.into_iter().find(|number| !(number.least..=number.most).contains(&number.value));
        if let Some(StepNumber { name, least, most, .. }) = bad {
            return Err(RecipeProblem::Number { step, name, least, most });
        }
        match self {
            Self::Polynomial { window, degree } if window % 2 == 0 || degree >= window => {
                Err(RecipeProblem::Polynomial { step })
            }
            _ => Ok(()),
        }
    }
}

/// A number of a step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StepNumber {
    /// Its name in files.
    pub name: &'static str,
    /// What it is.
    pub value: f64,
    /// What it may be at least, ...
    pub least: f64,
    /// ... and at most.
    pub most: f64,
}

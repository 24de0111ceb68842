//! What is wrong with an attachment's settings, said so that a person can mend it.

use thiserror::Error;

use crate::time::Frame;

/// What is wrong with a setting.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum SettingProblem {
    /// A text is too long.
    #[error("a text has at most {0} characters")]
    Text(usize),
    /// Not a colour.
    #[error("{0:?} is no colour; write it as #rrggbb")]
    Colour(String),
    /// A number is out of its range.
    #[error("{what} is {value}; it has to be between {least} and {most}")]
    Number {
        /// Which setting.
        what: &'static str,
        /// What was given.
        value: f64,
        /// Smallest allowed.
        least: f64,
        /// Largest allowed.
        most: f64,
    },
    /// Too few or too many corners.
    #[error("a boundary line has {least} to {most} corners; this one has {count}")]
    Corners {
        /// Fewest allowed.
        least: usize,
        /// Most allowed.
        most: usize,
        /// How many there are.
        count: usize,
    },
    /// An outline with too few or too many corners.
    #[error("an outline has 3 to {most} corners; this one has {count}")]
    Outline {
        /// How many there are.
        count: usize,
        /// Most allowed.
        most: usize,
    },
    /// Corners that no flat face can have.
    #[error("no flat face looks like this: its four corners have to go round it, without a fold")]
    Face,
    /// A keyframe of a setting that cannot have this value.
    #[error("the keyframe on frame {} has the value {value}, which its setting cannot have", frame.0)]
    Keyframe {
        /// Of which frame.
        frame: Frame,
        /// What was given.
        value: f64,
    },
    /// An easing in which time runs backward.
    #[error("the easing is no cubic Bézier curve of CSS: both x have to be between 0 and 1")]
    Easing,
}

pub(super) fn check_colour(colour: &str) -> Result<(), SettingProblem> {
    let digits = colour.strip_prefix('#').unwrap_or_default();
    let good = digits.len() == 6 && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
    good.then_some(()).ok_or_else(|| SettingProblem::Colour(colour.to_owned()))
}

pub(super) fn check_number(what: &'static str, value: f64, least: f64, most: f64) -> Result<(), SettingProblem> {
    let good = (least..=most).contains(&value);
    good.then_some(()).ok_or(SettingProblem::Number { what, value, least, most })
}

/// A number among the settings that keyframes may change.
#[derive(Debug)]
pub(super) enum NumberMut<'a> {
    /// Any number.
    Real(&'a mut f64),
    /// A whole one.
    Whole(&'a mut u32),
}

impl NumberMut<'_> {
    /// Sets it; a whole one to the nearest that it can be. Whether it can have that value.
    pub fn set(self, value: f64) -> bool {
        match self {
            Self::Real(number) => {
                *number = value;
                true
            }
            Self::Whole(number) => {
                *number = value.round() as u32;
                value >= 0.0
            }
        }
    }
}

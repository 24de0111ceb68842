//! How an attachment comes and goes.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::path::Easing;

/// In which way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TransitionKind {
    /// Its opacity rises from nothing.
    #[default]
    Fade,
    /// It grows out of its own middle.
    Grow,
    /// It slides, from outside of the picture's left edge.
    Left,
    /// From outside of the right edge.
    Right,
    /// From above.
    Top,
    /// From below.
    Bottom,
}

/// An entrance, or an exit, which is an entrance backward.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Transition {
    /// In which way.
    #[serde(rename = "way")]
    pub kind: TransitionKind,
    /// Over how many frames; 0 for at once.
    pub frames: u32,
    /// With which easing.
    pub easing: Easing,
}

impl Transition {
    /// At once.
    pub const CUT: Self = Self { kind: TransitionKind::Fade, frames: 0, easing: Easing::IN_OUT };
    /// Frames over which things usually come and go: a quarter of a second of film.
    pub const USUAL_FRAMES: u32 = 6;

    /// Checks every setting.
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        check_number("the length of an entrance or exit", f64::from(self.frames), 0.0, 500.0)?;
        self.easing.is_valid().then_some(()).ok_or(SettingProblem::Easing)
    }

    /// How far it has come, some frames from the edge of its span, the first or last frame being 0.
    pub fn progress(&self, from_edge: i64) -> f64 {
        self.easing.at((from_edge + 1) as f64 / f64::from(self.frames + 1))
    }
}

impl Default for Transition {
    fn default() -> Self {
        Self { frames: Self::USUAL_FRAMES, ..Self::CUT }
    }
}

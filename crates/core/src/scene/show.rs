//! What all attachments have in common: whether, when and how strongly they are shown.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::time::{Frame, FrameRange};

/// How an attachment's colour and that of the picture become one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Blend {
    /// It covers.
    #[default]
    Normal,
    /// Darker than both.
    Multiply,
    /// Lighter than both.
    Screen,
    /// Dark parts of the picture get darker, light ones lighter.
    Overlay,
    /// Its light is added.
    Add,
}

/// Whether, when and how strongly an attachment is shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Show {
    /// Off, it is kept but not shown.
    pub on: bool,
    /// Share of the light that it covers, 0 to 1.
    pub opacity: f64,
    /// How it is blended in.
    #[serde(default)]
    pub blend: Blend,
    /// The first frame on which it is shown; nothing for when its subject comes.
    #[serde(default)]
    pub first: Option<Frame>,
    /// The last frame on which it is shown; nothing for when its subject goes.
    #[serde(default)]
    pub last: Option<Frame>,
}

impl Default for Show {
    fn default() -> Self {
        Self { on: true, opacity: 1.0, blend: Blend::Normal, first: None, last: None }
    }
}

impl Show {
    /// The part of a span in which it is shown.
    pub fn within(&self, span: FrameRange) -> Option<FrameRange> {
        let first = self.first.map_or(span.first, |first| first.max(span.first));
        let last = self.last.map_or(span.last, |last| last.min(span.last));
        FrameRange::new(first, last)
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        check_number("the opacity", self.opacity, 0.0, 1.0)
    }
}

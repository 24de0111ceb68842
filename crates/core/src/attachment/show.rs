//! What all attachments have in common: whether, when, where in the order, and how strongly they are shown.

use serde::{Deserialize, Serialize};

use super::keyframes::{self, PropertyKeyframe};
use super::orientation::Takes;
use super::settings::{NumberMut, SettingProblem, check_number};
use super::transition::Transition;
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
#[serde(default)]
pub struct Show {
    /// Off, it is kept but not shown.
    pub on: bool,
    /// Share of the light that it covers, 0 to 1.
    pub opacity: f64,
    /// How it is blended in.
    pub blend: Blend,
    /// The first frame on which it is shown; nothing for when its subject comes.
    pub first: Option<Frame>,
    /// The last frame on which it is shown; nothing for when its subject goes.
    pub last: Option<Frame>,
    /// Higher lies further in front; among equals, later subjects and attachments do.
    pub order: i32,
    /// How much of the subject's position it takes.
    pub takes: Takes,
    /// How it comes.
    pub enters: Transition,
    /// How it goes.
    pub leaves: Transition,
    /// How long the shutter seems to be open, in degrees of a frame (360 is all of it), for blur from motion; 0 for
    /// none.
    pub shutter: f64,
    /// Numbers that change over time.
    pub keys: Vec<PropertyKeyframe>,
}

impl Default for Show {
    fn default() -> Self {
        Self {
            on: true,
            opacity: 1.0,
            blend: Blend::Normal,
            first: None,
            last: None,
            order: 0,
            takes: Takes::default(),
            enters: Transition::default(),
            leaves: Transition::default(),
            shutter: 0.0,
            keys: Vec::new(),
        }
    }
}

impl Show {
    /// The part of a span in which it is shown.
    pub fn within(&self, span: FrameRange) -> Option<FrameRange> {
        let first = self.first.map_or(span.first, |first| first.max(span.first));
        let last = self.last.map_or(span.last, |last| last.min(span.last));
        FrameRange::new(first, last)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(match address {
            "opacity" => NumberMut::Real(&mut self.opacity),
            "takes.share" => NumberMut::Real(&mut self.takes.share),
            "shutter" => NumberMut::Real(&mut self.shutter),
            "enters.frames" => NumberMut::Whole(&mut self.enters.frames),
            "leaves.frames" => NumberMut::Whole(&mut self.leaves.frames),
            _ => return None,
        })
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        check_number("the opacity", self.opacity, 0.0, 1.0)?;
        check_number("the order", f64::from(self.order), -1000.0, 1000.0)?;
        check_number("the shutter", self.shutter, 0.0, 360.0)?;
        self.takes.check()?;
        self.enters.check()?;
        self.leaves.check()?;
        keyframes::check(&self.keys)
    }
}

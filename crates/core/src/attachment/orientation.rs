//! Which part of its subject's motion an attachment takes.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::time::Frame;

/// Which part of the position is taken.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Axis {
    /// All of it.
    #[default]
    Both,
    /// Only left and right.
    Across,
    /// Only up and down.
    UpAndDown,
}

/// How much of the subject's position is taken.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Takes {
    /// Which axes.
    pub axis: Axis,
    /// Which share: 1 goes along wholly; what is far away, as in a sky behind, moves less; 0 stands still.
    pub share: f64,
}

impl Default for Takes {
    fn default() -> Self {
        Self { axis: Axis::Both, share: 1.0 }
    }
}

impl Takes {
    pub(super) fn check(&self) -> Result<(), SettingProblem> {
        check_number("the share of the motion", self.share, -10.0, 10.0)
    }
}

/// Which part of turn and growth is taken, by what faces the camera.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Orientation {
    /// The frame on which its size, turn and place count as set.
    pub since: Frame,
    /// Whether it turns with the subject.
    pub turns: bool,
    /// Whether it grows with the subject.
    pub grows: bool,
    /// Whether it lies on the subject, in its perspective, and so turns and grows with it, too.
    pub tilts: bool,
}

//! Which way through the film.

use serde::{Deserialize, Serialize};

use crate::time::Frame;

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
    pub(super) fn next(self, frame: Frame, last: Frame) -> Option<Frame> {
        match self {
            Self::Forward => frame.step(1).filter(|next| *next <= last),
            Self::Backward => frame.step(-1).filter(|next| *next >= last),
        }
    }
}

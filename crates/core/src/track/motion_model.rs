//! How much of a motion counts.

use serde::{Deserialize, Serialize};

/// How much of the motion of a pattern counts: each takes in the ones before it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MotionModel {
    /// Only where it is.
    #[default]
    Position,
    /// How it is turned.
    Rotation,
    /// How large it is.
    Scale,
    /// How it is sheared and stretched.
    Affine,
    /// How it is tilted in depth.
    Perspective,
}

impl MotionModel {
    /// From the poorest to the richest.
    pub const ALL: [Self; 5] = [Self::Position, Self::Rotation, Self::Scale, Self::Affine, Self::Perspective];
}

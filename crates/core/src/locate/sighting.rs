//! Places of the subject: those that are known, and those that were found.

use crate::geometry::Point;
use crate::time::Frame;

/// A place where the subject is known to be.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Known {
    /// On which frame.
    pub frame: Frame,
    /// Where.
    pub at: Point,
}

/// What was seen of the subject on a frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sighting {
    /// Which frame.
    pub frame: Frame,
    /// Where it is, or may be while it is hidden.
    pub at: Point,
    /// Response over the usual one; 0 while it is hidden.
    pub likeness: f64,
    /// Correlation with what was seen before and believed; 0 while it is hidden.
    pub known: f64,
    /// Size over the size at the start.
    pub scale: f64,
    /// Whether it is seen.
    pub seen: bool,
    /// Whether it is a part of a scene that stands still: then it is within a box of here, or hidden.
    pub still: bool,
    /// Whether the frame was learned from.
    pub learned: bool,
    /// What this frame costs on the way: 1 is a hidden one.
    pub cost: f64,
}

/// Where a subject has not been seen for more frames than this, nobody knows where it should be, and sooner or later a dark
/// edge, a wall or a shade of the sky looks like any spot and any face. For pins half and twice as many make next to no
/// difference on real film.
pub const OUT_OF_SIGHT: u32 = 24;

/// Standard deviation of a plainly seen subject's place, as a share of its box.
const DEVIATION: f64 = 0.03;
/// A subject that is seen less than this is no less sure.
const LEAST_LIKENESS: f64 = 0.3;

impl Sighting {
    /// Standard deviation of its place in pixels, where the subject's box is so large.
    pub fn deviation(&self, side: f64) -> f64 {
        DEVIATION * side / self.likeness.clamp(LEAST_LIKENESS, 1.0)
    }

    /// How far it is from where a subject is seen, in boxes of that, whose box had this side at the start.
    pub(super) fn boxes_from(&self, subject: &Self, side: f64) -> f64 {
        self.at.distance(subject.at) / (side * subject.scale)
    }

    /// The same frame, where it is hidden after all.
    pub(super) fn hidden(&self, at: Point) -> Self {
        Self { at, likeness: 0.0, known: 0.0, seen: false, learned: false, cost: 1.0, ..*self }
    }
}

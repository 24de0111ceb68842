//! Places that are hidden or outside the picture all the time, put down by eye and carried by the motion of a subject.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::Poses;
use crate::geometry::Point;
use crate::time::Frame;

/// Where a person saw, or guessed, a carried point.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlacedAt {
    /// On which frame.
    pub frame: Frame,
    /// Where in that picture; it may be outside.
    pub at: Point,
}

/// A place on a subject that no pin follows.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CarriedPoint {
    /// Identity, never shown.
    pub id: Uuid,
    /// In order of frames; at least one.
    pub placed: Vec<PlacedAt>,
    /// Whether the one place was put down by eye and never corrected: the first correction takes its place.
    #[serde(default)]
    pub by_eye: bool,
}

impl CarriedPoint {
    /// A point put down by eye.
    pub fn new(id: Uuid, frame: Frame, at: Point) -> Self {
        Self { id, placed: vec![PlacedAt { frame, at }], by_eye: true }
    }

    /// The point corrected on a frame: the first correction counts for all frames; from then on every corrected place
    /// is kept.
    pub fn corrected(&self, frame: Frame, at: Point) -> Self {
        let kept = self.placed.iter().filter(|place| !self.by_eye && place.frame != frame).copied();
        let mut placed: Vec<PlacedAt> = kept.chain([PlacedAt { frame, at }]).collect();
        placed.sort_by_key(|place| place.frame);
        Self { id: self.id, placed, by_eye: false }
    }

    /// Where it is on a frame: through each place exactly, drifting evenly on the subject between two. `None` where the
    /// subject is not there, or was on none of the frames on which it was placed.
    pub fn position(&self, poses: &Poses, frame: Frame) -> Option<Point> {
        Some(poses.at(frame)?.apply(self.own_place(poses, frame)?))
    }

    /// The same in the subject's own coordinates.
    pub fn own_place(&self, poses: &Poses, frame: Frame) -> Option<Point> {
        let own = |place: &PlacedAt| Some((place.frame, poses.at(place.frame)?.inverse()?.apply(place.at)));
        let known: Vec<(Frame, Point)> = self.placed.iter().filter_map(own).collect();
        let after = known.partition_point(|(on, _)| *on < frame).min(known.len().checked_sub(1)?);
        let (a, b) = (known[after.saturating_sub(1)], known[after]);
        let length = a.0.until(b.0);
        let share = if length > 0 { (a.0.until(frame) as f64 / length as f64).clamp(0.0, 1.0) } else { 1.0 };
        Some(a.1 + (b.1 - a.1) * share)
    }
}

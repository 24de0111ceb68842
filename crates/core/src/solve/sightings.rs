//! What is seen of the subject on all frames that are solved.

use std::collections::BTreeMap;

use crate::locate::Sighting;
use crate::time::Frame;

/// Share of the subject's box within which an exact place is on the subject.
const ELSEWHERE: f64 = 0.3;
/// Nothing is told apart below this, in pixels.
const TOLERANCE: f64 = 3.0;
/// Where the subject is hardly seen, so does one that matches this well.
pub(super) const HARDLY: f64 = 0.5;

/// What is seen of the subject on all frames that are solved.
pub(super) struct Sightings {
    pub all: BTreeMap<Frame, Sighting>,
    /// Of the subject's box where it was clicked on, in pixels.
    pub side: f64,
}

impl Sightings {
    pub fn get(&self, frame: Frame) -> Option<&Sighting> {
        self.all.get(&frame)
    }

    pub fn iter(&self) -> impl Iterator<Item = &Sighting> {
        self.all.values()
    }

    /// Side of the subject's box on a frame, in pixels.
    pub fn side(&self, sighting: &Sighting) -> f64 {
        self.side * sighting.scale
    }

    /// An exact place further than this from where the subject is, in pixels, belongs to something else.
    pub fn reach(&self, sighting: &Sighting) -> f64 {
        (ELSEWHERE * self.side(sighting)).max(TOLERANCE)
    }

    /// Whether the subject is seen well enough to look nowhere else for the spot.
    pub fn is_plain(&self, sighting: &Sighting) -> bool {
        sighting.seen && sighting.likeness >= HARDLY
    }
}

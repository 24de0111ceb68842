//! Where following starts, and what it compares with.

use super::direction::Direction;
use crate::geometry::{LocalWarp, Point};
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::Track;

/// Where following starts.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Start {
    /// Frame to start from; the first sample reported is on the one after it.
    pub frame: Frame,
    /// Where the pin is on that frame.
    pub at: Point,
    /// Its motion per frame in the direction of following.
    pub velocity: Point,
    /// How the pattern is turned and grown there.
    pub shape: LocalWarp,
    /// Frame and place that the pattern is picked from: the guide nearest in time, or where the pin was put first.
    pub reference: (Frame, Point),
}

impl Start {
    /// At the frame on which the pin was put, with nothing known about its motion.
    pub fn at_pin(pin: &Pin) -> Self {
        Self {
            frame: pin.frame,
            at: pin.at,
            velocity: Point::default(),
            shape: LocalWarp::SAME,
            reference: (pin.frame, pin.at),
        }
    }

    /// From the sample on `frame`, if the subject is there on it, going on as it moved so far.
    pub fn from_track(pin: &Pin, track: &Track, frame: Frame, direction: Direction) -> Option<Self> {
        let at = track.position(frame)?;
        let back = if direction == Direction::Forward { -1 } else { 1 };
        let before = frame.step(back).and_then(|before| track.position(before));
        let picked = std::iter::once((pin.frame, pin.at));
        let references = picked.chain(track.guides().map(|(frame, guide)| (frame, guide.at)));
        let nearest = references.min_by_key(|(other, _)| frame.until(*other).abs());
        Some(Self {
            frame,
            at,
            velocity: before.map_or(Point::default(), |before| at - before),
            shape: track.get(frame).and_then(|sample| sample.shape).unwrap_or_default(),
            reference: nearest.unwrap_or((pin.frame, pin.at)),
        })
    }
}

//! What is asked for, and what comes of it.

use std::collections::BTreeMap;
use std::ops::ControlFlow;

use super::keep_out::{KeepOutTrack, around};
use super::outline::Outline;
use super::place::Place;
use crate::geometry::{Homography, PixelRect, Point, Size};
use crate::time::{Frame, FrameRange};
use crate::track::MotionModel;

/// A face to be followed.
#[derive(Clone, Debug)]
pub struct AreaTask {
    /// The frame on which it was outlined.
    pub frame: Frame,
    /// What is round it there.
    pub outline: Outline,
    /// Parts of the face that are never compared, as they lie on that frame.
    pub left_out: Vec<Outline>,
    /// Frames from which on another part of the same face is compared, away from the frame above, with the outline of
    /// that part there. The motion goes on as if nothing had happened.
    pub moved: BTreeMap<Frame, Outline>,
    /// What is not looked at.
    pub keep_outs: Vec<KeepOutTrack>,
    /// Frames on which it is hidden or away: nothing found there is believed.
    pub hidden: Vec<FrameRange>,
    /// How much of its motion counts; nothing for as little as explains it.
    pub motion: Option<MotionModel>,
    /// Where a person has put it on other frames: maps from the picture in which it was outlined.
    pub guides: BTreeMap<Frame, Homography>,
    /// Frames that are asked for: the way between two guides that has none of them is not gone through. Nothing for all.
    pub only: Option<FrameRange>,
}

impl AreaTask {
    /// A face outlined on a frame, and nothing else.
    pub fn new(frame: Frame, outline: Outline) -> Self {
        Self {
            frame,
            outline,
            left_out: Vec::new(),
            moved: BTreeMap::new(),
            keep_outs: Vec::new(),
            hidden: Vec::new(),
            motion: None,
            guides: BTreeMap::new(),
            only: None,
        }
    }

    /// Whether any of these frames is asked for. Where the outline is moved all are: what is compared from there on hangs
    /// on where the face is there.
    pub(crate) fn asks_for(&self, frames: &[Frame]) -> bool {
        let is_asked = |frame: &Frame| self.only.is_none_or(|only| only.contains(*frame));
        !self.moved.is_empty() || frames.iter().any(is_asked)
    }

    /// The same where only this part of the picture was filmed. The black borders round it stay where they are whatever the
    /// face does, and would hold it there.
    pub(crate) fn within(&self, filmed: PixelRect, size: Size) -> Self {
        let mut task = self.clone();
        task.keep_outs.extend(around(filmed, size));
        task
    }

    /// What is not looked at on a frame.
    pub(crate) fn kept_out(&self, frame: Frame) -> Vec<Outline> {
        self.keep_outs.iter().filter_map(|keep_out| keep_out.on(frame)).collect()
    }

    /// Whether a spot is not looked at on the frame on which the face was outlined.
    pub(crate) fn is_left_out(&self, at: Point) -> bool {
        self.left_out.iter().chain(&self.kept_out(self.frame)).any(|outline| outline.contains(at))
    }

    pub(crate) fn is_hidden(&self, frame: Frame) -> bool {
        self.hidden.iter().any(|range| range.contains(frame))
    }
}

/// Where a face is on every frame.
#[derive(Clone, Debug)]
pub struct AreaSolution {
    /// By frame.
    pub places: BTreeMap<Frame, Place>,
    /// How much of the motion it was followed with; where the rest of it was noise, `places` show place, turn and size only.
    pub motion: MotionModel,
}

/// How following a face ended.
#[derive(Clone, Debug)]
pub enum AreaEnd {
    /// It is known where it is.
    Solved(AreaSolution),
    /// There is nothing within the outline that could be followed.
    Flat,
    /// Whoever watched did not want any more.
    Stopped,
}

/// Why going on makes no sense.
pub(crate) enum Halt<E> {
    /// A frame cannot be had.
    Source(E),
    /// Nobody wants any more.
    Stopped,
}

impl<E> From<E> for Halt<E> {
    fn from(error: E) -> Self {
        Self::Source(error)
    }
}

/// Told of every frame as soon as something is known of it; says whether to go on. A frame may be told of more than once
/// and differently; what counts in the end is the solution.
pub trait AreaWatch {
    /// A frame is done.
    fn placed(&mut self, frame: Frame, place: &Place) -> ControlFlow<()>;

    /// On a frame it was looked where the thing is that the face lies on.
    fn located(&mut self) -> ControlFlow<()>;
}

impl AreaWatch for () {
    fn placed(&mut self, _: Frame, _: &Place) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }

    fn located(&mut self) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }
}

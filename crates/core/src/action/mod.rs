//! What a person does to a shot, as a change with a title and what has to be solved after it. The application and the
//! command line make the same of it.

mod area;
mod guide;
mod point;
mod range;
mod subject;

use thiserror::Error;
use uuid::Uuid;

use crate::document::{Shot, Subject};
use crate::edit::Edit;
use crate::geometry::{Point, Size};
use crate::path::BridgeProblem;
use crate::pin::{Pin, PinProblem};
use crate::time::{Frame, FrameRange};

pub use area::{AreaChange, another_area, change_area, new_area_subject};
pub use guide::set_guide;
pub use point::{correct_point, place_point};
pub use range::{RangeAction, change_range};
pub use subject::{another_pin, hand_over, new_subject};

/// What is to be done.
#[derive(Clone, Debug, PartialEq)]
pub struct Planned {
    /// What the log calls it.
    pub title: String,
    /// The change.
    pub edit: Edit,
    /// What has to be solved again after it.
    pub solve: Option<Resolve>,
}

/// A part of a pin's path that has to be solved again.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Resolve {
    /// Which pin.
    pub pin: Uuid,
    /// Around which frame: as far as the guides to both sides.
    pub frame: Frame,
    /// Only these frames are written.
    pub only: Option<FrameRange>,
}

/// The shot that something is done to: the document, its frames, and the size of its picture.
#[derive(Clone, Copy, Debug)]
pub struct Ground<'a> {
    /// The document, with the samples of the pins that are asked for.
    pub shot: &'a Shot,
    /// Its frames.
    pub range: FrameRange,
    /// Its picture.
    pub size: Size,
}

impl<'a> Ground<'a> {
    fn pin(&self, id: Uuid) -> Result<(&'a Subject, &'a Pin), ActionProblem> {
        self.shot.pin(id).ok_or(ActionProblem::NotThere("pin"))
    }

    fn subject(&self, id: Uuid) -> Result<&'a Subject, ActionProblem> {
        self.shot.subject(id).ok_or(ActionProblem::NotThere("subject"))
    }

    /// Whether a place is in the picture, or at most once its size beside it: a spot may be followed out of the picture
    /// by hand.
    fn is_near(&self, at: Point) -> bool {
        let near = |at: f64, size: u32| (-f64::from(size)..=2.0 * f64::from(size)).contains(&at);
        near(at.x, self.size.width) && near(at.y, self.size.height)
    }

    fn holds(&self, frame: Frame) -> Result<(), ActionProblem> {
        self.range.contains(frame).then_some(()).ok_or(ActionProblem::NotInShot(frame))
    }
}

/// Why something cannot be done.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum ActionProblem {
    /// It was removed meanwhile.
    #[error("this {0} is not there any more")]
    NotThere(&'static str),
    /// A frame of another part of the film.
    #[error("frame {0} is not in this shot")]
    NotInShot(Frame),
    /// Not in the shot, or its end before its beginning.
    #[error("frames {0} to {1} are no range of this shot")]
    NoRange(Frame, Frame),
    /// Outside the picture.
    #[error("the pin has to be put on the picture")]
    OffThePicture,
    /// None of it is in the picture.
    #[error("the outline has to go round something in the picture")]
    OutlineOffThePicture,
    /// Corners that no flat face can have.
    #[error("no flat face looks like this: its corners have to go round it as they did, without a fold")]
    NoFace,
    /// The corners there are those of the outline.
    #[error("the area was outlined on frame {0}: move the points of its outline there")]
    OutlinedThere(Frame),
    /// Too far outside the picture.
    #[error("{}, {} is far away from the picture of {} x {} pixels: a guide lies at most once its size beside it",
        at.x, at.y, size.width, size.height)]
    FarAway {
        /// Where.
        at: Point,
        /// Of the picture.
        size: Size,
    },
    /// Nothing set by hand is there.
    #[error("there is no guide on frame {0} that could be removed")]
    NoGuide(Frame),
    /// The first guide says what is followed.
    #[error("the pattern is picked on frame {0}: this guide cannot be removed, only moved")]
    FirstGuide(Frame),
    /// An empty range.
    #[error("there is nothing on these frames that could be deleted")]
    NothingToDelete,
    /// No place, or one beside the range, or none at all.
    #[error("following by hand needs a place, in ordinary numbers, on one or more frames of the range")]
    NoPlaces,
    /// A subject that is away carries nothing.
    #[error("{name} is not there on frame {frame}, so nothing can carry a point")]
    NothingCarries {
        /// The subject.
        name: String,
        /// The frame.
        frame: Frame,
    },
    /// A gap cannot be crossed.
    #[error(transparent)]
    Bridge(#[from] BridgeProblem),
    /// A pin cannot be as it would be.
    #[error(transparent)]
    Pin(#[from] PinProblem),
}

#[cfg(test)]
mod area_tests;
#[cfg(test)]
mod tests;

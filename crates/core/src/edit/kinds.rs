//! The changes there are, and why one cannot be made.

use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

use crate::attachment::{Attachment, SettingProblem};
use crate::document::{HandOver, Subject};
use crate::motion::CarriedPoint;
use crate::path::{Recipe, RecipeProblem};
use crate::pin::{Pin, PinProblem};
use crate::time::Frame;
use crate::track::{MotionModel, Sample};

/// Longest name of a subject, in characters.
pub const MAX_NAME: usize = 200;

/// A place is not further than this from the picture's corner, in pixels: a hundred times the largest picture.
pub(super) const FARTHEST: f64 = 1e6;
/// The last frame that a film may have: 90 hours at 30 frames a second.
pub(super) const LAST_FRAME: u32 = 9_999_999;

/// One change to a shot.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "edit", rename_all = "snake_case")]
pub enum Edit {
    /// Puts a subject into the list, at `index`.
    AddSubject {
        /// Place in the list.
        index: usize,
        /// The subject, whole.
        subject: Subject,
    },
    /// Takes a subject with all that hangs on it out of the list. Samples of its pins are removed first.
    RemoveSubject {
        /// Which.
        subject: Uuid,
    },
    /// Gives a subject another name.
    Rename {
        /// Which.
        subject: Uuid,
        /// The new name.
        name: String,
    },
    /// Puts a pin on a subject, or changes it when the subject has it already.
    PutPin {
        /// On which subject.
        subject: Uuid,
        /// The pin, whole.
        pin: Pin,
        /// Place in the list of a new one; the end when it is not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        index: Option<usize>,
    },
    /// Takes a pin off its subject.
    RemovePin {
        /// Which.
        pin: Uuid,
    },
    /// Hangs an attachment on a subject, or changes it when the subject has it already.
    PutAttachment {
        /// On which subject.
        subject: Uuid,
        /// The attachment, whole.
        attachment: Attachment,
        /// Place in the list of a new one; the end when it is not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        index: Option<usize>,
    },
    /// Takes an attachment off its subject.
    RemoveAttachment {
        /// From which subject.
        subject: Uuid,
        /// Which.
        attachment: Uuid,
    },
    /// Gives a subject another recipe for its path, or none.
    SetCleaning {
        /// Which.
        subject: Uuid,
        /// The recipe; nothing when the samples are the path as they are.
        cleaning: Option<Recipe>,
    },
    /// Says how much of a subject's motion is wanted.
    SetMotion {
        /// Which subject.
        subject: Uuid,
        /// The richest that is wanted; nothing for as much as its pins allow.
        motion: Option<MotionModel>,
    },
    /// Puts a carried point on a subject, or changes it when the subject has it already.
    PutPoint {
        /// On which subject.
        subject: Uuid,
        /// The point, whole.
        point: CarriedPoint,
        /// Place in the list of a new one; the end when it is not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        index: Option<usize>,
    },
    /// Takes a carried point off its subject.
    RemovePoint {
        /// From which subject.
        subject: Uuid,
        /// Which.
        point: Uuid,
    },
    /// Says from which frames on which pins of a subject lead.
    SetHandOvers {
        /// Which subject.
        subject: Uuid,
        /// In order of frames.
        hand_overs: Vec<HandOver>,
    },
    /// Says which of the cuts that were found in the film are none.
    SetNoCuts {
        /// The first frames after what is no cut.
        frames: Vec<Frame>,
    },
    /// Sets samples of a pin, or removes those given as `null`.
    SetSamples {
        /// Whose.
        pin: Uuid,
        /// Frame and what is to be there.
        samples: Vec<(Frame, Option<Sample>)>,
    },
    /// Several changes that are made, and undone, as one.
    All {
        /// In this order.
        edits: Vec<Edit>,
    },
}

/// Why a change cannot be made.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum EditError {
    /// The thing to be changed is not there (any more).
    #[error("there is no such {0} in this shot any more; it may have been removed in another window")]
    NotThere(&'static str),
    /// It is there already.
    #[error("this {0} is in the shot already")]
    AlreadyThere(&'static str),
    /// A name is empty or too long, or has something in it that cannot be seen.
    #[error("a name has 1 to {MAX_NAME} characters, none of them invisible")]
    Name,
    /// A number is not a number, or far away from any picture.
    #[error("a place has to be given in ordinary numbers, not more than {FARTHEST:.0} pixels away")]
    Number,
    /// Frames that no film has, or that end before they begin.
    #[error("frames are numbered from 0 to {LAST_FRAME}, the first before the last")]
    Frames,
    /// More of something than a shot can have.
    #[error("a shot has at most {most} {what}")]
    TooMany {
        /// Of what.
        what: &'static str,
        /// How many there may be.
        most: usize,
    },
    /// A pin's settings make no sense.
    #[error(transparent)]
    Pin(PinProblem),
    /// An attachment's settings make no sense.
    #[error(transparent)]
    Setting(SettingProblem),
    /// A recipe makes no sense.
    #[error(transparent)]
    Recipe(RecipeProblem),
}

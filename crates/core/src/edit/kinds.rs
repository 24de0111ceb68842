//! The changes there are, and why one cannot be made.

use serde::{Deserialize, Serialize};
use thiserror::Error;
use uuid::Uuid;

use crate::attachment::Attachment;
use crate::document::{Area, DocumentProblem, HandOver, Subject};
use crate::motion::CarriedPoint;
use crate::path::Recipe;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{MotionModel, Sample};

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
    /// Puts an area on a subject, or changes it when the subject has it already. Its pins are put and taken with it.
    PutArea {
        /// On which subject.
        subject: Uuid,
        /// The area, whole.
        area: Area,
        /// Place in the list of a new one; the end when it is not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        index: Option<usize>,
    },
    /// Takes an area off its subject.
    RemoveArea {
        /// From which subject.
        subject: Uuid,
        /// Which.
        area: Uuid,
    },
    /// Says whether areas of other subjects are not compared where a subject is.
    SetKeepOut {
        /// Which subject.
        subject: Uuid,
        /// Whether.
        keep_out: bool,
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
    /// What it would leave is no document; or what it changes is not there.
    #[error(transparent)]
    Document(#[from] DocumentProblem),
    /// A sample that is none.
    #[error("a sample has to be given in ordinary numbers, with a match between 0 and 1 and variances above 0")]
    Sample,
    /// Too much at once.
    #[error("at most {0} changes are made as one")]
    TooMany(usize),
}

impl EditError {
    pub(super) const fn not_there(what: &'static str) -> Self {
        Self::Document(DocumentProblem::NotThere(what))
    }

    pub(super) const fn already_there(what: &'static str) -> Self {
        Self::Document(DocumentProblem::AlreadyThere(what))
    }
}

//! What a person made of a shot: subjects with their pins and attachments, and the samples of each pin.

mod covariance;
mod pin;
mod track;

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::path::{Cleaning, Path, clean, hand_over};
use crate::scene::Label;
use crate::time::Frame;

pub use covariance::Covariance;
pub use pin::{
    Channel, Filter, MAX_PATTERN_SIDE, MAX_SEARCH, MIN_PATTERN_SIDE, Motion, Pin, PinProblem, ReferencePolicy,
};
pub use track::{Sample, SampleState, Track};

/// Subject colours: Okabe & Ito (2008), which stay apart for colour-blind eyes; black is left out, as it vanishes on
/// dark pictures.
pub const SUBJECT_COLOURS: [&str; 7] = ["#E69F00", "#56B4E9", "#009E73", "#F0E442", "#0072B2", "#D55E00", "#CC79A7"];

/// Who or what is followed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Subject {
    /// Identity, never shown.
    pub id: Uuid,
    /// Name, as typed.
    pub name: String,
    /// Letter that tells it apart without colour: A, B, C ...
    pub letter: char,
    /// Index into [`SUBJECT_COLOURS`].
    pub colour: usize,
    /// The spots followed on it.
    pub pins: Vec<Pin>,
    /// What hangs on it.
    pub attachments: Vec<Attachment>,
    /// How its samples become its path; nothing when they are the path as they are.
    #[serde(default)]
    pub cleaning: Option<Cleaning>,
    /// From which frame on another of its pins leads, in order of frames.
    #[serde(default)]
    pub hand_overs: Vec<HandOver>,
}

/// Going on with another feature of the same subject.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct HandOver {
    /// The first frame on which the other pin leads.
    pub from: Frame,
    /// The other pin.
    pub pin: Uuid,
}

/// Something that follows a subject.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Attachment {
    /// Identity, never shown.
    pub id: Uuid,
    /// What it is.
    #[serde(flatten)]
    pub kind: AttachmentKind,
}

/// The kinds of attachment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum AttachmentKind {
    /// Text in a box, with a line to the subject.
    Label(Label),
}

/// Everything made of one shot.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shot {
    /// The subjects, in order of the rows on the page.
    pub subjects: Vec<Subject>,
    /// Samples by pin. Stored apart from the rest, because they are many.
    #[serde(skip)]
    pub tracks: BTreeMap<Uuid, Track>,
}

impl Shot {
    /// The subject with this identity.
    pub fn subject(&self, id: Uuid) -> Option<&Subject> {
        self.subjects.iter().find(|subject| subject.id == id)
    }

    /// The pin with this identity, with its subject.
    pub fn pin(&self, id: Uuid) -> Option<(&Subject, &Pin)> {
        let pins = |subject: &'_ Subject| subject.pins.iter().position(|pin| pin.id == id);
        self.subjects.iter().find_map(|subject| pins(subject).map(|i| (subject, &subject.pins[i])))
    }

    /// The samples of a pin; an empty track when nothing was followed yet.
    pub fn track(&self, pin: Uuid) -> &Track {
        static EMPTY: Track = Track::new();
        self.tracks.get(&pin).unwrap_or(&EMPTY)
    }

    /// The samples that move a subject: those of its first pin, and from each hand-over on those of another, moved so that
    /// nothing jumps. `None` without a pin.
    pub fn motion_of<'a>(&'a self, subject: &Subject) -> Option<Cow<'a, Track>> {
        let first = Cow::Borrowed(self.track(subject.pins.first()?.id));
        Some(
            subject.hand_overs.iter().fold(first, |track, over| {
                hand_over(&track, self.track(over.pin), over.from).map_or(track, Cow::Owned)
            }),
        )
    }

    /// Where a subject is, cleaned by its recipe. `None` without a pin.
    pub fn path_of(&self, subject: &Subject) -> Option<Path> {
        let motion = self.motion_of(subject)?;
        Some(subject.cleaning.as_ref().map_or_else(|| Path::raw(&motion), |cleaning| clean(&motion, cleaning)))
    }

    /// The first letter of the alphabet that no subject has; `'?'` when all 26 are taken.
    pub fn free_letter(&self) -> char {
        ('A'..='Z').find(|letter| self.subjects.iter().all(|s| s.letter != *letter)).unwrap_or('?')
    }

    /// The colour that the fewest subjects have, the earliest of the palette first.
    pub fn free_colour(&self) -> usize {
        let uses = |colour: usize| self.subjects.iter().filter(|s| s.colour == colour).count();
        (0..SUBJECT_COLOURS.len()).min_by_key(|&colour| uses(colour)).unwrap_or(0)
    }
}

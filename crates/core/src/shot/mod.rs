//! What a person made of a shot: subjects with their pins and attachments, and the samples of each pin.

mod covariance;
mod pin;
mod track;

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::motion::{CarriedPoint, Poses, SubjectMotion};
use crate::path::{Cleaning, Path, clean, hand_over};
use crate::scene::{Boundary, Cover, Flare, Front, Label, Picture, SettingProblem, Show, check_keyed};
use crate::time::Frame;

pub use covariance::Covariance;
pub use pin::{
    Channel, Filter, MAX_PATTERN_SIDE, MAX_SEARCH, MIN_PATTERN_SIDE, Motion, Pin, PinProblem, ReferencePolicy,
};
pub use track::{Grasp, Sample, SampleState, Track};

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
    /// How much of its motion is wanted; nothing for as much as its pins allow.
    #[serde(default)]
    pub motion: Option<Motion>,
    /// Places on it that no pin follows.
    #[serde(default)]
    pub points: Vec<CarriedPoint>,
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
    /// The look that it shares with others of its kind: a change of one changes all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub look: Option<String>,
    /// Whether, when and how strongly it is shown.
    #[serde(default)]
    pub show: Show,
    /// What it is.
    #[serde(flatten)]
    pub kind: AttachmentKind,
}

/// The kinds of attachment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum AttachmentKind {
    /// Text in a box, with a line to the subject.
    Label(Box<Label>),
    /// A line round a piece of ground.
    Boundary(Box<Boundary>),
    /// A picture or logo.
    Picture(Picture),
    /// A lamp or the sun that dazzles the lens.
    Flare(Flare),
    /// A cover over a face or a number plate, or over everything else.
    Cover(Cover),
    /// What stands in front of everything further back.
    Front(Front),
}

impl Attachment {
    /// A label as usual.
    pub fn label(id: Uuid, label: Label) -> Self {
        Self::new(id, AttachmentKind::Label(Box::new(label)))
    }

    /// An attachment that is shown as usual.
    pub fn new(id: Uuid, kind: AttachmentKind) -> Self {
        Self { id, look: None, show: Show::default(), kind }
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        self.show.check()?;
        check_keyed(self)?;
        match &self.kind {
            AttachmentKind::Label(label) => label.check(),
            AttachmentKind::Boundary(boundary) => boundary.check(),
            AttachmentKind::Picture(picture) => picture.check(),
            AttachmentKind::Flare(flare) => flare.check(),
            AttachmentKind::Cover(cover) => cover.check(),
            AttachmentKind::Front(front) => front.check(),
        }
    }
}

/// Everything made of one shot.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shot {
    /// The subjects, in order of the rows on the page.
    pub subjects: Vec<Subject>,
    /// Frames on which the film was found to go over to another picture, and a person says that it does not.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub no_cuts: Vec<Frame>,
    /// Samples by pin. Stored apart from the rest, because they are many.
    #[serde(skip)]
    pub tracks: BTreeMap<Uuid, Track>,
}

impl Shot {
    /// Those of the cuts that were found in the film that are cuts.
    pub fn cuts(&self, found: impl IntoIterator<Item = Frame>) -> Vec<Frame> {
        found.into_iter().filter(|cut| !self.no_cuts.contains(cut)).collect()
    }

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

    /// The samples of the pins that move a subject together: first those of its first pin, from each hand-over on those of another, moved so
    /// that nothing jumps; then those of every pin that is no hand-over. `None` without a pin.
    fn tracks_of<'a>(&'a self, subject: &Subject) -> Option<Vec<(Uuid, Cow<'a, Track>)>> {
        let first = subject.pins.first()?.id;
        let leading = subject.hand_overs.iter().fold(Cow::Borrowed(self.track(first)), |track, over| {
            hand_over(&track, self.track(over.pin), over.from).map_or(track, Cow::Owned)
        });
        let leads = |pin: &&Pin| subject.hand_overs.iter().any(|over| over.pin == pin.id);
        let others = subject.pins[1..].iter().filter(|pin| !leads(pin));
        let others = others.map(|pin| (pin.id, Cow::Borrowed(self.track(pin.id))));
        Some(std::iter::once((first, leading)).chain(others).collect())
    }

    /// The samples that move a subject: of its pin, or, with several, of the place that leads it. `None` without a pin.
    pub fn motion_of<'a>(&'a self, subject: &Subject) -> Option<Cow<'a, Track>> {
        let mut tracks = self.tracks_of(subject)?;
        if tracks.len() == 1 {
            return tracks.pop().map(|(_, track)| track);
        }
        let motion = subject.motion_from(&tracks);
        Some(motion.map_or_else(|| tracks[0].1.clone(), |motion| Cow::Owned(motion.track(&tracks[0].1))))
    }

    /// Where a subject is, cleaned by its recipe. `None` without a pin.
    pub fn path_of(&self, subject: &Subject) -> Option<Path> {
        let motion = self.motion_of(subject)?;
        Some(subject.cleaning.as_ref().map_or_else(|| Path::raw(&motion), |cleaning| clean(&motion, cleaning)))
    }

    /// How a subject moves, as its pins say, before any cleaning. `None` where no pin is anywhere.
    pub fn raw_motion_of(&self, subject: &Subject) -> Option<SubjectMotion> {
        subject.motion_from(&self.tracks_of(subject)?)
    }

    /// Where a subject is and how it lies on each frame, cleaned by its recipe. `None` where no pin is anywhere.
    pub fn poses_of(&self, subject: &Subject) -> Option<Poses> {
        let mut tracks = self.tracks_of(subject)?;
        if let Some(cleaning) = subject.cleaning.as_ref().filter(|_| tracks.len() > 1) {
            // Keyframes set by hand are of the leading place, not of each pin.
            let steps = Cleaning { steps: cleaning.steps.clone(), hand_keys: Vec::new() };
            tracks.iter_mut().for_each(|(_, track)| *track = Cow::Owned(moved_along(track, &clean(track, &steps))));
        }
        Some(Poses::new(self.path_of(subject)?, subject.motion_from(&tracks)?))
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

impl Subject {
    /// A subject on which nothing is followed yet.
    pub fn new(id: Uuid, name: impl Into<String>, letter: char, colour: usize) -> Self {
        Self {
            id,
            name: name.into(),
            letter,
            colour,
            pins: Vec::new(),
            attachments: Vec::new(),
            cleaning: None,
            motion: None,
            points: Vec::new(),
            hand_overs: Vec::new(),
        }
    }

    /// Its colour as `#rrggbb`.
    pub fn colour_code(&self) -> &'static str {
        SUBJECT_COLOURS[self.colour % SUBJECT_COLOURS.len()]
    }

    /// How much of the motion is wanted of so many pins. What a single pin looks for itself is wanted.
    fn wanted_motion(&self, pins: usize) -> Motion {
        let most = if pins > 1 {
            Motion::of_pins(pins)
        } else if self.hand_overs.is_empty() {
            self.pins.first().map_or(Motion::Position, |pin| pin.motion)
        } else {
            // Each pin's shape counts from its own picture.
            Motion::Position
        };
        self.motion.map_or(most, |asked| asked.min(most))
    }

    fn motion_from(&self, tracks: &[(Uuid, Cow<'_, Track>)]) -> Option<SubjectMotion> {
        let borrowed: Vec<(Uuid, &Track)> = tracks.iter().map(|(pin, track)| (*pin, &**track)).collect();
        SubjectMotion::new(&borrowed, self.wanted_motion(tracks.len()), self.pins.first()?.frame)
    }
}

/// The samples of a track at the places of a path.
fn moved_along(track: &Track, path: &Path) -> Track {
    let moved =
        |(frame, sample): (Frame, Sample)| (frame, Sample { at: path.position(frame).unwrap_or(sample.at), ..sample });
    track.iter().map(moved).collect()
}

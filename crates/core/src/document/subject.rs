//! Who or what is followed.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::area::Area;
use crate::attachment::Attachment;
use crate::motion::CarriedPoint;
use crate::path::Recipe;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::MotionModel;

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
    /// The faces followed on it; each says where it is by pins that are among those above.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub areas: Vec<Area>,
    /// Whether areas of other subjects are not compared where it is.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub keep_out: bool,
    /// What hangs on it.
    pub attachments: Vec<Attachment>,
    /// How its samples become its path; nothing when they are the path as they are.
    #[serde(default)]
    pub cleaning: Option<Recipe>,
    /// How much of its motion is wanted; nothing for as much as its pins allow.
    #[serde(default)]
    pub motion: Option<MotionModel>,
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

impl Subject {
    /// A subject on which nothing is followed yet.
    pub fn new(id: Uuid, name: impl Into<String>, letter: char, colour: usize) -> Self {
        Self {
            id,
            name: name.into(),
            letter,
            colour,
            pins: Vec::new(),
            areas: Vec::new(),
            keep_out: false,
            attachments: Vec::new(),
            cleaning: None,
            motion: None,
            points: Vec::new(),
            hand_overs: Vec::new(),
        }
    }

    /// Whether it has the same motion as another state of it, given the same samples: names and attachments do not
    /// count.
    pub fn moves_like(&self, other: &Self) -> bool {
        let key = |subject: &Self| (subject.motion, subject.pins.first().map(|pin| pin.frame));
        let pins = |subject: &Self| subject.pins.iter().map(|pin| (pin.id, pin.motion)).collect::<Vec<_>>();
        key(self) == key(other)
            && pins(self) == pins(other)
            && self.cleaning == other.cleaning
            && self.hand_overs == other.hand_overs
            && self.areas.len() == other.areas.len()
            && self.areas.iter().zip(&other.areas).all(|(own, other)| own.id == other.id && own.bends_like(other))
    }

    /// Under what its samples are kept: its pins, and the knots of its areas that bend.
    pub fn tracks(&self) -> impl Iterator<Item = Uuid> {
        self.pins.iter().map(|pin| pin.id).chain(self.areas.iter().flat_map(Area::knots))
    }

    /// Which pin leads from which frame on, in order of frames. Empty without a pin.
    pub fn leads(&self) -> Vec<HandOver> {
        let first = self.pins.first().map(|pin| HandOver { from: Frame(0), pin: pin.id });
        first.into_iter().chain(self.hand_overs.iter().copied()).collect()
    }

    /// The pins that move it together: its first, and every other to which it is not handed over.
    pub fn members(&self) -> impl Iterator<Item = &Pin> {
        let is_led_to = |pin: &Pin| self.hand_overs.iter().any(|over| over.pin == pin.id);
        self.pins.iter().enumerate().filter(move |(i, pin)| *i == 0 || !is_led_to(pin)).map(|(_, pin)| pin)
    }

    /// The area that a pin belongs to.
    pub fn area_of(&self, pin: Uuid) -> Option<&Area> {
        self.areas.iter().find(|area| area.carriers.contains(&pin))
    }

    /// The pins that are followed with a pin: those of its area, the middle first, or none but itself.
    pub fn followed_with(&self, pin: Uuid) -> Vec<Uuid> {
        self.area_of(pin).map_or_else(|| vec![pin], |area| area.carriers.to_vec())
    }

    /// Whether anything that hangs on it is shown.
    pub fn is_shown(&self) -> bool {
        self.attachments.iter().any(|attachment| attachment.show.on)
    }

    /// Its colour as `#rrggbb`.
    pub fn colour_code(&self) -> &'static str {
        SUBJECT_COLOURS[self.colour % SUBJECT_COLOURS.len()]
    }
}

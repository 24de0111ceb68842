//! Everything made of one shot.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::area::Area;
use super::subject::{SUBJECT_COLOURS, Subject};
use crate::geometry::Homography;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::Track;

/// Everything made of one shot.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shot {
    /// The subjects, in order of the rows on the page.
    pub subjects: Vec<Subject>,
    /// Frames on which the film was found to go over to another picture, and a person says that it does not.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub no_cuts: Vec<Frame>,
    /// Samples by pin, and by knot of a net. Stored apart from the rest, because they are many; shared by copies of the shot until one
    /// changes them.
    #[serde(skip)]
    pub tracks: BTreeMap<Uuid, Arc<Track>>,
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

    /// Whether samples are kept under this: of a pin, or of a knot of a net.
    pub fn has_track(&self, id: Uuid) -> bool {
        let of_knot = || self.subjects.iter().flat_map(|subject| &subject.areas).any(|area| area.has_knot(id));
        self.pin(id).is_some() || of_knot()
    }

    /// The pin that leads the area to whose net a knot belongs.
    pub fn leading_pin_of(&self, knot: Uuid) -> Option<Uuid> {
        let mut areas = self.subjects.iter().flat_map(|subject| &subject.areas);
        areas.find(|area| area.has_knot(knot)).map(|area| area.carriers[0])
    }

    /// The samples of a pin; an empty track when nothing was followed yet.
    pub fn track(&self, pin: Uuid) -> &Track {
        static EMPTY: Track = Track::new();
        self.tracks.get(&pin).map_or(&EMPTY, |track| track)
    }

    /// The samples of a pin, to change them.
    pub fn track_mut(&mut self, pin: Uuid) -> &mut Track {
        Arc::make_mut(self.tracks.entry(pin).or_default())
    }

    /// From the picture in which an area was drawn to a frame, as its pins say.
    pub fn area_map(&self, area: &Area, frame: Frame) -> Option<Homography> {
        let [_, corners @ ..] = area.carriers.map(|carrier| self.track(carrier).position(frame));
        let known = corners.iter().all(Option::is_some);
        Homography::between(&area.bounds().corners(), &corners.map(Option::unwrap_or_default)).filter(|_| known)
    }

    /// The first letter of the alphabet, then of the small ones, that no subject has; `'?'` when all 52 are taken.
    pub fn free_letter(&self) -> char {
        ('A'..='Z').chain('a'..='z').find(|letter| self.subjects.iter().all(|s| s.letter != *letter)).unwrap_or('?')
    }

    /// The colour that the fewest subjects have, the earliest of the palette first.
    pub fn free_colour(&self) -> usize {
        let uses = |colour: usize| self.subjects.iter().filter(|s| s.colour == colour).count();
        (0..SUBJECT_COLOURS.len()).min_by_key(|&colour| uses(colour)).unwrap_or(0)
    }
}

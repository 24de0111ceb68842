//! What a document may hold: numbers that are numbers, names that can be read, references to what is there, as much as
//! can be worked with.

use std::collections::BTreeSet;

use thiserror::Error;
use uuid::Uuid;

use super::{Area, DrawnOutline, HandOver, OutlineOnFrame, Shot, Subject};
use crate::attachment::{Attachment, SettingProblem};
use crate::motion::CarriedPoint;
use crate::path::{Recipe, RecipeProblem};
use crate::pin::{Pin, PinProblem};
use crate::time::{Frame, FrameRange};

/// Longest name of a subject, a look or a recipe, in characters.
pub const MAX_NAME: usize = 200;
/// A place is not further than this from the picture's corner, in pixels: a hundred times the largest picture.
pub(crate) const FARTHEST: f64 = 1e6;
/// The last frame that a film may have: 90 hours at 30 frames a second.
pub(crate) const LAST_FRAME: u32 = 9_999_999;

/// What a shot holds at most: ten times as much as anybody was seen to need, and still worked with at ease.
const SUBJECTS: usize = 500;
const PINS: usize = 2000;
const AREAS: usize = 200;
const ATTACHMENTS: usize = 500;
const POINTS: usize = 2000;
/// Of one thing: hand-overs, hidden stretches, places of a carried point, frames that are no cut, keyframes by hand.
const OF_ONE: usize = 10_000;

/// Points of an outline; outlines that are moved, or frames on which a keep-out is set; keep-outs.
const OUTLINE_POINTS: usize = 200;
const OUTLINES: usize = 500;
const KEEP_OUTS: usize = 50;
/// Pixels that an outline has to hold at least: less is a spot, not a face.
const LEAST_PIXELS: f64 = 100.0;
/// Pixels of the box round an outline at most: more is the picture as a whole, and would take all memory.
const MOST_PIXELS: f64 = 4e6;

/// What is wrong with a document.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum DocumentProblem {
    /// It refers to something that is not there.
    #[error("there is no such {0} in this shot any more; it may have been removed in another window")]
    NotThere(&'static str),
    /// One identity stands twice.
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
    /// Too few or too many points.
    #[error("an outline has 3 to {0} points")]
    OutlinePoints(usize),
    /// It holds next to nothing.
    #[error("the outline holds next to nothing; draw it larger, or put a pin there")]
    SmallOutline,
    /// It is larger than anything that is followed as one face.
    #[error("the outline is larger than what is followed as one face; draw it round a smaller part")]
    LargeOutline,
    /// The pins that say where an area is belong to it.
    #[error("this pin belongs to an area; remove the area instead")]
    PinOfArea,
    /// A pin's settings make no sense.
    #[error(transparent)]
    Pin(#[from] PinProblem),
    /// An attachment's settings make no sense.
    #[error(transparent)]
    Setting(#[from] SettingProblem),
    /// A recipe makes no sense.
    #[error(transparent)]
    Recipe(#[from] RecipeProblem),
}

impl Shot {
    /// The first thing that is wrong with it.
    pub fn validate(&self) -> Result<(), DocumentProblem> {
        self.problems().into_iter().next().map_or(Ok(()), Err)
    }

    /// All that is wrong with it, but for the samples: those are checked where they come in, as they are many.
    pub fn problems(&self) -> Vec<DocumentProblem> {
        let subjects = || self.subjects.iter();
        let pins = subjects().flat_map(|subject| &subject.pins).map(|pin| pin.id);
        let attachments = subjects().flat_map(|subject| &subject.attachments).map(|one| one.id);
        let points = subjects().flat_map(|subject| &subject.points).map(|point| point.id);
        let whole = [
            at_most("frames that are no cut", self.no_cuts.len(), OF_ONE),
            self.no_cuts.iter().try_for_each(|at| frame(*at)),
            unique("subject", subjects().map(|subject| subject.id), SUBJECTS, "subjects"),
            unique("pin", pins, PINS, "pins"),
            unique("area", subjects().flat_map(|subject| &subject.areas).map(|area| area.id), AREAS, "areas"),
            unique("attachment", attachments, ATTACHMENTS, "attachments"),
            unique("point", points, POINTS, "carried points"),
        ];
        whole.into_iter().chain(subjects().flat_map(subject)).filter_map(Result::err).collect()
    }
}

fn unique(
    what: &'static str,
    ids: impl Iterator<Item = Uuid>,
    most: usize,
    many: &'static str,
) -> Result<(), DocumentProblem> {
    let mut seen = BTreeSet::new();
    for id in ids {
        if !seen.insert(id) {
            return Err(DocumentProblem::AlreadyThere(what));
        }
    }
    at_most(many, seen.len(), most)
}

fn at_most(what: &'static str, count: usize, most: usize) -> Result<(), DocumentProblem> {
    if count <= most { Ok(()) } else { Err(DocumentProblem::TooMany { what, most }) }
}

/// What was found of each thing of a subject.
fn subject(subject: &Subject) -> Vec<Result<(), DocumentProblem>> {
    let leads = |over: &HandOver| {
        frame(over.from)?;
        let is_there = subject.pins.iter().any(|pin| pin.id == over.pin);
        if is_there { Ok(()) } else { Err(DocumentProblem::NotThere("pin")) }
    };
    let letter = if subject.letter.is_control() { Err(DocumentProblem::Name) } else { Ok(()) };
    let mut found = vec![name(&subject.name), letter];
    found.extend(subject.pins.iter().map(pin));
    found.extend(subject.areas.iter().map(|one| {
        let is_there = |carrier: &Uuid| subject.pins.iter().any(|pin| pin.id == *carrier);
        if one.carriers.iter().all(is_there) { area(one) } else { Err(DocumentProblem::PinOfArea) }
    }));
    found.extend(subject.attachments.iter().map(attachment));
    found.extend(subject.points.iter().map(point));
    found.push(at_most("hand-overs", subject.hand_overs.len(), OF_ONE));
    found.push(subject.hand_overs.iter().try_for_each(leads));
    found.extend(subject.cleaning.as_ref().map(cleaning));
    found
}

fn name(name: &str) -> Result<(), DocumentProblem> {
    let is_good = (1..=MAX_NAME).contains(&name.chars().count()) && !name.chars().any(char::is_control);
    if is_good { Ok(()) } else { Err(DocumentProblem::Name) }
}

pub(crate) fn frame(frame: Frame) -> Result<(), DocumentProblem> {
    if frame.0 <= LAST_FRAME { Ok(()) } else { Err(DocumentProblem::Frames) }
}

fn range(range: FrameRange) -> Result<(), DocumentProblem> {
    frame(range.last)?;
    if range.first <= range.last { Ok(()) } else { Err(DocumentProblem::Frames) }
}

/// Numbers that are numbers, and not further than this from nothing.
pub(crate) fn within(most: f64, numbers: impl IntoIterator<Item = f64>) -> Result<(), DocumentProblem> {
    if numbers.into_iter().all(|number| number.abs() <= most) { Ok(()) } else { Err(DocumentProblem::Number) }
}

/// Whether the pin is inside of the picture is asked where the picture's size is known.
fn pin(pin: &Pin) -> Result<(), DocumentProblem> {
    frame(pin.frame)?;
    within(FARTHEST, [pin.at.x, pin.at.y])?;
    pin.check_settings()?;
    at_most("stretches on which a pin is hidden", pin.hidden.len(), OF_ONE)?;
    pin.hidden.iter().try_for_each(|hidden| range(*hidden))
}

fn area(area: &Area) -> Result<(), DocumentProblem> {
    frame(area.drawn.frame)?;
    check_face(&area.drawn.outline)?;
    at_most("places of an outline", area.moved.len(), OUTLINES)?;
    in_order(&area.moved)?;
    for place in &area.moved {
        frame(place.frame)?;
        check_face(&place.outline)?;
    }
    at_most("keep-outs of an area", area.keep_outs.len(), KEEP_OUTS)?;
    for keep_out in &area.keep_outs {
        at_most("places of a keep-out", keep_out.placed.len(), OUTLINES)?;
        if keep_out.placed.is_empty() {
            return Err(DocumentProblem::OutlinePoints(OUTLINE_POINTS));
        }
        in_order(&keep_out.placed)?;
        for place in &keep_out.placed {
            frame(place.frame)?;
            outline(&place.outline)?;
        }
    }
    Ok(())
}

/// One after the other, none twice.
fn in_order(places: &[OutlineOnFrame]) -> Result<(), DocumentProblem> {
    let is_in_order = places.windows(2).all(|pair| pair[0].frame < pair[1].frame);
    if is_in_order { Ok(()) } else { Err(DocumentProblem::Frames) }
}

fn outline(outline: &DrawnOutline) -> Result<(), DocumentProblem> {
    if !(3..=OUTLINE_POINTS).contains(&outline.points.len()) {
        return Err(DocumentProblem::OutlinePoints(OUTLINE_POINTS));
    }
    within(FARTHEST, outline.points.iter().flat_map(|point| [point.x, point.y]))
}

/// Whether what is within an outline can be followed as one face.
pub(crate) fn check_face(drawn: &DrawnOutline) -> Result<(), DocumentProblem> {
    outline(drawn)?;
    let polygon = drawn.polygon();
    let boxed = polygon.bounds().map_or(0.0, |bounds| (bounds.right - bounds.left) * (bounds.bottom - bounds.top));
    if polygon.pixels() < LEAST_PIXELS {
        return Err(DocumentProblem::SmallOutline);
    }
    if boxed > MOST_PIXELS {
        return Err(DocumentProblem::LargeOutline);
    }
    Ok(())
}

fn attachment(attachment: &Attachment) -> Result<(), DocumentProblem> {
    attachment.look.as_deref().map_or(Ok(()), name)?;
    Ok(attachment.check()?)
}

fn point(point: &CarriedPoint) -> Result<(), DocumentProblem> {
    at_most("places of a carried point", point.placed.len(), OF_ONE)?;
    if point.placed.is_empty() {
        return Err(DocumentProblem::Number);
    }
    point.placed.iter().try_for_each(|place| {
        frame(place.frame)?;
        within(FARTHEST, [place.at.x, place.at.y])
    })
}

fn cleaning(cleaning: &Recipe) -> Result<(), DocumentProblem> {
    cleaning.check()?;
    at_most("keyframes by hand", cleaning.hand_keys.len(), OF_ONE)?;
    cleaning.hand_keys.iter().try_for_each(|hand| frame(hand.frame))?;
    cleaning.steps.iter().filter_map(|step| step.range).try_for_each(range)
}

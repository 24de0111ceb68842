//! Areas: drawn, changed, put by hand, taken away. What is done to one of an area's pins is done to all of them.

use serde::Deserialize;
use uuid::Uuid;

use super::{ActionProblem, Ground, Planned, Resolve};
use crate::attachment::{Attachment, Label};
use crate::document::{Area, DrawnOutline, Fineness, KeepOut, OutlineOnFrame, Subject, bounds_of, carried_by};
use crate::edit::Edit;
use crate::geometry::{Homography, Point, Rect};
use crate::pin::{MAX_PATTERN_SIDE, MIN_PATTERN_SIDE, Pin};
use crate::time::{Frame, FrameRange};
use crate::track::{MotionModel, Sample, SampleState};

/// Pins of an area look for nothing by themselves.
const NO_SEARCH: [u32; 2] = [64, 64];

/// One change of an area.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum AreaChange {
    /// Another outline on the frame on which it was drawn; on any other frame: another part of the same face from there
    /// on.
    Outline(OutlineOnFrame),
    /// From this frame on the outline goes on as it was before.
    GoOnAsBefore {
        /// The frame on which it was moved.
        frame: Frame,
    },
    /// Something that is not compared: a new one, or where a known one is on one more frame.
    KeepOut {
        /// Which.
        id: Uuid,
        /// Where.
        place: OutlineOnFrame,
        /// The subject that carries it; nobody when it is not given.
        #[serde(default)]
        rides_on: Option<Uuid>,
    },
    /// Who carries a keep-out.
    CarryKeepOut {
        /// Which.
        id: Uuid,
        /// The subject; nothing when it stays, or goes from one place to another.
        rides_on: Option<Uuid>,
    },
    /// Compares again what was kept out.
    RemoveKeepOut {
        /// Which.
        id: Uuid,
    },
    /// How much of its motion counts.
    Motion {
        /// Nothing for as little as explains it.
        motion: Option<MotionModel>,
    },
    /// Whether it bends, and how fine the net over it is.
    Bend {
        /// Nothing for a flat face.
        bends: Option<Fineness>,
    },
    /// Takes it away.
    Remove,
}

/// A subject with an area on which its name hangs. `ids` are those of the subject and of its label; without a name it
/// is called by its letter.
pub fn new_area_subject(
    ground: Ground<'_>,
    ids: [Uuid; 2],
    name: Option<&str>,
    area: &Area,
) -> Result<Planned, ActionProblem> {
    let Ground { shot, size, .. } = ground;
    let (pins, first) = carriers(ground, area)?;
    let letter = shot.free_letter();
    let name = name.map(str::trim).filter(|name| !name.is_empty());
    let name = name.map_or_else(|| format!("Subject {letter}"), str::to_owned);
    let subject = Subject {
        pins: pins.into(),
        areas: vec![area.clone()],
        attachments: vec![Attachment::label(ids[1], Label::for_picture(size))],
        ..Subject::new(ids[0], name, letter, shot.free_colour())
    };
    let add = Edit::AddSubject { index: shot.subjects.len(), subject };
    let edits = std::iter::once(add).chain(first).collect();
    Ok(Planned { title: format!("New subject {letter}"), edit: Edit::All { edits }, solve: None })
}

/// One more area on a subject.
pub fn another_area(ground: Ground<'_>, subject: Uuid, area: &Area) -> Result<Planned, ActionProblem> {
    let name = &ground.subject(subject)?.name;
    let (pins, first) = carriers(ground, area)?;
    let put = pins.map(|pin| Edit::PutPin { subject, pin, index: None });
    let area = Edit::PutArea { subject, area: area.clone(), index: None };
    let edits = put.into_iter().chain([area]).chain(first).collect();
    Ok(Planned { title: format!("Another area on {name}"), edit: Edit::All { edits }, solve: None })
}

/// The pins of a new area, and where they are on the frame on which it is drawn.
fn carriers(ground: Ground<'_>, area: &Area) -> Result<([Pin; 5], Vec<Edit>), ActionProblem> {
    let frame = area.drawn.frame;
    ground.holds(frame)?;
    let bounds = area.bounds();
    let (right, bottom) = (f64::from(ground.size.width), f64::from(ground.size.height));
    if bounds.right <= 0.0 || bounds.bottom <= 0.0 || bounds.left >= right || bounds.top >= bottom {
        return Err(ActionProblem::OutlineOffThePicture);
    }
    let side = |pixels: f64| (pixels.round() as u32).clamp(MIN_PATTERN_SIDE, MAX_PATTERN_SIDE);
    let pattern = [side(bounds.right - bounds.left), side(bounds.bottom - bounds.top)];
    let places = area.carried();
    let pin = |i: usize| {
        let figure = (i == 0).then(|| bounds.moved(Point::default() - places[0]));
        Pin { figure, ..Pin::new(area.carriers[i], frame, places[i], pattern, NO_SEARCH) }
    };
    Ok(([0, 1, 2, 3, 4].map(pin), put_by_hand(area, frame, places)))
}

fn put_by_hand(area: &Area, frame: Frame, places: [Point; 5]) -> Vec<Edit> {
    let put = |(pin, at): (&Uuid, Point)| Edit::SetSamples {
        pin: *pin,
        samples: vec![(frame, Some(Sample { solved: true, ..Sample::guide(at) }))],
    };
    area.carriers.iter().zip(places).map(put).collect()
}

/// Makes one change of an area; it is solved again as a whole.
pub fn change_area(ground: Ground<'_>, id: Uuid, change: AreaChange) -> Result<Planned, ActionProblem> {
    let subjects = &ground.shot.subjects;
    let owner = subjects.iter().find(|subject| subject.areas.iter().any(|area| area.id == id));
    let subject = owner.ok_or(ActionProblem::NotThere("area"))?;
    let known = subject.areas.iter().find(|area| area.id == id).ok_or(ActionProblem::NotThere("area"))?;
    let name = &subject.name;
    let mut area = known.clone();
    let title = match change {
        AreaChange::Remove => return Ok(removed(subject, known)),
        AreaChange::Outline(OutlineOnFrame { frame, outline }) if frame == known.drawn.frame => {
            return Ok(redrawn(ground, subject, known, outline));
        }
        AreaChange::Outline(place) => {
            ground.holds(place.frame)?;
            let title = format!("Another part of {name} from frame {}", place.frame);
            put_on_frame(&mut area.moved, place);
            title
        }
        AreaChange::GoOnAsBefore { frame } => {
            area.moved.retain(|place| place.frame != frame);
            format!("The same part of {name} on frame {frame}")
        }
        AreaChange::KeepOut { id, place, rides_on } => {
            ground.holds(place.frame)?;
            match area.keep_outs.iter_mut().find(|keep_out| keep_out.id == id) {
                Some(keep_out) => put_on_frame(&mut keep_out.placed, place),
                None => area.keep_outs.push(KeepOut { id, placed: vec![place], rides_on }),
            }
            format!("Keep-out of {name}")
        }
        AreaChange::CarryKeepOut { id, rides_on } => {
            let keep_out = area.keep_outs.iter_mut().find(|keep_out| keep_out.id == id);
            keep_out.ok_or(ActionProblem::NotThere("keep-out"))?.rides_on = rides_on;
            format!("What carries a keep-out of {name}")
        }
        AreaChange::RemoveKeepOut { id } => {
            area.keep_outs.retain(|keep_out| keep_out.id != id);
            format!("Remove a keep-out of {name}")
        }
        AreaChange::Motion { motion } => {
            area.motion = motion;
            format!("How {name} is followed")
        }
        AreaChange::Bend { bends } => {
            area.bends = bends;
            format!("{name} is {}", if bends.is_some() { "cloth" } else { "flat" })
        }
    };
    let edit = Edit::PutArea { subject: subject.id, area, index: None };
    Ok(Planned { title, edit, solve: solve_all(known, ground.range) })
}

fn solve_all(area: &Area, shot: FrameRange) -> Option<Resolve> {
    Some(Resolve { pin: area.carriers[0], frame: area.drawn.frame, only: Some(shot) })
}

fn put_on_frame(places: &mut Vec<OutlineOnFrame>, place: OutlineOnFrame) {
    places.retain(|other| other.frame != place.frame);
    let at = places.partition_point(|other| other.frame < place.frame);
    places.insert(at, place);
}

fn removed(subject: &Subject, area: &Area) -> Planned {
    let edits = std::iter::once(Edit::RemoveArea { subject: subject.id, area: area.id });
    let pins = area.carriers.iter().map(|pin| Edit::RemovePin { pin: *pin });
    let edit = Edit::All { edits: edits.chain(pins).collect() };
    Planned { title: format!("Remove an area of {}", subject.name), edit, solve: None }
}

/// Drawn anew where it was drawn: its pins are about the new outline.
fn redrawn(ground: Ground<'_>, subject: &Subject, known: &Area, outline: DrawnOutline) -> Planned {
    let places = carried_by(bounds_of(&outline));
    let mut area = known.clone();
    area.drawn.outline = outline;
    let bounds = area.bounds();
    let pins = subject.pins.iter().filter_map(|pin| {
        let index = known.carriers.iter().position(|carrier| *carrier == pin.id)?;
        let figure = (index == 0).then(|| bounds.moved(Point::default() - places[0]));
        let pin = Pin { at: places[index], figure, ..pin.clone() };
        Some(Edit::PutPin { subject: subject.id, pin, index: None })
    });
    let put = put_by_hand(known, known.drawn.frame, places);
    let whole = Edit::PutArea { subject: subject.id, area, index: None };
    let edits = pins.chain([whole]).chain(put).collect();
    Planned {
        title: format!("Outline of {}", subject.name),
        edit: Edit::All { edits },
        solve: solve_all(known, ground.range),
    }
}

/// Puts an area by hand on a frame, by its middle or a corner; without a place takes that away.
pub(super) fn put_area(
    ground: Ground<'_>,
    (subject, area): (&Subject, &Area),
    pin: Uuid,
    (frame, at): (Frame, Option<Point>),
) -> Result<Planned, ActionProblem> {
    let name = &subject.name;
    let leading = ground.shot.track(area.carriers[0]);
    let is_home = frame == area.drawn.frame;
    let (title, edits) = match at {
        None if leading.get(frame).is_none_or(|sample| sample.state != SampleState::Guide) => {
            return Err(ActionProblem::NoGuide(frame));
        }
        None if is_home => return Err(ActionProblem::FirstGuide(frame)),
        None => {
            let remove = |pin: &Uuid| Edit::SetSamples { pin: *pin, samples: vec![(frame, None)] };
            let edits = area.carriers.iter().map(remove).collect();
            (format!("Remove the guide of {name} on frame {frame}"), edits)
        }
        Some(at) if !ground.is_near(at) => return Err(ActionProblem::FarAway { at, size: ground.size }),
        Some(at) => {
            let index = area.carriers.iter().position(|carrier| *carrier == pin).unwrap_or(0);
            let before = places_near(ground, area, frame);
            let by = at - before[0];
            if is_home && index == 0 {
                let points = area.drawn.outline.points.iter().map(|point| *point + by).collect();
                return Ok(redrawn(ground, subject, area, DrawnOutline { points, ..area.drawn.outline.clone() }));
            }
            if is_home {
                return Err(ActionProblem::OutlinedThere(frame));
            }
            let places =
                if index == 0 { before.map(|place| place + by) } else { bent(area.bounds(), before, index, at)? };
            (format!("Put {name} by hand on frame {frame}"), put_by_hand(area, frame, places))
        }
    };
    let was_followed = leading.iter().any(|(other, _)| other != frame);
    let solve = was_followed.then_some(Resolve { pin: area.carriers[0], frame, only: None });
    Ok(Planned { title, edit: Edit::All { edits }, solve })
}

/// Where its pins are on a frame, or on the nearest on which that is known.
pub(super) fn places_near(ground: Ground<'_>, area: &Area, frame: Frame) -> [Point; 5] {
    let leading = ground.shot.track(area.carriers[0]);
    let nearest = leading.iter().map(|(other, _)| other).min_by_key(|other| other.until(frame).abs());
    let on = |frame: Frame| {
        let places = area.carriers.map(|carrier| ground.shot.track(carrier).position(frame));
        places.iter().all(Option::is_some).then(|| places.map(Option::unwrap_or_default))
    };
    nearest.and_then(on).unwrap_or_else(|| area.carried())
}

/// One corner put elsewhere; the middle goes where the perspective takes it.
fn bent(bounds: Rect, mut places: [Point; 5], index: usize, at: Point) -> Result<[Point; 5], ActionProblem> {
    places[index] = at;
    let [from_middle, from @ ..] = carried_by(bounds);
    let [_, to @ ..] = places;
    let turns = |i: usize| {
        let [a, b, c] = [0, 1, 2].map(|step| to[(i + step) % 4]);
        (b.x - a.x) * (c.y - b.y) - (b.y - a.y) * (c.x - b.x) > 1.0
    };
    let map = Homography::between(&from, &to).filter(|_| (0..4).all(turns));
    places[0] = map.ok_or(ActionProblem::NoFace)?.apply(from_middle);
    Ok(places)
}

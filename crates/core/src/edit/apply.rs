//! Changes made, each with its inverse.

use uuid::Uuid;

use super::check;
use super::kinds::{Edit, EditError};
use crate::attachment::Attachment;
use crate::document::{Area, HandOver, Shot, Subject};
use crate::motion::CarriedPoint;
use crate::path::Recipe;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{MotionModel, Sample};

impl Edit {
    /// Makes the change, if what it leaves is a document, and gives back the edit that undoes it. On an error the shot
    /// is as it was.
    ///
    /// What was wrong before, as an older version left it, does not stop a change of something else.
    pub fn apply(&self, shot: &mut Shot) -> Result<Self, EditError> {
        check::samples(self)?;
        if let Self::SetSamples { .. } = self {
            return self.make(shot);
        }
        let mut draft = shot.clone();
        let inverse = self.make(&mut draft)?;
        let left = draft.problems();
        if !left.is_empty() {
            let mut known = shot.problems();
            for problem in left {
                match known.iter().position(|old| *old == problem) {
                    Some(old) => known.swap_remove(old),
                    None => return Err(problem.into()),
                };
            }
        }
        *shot = draft;
        Ok(inverse)
    }

    /// Makes a change that was made before, or undoes one: its values were fine then, and stay so whatever would be
    /// asked of them today. On an error the shot is as it was.
    pub fn again(&self, shot: &mut Shot) -> Result<Self, EditError> {
        if !matches!(self, Self::All { .. }) {
            return self.make(shot);
        }
        // One of several may fail when others are made already.
        let mut draft = shot.clone();
        let inverse = self.make(&mut draft)?;
        *shot = draft;
        Ok(inverse)
    }

    fn make(&self, shot: &mut Shot) -> Result<Self, EditError> {
        match self {
            Self::AddSubject { index, subject } => add_subject(shot, *index, subject),
            Self::RemoveSubject { subject } => remove_subject(shot, *subject),
            Self::Rename { subject, name } => rename(shot, *subject, name),
            Self::PutPin { subject, pin, index } => put_pin(shot, *subject, pin, *index),
            Self::RemovePin { pin } => remove_pin(shot, *pin),
            Self::PutArea { subject, area, index } => put_area(shot, *subject, area, *index),
            Self::RemoveArea { subject, area } => remove_area(shot, *subject, *area),
            Self::SetKeepOut { subject, keep_out } => set_keep_out(shot, *subject, *keep_out),
            Self::PutAttachment { subject, attachment, index } => put_attachment(shot, *subject, attachment, *index),
            Self::RemoveAttachment { subject, attachment } => remove_attachment(shot, *subject, *attachment),
            Self::SetCleaning { subject, cleaning } => set_cleaning(shot, *subject, cleaning),
            Self::SetMotion { subject, motion } => set_motion(shot, *subject, *motion),
            Self::PutPoint { subject, point, index } => put_point(shot, *subject, point, *index),
            Self::RemovePoint { subject, point } => remove_point(shot, *subject, *point),
            Self::SetHandOvers { subject, hand_overs } => set_hand_overs(shot, *subject, hand_overs),
            Self::SetNoCuts { frames } => set_no_cuts(shot, frames),
            Self::SetSamples { pin, samples } => set_samples(shot, *pin, samples),
            Self::All { edits } => make_all(shot, edits),
        }
    }

    /// The pins whose samples this change of a shot reads or touches: to make it, no others need to be there.
    pub fn touched_tracks(&self, shot: &Shot) -> Vec<Uuid> {
        match self {
            Self::SetSamples { pin, .. } | Self::RemovePin { pin } => vec![*pin],
            Self::RemoveSubject { subject } => {
                shot.subject(*subject).map(|subject| subject.tracks().collect()).unwrap_or_default()
            }
            Self::PutArea { subject, area, .. } => known_area(shot, *subject, area.id)
                .filter(|known| !known.bends_like(area))
                .map_or_else(Vec::new, Area::knots),
            Self::RemoveArea { subject, area } => known_area(shot, *subject, *area).map_or_else(Vec::new, Area::knots),
            Self::All { edits } => edits.iter().flat_map(|edit| edit.touched_tracks(shot)).collect(),
            _ => Vec::new(),
        }
    }
}

fn subject_mut(shot: &mut Shot, id: Uuid) -> Result<&mut Subject, EditError> {
    shot.subjects.iter_mut().find(|s| s.id == id).ok_or(EditError::not_there("subject"))
}

fn add_subject(shot: &mut Shot, index: usize, subject: &Subject) -> Result<Edit, EditError> {
    if shot.subject(subject.id).is_some() {
        return Err(EditError::already_there("subject"));
    }
    let is_twice = |(i, pin): (usize, &Pin)| subject.pins[..i].iter().any(|other| other.id == pin.id);
    if subject.pins.iter().enumerate().any(is_twice) || subject.pins.iter().any(|pin| shot.pin(pin.id).is_some()) {
        return Err(EditError::already_there("pin"));
    }
    shot.subjects.insert(index.min(shot.subjects.len()), subject.clone());
    Ok(Edit::RemoveSubject { subject: subject.id })
}

fn remove_subject(shot: &mut Shot, id: Uuid) -> Result<Edit, EditError> {
    let index = shot.subjects.iter().position(|s| s.id == id).ok_or(EditError::not_there("subject"))?;
    let subject = shot.subjects.remove(index);
    let restore_samples: Vec<Edit> = subject.tracks().filter_map(|track| clear_track(shot, track)).collect();
    Ok(followed_by(Edit::AddSubject { index, subject }, restore_samples))
}

fn followed_by(edit: Edit, others: Vec<Edit>) -> Edit {
    if others.is_empty() { edit } else { Edit::All { edits: std::iter::once(edit).chain(others).collect() } }
}

/// Drops the samples of a pin; the edit that brings them back, unless there were none.
fn clear_track(shot: &mut Shot, pin: Uuid) -> Option<Edit> {
    let track = shot.tracks.remove(&pin).filter(|track| !track.is_empty())?;
    let samples = track.iter().map(|(frame, sample)| (frame, Some(sample))).collect();
    Some(Edit::SetSamples { pin, samples })
}

fn rename(shot: &mut Shot, id: Uuid, name: &str) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    let old = std::mem::replace(&mut subject.name, name.to_owned());
    Ok(Edit::Rename { subject: id, name: old })
}

fn put_pin(shot: &mut Shot, id: Uuid, pin: &Pin, index: Option<usize>) -> Result<Edit, EditError> {
    // Its samples are its own: it cannot stand in two subjects.
    if shot.pin(pin.id).is_some_and(|(owner, _)| owner.id != id) {
        return Err(EditError::already_there("pin"));
    }
    let subject = subject_mut(shot, id)?;
    Ok(match subject.pins.iter_mut().find(|old| old.id == pin.id) {
        Some(old) => Edit::PutPin { subject: id, index: None, pin: std::mem::replace(old, pin.clone()) },
        None => {
            let index = index.unwrap_or(usize::MAX).min(subject.pins.len());
            subject.pins.insert(index, pin.clone());
            Edit::RemovePin { pin: pin.id }
        }
    })
}

fn remove_pin(shot: &mut Shot, pin: Uuid) -> Result<Edit, EditError> {
    let owner = shot.pin(pin).map(|(subject, _)| subject.id).ok_or(EditError::not_there("pin"))?;
    let restore_samples = clear_track(shot, pin);
    let subject = subject_mut(shot, owner)?;
    let index = subject.pins.iter().position(|p| p.id == pin).ok_or(EditError::not_there("pin"))?;
    let put = Edit::PutPin { subject: owner, index: Some(index), pin: subject.pins.remove(index) };
    let led = subject.hand_overs.iter().any(|over| over.pin == pin);
    let restore_lead = led.then(|| Edit::SetHandOvers { subject: owner, hand_overs: subject.hand_overs.clone() });
    subject.hand_overs.retain(|over| over.pin != pin);
    let restore: Vec<Edit> = restore_samples.into_iter().chain(restore_lead).collect();
    Ok(followed_by(put, restore))
}

fn known_area(shot: &Shot, subject: Uuid, area: Uuid) -> Option<&Area> {
    shot.subject(subject)?.areas.iter().find(|known| known.id == area)
}

/// The samples of its knots are of the net as it was: another one begins without.
fn put_area(shot: &mut Shot, id: Uuid, area: &Area, index: Option<usize>) -> Result<Edit, EditError> {
    let other_net = known_area(shot, id, area.id).filter(|known| !known.bends_like(area)).map(Area::knots);
    let restore = other_net.unwrap_or_default().into_iter().filter_map(|knot| clear_track(shot, knot)).collect();
    let areas = &mut subject_mut(shot, id)?.areas;
    Ok(match areas.iter_mut().find(|old| old.id == area.id) {
        Some(old) => {
            let area = std::mem::replace(old, area.clone());
            followed_by(Edit::PutArea { subject: id, index: None, area }, restore)
        }
        None => {
            areas.insert(index.unwrap_or(usize::MAX).min(areas.len()), area.clone());
            Edit::RemoveArea { subject: id, area: area.id }
        }
    })
}

fn remove_area(shot: &mut Shot, id: Uuid, area: Uuid) -> Result<Edit, EditError> {
    let knots = known_area(shot, id, area).map_or_else(Vec::new, Area::knots);
    let restore = knots.into_iter().filter_map(|knot| clear_track(shot, knot)).collect();
    let areas = &mut subject_mut(shot, id)?.areas;
    let index = areas.iter().position(|old| old.id == area).ok_or(EditError::not_there("area"))?;
    Ok(followed_by(Edit::PutArea { subject: id, index: Some(index), area: areas.remove(index) }, restore))
}

fn set_keep_out(shot: &mut Shot, id: Uuid, keep_out: bool) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    let before = std::mem::replace(&mut subject.keep_out, keep_out);
    Ok(Edit::SetKeepOut { subject: id, keep_out: before })
}

fn put_attachment(shot: &mut Shot, id: Uuid, attachment: &Attachment, index: Option<usize>) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    Ok(match subject.attachments.iter_mut().find(|old| old.id == attachment.id) {
        Some(old) => {
            Edit::PutAttachment { subject: id, index: None, attachment: std::mem::replace(old, attachment.clone()) }
        }
        None => {
            let index = index.unwrap_or(usize::MAX).min(subject.attachments.len());
            subject.attachments.insert(index, attachment.clone());
            Edit::RemoveAttachment { subject: id, attachment: attachment.id }
        }
    })
}

fn remove_attachment(shot: &mut Shot, id: Uuid, attachment: Uuid) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    let index = subject.attachments.iter().position(|a| a.id == attachment);
    let index = index.ok_or(EditError::not_there("attachment"))?;
    Ok(Edit::PutAttachment { subject: id, index: Some(index), attachment: subject.attachments.remove(index) })
}

fn set_cleaning(shot: &mut Shot, id: Uuid, cleaning: &Option<Recipe>) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    let before = std::mem::replace(&mut subject.cleaning, cleaning.clone());
    Ok(Edit::SetCleaning { subject: id, cleaning: before })
}

fn set_motion(shot: &mut Shot, id: Uuid, motion: Option<MotionModel>) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    let before = std::mem::replace(&mut subject.motion, motion);
    Ok(Edit::SetMotion { subject: id, motion: before })
}

fn put_point(shot: &mut Shot, id: Uuid, point: &CarriedPoint, index: Option<usize>) -> Result<Edit, EditError> {
    let points = &mut subject_mut(shot, id)?.points;
    Ok(match points.iter_mut().find(|old| old.id == point.id) {
        Some(old) => Edit::PutPoint { subject: id, index: None, point: std::mem::replace(old, point.clone()) },
        None => {
            points.insert(index.unwrap_or(usize::MAX).min(points.len()), point.clone());
            Edit::RemovePoint { subject: id, point: point.id }
        }
    })
}

fn remove_point(shot: &mut Shot, id: Uuid, point: Uuid) -> Result<Edit, EditError> {
    let points = &mut subject_mut(shot, id)?.points;
    let index = points.iter().position(|old| old.id == point).ok_or(EditError::not_there("point"))?;
    Ok(Edit::PutPoint { subject: id, index: Some(index), point: points.remove(index) })
}

fn set_hand_overs(shot: &mut Shot, id: Uuid, hand_overs: &[HandOver]) -> Result<Edit, EditError> {
    let subject = subject_mut(shot, id)?;
    if hand_overs.iter().any(|over| subject.pins.iter().all(|pin| pin.id != over.pin)) {
        return Err(EditError::not_there("pin"));
    }
    let mut hand_overs = hand_overs.to_vec();
    hand_overs.sort_by_key(|over| over.from);
    let before = std::mem::replace(&mut subject.hand_overs, hand_overs);
    Ok(Edit::SetHandOvers { subject: id, hand_overs: before })
}

fn set_no_cuts(shot: &mut Shot, frames: &[Frame]) -> Result<Edit, EditError> {
    let mut frames = frames.to_vec();
    frames.sort_unstable();
    frames.dedup();
    Ok(Edit::SetNoCuts { frames: std::mem::replace(&mut shot.no_cuts, frames) })
}

fn set_samples(shot: &mut Shot, pin: Uuid, samples: &[(Frame, Option<Sample>)]) -> Result<Edit, EditError> {
    if !shot.has_track(pin) {
        return Err(EditError::not_there("pin"));
    }
    let track = shot.track_mut(pin);
    let mut before: Vec<_> = samples.iter().map(|&(frame, sample)| (frame, track.set(frame, sample))).collect();
    // A frame named twice must get back what was there first, so the inverse runs the other way.
    before.reverse();
    Ok(Edit::SetSamples { pin, samples: before })
}

fn make_all(shot: &mut Shot, edits: &[Edit]) -> Result<Edit, EditError> {
    let mut inverses = edits.iter().map(|edit| edit.make(shot)).collect::<Result<Vec<Edit>, EditError>>()?;
    inverses.reverse();
    Ok(Edit::All { edits: inverses })
}

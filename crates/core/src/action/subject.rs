//! A new subject with its label, another pin on one, and the hand-over to another feature of it.

use uuid::Uuid;

use super::{ActionProblem, Ground, Planned};
use crate::attachment::{Attachment, Label};
use crate::document::{HandOver, Subject};
use crate::edit::Edit;
use crate::pin::Pin;
use crate::track::Sample;

/// A subject on a pin, with its name hanging on it. `ids` are those of the subject and of its label; without a name it
/// is called by its letter.
pub fn new_subject(
    ground: Ground<'_>,
    ids: [Uuid; 2],
    name: Option<&str>,
    pin: &Pin,
) -> Result<Planned, ActionProblem> {
    let Ground { shot, size, .. } = ground;
    let first = picked(ground, pin)?;
    let letter = shot.free_letter();
    let name = name.map(str::trim).filter(|name| !name.is_empty());
    let name = name.map_or_else(|| format!("Subject {letter}"), str::to_owned);
    let title = format!("New subject {letter}");
    let subject = Subject {
        pins: vec![pin.clone()],
        attachments: vec![Attachment::label(ids[1], Label::for_picture(size))],
        ..Subject::new(ids[0], name, letter, shot.free_colour())
    };
    let add = Edit::AddSubject { index: shot.subjects.len(), subject };
    Ok(Planned { title, edit: Edit::All { edits: vec![add, first] }, solve: None })
}

/// One more pin on a subject.
pub fn another_pin(ground: Ground<'_>, subject: Uuid, pin: &Pin) -> Result<Planned, ActionProblem> {
    let first = picked(ground, pin)?;
    let title = format!("Another pin on {}", ground.subject(subject)?.name);
    let put = Edit::PutPin { subject, pin: pin.clone(), index: None };
    Ok(Planned { title, edit: Edit::All { edits: vec![put, first] }, solve: None })
}

/// Another feature of a subject, which leads it from the pin's frame on.
pub fn hand_over(ground: Ground<'_>, id: Uuid, pin: &Pin) -> Result<Planned, ActionProblem> {
    let first = picked(ground, pin)?;
    let subject = ground.subject(id)?;
    let others = subject.hand_overs.iter().filter(|over| over.from != pin.frame).copied();
    let hand_overs = others.chain([HandOver { from: pin.frame, pin: pin.id }]).collect();
    let put = Edit::PutPin { subject: id, pin: pin.clone(), index: None };
    let lead = Edit::SetHandOvers { subject: id, hand_overs };
    let title = format!("Hand {} over to another feature on frame {}", subject.name, pin.frame);
    Ok(Planned { title, edit: Edit::All { edits: vec![put, lead, first] }, solve: None })
}

/// A pin's first sample: where it was put.
fn picked(ground: Ground<'_>, pin: &Pin) -> Result<Edit, ActionProblem> {
    if !ground.size.contains(pin.at) {
        return Err(ActionProblem::OffThePicture);
    }
    ground.holds(pin.frame)?;
    Ok(Edit::SetSamples { pin: pin.id, samples: vec![(pin.frame, Some(Sample::guide(pin.at)))] })
}

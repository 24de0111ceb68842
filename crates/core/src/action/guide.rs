//! Guides: places set by hand. What depends on one is solved anew.

use uuid::Uuid;

use super::area::put_area;
use super::{ActionProblem, Ground, Planned, Resolve};
use crate::edit::Edit;
use crate::geometry::Point;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{Sample, SampleState};

/// Puts or moves a guide, or without a place takes it away.
pub fn set_guide(ground: Ground<'_>, id: Uuid, frame: Frame, at: Option<Point>) -> Result<Planned, ActionProblem> {
    let (subject, pin) = ground.pin(id)?;
    ground.holds(frame)?;
    if let Some(area) = subject.area_of(id) {
        return put_area(ground, (subject, area), id, (frame, at));
    }
    let track = ground.shot.track(id);
    let before = track.get(frame);
    let (title, sample) = match at {
        Some(at) if !ground.is_near(at) => return Err(ActionProblem::FarAway { at, size: ground.size }),
        Some(at) => {
            let sample = Sample { shape: before.and_then(|sample| sample.shape), ..Sample::guide(at) };
            (format!("Put {} by hand on frame {frame}", subject.name), Some(sample))
        }
        None if before.is_none_or(|sample| sample.state != SampleState::Guide) => {
            return Err(ActionProblem::NoGuide(frame));
        }
        None if frame == pin.frame => return Err(ActionProblem::FirstGuide(frame)),
        None => (format!("Remove the guide of {} on frame {frame}", subject.name), None),
    };
    let samples = Edit::SetSamples { pin: id, samples: vec![(frame, sample)] };
    // Where the pattern is picked moves with the guide of that frame.
    let edit = match at.filter(|_| frame == pin.frame) {
        Some(at) => {
            let moved = Pin { at, ..pin.clone() };
            moved.check(ground.size)?;
            Edit::All { edits: vec![Edit::PutPin { subject: subject.id, pin: moved, index: None }, samples] }
        }
        None => samples,
    };
    let was_followed = track.iter().any(|(other, _)| other != frame);
    Ok(Planned { title, edit, solve: was_followed.then_some(Resolve { pin: id, frame, only: None }) })
}

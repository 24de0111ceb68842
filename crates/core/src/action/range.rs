//! What is done to a range of frames of a pin in one action, undone in one.

use serde::Deserialize;
use uuid::Uuid;

use super::area::places_near;
use super::{ActionProblem, Ground, Planned, Resolve};
use crate::document::Subject;
use crate::edit::Edit;
use crate::geometry::{Point, Size};
use crate::path::{Bridge, bridge, by_hand, continue_outside};
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// One thing done to a range of frames.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum RangeAction {
    /// Removes the samples.
    Delete,
    /// Crosses the range from the place before it to the place after it.
    Bridge {
        /// In which manner.
        how: Bridge,
        /// A pin to ride on.
        other: Option<Uuid>,
    },
    /// Carries the path on past its end, or before its beginning.
    CarryOn {
        /// As this pin moves, or at its own velocity.
        other: Option<Uuid>,
    },
    /// The subject is hidden or away there: nothing found there is believed.
    Hide,
    /// It is not hidden there after all.
    Show,
    /// Where a person saw it on some of the frames; bridged between them.
    ByHand {
        /// Places in the picture, or outside it.
        places: Vec<(Frame, Point)>,
    },
    /// Solved again, with the settings as they are now.
    Solve,
}

impl RangeAction {
    /// The same for something beside it.
    fn moved(self, by: Point) -> Self {
        match self {
            Self::ByHand { places } => {
                Self::ByHand { places: places.into_iter().map(|(frame, at)| (frame, at + by)).collect() }
            }
            other => other,
        }
    }
}

/// Does one thing to the frames `first` to `last` of a pin; with a pin of an area, to all of the area's.
pub fn change_range(
    ground: Ground<'_>,
    pin: Uuid,
    frames: (Frame, Frame),
    action: RangeAction,
) -> Result<Planned, ActionProblem> {
    let (subject, _) = ground.pin(pin)?;
    let Some(area) = subject.area_of(pin) else { return change_pin(ground, pin, frames, action) };
    let [middle, ..] = places_near(ground, area, frames.0);
    let each = area
        .carriers
        .iter()
        .zip(places_near(ground, area, frames.0))
        .map(|(carrier, at)| change_pin(ground, *carrier, frames, action.clone().moved(at - middle)));
    let mut plans = each.collect::<Result<Vec<Planned>, _>>()?;
    let edit = Edit::All { edits: plans.iter().map(|plan| plan.edit.clone()).collect() };
    Ok(Planned { edit, ..plans.swap_remove(0) })
}

fn change_pin(
    ground: Ground<'_>,
    pin: Uuid,
    (first, last): (Frame, Frame),
    action: RangeAction,
) -> Result<Planned, ActionProblem> {
    let Ground { shot, size, .. } = ground;
    let (subject, pin) = ground.pin(pin)?;
    let range = FrameRange::new(first, last).filter(|_| ground.range.contains(first) && ground.range.contains(last));
    let range = range.ok_or(ActionProblem::NoRange(first, last))?;
    let change = Change { subject, pin, track: shot.track(pin.id), range };
    let frames = if range.count() == 1 { format!("frame {first}") } else { format!("frames {first} to {last}") };
    let name = &subject.name;
    let other = |other: Option<Uuid>| other.map(|other| shot.track(other));
    let was_followed = change.track.len() > 1;
    let (title, edit, is_solved) = match action {
        RangeAction::Delete => (format!("Delete {frames} of {name}"), change.delete()?, false),
        RangeAction::Bridge { how, other: carrier } => {
            let samples = bridge(change.track, range, how, other(carrier))?;
            (format!("Bridge {frames} of {name}"), change.put(samples), false)
        }
        RangeAction::CarryOn { other: carrier } => {
            let samples = continue_outside(change.track, range, other(carrier))?;
            (format!("Carry {name} on over {frames}"), change.put(samples), false)
        }
        RangeAction::ByHand { places } => {
            (format!("Follow {name} by hand over {frames}"), change.by_hand(places, size)?, false)
        }
        RangeAction::Hide => (format!("{name} is hidden on {frames}"), change.hide(), was_followed),
        RangeAction::Show => (format!("{name} is not hidden on {frames}"), change.set_hidden(false), was_followed),
        RangeAction::Solve => (format!("Solve {frames} of {name} again"), Edit::All { edits: Vec::new() }, true),
    };
    let solve = is_solved.then_some(Resolve { pin: pin.id, frame: first, only: Some(range) });
    Ok(Planned { title, edit, solve })
}

/// A range of a pin, with what is known of it.
struct Change<'a> {
    subject: &'a Subject,
    pin: &'a Pin,
    track: &'a Track,
    range: FrameRange,
}

impl Change<'_> {
    fn there(&self) -> impl Iterator<Item = (Frame, Sample)> + '_ {
        self.track.iter().filter(|(frame, _)| self.range.contains(*frame))
    }

    fn delete(&self) -> Result<Edit, ActionProblem> {
        let samples: Vec<(Frame, Option<Sample>)> = self.there().map(|(frame, _)| (frame, None)).collect();
        if samples.is_empty() {
            return Err(ActionProblem::NothingToDelete);
        }
        Ok(Edit::SetSamples { pin: self.pin.id, samples })
    }

    fn put(&self, samples: Vec<(Frame, Sample)>) -> Edit {
        let samples = samples.into_iter().map(|(frame, sample)| (frame, Some(Sample { solved: true, ..sample })));
        Edit::SetSamples { pin: self.pin.id, samples: samples.collect() }
    }

    fn by_hand(&self, mut places: Vec<(Frame, Point)>, size: Size) -> Result<Edit, ActionProblem> {
        places.sort_by_key(|place| place.0);
        places.dedup_by_key(|place| place.0);
        if places.is_empty() || places.iter().any(|(frame, at)| !self.range.contains(*frame) || !at.is_finite()) {
            return Err(ActionProblem::NoPlaces);
        }
        // Outside the picture there is nothing that could guide a solve.
        let settled = |sample: Sample| {
            let state = if size.contains(sample.at) { sample.state } else { SampleState::Bridged };
            Sample { solved: true, state, ..sample }
        };
        let samples = by_hand(self.track, self.range, &places).into_iter();
        let samples = samples.map(|(frame, sample)| (frame, sample.map(settled))).collect();
        Ok(Edit::SetSamples { pin: self.pin.id, samples })
    }

    fn hide(&self) -> Edit {
        let hidden = |sample: Sample| Sample { solved: true, ..Sample::predicted(sample.at, SampleState::Hidden) };
        let samples = self.there().map(|(frame, sample)| (frame, Some(hidden(sample)))).collect();
        Edit::All { edits: vec![self.set_hidden(true), Edit::SetSamples { pin: self.pin.id, samples }] }
    }

    fn set_hidden(&self, hidden: bool) -> Edit {
        let mut pin = self.pin.clone();
        pin.set_hidden(self.range, hidden);
        Edit::PutPin { subject: self.subject.id, pin, index: None }
    }
}

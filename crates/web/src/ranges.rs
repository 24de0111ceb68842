//! What is done to a range of frames of a pin in one action, undone in one.

use actix_web::{HttpResponse, post, web};
use jampin_core::document::Subject;
use jampin_core::edit::Edit;
use jampin_core::geometry::Point;
use jampin_core::path::{Bridge, bridge, by_hand, continue_outside};
use jampin_core::pin::Pin;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, SampleState, Track};
use jampin_jobs::{SolveTask, Task};
use jampin_store::NewJob;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct RangeRequest {
    revision: i64,
    pin: Uuid,
    first: Frame,
    last: Frame,
    #[serde(flatten)]
    action: Action,
}

#[derive(Clone, Deserialize)]
#[serde(tag = "do", rename_all = "snake_case")]
enum Action {
    /// Removes the samples.
    Delete,
    /// Crosses the range from the place before it to the place after it; `other` is a pin to ride on.
    Bridge { how: Bridge, other: Option<Uuid> },
    /// Carries the path on past its end, or before its beginning; as `other` moves, or at its velocity.
    CarryOn { other: Option<Uuid> },
    /// The subject is hidden or away there: nothing found there is believed.
    Hide,
    /// It is not hidden there after all.
    Show,
    /// Where a person saw it on some of the frames; bridged between them. Places outside the picture are welcome.
    ByHand { places: Vec<(Frame, Point)> },
    /// Solved again, with the settings as they are now.
    Solve,
}

/// Does one thing to a range of frames. Answers with the revision, and the job where something is solved again.
#[post("/api/shots/{id}/ranges")]
pub(crate) async fn change_range(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<RangeRequest>,
) -> Result<HttpResponse, ApiError> {
    let RangeRequest { revision, pin, first, last, action } = body.into_inner();
    let loaded = load(&state, *id).await?;
    let range = FrameRange::new(first, last)
        .filter(|range| loaded.stored.info.range.contains(range.first) && loaded.stored.info.range.contains(range.last))
        .ok_or_else(|| ApiError::Unusable(format!("Frames {first} to {last} are no range of this shot.")))?;
    let change = Change::new(&loaded, pin, range)?;
    let (title, edit, is_solved) = change.make(action)?;
    if !is_solved {
        let edited = state.edit(*id, revision, &title, &edit).await?;
        return Ok(HttpResponse::Ok().json(edited));
    }
    let (edited, job) = state.edit_with_job(*id, revision, &title, &edit, change.solve_job(*id)?).await?;
    Ok(HttpResponse::Accepted().json(json!({ "revision": edited.revision, "job": job })))
}

/// A range of a pin, with what is known of it.
struct Change<'a> {
    loaded: &'a EvaluatedShot,
    subject: &'a Subject,
    pin: &'a Pin,
    track: &'a Track,
    range: FrameRange,
}

impl<'a> Change<'a> {
    fn new(loaded: &'a EvaluatedShot, pin: Uuid, range: FrameRange) -> Result<Self, ApiError> {
        let shot = &loaded.stored.shot;
        let (subject, pin) =
            shot.pin(pin).ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
        Ok(Self { loaded, subject, pin, track: shot.track(pin.id), range })
    }

    /// The title, the edit, and whether it has to be solved again.
    fn make(&self, action: Action) -> Result<(String, Edit, bool), ApiError> {
        let frames = if self.range.count() == 1 {
            format!("frame {}", self.range.first)
        } else {
            format!("frames {} to {}", self.range.first, self.range.last)
        };
        let name = &self.subject.name;
        Ok(match action {
            Action::Delete => (format!("Delete {frames} of {name}"), self.delete()?, false),
            Action::Bridge { how, other } => {
                let other = other.map(|other| self.loaded.stored.shot.track(other));
                let samples = bridge(self.track, self.range, how, other);
                (format!("Bridge {frames} of {name}"), self.put(samples.map_err(unusable)?), false)
            }
            Action::CarryOn { other } => {
                let other = other.map(|other| self.loaded.stored.shot.track(other));
                let samples = continue_outside(self.track, self.range, other);
                (format!("Carry {name} on over {frames}"), self.put(samples.map_err(unusable)?), false)
            }
            Action::ByHand { places } => (format!("Follow {name} by hand over {frames}"), self.by_hand(places)?, false),
            Action::Hide => (format!("{name} is hidden on {frames}"), self.hide(), self.was_followed()),
            Action::Show => (format!("{name} is not hidden on {frames}"), self.set_hidden(false), self.was_followed()),
            Action::Solve => (format!("Solve {frames} of {name} again"), Edit::All { edits: Vec::new() }, true),
        })
    }

    fn was_followed(&self) -> bool {
        self.track.len() > 1
    }

    fn delete(&self) -> Result<Edit, ApiError> {
        let there = self.track.iter().filter(|(frame, _)| self.range.contains(*frame));
        let samples: Vec<(Frame, Option<Sample>)> = there.map(|(frame, _)| (frame, None)).collect();
        if samples.is_empty() {
            return Err(ApiError::Unusable("There is nothing on these frames that could be deleted.".into()));
        }
        Ok(Edit::SetSamples { pin: self.pin.id, samples })
    }

    fn put(&self, samples: Vec<(Frame, Sample)>) -> Edit {
        let samples = samples.into_iter().map(|(frame, sample)| (frame, Some(Sample { solved: true, ..sample })));
        Edit::SetSamples { pin: self.pin.id, samples: samples.collect() }
    }

    fn by_hand(&self, mut places: Vec<(Frame, Point)>) -> Result<Edit, ApiError> {
        places.sort_by_key(|place| place.0);
        places.dedup_by_key(|place| place.0);
        if places.is_empty() || places.iter().any(|(frame, at)| !self.range.contains(*frame) || !at.is_finite()) {
            let message = "Following by hand needs a place, in ordinary numbers, on one or more frames of the range.";
            return Err(ApiError::Unusable(message.into()));
        }
        let size = self.loaded.info.size;
        // Outside the picture there is nothing that could guide a solve.
        let settled = |sample: Sample| {
            let state = if size.contains(sample.at) { sample.state } else { SampleState::Bridged };
            Sample { solved: true, state, ..sample }
        };
        let samples = by_hand(self.track, self.range, &places).into_iter();
        Ok(Edit::SetSamples {
            pin: self.pin.id,
            samples: samples.map(|(on, sample)| (on, sample.map(settled))).collect(),
        })
    }

    fn hide(&self) -> Edit {
        let there = self.track.iter().filter(|(frame, _)| self.range.contains(*frame));
        let hidden = |sample: Sample| Sample { solved: true, ..Sample::predicted(sample.at, SampleState::Hidden) };
        let samples = there.map(|(frame, sample)| (frame, Some(hidden(sample)))).collect();
        Edit::All { edits: vec![self.set_hidden(true), Edit::SetSamples { pin: self.pin.id, samples }] }
    }

    fn set_hidden(&self, hidden: bool) -> Edit {
        let mut pin = self.pin.clone();
        pin.set_hidden(self.range, hidden);
        Edit::PutPin { subject: self.subject.id, pin, index: None }
    }

    fn solve_job(&self, shot: Uuid) -> Result<NewJob, ApiError> {
        let task = SolveTask { shot, pin: self.pin.id, frame: self.range.first, only: Some(self.range) };
        Ok(Task::Solve(task).into_job(self.loaded.clip.project_id)?)
    }
}

fn unusable(problem: jampin_core::path::BridgeProblem) -> ApiError {
    ApiError::Unusable(sentence(&problem.to_string()))
}

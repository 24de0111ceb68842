//! Guides: places set by hand. What depends on one is solved anew, under the same entry of the log.

use actix_web::{HttpResponse, post, web};
use jampin_core::edit::Edit;
use jampin_core::geometry::{Point, Size};
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_core::track::{Sample, SampleState};
use jampin_jobs::{SolveTask, Task};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct GuideRequest {
    revision: i64,
    pin: Uuid,
    frame: Frame,
    /// Nothing to take the guide away.
    at: Option<Point>,
}

/// Puts, moves or removes a guide and, when the pin was followed already, solves what depends on it.
#[post("/api/shots/{id}/guides")]
pub(crate) async fn set_guide(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<GuideRequest>,
) -> Result<HttpResponse, ApiError> {
    let GuideRequest { revision, pin, frame, at } = body.into_inner();
    let loaded = load(&state, *id).await?;
    let shot = &loaded.stored.shot;
    let (subject, settings) =
        shot.pin(pin).ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
    if !loaded.stored.info.range.contains(frame) {
        return Err(ApiError::Unusable(format!("Frame {frame} is not in this shot.")));
    }
    if let Some(at) = at.filter(|at| !is_near(*at, loaded.info.size)) {
        let Size { width, height } = loaded.info.size;
        return Err(ApiError::Unusable(format!(
            "{}, {} is far away from the picture of {width} x {height} pixels: a guide lies at most once its size beside it.",
            at.x, at.y
        )));
    }
    let track = shot.track(pin);
    let before = track.get(frame);
    if at.is_none() && before.is_none_or(|sample| sample.state != SampleState::Guide) {
        return Err(ApiError::Unusable(format!("There is no guide on frame {frame} that could be removed.")));
    }
    if at.is_none() && frame == settings.frame {
        return Err(ApiError::Unusable(format!(
            "The pattern is picked on frame {frame}: this guide cannot be removed, only moved."
        )));
    }
    let sample = at.map(|at| Sample { shape: before.and_then(|sample| sample.shape), ..Sample::guide(at) });
    let samples = Edit::SetSamples { pin, samples: vec![(frame, sample)] };
    // Where the pattern is picked moves with the guide of that frame.
    let edit = match at.filter(|_| frame == settings.frame) {
        Some(at) => {
            let moved = Pin { at, ..settings.clone() };
            moved.check(loaded.info.size).map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))?;
            Edit::All { edits: vec![Edit::PutPin { subject: subject.id, pin: moved, index: None }, samples] }
        }
        None => samples,
    };
    let title = match at {
        Some(_) => format!("Put {} by hand on frame {frame}", subject.name),
        None => format!("Remove the guide of {} on frame {frame}", subject.name),
    };
    let was_followed = track.iter().any(|(other, _)| other != frame);
    if !was_followed {
        let edited = state.edit(*id, revision, &title, &edit).await?;
        return Ok(HttpResponse::Ok().json(edited));
    }
    let job = Task::Solve(SolveTask { shot: *id, pin, frame, only: None }).into_job(loaded.clip.project_id)?;
    let (edited, job) = state.edit_with_job(*id, revision, &title, &edit, job).await?;
    Ok(HttpResponse::Accepted().json(json!({ "revision": edited.revision, "job": job })))
}

/// Whether a place is in the picture, or at most once its size beside it: a spot may be followed out of the picture by
/// hand.
fn is_near(at: Point, size: Size) -> bool {
    let near = |at: f64, size: u32| (-f64::from(size)..=2.0 * f64::from(size)).contains(&at);
    near(at.x, size.width) && near(at.y, size.height)
}

//! Start following a pin.

use actix_web::{HttpResponse, post, web};
use jampin_core::edit::Edit;
use jampin_core::follow::{Direction, cleared_ahead};
use jampin_core::time::{Frame, FrameRange};
use jampin_jobs::{FollowTask, Task};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct FollowRequest {
    revision: i64,
    pin: Uuid,
    from: Frame,
    directions: Vec<Direction>,
    #[serde(default)]
    single: bool,
    /// A quick look: only every n-th frame is looked at.
    every: Option<u32>,
    /// Only these frames.
    within: Option<FrameRange>,
}

/// More frames between two that are looked at say nothing of those between.
const SPARSEST: u32 = 25;

#[post("/api/shots/{id}/follow")]
pub(crate) async fn start(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<FollowRequest>,
) -> Result<HttpResponse, ApiError> {
    let FollowRequest { revision, pin, from, directions, single, every, within } = body.into_inner();
    let every = every.unwrap_or(1);
    if !(1..=SPARSEST).contains(&every) {
        return Err(ApiError::Unusable(format!("A quick look is at every frame, or at every 2nd to {SPARSEST}th.")));
    }
    let loaded = load(&state, *id).await?;
    let shot = &loaded.stored.shot;
    let (subject, _) = shot.pin(pin).ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
    if shot.track(pin).position(from).is_none() {
        return Err(ApiError::Unusable(format!(
            "The pin is not on frame {from}. Go to a frame of its trail, or put it in place on this one, then follow."
        )));
    }
    let part = loaded.part(from);
    let cleared = |pin: Uuid| {
        directions.iter().flat_map(move |direction| {
            let (whole, step) = match direction {
                Direction::Forward => (part.last, 1),
                Direction::Backward => (part.first, -1),
            };
            let last = if single { from.step(step).unwrap_or(whole) } else { whole };
            let ahead = cleared_ahead(shot.track(pin), from, *direction, last);
            ahead.into_iter().filter(move |(frame, _)| within.is_none_or(|within| within.contains(*frame)))
        })
    };
    let pins = subject.followed_with(pin);
    let clear = |pin: &Uuid| Edit::SetSamples { pin: *pin, samples: cleared(*pin).collect() };
    let edit = Edit::All { edits: pins.iter().map(clear).collect() };
    let pin = pins[0];
    let way = match directions.as_slice() {
        [Direction::Forward] => "forward",
        [Direction::Backward] => "backward",
        _ => "both ways",
    };
    let title = format!("Follow {} {way} from frame {from}", subject.name);
    let task = FollowTask { shot: *id, pin, from, directions, single, every, within };
    let job = Task::Follow(task).into_job(loaded.clip.project_id)?;
    let (edited, job) = state.edit_with_job(*id, revision, &title, &edit, job).await?;
    Ok(HttpResponse::Accepted().json(json!({ "revision": edited.revision, "job": job })))
}

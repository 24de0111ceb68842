//! A click on the picture becomes a subject with a pin and a label, and is followed.

use std::time::Duration;

use actix_web::{HttpResponse, post, web};
use jampin_core::action::{ActionProblem, Planned, another_pin, hand_over, new_subject};
use jampin_core::follow::Direction;
use jampin_core::geometry::{PixelRect, Point, Rect};
use jampin_core::image::{Component, FrameSource};
use jampin_core::matching::{NEIGHBOURHOOD, PatternChoice, choose_pattern, choose_search};
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_jobs::{FollowTask, Task};
use jampin_media::MediaError;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// How long a click waits for a frame that is still being prepared.
const PATIENCE: Duration = Duration::from_secs(5);

#[derive(Deserialize)]
pub(crate) struct PinRequest {
    revision: i64,
    frame: Frame,
    x: f64,
    y: f64,
    name: Option<String>,
    #[serde(default)]
    follow: bool,
    /// Onto this subject, which it leads from this frame on.
    hand_over: Option<Uuid>,
    /// Onto this subject, beside the pins that it has. Without either it is a new subject.
    on: Option<Uuid>,
}

#[post("/api/shots/{id}/pins")]
pub(crate) async fn put_pin(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<PinRequest>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let at = Point::new(body.x, body.y);
    // Before anything is read: the film has nothing there.
    if !loaded.info.size.contains(at) {
        return Err(ActionProblem::OffThePicture.into());
    }
    if !loaded.stored.info.range.contains(body.frame) {
        return Err(ActionProblem::NotInShot(body.frame).into());
    }
    let Chosen { pattern: choice, search, figure } = choose(&state, &loaded, body.frame, at).await?;
    let pin = Pin::new(Uuid::new_v4(), body.frame, at, [choice.side; 2], [search; 2]);
    let pin = Pin { figure, ..pin };
    let ground = loaded.ground();
    let (subject, planned) = match (body.hand_over, body.on) {
        (Some(subject), _) => (subject, hand_over(ground, subject, &pin)?),
        (None, Some(subject)) => (subject, another_pin(ground, subject, &pin)?),
        (None, None) => {
            let ids = [Uuid::new_v4(), Uuid::new_v4()];
            (ids[0], new_subject(ground, ids, body.name.as_deref(), &pin)?)
        }
    };
    let Planned { title, edit, .. } = planned;
    let ids = json!({ "subject": subject, "pin": pin.id });
    let (revision, job) = if body.follow {
        let directions = vec![Direction::Forward, Direction::Backward];
        let task = FollowTask::whole(*id, pin.id, body.frame, directions);
        let job = Task::Follow(task).into_job(loaded.clip.project_id)?;
        let (edited, job) = state.edit_with_job(*id, body.revision, &title, &edit, job).await?;
        (edited.revision, Some(job))
    } else {
        (state.edit(*id, body.revision, &title, &edit).await?.revision, None)
    };
    Ok(HttpResponse::Created().json(json!({ "revision": revision, "job": job, "made": ids, "choice": choice })))
}

/// What suits a spot, and what it belongs to.
struct Chosen {
    pattern: PatternChoice,
    search: u32,
    figure: Option<Rect>,
}

async fn choose(state: &AppState, loaded: &EvaluatedShot, frame: Frame, at: Point) -> Result<Chosen, ApiError> {
    let part = loaded.part(frame);
    let neighbour = [1, -1].into_iter().filter_map(|step| frame.step(step)).find(|other| part.contains(*other));
    let (folder, size) = (state.library.clip(loaded.clip.id), loaded.info.size);
    let mut stored = planes::open(state, loaded, frame, PATIENCE).await?;
    let chosen = web::block(move || {
        let window = stored.window(frame, PixelRect::around(at, NEIGHBOURHOOD, NEIGHBOURHOOD), Component::Luma)?;
        let choice = choose_pattern(&window, at);
        let search = choose_search(&mut stored, frame, neighbour, at, choice.side)?;
        let plate = folder.scene().and_then(|scene| scene.plate(part, size));
        let room = f64::from(size.height);
        let around = stored.window(frame, PixelRect::around(at, room, room), Component::Luma)?;
        let figure = plate.and_then(|plate| plate.figure(&around, at));
        Ok::<_, MediaError>(Chosen { pattern: choice, search, figure })
    });
    chosen.await.map_err(ApiError::internal)?.map_err(planes::problem)
}

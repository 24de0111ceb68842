//! A click on the picture becomes a subject with a pin and a label, and is followed.

use std::time::Duration;

use actix_web::{HttpResponse, post, web};
use jampin_core::attachment::Attachment;
use jampin_core::attachment::Label;
use jampin_core::document::{HandOver, Shot, Subject};
use jampin_core::edit::Edit;
use jampin_core::follow::Direction;
use jampin_core::geometry::{PixelRect, Point};
use jampin_core::image::{Component, FrameSource};
use jampin_core::matching::{NEIGHBOURHOOD, PatternChoice, choose_pattern, choose_search};
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_core::track::Sample;
use jampin_jobs::{FollowTask, Task};
use jampin_media::MediaError;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::paths::subject_of;
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
    if !loaded.info.size.contains(at) {
        return Err(ApiError::Unusable("The pin has to be put on the picture.".into()));
    }
    if !loaded.stored.info.range.contains(body.frame) {
        return Err(ApiError::Unusable(format!("Frame {} is not in this shot.", body.frame)));
    }
    let (choice, search) = choose(&state, &loaded, body.frame, at).await?;
    let pin = Pin::new(Uuid::new_v4(), body.frame, at, [choice.side; 2], [search; 2]);
    let samples = Edit::SetSamples { pin: pin.id, samples: vec![(body.frame, Some(Sample::guide(at)))] };
    let (title, subject, mut edits) = match (body.hand_over, body.on) {
        (Some(subject), _) => handed_over(&loaded.stored.shot, subject, &pin)?,
        (None, Some(subject)) => another_pin(&loaded.stored.shot, subject, &pin)?,
        (None, None) => put_new_subject(&loaded, body.name.as_deref(), &pin),
    };
    edits.push(samples);
    let ids = json!({ "subject": subject, "pin": pin.id });
    let edit = Edit::All { edits };
    let (revision, job) = if body.follow {
        let directions = vec![Direction::Forward, Direction::Backward];
        let task = FollowTask { shot: *id, pin: pin.id, from: body.frame, directions, single: false };
        let job = Task::Follow(task).into_job(loaded.clip.project_id)?;
        let (edited, job) = state.edit_with_job(*id, body.revision, &title, &edit, job).await?;
        (edited.revision, Some(job))
    } else {
        (state.edit(*id, body.revision, &title, &edit).await?.revision, None)
    };
    Ok(HttpResponse::Created().json(json!({ "revision": revision, "job": job, "made": ids, "choice": choice })))
}

/// Title, subject and edits that make a subject of a pin.
fn put_new_subject(loaded: &EvaluatedShot, name: Option<&str>, pin: &Pin) -> (String, Uuid, Vec<Edit>) {
    let label = Label::for_picture(loaded.info.size);
    let subject = new_subject(&loaded.stored.shot, name, pin.clone(), label);
    let (title, id) = (format!("New subject {}", subject.letter), subject.id);
    (title, id, vec![Edit::AddSubject { index: loaded.stored.shot.subjects.len(), subject }])
}

/// Title, subject and edits that put one more pin on a subject.
fn another_pin(shot: &Shot, id: Uuid, pin: &Pin) -> Result<(String, Uuid, Vec<Edit>), ApiError> {
    let subject = subject_of(shot, id)?;
    let title = format!("Another pin on {}", subject.name);
    Ok((title, id, vec![Edit::PutPin { subject: id, pin: pin.clone(), index: None }]))
}

/// Title, subject and edits that hand a subject over to another pin on its frame.
fn handed_over(shot: &Shot, id: Uuid, pin: &Pin) -> Result<(String, Uuid, Vec<Edit>), ApiError> {
    let subject = subject_of(shot, id)?;
    let others = subject.hand_overs.iter().filter(|over| over.from != pin.frame).copied();
    let hand_overs = others.chain([HandOver { from: pin.frame, pin: pin.id }]).collect();
    let edits = vec![
        Edit::PutPin { subject: id, pin: pin.clone(), index: None },
        Edit::SetHandOvers { subject: id, hand_overs },
    ];
    Ok((format!("Hand {} over to another feature on frame {}", subject.name, pin.frame), id, edits))
}

fn new_subject(shot: &Shot, name: Option<&str>, pin: Pin, label: Label) -> Subject {
    let letter = shot.free_letter();
    let name = name.map(str::trim).filter(|name| !name.is_empty());
    let label = Attachment::label(Uuid::new_v4(), label);
    Subject {
        pins: vec![pin],
        attachments: vec![label],
        ..Subject::new(
            Uuid::new_v4(),
            name.map_or_else(|| format!("Subject {letter}"), str::to_owned),
            letter,
            shot.free_colour(),
        )
    }
}

/// Pattern side and search distance that suit the spot.
async fn choose(
    state: &AppState,
    loaded: &EvaluatedShot,
    frame: Frame,
    at: Point,
) -> Result<(PatternChoice, u32), ApiError> {
    let part = loaded.part(frame);
    let neighbour = [1, -1].into_iter().filter_map(|step| frame.step(step)).find(|other| part.contains(*other));
    let mut stored = planes::open(state, loaded, frame, PATIENCE).await?;
    let chosen = web::block(move || {
        let window = stored.window(frame, PixelRect::around(at, NEIGHBOURHOOD, NEIGHBOURHOOD), Component::Luma)?;
        let choice = choose_pattern(&window, at);
        let search = choose_search(&mut stored, frame, neighbour, at, choice.side)?;
        Ok::<_, MediaError>((choice, search))
    });
    chosen.await.map_err(ApiError::internal)?.map_err(planes::problem)
}

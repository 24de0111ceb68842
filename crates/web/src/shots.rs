//! A shot: all of it, its samples, its scene, its edits.

use actix_web::{HttpResponse, get, post, web};
use jampin_core::check::{key_pictures, pace};
use jampin_core::document::{SUBJECT_COLOURS, Subject};
use jampin_core::edit::{Edit, propagate_look};
use jampin_core::geometry::Size;
use jampin_core::pin::Pin;
use jampin_core::solve::{doubts, next_guide};
use jampin_core::time::{Frame, FrameRange, timecode_base};
use jampin_core::track::{MotionModel, Track};
use jampin_store::Person;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::looks::keep_up;
use crate::state::AppState;

/// Jobs of a shot that the page is told of.
const JOBS_SHOWN: i64 = 12;
/// Entries of the log that are shown.
const LOG_SHOWN: i64 = 100;

/// Samples of a pin, one array a column.
#[derive(Serialize)]
struct Columns {
    pin: Uuid,
    frame: Vec<u32>,
    x: Vec<f64>,
    y: Vec<f64>,
    #[serde(rename = "match")]
    matched: Vec<f64>,
    deviation: Vec<f64>,
    state: Vec<&'static str>,
    grasp: Vec<&'static str>,
    /// `null` where no other place was seen.
    peak_ratio: Vec<Option<f64>>,
    back_error: Vec<Option<f64>>,
    solved: Vec<bool>,
}

fn columns(pin: Uuid, track: &Track, first: Frame, last: Frame) -> Columns {
    let some = || track.iter().filter(|(frame, _)| (first..=last).contains(frame));
    let round = |value: f64| (value * 1e4).round() / 1e4;
    Columns {
        pin,
        frame: some().map(|(frame, _)| frame.0).collect(),
        x: some().map(|(_, s)| round(s.at.x)).collect(),
        y: some().map(|(_, s)| round(s.at.y)).collect(),
        matched: some().map(|(_, s)| round(s.matched)).collect(),
        deviation: some().map(|(_, s)| round(s.covariance.worst())).collect(),
        state: some().map(|(_, s)| s.state.word()).collect(),
        grasp: some().map(|(_, s)| s.grasp.word()).collect(),
        peak_ratio: some().map(|(_, s)| s.peak_ratio.map(round)).collect(),
        back_error: some().map(|(_, s)| s.back_error.map(round)).collect(),
        solved: some().map(|(_, s)| s.solved).collect(),
    }
}

/// A subject with what follows from its pins: which of them leads when, which move it together, and how much of that
/// motion can be wanted.
fn subject_json(subject: &Subject) -> Value {
    let members: Vec<Uuid> = subject.members().map(|pin| pin.id).collect();
    let richest = MotionModel::of_pins(members.len());
    let motions: Vec<MotionModel> = MotionModel::ALL.into_iter().filter(|model| *model <= richest).collect();
    let mut all = json!(subject);
    all["leads"] = json!(subject.leads());
    all["members"] = json!(members);
    all["motions"] = json!(motions);
    all
}

fn pins(subjects: &[Subject]) -> impl Iterator<Item = Uuid> + '_ {
    subjects.iter().flat_map(|subject| subject.pins.iter().map(|pin| pin.id))
}

#[derive(Deserialize)]
pub(crate) struct StateQuery {
    /// The state of the samples that is known already. As long as it holds they are left out, with the times of the
    /// frames: they are nearly all of the answer, and few changes touch them.
    known: Option<i64>,
}

#[get("/api/shots/{id}")]
pub(crate) async fn shot_state(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
    query: web::Query<StateQuery>,
) -> Result<HttpResponse, ApiError> {
    // Jobs first: one that is seen to have ended has then left its samples in what is read next.
    let jobs = state.store.shot_jobs(*id, JOBS_SHOWN).await?;
    let loaded = load(&state, *id).await?;
    let recipes = state.store.recipes(loaded.clip.project_id).await?;
    let looks = state.store.looks(loaded.clip.project_id).await?;
    let answer = web::block(move || {
        let EvaluatedShot { stored, clip, info, table, .. } = &*loaded;
        let all = |pin: Uuid| columns(pin, stored.shot.track(pin), Frame(0), Frame(u32::MAX));
        let is_new = query.known != Some(stored.info.samples_version);
        let tracks: Option<Vec<Columns>> = is_new.then(|| pins(&stored.shot.subjects).map(all).collect());
        let times = || (0..=table.len()).filter_map(|frame| table.micros(Frame(frame))).collect();
        let times: Option<Vec<i64>> = query.known.is_none().then(times);
        json!({
        "shot": stored.info,
        "clip": {
            "id": clip.id, "name": clip.name, "state": clip.state(), "prepared": clip.prepared, "cuts": clip.cuts,
            "remarks": clip.remarks, "problem": clip.problem, "width": info.size.width, "height": info.size.height,
            "rate": [info.rate.num, info.rate.den], "timecode_base": timecode_base(info.rate), "times": times,
        },
        "colours": SUBJECT_COLOURS,
        "subjects": stored.shot.subjects.iter().map(subject_json).collect::<Vec<_>>(),
        "no_cuts": stored.shot.no_cuts,
        "recipes": recipes,
        "looks": looks,
        "tracks": tracks,
        "undo": stored.undo,
        "undo_by": stored.undo_by.as_ref().filter(|(id, _)| *id != me.id).map(|(_, name)| name),
        "redo": stored.redo,
        "jobs": jobs,
        })
        .to_string()
    });
    let answer = answer.await.map_err(ApiError::internal)?;
    Ok(HttpResponse::Ok().content_type("application/json").body(answer))
}

#[derive(Deserialize)]
pub(crate) struct SampleQuery {
    pin: Uuid,
    first: Frame,
    last: Frame,
}

#[get("/api/shots/{id}/samples")]
pub(crate) async fn shot_samples(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<SampleQuery>,
) -> Result<HttpResponse, ApiError> {
    let SampleQuery { pin, first, last } = *query;
    let range = FrameRange::new(first, last)
        .ok_or_else(|| ApiError::Unusable("The last frame has to be the first or after it.".into()))?;
    let track = state.store.samples(*id, pin, range).await?;
    Ok(HttpResponse::Ok().json(columns(pin, &track, first, last)))
}

/// The frames of a pin most worth a look, the frame on which one more guide would help most, its pace, and the frames
/// to compare others with.
#[get("/api/shots/{id}/pins/{pin}/doubts")]
pub(crate) async fn pin_doubts(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (id, pin) = path.into_inner();
    let loaded = load(&state, id).await?;
    let answer = web::block(move || doubts_json(&loaded, pin)).await.map_err(ApiError::internal)?;
    Ok(HttpResponse::Ok().json(answer))
}

fn doubts_json(loaded: &EvaluatedShot, pin: Uuid) -> Value {
    let shot = &loaded.stored.shot;
    let track = shot.track(pin);
    let evaluated = shot.pin(pin).and_then(|(subject, _)| loaded.subject(subject));
    let off = evaluated.and_then(|of| of.motion()).map(|motion| motion.residuals_of(pin)).unwrap_or_default();
    let keys = shot.pin(pin).map(|(_, pin)| key_pictures(pin, track)).unwrap_or_default();
    json!({
        "doubts": doubts(track, &off), "next_guide": next_guide(track), "pace": pace(track), "keys": keys,
        "off_others": { "frame": off.keys().collect::<Vec<_>>(), "distance": off.values().map(|off| (off * 1e3).round() / 1e3).collect::<Vec<_>>() },
    })
}

#[get("/api/shots/{id}/log")]
pub(crate) async fn shot_log(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.log(*id, LOG_SHOWN).await?))
}

#[derive(Deserialize)]
pub(crate) struct EditRequest {
    revision: i64,
    title: String,
    edit: Edit,
}

#[post("/api/shots/{id}/edits")]
pub(crate) async fn make_edit(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<EditRequest>,
) -> Result<HttpResponse, ApiError> {
    let EditRequest { revision, title, edit } = body.into_inner();
    let loaded = load(&state, *id).await?;
    check(&edit, loaded.info.size)?;
    let edit = propagate_look(&loaded.stored.shot, edit);
    let title: String = title.chars().filter(|c| !c.is_control()).take(120).collect();
    let edited = state.edit(*id, revision, &title, &edit).await?;
    // Only now: an edit that was refused must not change the project's look.
    keep_up(&state, &loaded.stored).await;
    Ok(HttpResponse::Ok().json(edited))
}

/// Pins outside of the picture are refused; all else is the edit's own to check.
fn check(edit: &Edit, size: Size) -> Result<(), ApiError> {
    let is_inside = |pin: &Pin| pin.check(size).map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())));
    match edit {
        Edit::PutPin { pin, .. } => is_inside(pin),
        Edit::AddSubject { subject, .. } => subject.pins.iter().try_for_each(is_inside),
        Edit::All { edits } => edits.iter().try_for_each(|edit| check(edit, size)),
        _ => Ok(()),
    }
}

#[derive(Deserialize)]
pub(crate) struct At {
    revision: i64,
}

#[post("/api/shots/{id}/undo")]
pub(crate) async fn undo(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    at: web::Json<At>,
) -> Result<HttpResponse, ApiError> {
    let before = load(&state, *id).await?;
    let undone = state.undo(*id, at.revision).await?;
    keep_up(&state, &before.stored).await;
    Ok(HttpResponse::Ok().json(undone))
}

#[post("/api/shots/{id}/redo")]
pub(crate) async fn redo(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    at: web::Json<At>,
) -> Result<HttpResponse, ApiError> {
    let before = load(&state, *id).await?;
    let redone = state.redo(*id, at.revision).await?;
    keep_up(&state, &before.stored).await;
    Ok(HttpResponse::Ok().json(redone))
}

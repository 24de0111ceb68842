//! Notes on frames: written by whoever looks, worked through by whoever edits.

use actix_web::{HttpResponse, delete, get, patch, post, web};
use jampin_core::time::Frame;
use jampin_store::{Mark, NewNote};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;
use crate::visitor::Visitor;

/// Characters of a note or an answer.
const LONGEST: usize = 2000;

fn checked(text: &str) -> Result<&str, ApiError> {
    let text = text.trim();
    let fits = (1..=LONGEST).contains(&text.chars().count());
    fits.then_some(text).ok_or_else(|| ApiError::Unusable(format!("A note has 1 to {LONGEST} characters.")))
}

#[get("/api/shots/{id}/notes")]
pub(crate) async fn notes(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.notes(*id).await?))
}

#[derive(Deserialize)]
pub(crate) struct WrittenNote {
    frame: Frame,
    mark: Option<Mark>,
    text: String,
}

#[post("/api/shots/{id}/notes")]
pub(crate) async fn add(
    state: web::Data<AppState>,
    me: web::ReqData<Visitor>,
    id: web::Path<Uuid>,
    body: web::Json<WrittenNote>,
) -> Result<HttpResponse, ApiError> {
    let WrittenNote { frame, mark, text } = body.into_inner();
    let size = load(&state, *id).await?.info.size;
    let is_inside =
        |[x, y]: [f64; 2]| (0.0..=f64::from(size.width)).contains(&x) && (0.0..=f64::from(size.height)).contains(&y);
    if mark.is_some_and(|mark| !is_inside(mark.at) || mark.from.is_some_and(|from| !is_inside(from))) {
        return Err(ApiError::Unusable("The place of a note is within the picture.".into()));
    }
    let new = NewNote { frame: frame.0, mark, author: me.name(), text: checked(&text)? };
    let note = state.store.add_note(*id, new).await?;
    Ok(HttpResponse::Created().json(json!({ "note": note })))
}

#[derive(Deserialize)]
pub(crate) struct Answer {
    text: String,
}

#[post("/api/shots/{id}/notes/{note}/answers")]
pub(crate) async fn answer(
    state: web::Data<AppState>,
    me: web::ReqData<Visitor>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<Answer>,
) -> Result<HttpResponse, ApiError> {
    let (shot, note) = path.into_inner();
    state.store.answer_note(shot, note, me.name(), checked(&body.text)?).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
pub(crate) struct Change {
    done: bool,
}

#[patch("/api/shots/{id}/notes/{note}")]
pub(crate) async fn change(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<Change>,
) -> Result<HttpResponse, ApiError> {
    let (shot, note) = path.into_inner();
    state.store.set_note_done(shot, note, body.done).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/shots/{id}/notes/{note}")]
pub(crate) async fn remove(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (shot, note) = path.into_inner();
    state.store.remove_note(shot, note).await?;
    Ok(HttpResponse::NoContent().finish())
}

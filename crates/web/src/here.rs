//! Who has a shot open, and where they are in it: told to the others, and not kept.

use std::time::Duration;

use actix_web::{HttpResponse, post, web};
use jampin_core::time::Frame;
use jampin_store::{Event, Person};
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// Who was not heard of for so long has left.
pub(crate) const GONE: Duration = Duration::from_secs(12);
/// Its route, which changes nothing.
pub(crate) const HERE: &str = "/api/shots/{id}/here";

#[derive(Deserialize)]
pub(crate) struct Whereabouts {
    /// Chosen by the page, to be told from others of the same person.
    page: Uuid,
    /// Nothing when it is left.
    frame: Option<Frame>,
    at: Option<[f64; 2]>,
    subject: Option<Uuid>,
}

#[post("/api/shots/{id}/here")]
pub(crate) async fn here(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
    body: web::Json<Whereabouts>,
) -> Result<HttpResponse, ApiError> {
    let Whereabouts { page, frame, at, subject } = body.into_inner();
    let frame = frame.map(|frame| frame.0);
    let (person, name) = (me.id, me.name.clone());
    state.store.tell(&Event::Here { shot: *id, person, page, name, frame, at, subject }).await?;
    Ok(HttpResponse::NoContent().finish())
}

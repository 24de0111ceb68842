//! Carried points: places on a subject that no pin follows, put down by eye, corrected, taken away.

use actix_web::{HttpResponse, post, web};
use jampin_core::action::{Planned, correct_point, place_point};
use jampin_core::geometry::Point;
use jampin_core::time::Frame;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::paths::subject_of;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct PlaceRequest {
    revision: i64,
    frame: Frame,
    /// Where in the picture of that frame; it may be outside.
    at: Point,
    /// The point that is corrected; nothing for a new one.
    point: Option<Uuid>,
}

/// Puts a carried point down, or corrects one.
#[post("/api/shots/{id}/subjects/{subject}/points")]
pub(crate) async fn place(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<PlaceRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let PlaceRequest { revision, frame, at, point } = body.into_inner();
    let loaded = load(&state, id).await?;
    let subject = subject_of(&loaded.stored.shot, which)?;
    let poses = loaded.poses(subject).map(|poses| &**poses);
    let made = point.unwrap_or_else(Uuid::new_v4);
    let plan = if point.is_some() { correct_point } else { place_point };
    let Planned { title, edit, .. } = plan(loaded.ground(), which, poses, (made, frame, at))?;
    let edited = state.edit(id, revision, &title, &edit).await?;
    Ok(HttpResponse::Created().json(json!({ "revision": edited.revision, "point": made })))
}

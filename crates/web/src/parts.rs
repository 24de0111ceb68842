//! Shots of parts of a film: a range of a shot, or all that lies between its cuts.

use actix_web::{HttpResponse, delete, post, web};
use jampin_core::follow::shot_part;
use jampin_core::time::{Frame, FrameRange};
use jampin_store::Person;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

/// Shots made at once: more than any film that one works on has.
const MOST_PARTS: usize = 200;

#[derive(Deserialize)]
pub(crate) struct PartsRequest {
    /// The part from the first frame to the last; without it, every part between two cuts.
    range: Option<(Frame, Frame)>,
}

/// Makes a shot of a part, or one of each part between cuts. Answers with the new shots, in order.
#[post("/api/shots/{id}/parts")]
pub(crate) async fn add(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<PartsRequest>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let info = &loaded.stored.info;
    let named = |range: FrameRange| (format!("{} {}-{}", info.name, range.first, range.last), range);
    let parts = match body.range {
        Some((first, last)) => {
            let range = FrameRange::new(first, last).filter(|range| info.range.contains(range.last));
            let range = range
                .filter(|range| info.range.contains(range.first))
                .ok_or_else(|| ApiError::Unusable(format!("Frames {first} to {last} are no range of this shot.")))?;
            vec![named(range)]
        }
        None => {
            let cuts = loaded.stored.shot.cuts(loaded.clip.cuts.iter().map(|cut| Frame(*cut as u32)));
            let inside = cuts.iter().filter(|cut| info.range.first < **cut && **cut <= info.range.last);
            let begins = std::iter::once(info.range.first).chain(inside.copied());
            begins.map(|frame| named(shot_part(info.range, &cuts, frame))).collect()
        }
    };
    if body.range.is_none() && parts.len() < 2 {
        return Err(ApiError::Unusable("There is no cut in this shot: it is one picture from end to end.".into()));
    }
    if parts.len() > MOST_PARTS {
        let found = parts.len();
        let why =
            format!("There are {found} parts; at most {MOST_PARTS} become shots at once. Drag the ranges you need.");
        return Err(ApiError::Unusable(why));
    }
    let shots = state.store.add_parts(*id, &parts).await?;
    Ok(HttpResponse::Created().json(json!({ "shots": shots })))
}

/// Takes a shot away with all that was made of it; not the only one of its film.
#[delete("/api/shots/{id}")]
pub(crate) async fn remove(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.delete_shot(*id, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

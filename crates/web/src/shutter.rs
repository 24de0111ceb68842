//! How long the shutter of the film was open, as what is followed shows it.

use std::time::Duration;

use actix_web::{HttpResponse, get, web};
use jampin_core::check::{LEAST_SPEED, Shutter};
use jampin_core::document::Shot;
use jampin_media::{MediaError, StoredPlanes};
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// Degrees of a frame, measured on all pins of the shot that go fast enough.
#[get("/api/shots/{id}/shutter")]
pub(crate) async fn shot_shutter(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let first = loaded.stored.info.range.first;
    let mut source = planes::open(&state, &loaded, first, Duration::ZERO).await?;
    let measured = web::block(move || measure(&mut source, &loaded.stored.shot)).await.map_err(ApiError::internal)?;
    let shutter = measured.map_err(planes::problem)?;
    let Some(share) = shutter.share() else {
        return Err(ApiError::Unusable(format!(
            "Nothing that is followed in this shot goes fast enough to show its shutter: it takes {LEAST_SPEED} pixels a frame. 180\u{b0} is usual."
        )));
    };
    Ok(HttpResponse::Ok().json(json!({ "degrees": (360.0 * share).round(), "frames": shutter.frames })))
}

fn measure(source: &mut StoredPlanes, shot: &Shot) -> Result<Shutter, MediaError> {
    let mut shutter = Shutter::default();
    for pin in shot.subjects.iter().flat_map(|subject| &subject.pins) {
        shutter.measure(source, pin, shot.track(pin.id))?;
    }
    Ok(shutter)
}

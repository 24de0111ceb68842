//! The weave of a pin as a picture: a column for each frame.

use std::time::Duration;

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};
use jampin_core::check::{Threads, weave};
use jampin_render::grey_png;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// Pixels of the picture on each side of the pin: enough to see what the pattern lies in.
const HALF: u32 = 24;

#[derive(Clone, Copy, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Which {
    Rows,
    Columns,
}

/// As wide as the shot has frames, 49 pixels high.
#[get("/api/shots/{id}/pins/{pin}/weave/{which}.png")]
pub(crate) async fn pin_weave(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid, Which)>,
) -> Result<HttpResponse, ApiError> {
    let (id, pin, which) = path.into_inner();
    let loaded = load(&state, id).await?;
    if loaded.stored.shot.pin(pin).is_none() {
        return Err(ApiError::NotFound("This pin is not there any more.".into()));
    }
    let mut source = planes::open(&state, &loaded, loaded.stored.info.range.first, Duration::ZERO).await?;
    let threads = match which {
        Which::Rows => Threads::Rows,
        Which::Columns => Threads::Columns,
    };
    let made = web::block(move || {
        let stored = &loaded.stored;
        weave(&mut source, stored.shot.track(pin), stored.info.range, HALF, threads)
    });
    let made = made.await;
    let plane = made.map_err(ApiError::internal)?.map_err(planes::problem)?;
    Ok(HttpResponse::Ok()
        // The page asks with a number that changes with the samples.
        .insert_header((CACHE_CONTROL, "private, max-age=600"))
        .insert_header((CONTENT_TYPE, "image/png"))
        .body(grey_png(&plane)))
}

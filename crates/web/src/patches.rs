//! The three little pictures of a pin: as picked, now, difference.

use std::time::Duration;

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};
use jampin_core::geometry::{PixelRect, Point};
use jampin_core::image::{Component, FrameSource, Plane, difference, enlarge};
use jampin_core::time::Frame;
use jampin_media::{MediaError, StoredPlanes};
use jampin_render::grey_png;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// Wanted side of a little picture, in pixels; the pattern is enlarged a whole number of times to come near it.
const WANTED_SIDE: u32 = 184;
/// And the largest that is made.
const MOST_SIDE: u32 = 1024;
/// Differences are shown this many times stronger, so that half a pixel is plain to see.
const CONTRAST: f64 = 4.0;

#[derive(Deserialize)]
pub(crate) struct PatchQuery {
    frame: Frame,
    /// Compared with the picture of this frame instead of the first one.
    against: Option<Frame>,
    /// Where the point is, while it is being moved.
    x: Option<f64>,
    y: Option<f64>,
    /// Wanted side, in pixels.
    side: Option<u32>,
}

#[get("/api/shots/{id}/pins/{pin}/{which}.png")]
pub(crate) async fn patch(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid, String)>,
    query: web::Query<PatchQuery>,
) -> Result<HttpResponse, ApiError> {
    let (shot, pin, which) = path.into_inner();
    let loaded = load(&state, shot).await?;
    let found = loaded.stored.shot.pin(pin);
    let (_, pin) = found.ok_or_else(|| ApiError::NotFound("This pin is not there any more.".into()))?;
    let track = loaded.stored.shot.track(pin.id);
    let moved = query.x.zip(query.y).map(|(x, y)| Point::new(x, y)).filter(|at| loaded.info.size.contains(*at));
    let now = moved.or_else(|| track.get(query.frame).map(|sample| sample.at)).map(|at| (query.frame, at));
    let now = now.ok_or_else(|| ApiError::NotFound("The pin has no place on this frame.".into()))?;
    let first = (pin.frame, track.position(pin.frame).unwrap_or(pin.at));
    let against = query.against.and_then(|frame| Some((frame, track.position(frame)?)));
    let picked = against.unwrap_or(first);
    let mut source = planes::open(&state, &loaded, query.frame, Duration::from_secs(1)).await?;
    let [cols, rows] = pin.pattern;
    let wanted = query.side.unwrap_or(WANTED_SIDE).min(MOST_SIDE);
    let zoom = (wanted / cols.max(rows)).clamp(1, 16);
    let made = web::block(move || {
        let mut part = |(frame, at)| part(&mut source, frame, at, cols, rows, zoom);
        let plane = match which.as_str() {
            "picked" => part(picked)?,
            "now" => part(now)?,
            "difference" => {
                let (a, b) = (part(picked)?, part(now)?);
                difference(&a, &b, CONTRAST).unwrap_or(b)
            }
            _ => return Ok(None),
        };
        Ok::<_, MediaError>(Some(grey_png(&plane)))
    });
    let made = made.await.map_err(ApiError::internal)?.map_err(planes::problem)?;
    let bytes = made.ok_or_else(|| ApiError::NotFound("There is no such picture of a pin.".into()))?;
    Ok(HttpResponse::Ok()
        // The page asks with the place in the address, so an answer stays right.
        .insert_header((CACHE_CONTROL, "private, max-age=600"))
        .insert_header((CONTENT_TYPE, "image/png"))
        .body(bytes))
}

fn part(
    source: &mut StoredPlanes,
    frame: Frame,
    at: Point,
    cols: u32,
    rows: u32,
    zoom: u32,
) -> Result<Plane, MediaError> {
    let rect = PixelRect::around(at, f64::from(cols) / 2.0 + 3.0, f64::from(rows) / 2.0 + 3.0);
    Ok(enlarge(&source.window(frame, rect, Component::Luma)?, at, cols, rows, zoom))
}

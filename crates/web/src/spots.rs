//! Good features: which spots near the pointer, or in the whole picture, would track well.

use std::time::Duration;

use actix_web::{HttpResponse, get, web};
use jampin_core::geometry::{PixelRect, Point};
use jampin_core::image::{Component, FrameSource};
use jampin_core::matching::{NEIGHBOURHOOD, good_spots, judge_spot, margin};
use jampin_core::time::Frame;
use jampin_media::MediaError;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::planes;
use crate::state::AppState;

/// Pattern that spots are looked for with, in pixels: the usual one.
const SIDE: u32 = 31;
/// Spots of a whole picture, and of a neighbourhood.
const MOST: [usize; 2] = [60, 6];

#[derive(Deserialize)]
pub(crate) struct SpotQuery {
    frame: Frame,
    x: Option<f64>,
    y: Option<f64>,
}

/// With a place: that place and the spots round it. Without: the spots of the whole picture.
#[get("/api/shots/{id}/spots")]
pub(crate) async fn spots(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<SpotQuery>,
) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let SpotQuery { frame, x, y } = query.into_inner();
    if !loaded.stored.info.range.contains(frame) {
        return Err(ApiError::Unusable(format!("Frame {frame} is not in this shot.")));
    }
    let size = loaded.info.size;
    let mut stored = planes::open(&state, &loaded, frame, Duration::ZERO).await?;
    let at = x.zip(y).map(|(x, y)| Point::new(x, y)).filter(|at| size.contains(*at));
    let judged = web::block(move || {
        let whole = PixelRect { left: 0, top: 0, right: size.width as i32, bottom: size.height as i32 };
        let inner = at.map_or(whole, |at| PixelRect::around(at, NEIGHBOURHOOD, NEIGHBOURHOOD).clamped_to(size));
        let outer = at.map_or(whole, |at| {
            let reach = NEIGHBOURHOOD + margin(SIDE);
            PixelRect::around(at, reach, reach)
        });
        let window = stored.window(frame, outer, Component::Luma)?;
        let apart = if at.is_some() { SIDE / 3 } else { SIDE };
        let good = good_spots(&window, inner, SIDE, apart, MOST[usize::from(at.is_some())]);
        Ok::<_, MediaError>((at.map(|at| judge_spot(&window, at)), good))
    });
    let (here, good) = judged.await.map_err(ApiError::internal)?.map_err(planes::problem)?;
    Ok(HttpResponse::Ok().json(json!({ "frame": frame, "here": here, "spots": good })))
}

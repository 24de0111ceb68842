//! Where the knots of a surface that bends are.

use actix_web::{HttpResponse, get, web};
use jampin_core::time::Frame;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

/// Frames that are told of at once, at most.
const MOST: u32 = 240;
/// Steps of a pixel in which places are told: a hundredth is more than a screen shows.
const STEPS: f64 = 100.0;

#[derive(Deserialize)]
pub(crate) struct NetQuery {
    first: Frame,
    count: u32,
}

/// The triangles of an area's net, and its knots on some frames: across and down by turns; nothing where they are not
/// known.
#[get("/api/shots/{id}/areas/{area}/net")]
pub(crate) async fn area_net(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    query: web::Query<NetQuery>,
) -> Result<HttpResponse, ApiError> {
    let (id, area) = path.into_inner();
    let NetQuery { first, count } = query.into_inner();
    let loaded = load(&state, id).await?;
    let subjects = &loaded.stored.shot.subjects;
    let owner = subjects.iter().find(|subject| subject.areas.iter().any(|known| known.id == area));
    let owner = owner.ok_or_else(|| ApiError::NotFound("This area is not there any more.".into()))?;
    let net = loaded.poses(owner).and_then(|poses| poses.net(area));
    let net = net.ok_or_else(|| ApiError::NotFound("This area has no net: it is flat.".into()))?;
    let told = |value: f64| (value * STEPS).round() / STEPS;
    let frame = |number: u32| {
        let knots = net.on(Frame(number))?.iter();
        Some(knots.flat_map(|at| [told(at.x), told(at.y)]).collect::<Vec<f64>>())
    };
    let last = first.0.saturating_add(count.min(MOST));
    let frames: Vec<Option<Vec<f64>>> = (first.0..last).map(frame).collect();
    Ok(HttpResponse::Ok().json(json!({ "triangles": net.net.triangles, "frames": frames })))
}

//! Guides: places set by hand. What depends on one is solved anew, under the same entry of the log.

use actix_web::{HttpResponse, post, web};
use jampin_core::action::set_guide as plan;
use jampin_core::geometry::Point;
use jampin_core::time::Frame;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct GuideRequest {
    revision: i64,
    pin: Uuid,
    frame: Frame,
    /// Nothing to take the guide away.
    at: Option<Point>,
}

/// Puts, moves or removes a guide and, when the pin was followed already, solves what depends on it.
#[post("/api/shots/{id}/guides")]
pub(crate) async fn set_guide(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<GuideRequest>,
) -> Result<HttpResponse, ApiError> {
    let GuideRequest { revision, pin, frame, at } = body.into_inner();
    let loaded = load(&state, *id).await?;
    let planned = plan(loaded.ground(), pin, frame, at)?;
    state.carry_out(&loaded, revision, planned).await
}

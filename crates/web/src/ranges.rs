//! What is done to a range of frames of a pin in one action, undone in one.

use actix_web::{HttpResponse, post, web};
use jampin_core::action::{RangeAction, change_range as plan};
use jampin_core::time::Frame;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct RangeRequest {
    revision: i64,
    pin: Uuid,
    first: Frame,
    last: Frame,
    #[serde(flatten)]
    action: RangeAction,
}

/// Does one thing to a range of frames. Answers with the revision, and the job where something is solved again.
#[post("/api/shots/{id}/ranges")]
pub(crate) async fn change_range(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    body: web::Json<RangeRequest>,
) -> Result<HttpResponse, ApiError> {
    let RangeRequest { revision, pin, first, last, action } = body.into_inner();
    let loaded = load(&state, *id).await?;
    let planned = plan(loaded.ground(), pin, (first, last), action)?;
    state.carry_out(&loaded, revision, planned).await
}

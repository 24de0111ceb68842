//! Jobs: stop one.

use actix_web::{HttpResponse, post, web};
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

#[post("/api/jobs/{id}/cancel")]
pub(crate) async fn cancel(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    state.store.cancel_job(*id).await?;
    Ok(HttpResponse::NoContent().finish())
}

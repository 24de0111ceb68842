//! For those who run the server: whether it can work, and what it counts.

use std::time::Duration;

use actix_web::http::StatusCode;
use actix_web::{HttpResponse, get, web};
use serde_json::json;

use crate::error::ApiError;
use crate::state::AppState;

/// How long an object store may take to answer.
const PATIENCE: Duration = Duration::from_secs(3);

/// 200 when films and edits can be kept, else 503; with what holds and what does not.
#[get("/health")]
pub(crate) async fn health(state: web::Data<AppState>) -> HttpResponse {
    let database = state.store.installation().await.is_ok();
    let library = state.library.clone();
    let room = web::block(move || library.room()).await.ok().and_then(Result::ok);
    let reached = tokio::time::timeout(PATIENCE, state.library.is_reachable()).await;
    let kept = reached.is_ok_and(|reached| reached.is_ok());
    let has_room = room.is_some_and(|room| room > state.library.reserve);
    let status = if database && has_room && kept { StatusCode::OK } else { StatusCode::SERVICE_UNAVAILABLE };
    let told =
        json!({ "database": database, "media": room.is_some(), "kept": kept, "free_bytes": room, "room": has_room });
    HttpResponse::build(status).json(told)
}

#[get("/metrics")]
pub(crate) async fn metrics(state: web::Data<AppState>) -> Result<HttpResponse, ApiError> {
    let jobs = state.store.job_counts().await?;
    let text = state.metrics.text(&jobs, state.library.room().ok()).map_err(ApiError::internal)?;
    Ok(HttpResponse::Ok().content_type("text/plain; version=0.0.4; charset=utf-8").body(text))
}

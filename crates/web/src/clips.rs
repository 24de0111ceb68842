//! Clips: how fast the picture moves; prepare one again.

use actix_web::{HttpResponse, get, post, web};
use jampin_core::check::picture_pace;
use jampin_core::time::Frame;
use jampin_jobs::{PrepareTask, Task};
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// The pace of the picture as a whole. Without runs while the clip is not prepared.
#[get("/api/clips/{id}/pace")]
pub(crate) async fn pace(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let clip = state.store.clip(*id).await?;
    let cuts: Vec<Frame> = clip.cuts.iter().map(|cut| Frame(*cut as u32)).collect();
    Ok(HttpResponse::Ok().json(picture_pace(&clip.speeds, &cuts)))
}

/// Prepares a clip again that could not be prepared; for one that is ready, or at work, nothing happens.
#[post("/api/clips/{id}/prepare")]
pub(crate) async fn prepare_again(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let clip = state.store.clip(*id).await?;
    let job = Task::Prepare(PrepareTask { clip: clip.id }).into_job(clip.project_id)?;
    state.store.prepare_again(clip.id, job).await?;
    Ok(HttpResponse::Accepted().finish())
}

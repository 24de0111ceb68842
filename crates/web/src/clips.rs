//! Clips: how fast the picture moves; take one away.

use actix_web::{HttpResponse, delete, get, web};
use jampin_core::check::picture_pace;
use jampin_core::time::Frame;
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

#[delete("/api/clips/{id}")]
pub(crate) async fn remove(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let clip = state.store.clip(*id).await?;
    state.store.delete_clip(clip.id).await?;
    let folder = state.library.clip(clip.id);
    // The rows are gone, so nothing points at the files any more; what cannot be deleted only takes room.
    if let Err(error) = tokio::fs::remove_dir_all(folder.path()).await {
        tracing::warn!(%error, clip = %clip.id, "files of a removed clip are left");
    }
    Ok(HttpResponse::NoContent().finish())
}

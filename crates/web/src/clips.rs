//! Clips: take one away.

use actix_web::{HttpResponse, delete, web};
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

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

//! A shot read for a request.

use std::sync::Arc;

use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::state::AppState;

/// The shot as it is now.
pub(crate) async fn load(state: &AppState, id: Uuid) -> Result<Arc<EvaluatedShot>, ApiError> {
    let known = state.shots.get(id);
    if let Some(known) = &known
        && state.store.is_current(&known.stored.info, &known.clip).await?
    {
        return Ok(Arc::clone(known));
    }
    let (store, before) = (state.store.clone(), known.clone());
    let read = state.aside(async move {
        let stored = store.shot_again(id, before.as_ref().map(|before| &before.stored)).await?;
        let clip = store.clip(stored.info.clip_id).await?;
        Ok((stored, clip))
    });
    let (stored, clip) = read.await?;
    let info = serde_json::from_value(clip.info.clone()).map_err(ApiError::internal)?;
    let table = serde_json::from_value(clip.frames.clone()).map_err(ApiError::internal)?;
    let shot = Arc::new(EvaluatedShot::new(stored, (clip, info, table), known.as_deref()));
    state.shots.put(&shot);
    Ok(shot)
}

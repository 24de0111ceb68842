//! A shot read for a request.

use std::sync::Arc;

use uuid::Uuid;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::state::AppState;

/// The shot as it is now.
pub(crate) async fn load(state: &AppState, id: Uuid) -> Result<Arc<EvaluatedShot>, ApiError> {
    if let Some(current) = current(state, id).await? {
        return Ok(current);
    }
    let _turn = state.shots.turn(id).await;
    // Whoever had the turn before has read it.
    if let Some(current) = current(state, id).await? {
        return Ok(current);
    }
    let known = state.shots.get(id);
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

/// The shot as it is kept, if it still is so.
async fn current(state: &AppState, id: Uuid) -> Result<Option<Arc<EvaluatedShot>>, ApiError> {
    let Some(known) = state.shots.get(id) else { return Ok(None) };
    let holds = state.store.is_current(&known.stored.info, &known.clip).await?;
    Ok(holds.then_some(known))
}

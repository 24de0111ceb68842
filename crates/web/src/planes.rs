//! The full-size frames of a clip, for what is computed while somebody waits.

use std::time::Duration;

use jampin_core::time::Frame;
use jampin_jobs::ask_for_planes;
use jampin_media::{Cancel, MediaError, StoredPlanes, WhenMissing};
use jampin_store::Clip;

use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::state::AppState;

/// Sees to it that they are there, or are being made; `near` is wanted first.
pub(crate) async fn ask(state: &AppState, clip: &Clip, near: Frame) -> Result<(), ApiError> {
    ask_for_planes(&state.store, &state.library, clip, near, false).await.map_err(ApiError::internal)
}

/// Opens them; a frame that is not there yet is waited for so long.
pub(crate) async fn open(
    state: &AppState,
    loaded: &EvaluatedShot,
    near: Frame,
    wait: Duration,
) -> Result<StoredPlanes, ApiError> {
    ask(state, &loaded.clip, near).await?;
    let when_missing = WhenMissing { wait, cancel: Cancel::default() };
    Ok(StoredPlanes::new(state.library.clip(loaded.clip.id).planes(), loaded.info.size, when_missing))
}

/// What is said when one was not there.
pub(crate) fn problem(error: MediaError) -> ApiError {
    match error {
        MediaError::Io { .. } => ApiError::NotYet("The frames are still being prepared. Try again in a moment.".into()),
        other => other.into(),
    }
}

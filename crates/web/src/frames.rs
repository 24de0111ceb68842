//! Pictures of frames by number. They never change, so browsers may keep them for ever.

use std::time::{Duration, Instant};

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};
use jampin_core::time::Frame;
use jampin_media::{ClipInfo, FrameTable, picture, picture_with_alpha};
use jampin_store::ClipState;
use tokio::sync::Semaphore;
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// How long a request waits for a picture that is still being made.
const PATIENCE: Duration = Duration::from_secs(4);
/// How often it looks.
const LOOK: Duration = Duration::from_millis(20);
/// Full-size pictures are made so many at once, by an ffmpeg each; the others wait.
static DECODERS: Semaphore = Semaphore::const_new(2);

fn jpeg(bytes: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok()
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .insert_header((CONTENT_TYPE, "image/jpeg"))
        .body(bytes)
}

#[get("/clips/{id}/frames/{frame}.jpg")]
pub(crate) async fn preview(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, u32)>,
) -> Result<HttpResponse, ApiError> {
    let (clip, frame) = path.into_inner();
    let library = &state.library;
    let file = library.clip(clip).preview(Frame(frame));
    if let Some(bytes) = library.read(&file).await? {
        return Ok(jpeg(bytes));
    }
    let begun = Instant::now();
    let look = if library.is_cache() { LOOK * 5 } else { LOOK };
    loop {
        let known = state.store.clip(clip).await?;
        let table: FrameTable = serde_json::from_value(known.frames.clone()).map_err(ApiError::internal)?;
        if frame >= table.len() {
            return Err(ApiError::NotFound(format!(
                "This film has {} frames; there is no frame {frame}.",
                table.len()
            )));
        }
        if let Some(bytes) = library.read(&file).await? {
            return Ok(jpeg(bytes));
        }
        if known.state() == ClipState::Failed {
            return Err(ApiError::NotFound(known.problem.unwrap_or_else(|| "This film cannot be used.".into())));
        }
        if begun.elapsed() > PATIENCE {
            return Err(ApiError::NotYet(format!("Frame {frame} is still being prepared.")));
        }
        tokio::time::sleep(look).await;
    }
}

/// The full-size picture, for zooming in; made when first asked for.
#[get("/clips/{id}/frames/{frame}.full.jpg")]
pub(crate) async fn full(state: web::Data<AppState>, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, ApiError> {
    let (clip, frame) = path.into_inner();
    let folder = state.library.clip(clip);
    let file = folder.full_picture(Frame(frame));
    if let Ok(bytes) = tokio::fs::read(&file).await {
        return Ok(jpeg(bytes));
    }
    let known = state.store.clip(clip).await?;
    let info: ClipInfo = serde_json::from_value(known.info).map_err(ApiError::internal)?;
    let table: FrameTable = serde_json::from_value(known.frames).map_err(ApiError::internal)?;
    let permit = DECODERS.acquire().await.map_err(ApiError::internal)?;
    // Somebody else may have asked for it, and been served meanwhile.
    if let Ok(bytes) = tokio::fs::read(&file).await {
        return Ok(jpeg(bytes));
    }
    let (tools, film) = (state.library.tools.clone(), state.library.bring(folder.original()).await?);
    let bytes = web::block(move || {
        // Given back when ffmpeg has ended, also when nobody waits for the picture any more.
        let _permit = permit;
        picture(&tools, &film, &info, &table, Frame(frame))
    });
    let bytes = bytes.await.map_err(ApiError::internal)??;
    keep(&file, &bytes).await;
    Ok(jpeg(bytes))
}

/// With its own transparency, at full size: a film clip that hangs in another film.
#[get("/clips/{id}/frames/{frame}.png")]
pub(crate) async fn whole(state: web::Data<AppState>, path: web::Path<(Uuid, u32)>) -> Result<HttpResponse, ApiError> {
    let (clip, frame) = path.into_inner();
    let known = state.store.clip(clip).await?;
    let info: ClipInfo = serde_json::from_value(known.info).map_err(ApiError::internal)?;
    let table: FrameTable = serde_json::from_value(known.frames).map_err(ApiError::internal)?;
    let permit = DECODERS.acquire().await.map_err(ApiError::internal)?;
    let library = &state.library;
    let (tools, film) = (library.tools.clone(), library.bring(library.clip(clip).original()).await?);
    let bytes = web::block(move || {
        let _permit = permit;
        picture_with_alpha(&tools, &film, &info, &table, Frame(frame))
    });
    let bytes = bytes.await.map_err(ApiError::internal)??;
    Ok(HttpResponse::Ok()
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .insert_header((CONTENT_TYPE, "image/png"))
        .body(bytes))
}

/// Keeps a picture for the next time; when that fails it is simply made again.
async fn keep(file: &std::path::Path, bytes: &[u8]) {
    let unfinished = file.with_extension(format!("{}.part", Uuid::new_v4()));
    let kept = async {
        tokio::fs::create_dir_all(file.parent().unwrap_or(file)).await?;
        tokio::fs::write(&unfinished, bytes).await?;
        tokio::fs::rename(&unfinished, file).await
    };
    if let Err(error) = kept.await {
        tracing::warn!(%error, "a full-size picture could not be kept");
    }
}

//! A film comes in: streamed to disk, looked at, and shown at once.

use std::path::{Path, PathBuf};
use std::time::Duration;

use actix_web::http::header::CONTENT_LENGTH;
use actix_web::{HttpRequest, HttpResponse, put, web};
use futures_util::StreamExt;
use jampin_core::time::{Frame, FrameRange, Rational};
use jampin_jobs::{Library, PrepareTask, Task, put_in_place};
use jampin_media::{ClipInfo, FrameTable, MediaError, assemble, first_picture, holds_pictures, probe};
use jampin_store::{NewClip, NewShot, Remains};
use serde::Deserialize;
use serde_json::json;
use tokio::io::AsyncWriteExt;
use uuid::Uuid;

use crate::error::ApiError;
use crate::metrics::Counted;
use crate::state::{AppState, UPLOADS};

/// Longest name of a file that is kept, in characters.
const MAX_NAME: usize = 120;

/// Longest that a film which comes in may stand still.
const STANDSTILL: Duration = Duration::from_secs(30);
/// Bytes after which room is looked for again.
const LOOK_FOR_ROOM: u64 = 64 << 20;

#[derive(Deserialize)]
pub(crate) struct UploadQuery {
    pub(crate) name: String,
    /// Numbered pictures a second, as people write it; 25 when it is not given.
    pub(crate) rate: Option<String>,
}

/// Of pictures of which nobody has said more.
const USUAL_RATE: Rational = Rational { num: 25, den: 1 };

impl UploadQuery {
    fn rate(&self) -> Result<Rational, ApiError> {
        let Some(text) = self.rate.as_deref() else { return Ok(USUAL_RATE) };
        Rational::rate(text).filter(|rate| (0.1..=1000.0).contains(&rate.as_f64())).ok_or_else(|| {
            ApiError::Unusable(format!("“{text}” is no number of pictures a second. Write 25, 23.976 or 24000/1001."))
        })
    }
}

/// The body is the file itself, raw.
#[put("/api/projects/{id}/clips")]
pub(crate) async fn put_clip(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<UploadQuery>,
    request: HttpRequest,
    payload: web::Payload,
) -> Result<HttpResponse, ApiError> {
    let project = state.store.project(*id).await?;
    let limit = state.settings.upload_limit;
    let announced = request.headers().get(CONTENT_LENGTH).and_then(|length| length.to_str().ok()?.parse::<u64>().ok());
    if announced.is_some_and(|length| length > limit) {
        return Err(too_large(limit));
    }
    let permit = state.uploads.try_acquire();
    let _permit = permit.map_err(|_| {
        ApiError::NotYet(format!("{UPLOADS} films are coming in already. Wait until one is there, then send it again."))
    })?;
    let _counted = Counted::new(&state.metrics.uploads);
    check_quotas(&state, project.id, announced.unwrap_or(0)).await?;
    let clip = Uuid::new_v4();
    let folder = state.library.uploads().join(clip.to_string());
    let taken = take_in(&state, &Coming { project: project.id, clip, folder: &folder, query: &query }, payload).await;
    // Moved away when all went well; else nothing half-made remains.
    let _ = tokio::fs::remove_dir_all(&folder).await;
    if taken.is_err() {
        state.library.forget(&Remains { clips: vec![clip], ..Remains::default() }).await;
    }
    let shot = taken?;
    Ok(HttpResponse::Created().json(json!({ "clip": clip, "shot": shot })))
}

/// Refuses what would take more than a project, or all of them, may take, or more than the disk has.
async fn check_quotas(state: &AppState, project: Uuid, bytes: u64) -> Result<(), ApiError> {
    state.library.make_sure_of_room(bytes)?;
    let used = state.store.bytes_used(project).await?;
    let whose = ["this project", "all projects together"];
    for ((used, quota), whose) in used.into_iter().zip(state.settings.quotas).zip(whose) {
        if used.saturating_add(bytes) > quota {
            return Err(ApiError::Full(format!(
                "The films and exports of {whose} may take {:.1} GB, and take {:.1} GB. Remove some that are not needed any more, then send it again.",
                quota as f64 / 1e9,
                used as f64 / 1e9
            )));
        }
    }
    Ok(())
}

fn too_large(limit: u64) -> ApiError {
    ApiError::TooLarge(format!(
        "This file is larger than {:.1} GB, the most that is taken in. Cut it to the shots you need first.",
        limit as f64 / 1e9
    ))
}

/// A film that comes in.
struct Coming<'a> {
    project: Uuid,
    clip: Uuid,
    /// Where it lies meanwhile.
    folder: &'a Path,
    query: &'a UploadQuery,
}

async fn take_in(state: &AppState, coming: &Coming<'_>, payload: web::Payload) -> Result<Uuid, ApiError> {
    let &Coming { project, clip, folder, query } = coming;
    let rate = query.rate()?;
    tokio::fs::create_dir_all(folder).await.map_err(ApiError::internal)?;
    let file = folder.join("original");
    let bytes = stream_to_disk(state, payload, &file).await?;
    // A film whose length was not announced.
    check_quotas(state, project, bytes).await?;
    let library = state.library.clone();
    let (upload, begun) = (folder.to_owned(), std::time::Instant::now());
    let pictures = Pictures { rate, limit: state.settings.upload_limit };
    let looked_at = web::block(move || look_at(&library, clip, &upload, &pictures)).await;
    let looked_at = looked_at.map_err(ApiError::internal)?;
    let (info, table) = looked_at?;
    let kept = state.library.clip(clip);
    for file in [kept.original(), kept.preview(Frame(0))] {
        state.library.keep(&file).await?;
    }
    tracing::info!(%clip, bytes, seconds = begun.elapsed().as_secs_f32(), "first picture is there");
    let kept = tokio::fs::metadata(kept.original()).await;
    let bytes = kept.map_or(bytes, |file| file.len());
    let name = shown_name(&query.name);
    let last = Frame(table.len().saturating_sub(1));
    let to_value = |value: Result<serde_json::Value, serde_json::Error>| value.map_err(ApiError::internal);
    let new = NewClip {
        id: clip,
        project,
        name: &name,
        bytes,
        info: to_value(serde_json::to_value(&info))?,
        frames: to_value(serde_json::to_value(&table))?,
        remarks: info.remarks(),
    };
    let stem = Path::new(&name).file_stem().map_or_else(|| name.clone(), |stem| stem.to_string_lossy().into_owned());
    let range = FrameRange { first: Frame(0), last };
    let shot = NewShot { project, clip, name: &stem, range };
    let job = Task::Prepare(PrepareTask { clip }).into_job(project)?;
    let (shot, _) = state.store.bring_in(new, shot, job).await?;
    Ok(shot)
}

async fn stream_to_disk(state: &AppState, mut payload: web::Payload, path: &PathBuf) -> Result<u64, ApiError> {
    let limit = state.settings.upload_limit;
    let mut file = tokio::fs::File::create(path).await.map_err(disk)?;
    let (mut total, mut looked_at) = (0u64, 0u64);
    let broke_off = |why: &str| ApiError::Unusable(format!("The upload {why}; nothing was kept. Send it again."));
    let stood_still = |_| broke_off("stood still for too long");
    while let Some(chunk) = tokio::time::timeout(STANDSTILL, payload.next()).await.map_err(stood_still)? {
        let chunk = chunk.map_err(|_| broke_off("broke off"))?;
        total += chunk.len() as u64;
        if total > limit {
            return Err(too_large(limit));
        }
        if total - looked_at > LOOK_FOR_ROOM {
            looked_at = total;
            state.library.make_sure_of_room(0)?;
        }
        file.write_all(&chunk).await.map_err(disk)?;
    }
    file.flush().await.map_err(disk)?;
    Ok(total)
}

fn disk(error: std::io::Error) -> ApiError {
    if error.kind() == std::io::ErrorKind::StorageFull { MediaError::Full.into() } else { ApiError::internal(error) }
}

/// How numbered pictures become a film.
struct Pictures {
    /// So many a second.
    rate: Rational,
    /// Bytes that they may take.
    limit: u64,
}

/// Makes a film of numbered pictures where these came, probes it, moves it into its place and makes the first picture.
fn look_at(
    library: &Library,
    clip: Uuid,
    upload: &Path,
    pictures: &Pictures,
) -> Result<(ClipInfo, FrameTable), MediaError> {
    let original = upload.join("original");
    let notes = if holds_pictures(&original)? { make_film(library, &original, pictures)? } else { Vec::new() };
    let (info, table) = probe(&library.tools, &original)?;
    let info = ClipInfo { notes, ..info };
    let folder = library.clip(clip);
    put_in_place(&original, &folder.original())?;
    first_picture(&library.tools, &folder, &info)?;
    Ok((info, table))
}

/// In the place of the archive.
fn make_film(library: &Library, original: &Path, pictures: &Pictures) -> Result<Vec<String>, MediaError> {
    let archive = original.with_file_name("archive");
    std::fs::rename(original, &archive).map_err(MediaError::io("making room for a film"))?;
    let room = |bytes: u64| {
        let limit = 2 * pictures.limit;
        if bytes > limit {
            return Err(MediaError::Limit(format!(
                "Unpacked these pictures take {:.1} GB; at most {:.1} GB are taken in. Bring the shot in pieces.",
                bytes as f64 / 2e9,
                limit as f64 / 2e9
            )));
        }
        library.make_sure_of_room(bytes)
    };
    assemble(&library.tools, &archive, pictures.rate, &room, original)
}

/// The name as shown: without folders or control characters, not too long. Never used as a path.
pub(crate) fn shown_name(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    let clean: String = last.chars().filter(|c| !c.is_control()).take(MAX_NAME).collect();
    if clean.trim().is_empty() { "Film".into() } else { clean.trim().to_owned() }
}

#[cfg(test)]
mod tests {
    use super::shown_name;

    #[test]
    fn names_are_shown_without_folders_or_tricks() {
        assert_eq!(shown_name("C:\\films\\yard.mp4"), "yard.mp4");
        assert_eq!(shown_name("../../etc/passwd"), "passwd");
        assert_eq!(shown_name("\u{7}\n"), "Film");
        assert_eq!(shown_name(&"x".repeat(999)).len(), 120);
    }
}

//! Films of the project hung on subjects of another.

use actix_web::{HttpResponse, post, web};
use jampin_core::attachment::{Attachment, AttachmentKind, ClipEnd, FilmClip, Picture, Show, Transition};
use jampin_core::geometry::Point;
use jampin_core::time::Frame;
use jampin_media::{ClipInfo, FrameTable};
use serde::Deserialize;
use uuid::Uuid;

use crate::attachments::put_new;
use crate::error::ApiError;
use crate::loading::load;
use crate::paths::subject_of;
use crate::pictures::mount_on;
use crate::state::AppState;

/// Rates that differ by less go together frame by frame: 24 and 23.976 do.
const SAME_RATE: f64 = 0.002;

#[derive(Deserialize)]
pub(crate) struct HangRequest {
    revision: i64,
    frame: Frame,
    clip: Uuid,
}

/// Hangs a film on a subject, where a picture would be hung; it begins with the frame in view, and comes at once.
#[post("/api/shots/{id}/subjects/{subject}/clips")]
pub(crate) async fn hang(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<HangRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let HangRequest { revision, frame, clip } = body.into_inner();
    let loaded = load(&state, id).await?;
    let subject = subject_of(&loaded.stored.shot, which)?;
    let film = state.store.clip(clip).await?;
    if film.project_id != loaded.clip.project_id {
        return Err(ApiError::NotFound("This film is not in the project.".into()));
    }
    let info: ClipInfo = serde_json::from_value(film.info).map_err(ApiError::internal)?;
    let table: FrameTable = serde_json::from_value(film.frames).map_err(ApiError::internal)?;
    let pixels = [info.size.width, info.size.height];
    let (mount, size) = mount_on(&loaded, subject, frame, pixels);
    let picture = Picture { picture: clip, pixels, mount, place: Point::default(), size, rotation: 0.0 };
    // As fast as it was filmed.
    let speed = info.rate.as_f64() / loaded.info.rate.as_f64();
    let speed = if (speed - 1.0).abs() < SAME_RATE { 1.0 } else { (speed * 1e4).round() / 1e4 };
    let hung = FilmClip {
        picture,
        frames: table.len(),
        alpha: info.alpha,
        begins: frame,
        speed,
        at_end: ClipEnd::Again,
        key: None,
    };
    let at_once = Transition { frames: 0, ..Transition::default() };
    let show = Show { enters: at_once, leaves: at_once, ..Show::default() };
    let kind = AttachmentKind::FilmClip(Box::new(hung));
    let attachment = Attachment { show, ..Attachment::new(Uuid::new_v4(), kind) };
    let title = format!("Film clip {} on {}", film.name, subject.name);
    put_new(&state, (id, revision), which, attachment, &title).await
}

//! Pictures and logos come in, are shown, and are hung on subjects.

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, post, put, web};
use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{Corner, Orientation, Picture, PictureMount};
use jampin_core::document::{Area, Subject};
use jampin_core::evaluate::{face_of_area, face_of_pins};
use jampin_core::geometry::{Point, Size};
use jampin_core::time::Frame;
use jampin_jobs::keep_picture;
use jampin_store::{Picture as StoredPicture, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use crate::attachments::put_new;
use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::paths::subject_of;
use crate::state::AppState;
use crate::upload::{UploadQuery, shown_name};

/// Largest file that is taken in.
pub(crate) const LARGEST: usize = 40 << 20;
/// A picture that faces the camera is as wide as this share of the film's picture, unless set otherwise.
pub(crate) const USUAL_SHARE: f64 = 0.16;

/// The body is the file itself, raw.
#[put("/api/projects/{id}/pictures")]
pub(crate) async fn put_picture(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
    query: web::Query<UploadQuery>,
    body: web::Bytes,
) -> Result<HttpResponse, ApiError> {
    let project = state.store.project(*id).await?;
    state.library.make_sure_of_room(body.len() as u64)?;
    let (library, picture) = (state.library.clone(), Uuid::new_v4());
    let taken = web::block(move || keep_picture(&library, picture, &body)).await.map_err(ApiError::internal)?;
    let size = taken?;
    state.library.keep(&state.library.picture(picture)).await?;
    let [width, height] = size.map(|side| side as i32);
    let stored = StoredPicture { id: picture, project_id: project.id, name: shown_name(&query.name), width, height };
    state.store.create_picture(&stored).await?;
    Ok(HttpResponse::Created().json(stored))
}

#[get("/pictures/{id}")]
pub(crate) async fn file(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let gone = || ApiError::NotFound("This picture is not there any more.".into());
    let bytes = state.library.read(&state.library.picture(*id)).await?.ok_or_else(gone)?;
    let media_type = if bytes.starts_with(b"\x89PNG") { "image/png" } else { "image/svg+xml" };
    Ok(HttpResponse::Ok()
        .insert_header((CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .insert_header((CONTENT_TYPE, media_type))
        .body(bytes))
}

#[get("/api/projects/{id}/pictures")]
pub(crate) async fn project_pictures(
    state: web::Data<AppState>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.pictures(*id).await?))
}

#[derive(Deserialize)]
pub(crate) struct HangRequest {
    revision: i64,
    frame: Frame,
    picture: Uuid,
}

/// Hangs a picture on a subject.
#[post("/api/shots/{id}/subjects/{subject}/pictures")]
pub(crate) async fn hang(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<HangRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let HangRequest { revision, frame, picture } = body.into_inner();
    let loaded = load(&state, id).await?;
    let subject = subject_of(&loaded.stored.shot, which)?;
    let image = state.store.picture(picture).await?;
    if image.project_id != loaded.clip.project_id {
        return Err(StoreError::NotFound("picture").into());
    }
    let pixels = [image.width, image.height].map(|side| side.max(1) as u32);
    let (mount, size) = mount_on(&loaded, subject, frame, pixels);
    let hung = Picture { picture, pixels, mount, place: Point::default(), size, rotation: 0.0 };
    let attachment = Attachment::new(Uuid::new_v4(), AttachmentKind::Picture(hung));
    let title = format!("Picture {} on {}", image.name, subject.name);
    put_new(&state, (id, revision), which, attachment, &title).await
}

/// Where a picture of so many pixels is hung on a subject, and how large: onto its area, into the face of four pins and
/// carried points or more, else facing the camera.
pub(crate) fn mount_on(
    loaded: &EvaluatedShot,
    subject: &Subject,
    frame: Frame,
    pixels: [u32; 2],
) -> (PictureMount, [f64; 2]) {
    let of_pins = || face_of_pins(subject, loaded.poses(subject)?, frame);
    match subject.areas.first() {
        Some(area) => on_area(area, pixels, loaded.info.size),
        None => match of_pins() {
            Some(corners) => (PictureMount::Face(corners), [1.0, 1.0]),
            None => facing(pixels, frame, loaded.info.size),
        },
    }
}

fn facing(pixels: [u32; 2], frame: Frame, film: Size) -> (PictureMount, [f64; 2]) {
    let wide = USUAL_SHARE * f64::from(film.width);
    let high = wide * f64::from(pixels[1]) / f64::from(pixels[0]);
    (PictureMount::Facing(Orientation { since: frame, turns: true, grows: true, tilts: false }), [wide, high])
}

/// Within an area, undistorted: in the perspective of its four corners; of any other outline in the box round it, as it
/// was drawn.
fn on_area(area: &Area, pixels: [u32; 2], film: Size) -> (PictureMount, [f64; 2]) {
    if let Some(face) = face_of_area(area) {
        return (PictureMount::Drawn(face), Picture::within(face.sides(film), pixels));
    }
    let [_, corners @ ..] = area.carriers;
    let bounds = area.bounds();
    let sides = [bounds.right - bounds.left, bounds.bottom - bounds.top];
    (PictureMount::Face(corners.map(Corner::Pin)), Picture::within(sides, pixels))
}

//! Pictures and logos come in, are shown, and are hung on subjects.

use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpResponse, get, post, put, web};
use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{Corner, Orientation, Picture, PictureMount};
use jampin_core::document::{Area, Subject};
use jampin_core::edit::Edit;
use jampin_core::geometry::{Point, Rect};
use jampin_core::motion::Poses;
use jampin_core::time::Frame;
use jampin_jobs::keep_picture;
use jampin_store::Picture as StoredPicture;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::ApiError;
use crate::loading::load;
use crate::paths::subject_of;
use crate::state::AppState;
use crate::upload::{UploadQuery, shown_name};

/// Largest file that is taken in.
pub(crate) const LARGEST: usize = 40 << 20;
/// A picture that faces the camera is as wide as this share of the film's picture, unless set otherwise.
const USUAL_SHARE: f64 = 0.16;

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
    let [width, height] = taken?.map(|side| side as i32);
    let stored = StoredPicture { id: picture, project_id: project.id, name: shown_name(&query.name), width, height };
    state.store.create_picture(&stored).await?;
    Ok(HttpResponse::Created().json(stored))
}

#[get("/pictures/{id}")]
pub(crate) async fn file(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let gone = |_| ApiError::NotFound("This picture is not there any more.".into());
    let bytes = tokio::fs::read(state.library.picture(*id)).await.map_err(gone)?;
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

/// Share of an area that a picture takes at first.
const INSIDE: f64 = 0.9;

/// Hangs a picture on a subject: onto its area, into the face of four pins and carried points or more, else facing the camera.
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
    let pixels = [image.width, image.height].map(|side| side.max(1) as u32);
    let (face, fills) = match subject.areas.first() {
        Some(area) => (Some(corners_of(area)), inside(area.bounds(), pixels)),
        None => (loaded.poses(subject).and_then(|poses| face_of(subject, poses, frame)), [1.0, 1.0]),
    };
    let wide = USUAL_SHARE * f64::from(loaded.info.size.width);
    let (mount, size) = match face {
        Some(corners) => (PictureMount::Face(corners), fills),
        None => {
            let high = wide * f64::from(pixels[1]) / f64::from(pixels[0]);
            (PictureMount::Facing(Orientation { since: frame, turns: true, grows: true, tilts: false }), [wide, high])
        }
    };
    let hung = Picture { picture, pixels, mount, place: Point::default(), size, rotation: 0.0 };
    let attachment = Attachment::new(Uuid::new_v4(), AttachmentKind::Picture(hung));
    let made = attachment.id;
    let edit = Edit::PutAttachment { subject: which, attachment, index: None };
    let title = format!("Picture {} on {}", image.name, subject.name);
    let edited = state.edit(id, revision, &title, &edit).await?;
    Ok(HttpResponse::Created().json(json!({ "revision": edited.revision, "attachment": made })))
}

/// The corners of the box round an area's outline.
fn corners_of(area: &Area) -> [Corner; 4] {
    let [_, corners @ ..] = area.carriers;
    corners.map(Corner::Pin)
}

/// In shares of a face, the size of a picture that lies within it undistorted, as the face was drawn.
fn inside(face: Rect, pixels: [u32; 2]) -> [f64; 2] {
    let [width, height] = pixels.map(f64::from);
    let (across, down) = (width / (face.right - face.left), height / (face.bottom - face.top));
    let most = INSIDE / across.max(down);
    [across * most, down * most]
}

/// The first four pins and carried points that are there, as corners: from the top left one on, clockwise as the
/// picture shows them.
fn face_of(subject: &Subject, poses: &Poses, frame: Frame) -> Option<[Corner; 4]> {
    let pins = subject.pins.iter().filter_map(|pin| Some((Corner::Pin(pin.id), poses.pin(pin.id, frame)?.1)));
    let points = subject.points.iter();
    let points = points.filter_map(|point| Some((Corner::Point(point.id), point.position(poses, frame)?)));
    let mut four: Vec<(Corner, Point)> = pins.chain(points).take(4).collect();
    if four.len() < 4 {
        return None;
    }
    let middle = four.iter().fold(Point::default(), |sum, (_, at)| sum + *at) * 0.25;
    // Down is positive, so a growing angle goes clockwise.
    let angle = |at: Point| (at.y - middle.y).atan2(at.x - middle.x);
    four.sort_by(|a, b| angle(a.1).total_cmp(&angle(b.1)));
    let top_left = |at: Point| (at.x - middle.x) + (at.y - middle.y);
    let first = (0..4).min_by(|&a, &b| top_left(four[a].1).total_cmp(&top_left(four[b].1)))?;
    four.rotate_left(first);
    Some([0, 1, 2, 3].map(|i| four[i].0))
}

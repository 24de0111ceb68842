//! Attachments dragged elsewhere, made larger, and turned.

use std::sync::Arc;

use actix_web::{HttpResponse, post, web};
use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::document::Shot;
use jampin_core::edit::Edit;
use jampin_core::evaluate::{face_drawn, face_to_lie_on};
use jampin_core::geometry::Point;
use jampin_core::time::Frame;
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::loading::load;
use crate::paths::subject_of;
use crate::state::AppState;

#[derive(Deserialize)]
pub(crate) struct MoveRequest {
    revision: i64,
    frame: Frame,
    from: Point,
    to: Point,
}

/// Drags an attachment on a frame: it keeps following, with another offset.
#[post("/api/shots/{id}/attachments/{attachment}/move")]
pub(crate) async fn drag(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<MoveRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let MoveRequest { revision, frame, from, to } = body.into_inner();
    let loaded = load(&state, id).await?;
    let (subject, attachment) = find(&loaded.stored.shot, which)?;
    let (shot, typesetter) = (Arc::clone(&loaded), state.typesetter.clone());
    let moved = web::block(move || shot.scene(&typesetter).moved(which, frame, from, to));
    let kind = moved.await.map_err(ApiError::internal)?.ok_or_else(|| {
        ApiError::Unusable("It cannot be dragged here. Go to a frame on which it is shown; a boundary line is moved by its pins and points.".into())
    })?;
    let moved = Attachment { kind, ..attachment.clone() };
    check(&moved)?;
    let edit = Edit::PutAttachment { subject, attachment: moved, index: None };
    let title = format!("Move the {}", attachment.kind.name());
    Ok(HttpResponse::Ok().json(state.edit(id, revision, &title, &edit).await?))
}

#[derive(Deserialize)]
pub(crate) struct ReshapeRequest {
    revision: i64,
    /// How many times as large.
    factor: f64,
    /// Turned clockwise by so much.
    degrees: f64,
}

/// Makes an attachment larger or smaller, and turns it, about its own middle.
#[post("/api/shots/{id}/attachments/{attachment}/reshape")]
pub(crate) async fn reshape(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<ReshapeRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let ReshapeRequest { revision, factor, degrees } = body.into_inner();
    let loaded = load(&state, id).await?;
    let (subject, attachment) = find(&loaded.stored.shot, which)?;
    let kind = attachment.kind.reshaped(factor, degrees).ok_or_else(|| {
        ApiError::Unusable(
            "It keeps its form: what stands upright is not turned, and a boundary line has that of its corners.".into(),
        )
    })?;
    let reshaped = Attachment { kind, ..attachment.clone() };
    check(&reshaped)?;
    let edit = Edit::PutAttachment { subject, attachment: reshaped, index: None };
    let title = format!("{} the {}", if degrees == 0.0 { "Size of" } else { "Turn" }, attachment.kind.name());
    Ok(HttpResponse::Ok().json(state.edit(id, revision, &title, &edit).await?))
}

#[derive(Deserialize)]
pub(crate) struct LayRequest {
    revision: i64,
    frame: Frame,
    /// The face's corners in the picture of the frame, from the one at the top left of what is read on it; without
    /// them the face that the subject shows.
    corners: Option<[Point; 4]>,
    /// A picture fills the face, whatever its own proportions.
    #[serde(default)]
    fills: bool,
}

/// Lays a label or a picture on a face of its subject, in perspective.
#[post("/api/shots/{id}/attachments/{attachment}/lay")]
pub(crate) async fn lay(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid)>,
    body: web::Json<LayRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which) = path.into_inner();
    let LayRequest { revision, frame, corners, fills } = body.into_inner();
    let loaded = load(&state, id).await?;
    let shot = &loaded.stored.shot;
    let (subject, attachment) = find(shot, which)?;
    let carrier = subject_of(shot, subject)?;
    let poses = loaded.poses(carrier).filter(|poses| poses.at(frame).is_some());
    let poses = poses.ok_or_else(|| {
        ApiError::Unusable(format!("{} is not there on frame {frame}. Go to a frame on which it is.", carrier.name))
    })?;
    let drawn = corners.map(|corners| face_drawn(carrier, corners, frame));
    let face = drawn.or_else(|| face_to_lie_on(carrier, poses, frame)).ok_or_else(|| {
        ApiError::Unusable("Nothing says how the face lies: click its four corners, from the top left one.".into())
    })?;
    let kind = attachment.kind.laid_on(face, loaded.info.size);
    let mut kind = kind.ok_or_else(|| ApiError::Unusable("Only labels and pictures lie on a face.".into()))?;
    match &mut kind {
        AttachmentKind::Picture(picture) if fills => picture.size = [1.0, 1.0],
        AttachmentKind::Label(label) => {
            let art = label.art(&carrier.name);
            let drawn =
                state.typesetter.artwork(&art).map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))?;
            kind = kind.with_room((drawn.width, drawn.height), loaded.info.size);
        }
        _ => {}
    }
    let laid = Attachment { kind, ..attachment.clone() };
    check(&laid)?;
    let edit = Edit::PutAttachment { subject, attachment: laid, index: None };
    let title = format!("Lay the {} on a face", attachment.kind.name());
    Ok(HttpResponse::Ok().json(state.edit(id, revision, &title, &edit).await?))
}

/// Puts something new on a subject. Answers with the revision and what was made.
pub(crate) async fn put_new(
    state: &AppState,
    (shot, revision): (Uuid, i64),
    subject: Uuid,
    attachment: Attachment,
    title: &str,
) -> Result<HttpResponse, ApiError> {
    let made = attachment.id;
    let edit = Edit::PutAttachment { subject, attachment, index: None };
    let edited = state.edit(shot, revision, title, &edit).await?;
    Ok(HttpResponse::Created().json(json!({ "revision": edited.revision, "attachment": made })))
}

pub(crate) fn find(shot: &Shot, which: Uuid) -> Result<(Uuid, &Attachment), ApiError> {
    let all = shot.subjects.iter().flat_map(|subject| subject.attachments.iter().map(move |one| (subject.id, one)));
    let mut found = all.filter(|(_, one)| one.id == which);
    found.next().ok_or_else(|| ApiError::NotFound("This attachment is not there any more.".into()))
}

fn check(attachment: &Attachment) -> Result<(), ApiError> {
    attachment.check().map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))
}

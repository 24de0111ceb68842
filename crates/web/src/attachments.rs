//! Attachments: dragged elsewhere, dressed in a look, one change for all that share it.

use actix_web::{HttpResponse, delete, post, put, web};
use jampin_core::edit::{Edit, MAX_NAME};
use jampin_core::geometry::Point;
use jampin_core::scene::Scene;
use jampin_core::shot::{Attachment, Shot};
use jampin_core::time::Frame;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::shots::{Loaded, load};
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
    let Loaded { stored, info, .. } = load(&state, id).await?;
    let (subject, attachment) = find(&stored.shot, which)?;
    let scene = Scene::new(&stored.shot, info.size, stored.info.range, &state.typesetter);
    let kind = scene.moved(which, frame, from, to).ok_or_else(|| {
        ApiError::Unusable("It cannot be dragged here. Go to a frame on which it is shown; a boundary line is moved by its pins and points.".into())
    })?;
    let moved = Attachment { kind, ..attachment.clone() };
    check(&moved)?;
    let edit = Edit::PutAttachment { subject, attachment: moved, index: None };
    let title = format!("Move the {}", name_of(attachment));
    Ok(HttpResponse::Ok().json(state.store.edit(id, revision, &title, &edit).await?))
}

#[derive(Deserialize)]
pub(crate) struct LookRequest {
    revision: i64,
    /// Whether every attachment of the kind in the shot is to have it, not this one alone.
    #[serde(default)]
    all: bool,
}

/// Gives an attachment a look: the one that the project keeps under this name; under a new name, its own becomes the look.
#[put("/api/shots/{id}/attachments/{attachment}/look/{name}")]
pub(crate) async fn dress(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, Uuid, String)>,
    body: web::Json<LookRequest>,
) -> Result<HttpResponse, ApiError> {
    let (id, which, name) = path.into_inner();
    let name = name.trim().to_owned();
    if !(1..=MAX_NAME).contains(&name.chars().count()) {
        return Err(ApiError::Unusable(format!("The name of a look has 1 to {MAX_NAME} characters.")));
    }
    let Loaded { stored, clip, .. } = load(&state, id).await?;
    let (_, attachment) = find(&stored.shot, which)?;
    let kept = state.store.looks(clip.project_id).await?;
    let known = kept.into_iter().find(|look| look.look.as_ref() == Some(&name));
    let is_new = known.is_none();
    let look = known.unwrap_or_else(|| Attachment { look: Some(name.clone()), ..attachment.clone() });
    if attachment.dressed_like(&look).is_none() {
        return Err(ApiError::Unusable(format!(
            "The look \u{201c}{name}\u{201d} is one of a {}, this is a {}. Choose another name.",
            name_of(&look),
            name_of(attachment)
        )));
    }
    let edits = dressed(&stored.shot, &look, |other| body.all || other.id == which);
    let title = format!("Look \u{201c}{name}\u{201d}");
    let edited = state.store.edit(id, body.revision, &title, &Edit::All { edits }).await?;
    if is_new {
        state.store.keep_look(clip.project_id, &look).await?;
    }
    Ok(HttpResponse::Ok().json(edited))
}

#[delete("/api/projects/{id}/looks/{name}")]
pub(crate) async fn forget_look(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, String)>,
) -> Result<HttpResponse, ApiError> {
    let (project, name) = path.into_inner();
    state.store.forget_look(project, &name).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// What a changed attachment changes besides: all that share its look follow. With the look that the project keeps once that is done.
pub(crate) fn followed(shot: &Shot, edit: Edit) -> (Edit, Option<Attachment>) {
    let Edit::PutAttachment { attachment, .. } = &edit else { return (edit, None) };
    let before = find(shot, attachment.id).ok().map(|(_, before)| before.look.clone());
    // One that is new, or gets or loses its look now, changes no others.
    if attachment.look.is_none() || before != Some(attachment.look.clone()) {
        return (edit, None);
    }
    let look = attachment.clone();
    let others = dressed(shot, &look, |other| other.id != look.id && other.look == look.look);
    (Edit::All { edits: std::iter::once(edit).chain(others).collect() }, Some(look))
}

/// Edits that put some attachments of a shot into a look, as far as they are of its kind.
fn dressed(shot: &Shot, look: &Attachment, wanted: impl Fn(&Attachment) -> bool) -> Vec<Edit> {
    let all = shot.subjects.iter().flat_map(|subject| subject.attachments.iter().map(move |one| (subject.id, one)));
    let put = |(subject, one): (Uuid, &Attachment)| {
        let attachment = one.dressed_like(look)?;
        Some(Edit::PutAttachment { subject, attachment, index: None })
    };
    all.filter(|(_, one)| wanted(one)).filter_map(put).collect()
}

pub(crate) fn find(shot: &Shot, which: Uuid) -> Result<(Uuid, &Attachment), ApiError> {
    let all = shot.subjects.iter().flat_map(|subject| subject.attachments.iter().map(move |one| (subject.id, one)));
    let mut found = all.filter(|(_, one)| one.id == which);
    found.next().ok_or_else(|| ApiError::NotFound("This attachment is not there any more.".into()))
}

fn check(attachment: &Attachment) -> Result<(), ApiError> {
    attachment.check().map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))
}

fn name_of(attachment: &Attachment) -> &'static str {
    use jampin_core::shot::AttachmentKind as Kind;
    match attachment.kind {
        Kind::Label(_) => "label",
        Kind::Boundary(_) => "boundary line",
        Kind::Picture(_) => "picture",
        Kind::Flare(_) => "flare",
        Kind::Cover(_) => "cover",
        Kind::Front(_) => "piece in front",
    }
}

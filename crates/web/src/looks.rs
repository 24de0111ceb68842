//! Looks: given to attachments, kept in the project, and the same in all of its shots.

use actix_web::{HttpResponse, delete, put, web};
use jampin_core::attachment::Attachment;
use jampin_core::document::MAX_NAME;
use jampin_core::edit::{Edit, apply_look, changed_looks};
use jampin_store::{StoreError, StoredShot};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::attachments::find;
use crate::error::ApiError;
use crate::evaluated::EvaluatedShot;
use crate::loading::load;
use crate::state::AppState;

/// Somebody else may be at work in the other shot: so often it is tried.
const TRIES: usize = 3;

#[derive(Deserialize)]
pub(crate) struct LookRequest {
    revision: i64,
    /// Whether every attachment of the kind in the shot is to have it, not this one alone.
    #[serde(default)]
    all: bool,
}

/// Gives an attachment a look: the one that the project keeps under this name; under a new name, its own becomes the
/// look.
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
    let loaded = load(&state, id).await?;
    let EvaluatedShot { stored, clip, .. } = &*loaded;
    let (_, attachment) = find(&stored.shot, which)?;
    let kept = state.store.looks(clip.project_id).await?;
    let known = kept.into_iter().find(|look| look.look.as_ref() == Some(&name));
    let is_new = known.is_none();
    let look = known.unwrap_or_else(|| Attachment { look: Some(name.clone()), ..attachment.clone() });
    if attachment.in_style_of(&look).is_none() {
        return Err(ApiError::Unusable(format!(
            "The look \u{201c}{name}\u{201d} is one of a {}, this is a {}. Choose another name.",
            look.kind.name(),
            attachment.kind.name()
        )));
    }
    let edits = apply_look(&stored.shot, &look, |other| body.all || other.id == which);
    if edits.is_empty() {
        return Ok(HttpResponse::Ok().json(json!({ "revision": stored.info.revision })));
    }
    let title = format!("Look \u{201c}{name}\u{201d}");
    let edited = state.edit(id, body.revision, &title, &Edit::All { edits }).await?;
    // The edit is made: it is not answered as if it had failed.
    if is_new && let Err(error) = state.store.keep_look(clip.project_id, &look).await {
        tracing::error!(%error, shot = %id, "a new look could not be kept");
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

/// After a change of a shot (an edit, an undo, a redo): looks that are other ones now are kept so, and the project's
/// other shots follow, each with an entry of its own to undo. The change itself is made, whatever becomes of that: it
/// is not answered as if it had failed.
pub(crate) async fn keep_up(state: &AppState, before: &StoredShot) {
    if let Err(error) = looks_follow(state, before).await {
        tracing::error!(%error, shot = %before.info.id, "the looks of a changed shot could not be kept");
    }
}

async fn looks_follow(state: &AppState, before: &StoredShot) -> Result<(), ApiError> {
    let with_look = |attachment: &Attachment| attachment.look.is_some();
    if !before.shot.subjects.iter().flat_map(|subject| &subject.attachments).any(with_look) {
        return Ok(());
    }
    let after = load(state, before.info.id).await?;
    for look in changed_looks(&before.shot, &after.stored.shot) {
        state.store.keep_look(before.info.project_id, &look).await?;
        for other in state.store.shots(before.info.project_id).await? {
            if other.id != before.info.id {
                follow(state, other.id, &look).await?;
            }
        }
    }
    Ok(())
}

async fn follow(state: &AppState, shot: Uuid, look: &Attachment) -> Result<(), ApiError> {
    let title = format!("Look \u{201c}{}\u{201d}", look.look.as_deref().unwrap_or_default());
    for attempt in 1..=TRIES {
        let loaded = load(state, shot).await?;
        let edits = apply_look(&loaded.stored.shot, look, |other| other.look == look.look);
        if edits.is_empty() {
            return Ok(());
        }
        match state.edit(shot, loaded.stored.info.revision, &title, &Edit::All { edits }).await {
            Err(StoreError::Stale { .. }) if attempt < TRIES => {}
            done => return Ok(done.map(|_| ())?),
        }
    }
    Ok(())
}

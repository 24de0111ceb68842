//! Taking away: clips, pictures, finished films, projects; and having a project back.

use actix_web::{HttpResponse, delete, post, web};
use jampin_store::{Person, Remains};
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

async fn clear(state: &AppState, remains: Remains) -> Result<HttpResponse, ApiError> {
    state.library.forget(&remains).await;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/clips/{id}")]
pub(crate) async fn clip(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.delete_clip(*id, me.id).await?;
    clear(&state, Remains { clips: vec![*id], ..Remains::default() }).await
}

/// The picture is not offered any more. Its file stays as long as undo may bring it back.
#[delete("/api/pictures/{id}")]
pub(crate) async fn picture(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.delete_picture(*id, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/exports/{job}")]
pub(crate) async fn export(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    job: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.delete_export(*job, me.id).await?;
    clear(&state, Remains { films: vec![*job], ..Remains::default() }).await
}

#[delete("/api/projects/{id}")]
pub(crate) async fn project(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.delete_project(*id, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[post("/api/projects/{id}/restore")]
pub(crate) async fn restore(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.restore_project(*id, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Only what was deleted before can go for good.
#[delete("/api/projects/{id}/for-good")]
pub(crate) async fn purge(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    let remains = state.store.purge_project(*id, Some(me.id)).await?;
    clear(&state, remains).await
}

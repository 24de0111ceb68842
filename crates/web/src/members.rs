//! Who is in a project, and as what.

use actix_web::{HttpResponse, delete, get, put, web};
use jampin_store::{Person, Role, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::sign_in::person_name;
use crate::state::AppState;

#[get("/api/projects/{id}/members")]
pub(crate) async fn members(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.members(*id).await?))
}

#[derive(Deserialize)]
pub(crate) struct Membership {
    name: String,
    role: Role,
}

/// Makes somebody a member, or another kind of member.
#[put("/api/projects/{id}/members")]
pub(crate) async fn put_member(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
    body: web::Json<Membership>,
) -> Result<HttpResponse, ApiError> {
    let name = person_name(&body.name)?;
    let put = state.store.set_member(*id, name, body.role, me.id).await;
    put.map_err(|error| match error {
        StoreError::NotFound("person") => {
            ApiError::NotFound(format!("Nobody here is called “{name}”. An administrator can add them."))
        }
        error => error.into(),
    })?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/projects/{id}/members/{person}")]
pub(crate) async fn remove_member(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (project, person) = path.into_inner();
    state.store.remove_member(project, person, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

//! Whoever works here, for an administrator.

use actix_web::{HttpResponse, delete, get, patch, post, web};
use askama::Template;
use jampin_store::{Person, Store};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::assets::version;
use crate::error::ApiError;
use crate::pages::{html, page};
use crate::secrets;
use crate::sign_in::person_name;
use crate::state::AppState;

#[derive(Template)]
#[template(path = "people.html")]
struct PeoplePage {
    version: String,
    me: Person,
    people: Vec<Person>,
}

#[get("/people")]
pub(crate) async fn people_page(state: web::Data<AppState>, me: web::ReqData<Person>) -> HttpResponse {
    let people = state.store.people().await.map_err(ApiError::from);
    page(people.and_then(|people| html(&PeoplePage { version: version(), me: me.into_inner(), people })))
}

#[derive(Deserialize)]
pub(crate) struct Named {
    name: String,
}

/// Makes a one-time link for somebody; gives its path. `by` nobody: on the terminal.
pub async fn make_link(store: &Store, person: Uuid, by: Option<Uuid>) -> Result<String, ApiError> {
    let token = secrets::fresh()?;
    store.make_link(person, &secrets::hash(&token), by).await?;
    Ok(format!("/welcome?token={token}"))
}

/// Adds somebody, with a link by which they set their passphrase.
#[post("/api/people")]
pub(crate) async fn add(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    body: web::Json<Named>,
) -> Result<HttpResponse, ApiError> {
    if !me.signs_in {
        let first = "Set a passphrase of your own first (on the page that has your name): with others here, everybody has to sign in.";
        return Err(ApiError::Unusable(first.into()));
    }
    let person = state.store.add_person(person_name(&body.name)?, me.id).await?;
    let link = make_link(&state.store, person.id, Some(me.id)).await?;
    Ok(HttpResponse::Created().json(json!({ "person": person, "link": link })))
}

/// A link for somebody who has forgotten, or has not come in time.
#[post("/api/people/{id}/link")]
pub(crate) async fn give_link(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    let link = make_link(&state.store, *id, Some(me.id)).await?;
    Ok(HttpResponse::Created().json(json!({ "link": link })))
}

#[derive(Deserialize)]
pub(crate) struct Change {
    administrator: bool,
}

#[patch("/api/people/{id}")]
pub(crate) async fn change(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
    body: web::Json<Change>,
) -> Result<HttpResponse, ApiError> {
    state.store.set_administrator(*id, body.administrator, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/people/{id}")]
pub(crate) async fn dismiss(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    if *id == me.id {
        return Err(ApiError::InUse("Nobody can take themselves out. Another administrator can.".into()));
    }
    state.store.dismiss(*id, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

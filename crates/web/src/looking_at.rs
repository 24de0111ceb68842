//! A shot as a director sees it: all that hangs in it, nothing to change, and the links by which they come.

use actix_session::Session;
use actix_web::http::header::LOCATION;
use actix_web::{HttpResponse, delete, get, post, web};
use askama::Template;
use jampin_core::time::{Frame, timecode_base};
use jampin_store::{Person, ShotInfo, Thing};
use serde::Deserialize;
use serde_json::json;
use uuid::Uuid;

use crate::access::who;
use crate::assets::version;
use crate::error::ApiError;
use crate::loading::load;
use crate::pages::{html, page};
use crate::secrets;
use crate::sessions::{self, PERSON};
use crate::sign_in::person_name;
use crate::state::AppState;
use crate::visitor::Visitor;

/// Days for which a link can work.
const MOST_DAYS: u32 = 90;

#[derive(Template)]
#[template(path = "look.html")]
struct LookPage {
    version: String,
    shot: ShotInfo,
    /// What the visitor is called.
    name: String,
}

#[derive(Deserialize)]
pub(crate) struct Key {
    #[serde(default)]
    key: String,
}

/// The way in by a link: what it says is kept in a cookie, and the address has it no more.
#[get("/look")]
pub(crate) async fn come(state: web::Data<AppState>, session: Session, query: web::Query<Key>) -> HttpResponse {
    let come: Result<_, ApiError> = async {
        let link = state.store.look_link_of_key(&secrets::hash(&query.key)).await?;
        let gone = "This link does not work any more: it was taken back, or its time is over. Ask for another.";
        let link = link.ok_or_else(|| ApiError::NotFound(gone.into()))?;
        let person = who(&state, session.get(PERSON).ok().flatten()).await?;
        // Who works on it comes as who they are.
        let role = match person {
            Some(person) => state.store.role(person.id, Thing::Shot(link.shot_id)).await?,
            None => None,
        };
        if role.is_none() {
            sessions::come_by(&session, link.id)?;
        }
        let path = format!("/look/{}", link.shot_id);
        Ok(HttpResponse::SeeOther().insert_header((LOCATION, path)).finish())
    }
    .await;
    page(come)
}

#[get("/look/{id}")]
pub(crate) async fn look_page(
    state: web::Data<AppState>,
    me: web::ReqData<Visitor>,
    id: web::Path<Uuid>,
) -> HttpResponse {
    let shot = state.store.shot_info(*id).await.map_err(ApiError::from);
    page(shot.and_then(|shot| html(&LookPage { version: version(), shot, name: me.name().to_owned() })))
}

/// What the page needs to play a shot.
#[get("/api/shots/{id}/look")]
pub(crate) async fn look_state(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    let loaded = load(&state, *id).await?;
    let (clip, info, table) = (&loaded.clip, &loaded.info, &loaded.table);
    let times: Vec<i64> = (0..=table.len()).filter_map(|frame| table.micros(Frame(frame))).collect();
    Ok(HttpResponse::Ok().json(json!({
        "name": loaded.stored.info.name, "range": loaded.stored.info.range, "revision": loaded.stored.info.revision,
        "clip": {
            "id": clip.id, "width": info.size.width, "height": info.size.height, "times": times,
            "rate": [info.rate.num, info.rate.den], "timecode_base": timecode_base(info.rate),
        },
    })))
}

#[get("/api/shots/{id}/links")]
pub(crate) async fn links(state: web::Data<AppState>, id: web::Path<Uuid>) -> Result<HttpResponse, ApiError> {
    Ok(HttpResponse::Ok().json(state.store.look_links(*id).await?))
}

#[derive(Deserialize)]
pub(crate) struct NewLink {
    /// For whom.
    name: String,
    days: u32,
}

/// Makes a link. Its key is in the answer, and nowhere else.
#[post("/api/shots/{id}/links")]
pub(crate) async fn make_link(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
    body: web::Json<NewLink>,
) -> Result<HttpResponse, ApiError> {
    if !(1..=MOST_DAYS).contains(&body.days) {
        return Err(ApiError::Unusable(format!("A link works for 1 to {MOST_DAYS} days.")));
    }
    let key = secrets::fresh()?;
    let name = person_name(&body.name)?;
    let link = state.store.make_look_link(*id, name, body.days, &secrets::hash(&key), me.id).await?;
    Ok(HttpResponse::Created().json(json!({ "link": link, "path": format!("/look?key={key}") })))
}

#[delete("/api/shots/{id}/links/{link}")]
pub(crate) async fn take_back(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    path: web::Path<(Uuid, Uuid)>,
) -> Result<HttpResponse, ApiError> {
    let (shot, link) = path.into_inner();
    state.store.end_look_link(shot, link, me.id).await?;
    Ok(HttpResponse::NoContent().finish())
}

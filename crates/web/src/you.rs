//! Who one is: name, passphrase, and where one is signed in.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, delete, get, patch, put, web};
use askama::Template;
use jampin_store::{Person, Session as StoredSession};
use serde::Deserialize;
use uuid::Uuid;

use crate::assets::version;
use crate::error::ApiError;
use crate::pages::{html, page};
use crate::passphrases;
use crate::sessions::{self, BROWSER};
use crate::sign_in::{MOST_TRIES, browser_of, person_name, too_often};
use crate::state::AppState;

/// Tries with the old passphrase are counted apart from those to sign in, under this in place of an address.
const FROM_INSIDE: &str = "inside";

#[derive(Template)]
#[template(path = "you.html")]
struct YouPage {
    version: String,
    me: Person,
    sessions: Vec<ShownSession>,
    least: usize,
}

/// A session in the list.
struct ShownSession {
    id: Uuid,
    browser: String,
    began: String,
    seen: String,
    is_this: bool,
}

impl ShownSession {
    fn new(session: StoredSession, this: Option<Uuid>) -> Self {
        let browser = session.state[BROWSER].as_str().and_then(|text| serde_json::from_str(text).ok());
        let moment = |at: chrono::DateTime<chrono::Utc>| at.format("%-d %B %Y, %H:%M").to_string();
        Self {
            is_this: Some(session.id) == this,
            id: session.id,
            browser: browser.unwrap_or_else(|| "A browser".to_owned()),
            began: moment(session.began_at),
            seen: moment(session.seen_at),
        }
    }
}

#[get("/you")]
pub(crate) async fn you_page(state: web::Data<AppState>, session: Session, me: web::ReqData<Person>) -> HttpResponse {
    let me = me.into_inner();
    let found = state.store.sessions(me.id, state.settings.sessions).await.map_err(ApiError::from);
    let this = sessions::identity(&session);
    page(found.and_then(|all| {
        let sessions = all.into_iter().map(|session| ShownSession::new(session, this)).collect();
        html(&YouPage { version: version(), me, sessions, least: passphrases::LEAST })
    }))
}

#[derive(Deserialize)]
pub(crate) struct Named {
    name: String,
}

#[patch("/api/you")]
pub(crate) async fn rename(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    body: web::Json<Named>,
) -> Result<HttpResponse, ApiError> {
    state.store.rename_person(me.id, person_name(&body.name)?).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
pub(crate) struct NewPassphrase {
    /// The one there is; empty where there is none.
    #[serde(default)]
    old: String,
    new: String,
}

/// Who has the old one may set another. All other sessions end, and this one gets a new key.
#[put("/api/you/passphrase")]
pub(crate) async fn set_passphrase(
    state: web::Data<AppState>,
    session: Session,
    me: web::ReqData<Person>,
    request: HttpRequest,
    body: web::Json<NewPassphrase>,
) -> Result<HttpResponse, ApiError> {
    let NewPassphrase { old, new } = body.into_inner();
    let (_, kept) = state.store.secret_of(&me.name).await?.ok_or(ApiError::SignedOut)?;
    if kept.is_some() {
        let tries = state.store.note_try(Uuid::new_v4(), &me.name, FROM_INSIDE).await?;
        if tries.both > MOST_TRIES.both {
            return Err(too_often());
        }
        if old.chars().count() > passphrases::MOST || !passphrases::fits(old, kept).await? {
            return Err(ApiError::Unusable("This is not your passphrase of today.".into()));
        }
        state.store.forgive(&me.name, FROM_INSIDE).await?;
    }
    passphrases::check(&new, &[&me.name, "jam pin"])?;
    let hash = passphrases::hash(new).await?;
    state.store.set_passphrase(me.id, &hash).await?;
    sessions::begin(&session, &me, browser_of(&request))?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/you/sessions")]
pub(crate) async fn end_others(
    state: web::Data<AppState>,
    session: Session,
    me: web::ReqData<Person>,
) -> Result<HttpResponse, ApiError> {
    state.store.end_other_sessions(me.id, sessions::identity(&session).unwrap_or_default()).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/you/sessions/{id}")]
pub(crate) async fn end(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, ApiError> {
    state.store.end_session_of(me.id, *id).await?;
    Ok(HttpResponse::NoContent().finish())
}

//! Who one is: name, passphrase, and where one is signed in.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, delete, get, patch, put, web};
use askama::Template;
use jampin_store::{BoundIdentity, Person, Session as StoredSession};
use serde::Deserialize;
use uuid::Uuid;

use crate::assets::version;
use crate::error::ApiError;
use crate::pages::{html, page};
use crate::passphrases;
use crate::second_factor;
use crate::sessions::{self, BROWSER, browser_of};
use crate::sign_in::person_name;
use crate::state::AppState;
use crate::tries::{self, FROM_INSIDE};

#[derive(Template)]
#[template(path = "you.html")]
struct YouPage {
    version: String,
    me: Person,
    sessions: Vec<ShownSession>,
    least: usize,
    /// What a new authenticator is to be told, while one is added.
    letters: Option<String>,
    /// Whether everybody needs a second factor.
    needs_second_factor: bool,
    /// By whom they sign in, too.
    identities: Vec<BoundIdentity>,
    /// What the identity provider is called, if there is one.
    elsewhere: Option<String>,
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
    page(shown(&state, me.into_inner(), &session).await)
}

async fn shown(state: &AppState, me: Person, session: &Session) -> Result<HttpResponse, ApiError> {
    let this = sessions::identity(session);
    let letters = second_factor::fresh(session).map(|shared| shared.in_letters()).transpose()?;
    let all = state.store.sessions(me.id, state.settings.sessions).await?;
    let sessions = all.into_iter().map(|session| ShownSession::new(session, this)).collect();
    let identities = state.store.identities(me.id).await?;
    let elsewhere = state.settings.provider.as_ref().map(|provider| provider.name.clone());
    let (least, needs_second_factor) = (passphrases::LEAST, state.settings.needs_second_factor);
    html(&YouPage { version: version(), me, sessions, least, letters, needs_second_factor, identities, elsewhere })
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
        tries::count(&state, &me.name, FROM_INSIDE).await?;
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

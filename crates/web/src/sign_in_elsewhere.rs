//! Signing in by an identity provider. Who is not known here is let in by nobody else's word: an identity becomes
//! somebody's by their one-time link, or on the page with their name.

use actix_session::Session;
use actix_web::{HttpRequest, HttpResponse, delete, get, post, web};
use chrono::{DateTime, TimeDelta, Utc};
use jampin_store::{Identity, Person};
use serde::{Deserialize, Serialize};
use serde_json::json;
use url::Url;
use uuid::Uuid;

use crate::access::who;
use crate::error::ApiError;
use crate::openid::{Asked, Provider};
use crate::pages::{go_to, page};
use crate::secrets;
use crate::sessions::{self, PERSON, browser_of};
use crate::sign_in::{own_path, refused};
use crate::state::AppState;
use crate::tries;

/// In a session: what was asked elsewhere.
const GOING: &str = "going";
/// For so many minutes an answer is waited for.
const PATIENCE: i64 = 10;

/// Somebody is on their way to the provider and back.
#[derive(Serialize, Deserialize)]
struct Going {
    asked: Asked,
    why: Why,
    since: DateTime<Utc>,
}

#[derive(Serialize, Deserialize)]
enum Why {
    /// To sign in, and to go on there.
    SignIn { then: String },
    /// To come here for the first time, or again, by a one-time link; by the hash of its key.
    Welcome { link: Vec<u8> },
    /// To sign in so from now on.
    Bind { person: Uuid },
}

fn provider(state: &AppState) -> Result<&Provider, ApiError> {
    let none = || ApiError::NotFound("Nobody signs in elsewhere here: no identity provider is set up.".into());
    state.settings.provider.as_ref().ok_or_else(none)
}

/// Where the provider sends people back to.
fn back(state: &AppState, request: &HttpRequest) -> Result<Url, ApiError> {
    let here = match &state.settings.reach.url {
        Some(url) => url.clone(),
        None => format!("http://{}", request.connection_info().host()).parse().map_err(ApiError::internal)?,
    };
    here.join("/sign-in/back").map_err(ApiError::internal)
}

/// Asks the provider; gives where to send the browser.
async fn ask(state: &AppState, session: &Session, request: &HttpRequest, why: Why) -> Result<Url, ApiError> {
    let address = tries::address_of(state, request);
    sessions::name(session)?;
    tries::count(state, &counted(session), &address).await?;
    let (to, asked) = provider(state)?.ask(&back(state, request)?).await?;
    let going = Going { asked, why, since: Utc::now() };
    session.insert(GOING, going).map_err(ApiError::internal)?;
    // Under a key that no server has read a moment ago: whichever is come back to knows that somebody went.
    session.renew();
    Ok(to)
}

/// Under this in place of a name those tries are counted, each browser's for itself: a whole house may come from one
/// address in the morning.
fn counted(session: &Session) -> String {
    format!("/sign-in/elsewhere {}", sessions::identity(session).unwrap_or_default())
}

#[derive(Deserialize)]
pub(crate) struct Leaving {
    #[serde(default)]
    then: String,
    token: Option<String>,
}

/// From the page where one signs in, or the one that a one-time link opens.
#[get("/sign-in/elsewhere")]
pub(crate) async fn leave(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    query: web::Query<Leaving>,
) -> HttpResponse {
    let Leaving { then, token } = query.into_inner();
    let why = match token {
        // A page elsewhere must not make somebody's identity that of another person here.
        Some(_) if !is_from_here(&request) => {
            let sentence = "Open the link that you were given, and go on from there.";
            return page(Err(ApiError::Forbidden(sentence.into())));
        }
        Some(token) => Why::Welcome { link: secrets::hash(&token) },
        None => Why::SignIn { then: own_path(&then).to_owned() },
    };
    page(ask(&state, &session, &request, why).await.map(|to| go_to(to.as_str())))
}

fn is_from_here(request: &HttpRequest) -> bool {
    request.headers().get("sec-fetch-site").is_none_or(|site| site == "same-origin")
}

/// Only our own page may ask for this: else a page elsewhere could make its identity sign in as who is signed in here.
#[post("/api/you/elsewhere")]
pub(crate) async fn bind(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    me: web::ReqData<Person>,
) -> Result<HttpResponse, ApiError> {
    let to = ask(&state, &session, &request, Why::Bind { person: me.id }).await?;
    Ok(HttpResponse::Ok().json(json!({ "to": to })))
}

#[delete("/api/you/elsewhere")]
pub(crate) async fn unbind(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    body: web::Json<Unbound>,
) -> Result<HttpResponse, ApiError> {
    state.store.unbind_identity(me.id, &body.issuer).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Deserialize)]
pub(crate) struct Unbound {
    issuer: String,
}

#[derive(Deserialize)]
pub(crate) struct Answer {
    #[serde(default)]
    state: String,
    code: Option<String>,
    iss: Option<String>,
}

#[get("/sign-in/back")]
pub(crate) async fn come_back(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    query: web::Query<Answer>,
) -> HttpResponse {
    let came_back = came_back(&state, &session, &request, query.into_inner()).await;
    if let Err(error) = &came_back
        && session.get::<Uuid>(PERSON).ok().flatten().is_none()
    {
        return refused(&state, error);
    }
    page(came_back)
}

async fn came_back(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    answer: Answer,
) -> Result<HttpResponse, ApiError> {
    let provider = provider(state)?;
    let going: Option<Going> = session.get(GOING).ok().flatten();
    session.remove(GOING);
    let is_fresh = |going: &Going| Utc::now() - going.since < TimeDelta::minutes(PATIENCE);
    let is_ours = |going: &Going| going.asked.state == answer.state && !provider.is_other(answer.iss.as_deref());
    let going = going.filter(|going| is_fresh(going) && is_ours(going)).ok_or_else(|| {
        let sentence = "This was not begun in this browser, or took too long. Begin again where you sign in.";
        ApiError::Forbidden(sentence.into())
    })?;
    let code = answer.code.ok_or_else(|| {
        let name = &provider.name;
        ApiError::Forbidden(format!("{name} did not let you in. Begin again, or sign in with your passphrase."))
    })?;
    let identity = provider.answered(going.asked, code, &back(state, request)?).await?;
    state.store.forgive(&counted(session), &tries::address_of(state, request)).await?;
    let to = match going.why {
        Why::SignIn { then } => sign_in(state, session, request, &identity).await.map(|()| then)?,
        Why::Welcome { link } => {
            let person = state.store.use_link_by(&link, &identity).await?;
            sessions::begin(session, &person, browser_of(request))?;
            "/".to_owned()
        }
        Why::Bind { person } => {
            let me = who(state, session.get(PERSON).ok().flatten()).await?.filter(|me| me.id == person);
            let me = me.ok_or(ApiError::SignedOut)?;
            state.store.bind_identity(me.id, &identity).await?;
            sessions::begin(session, &me, browser_of(request))?;
            "/you".to_owned()
        }
    };
    state.forget_recent();
    Ok(go_to(&to))
}

async fn sign_in(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    identity: &Identity,
) -> Result<(), ApiError> {
    let Some(person) = state.store.person_by_identity(identity).await? else {
        tracing::warn!(issuer = identity.issuer, subject = identity.subject, "nobody here has this identity");
        return Err(ApiError::Forbidden(format!(
            "{} is nobody here yet. Ask an administrator for a link; on the page that it opens you can choose to sign in this way.",
            identity.called
        )));
    };
    sessions::begin(session, &person, browser_of(request))
}

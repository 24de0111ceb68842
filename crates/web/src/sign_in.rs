//! Signing in and out, and the link by which a passphrase is set.

use actix_session::Session;
use actix_web::http::StatusCode;
use actix_web::http::header::{LOCATION, RETRY_AFTER, USER_AGENT};
use actix_web::{HttpRequest, HttpResponse, ResponseError, get, post, web};
use askama::Template;
use jampin_core::document::MAX_NAME;
use jampin_store::Tries;
use serde::Deserialize;
use uuid::Uuid;

use crate::access::who;
use crate::assets::version;
use crate::error::ApiError;
use crate::pages::{answer, html, page};
use crate::sessions::{self, PERSON};
use crate::state::AppState;
use crate::{passphrases, secrets};

/// Tries that may fail within a quarter of an hour: for one name from one address, for one name, from one address.
/// The first is what a person needs who has forgotten; the others are what guessing from many places comes to.
pub(crate) const MOST_TRIES: Tries = Tries { both: 8, name: 60, address: 40 };
/// Seconds after which tries are forgotten.
const FORGOTTEN_AFTER: u32 = 15 * 60;

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    version: String,
    name: String,
    then: String,
    problem: Option<String>,
}

#[derive(Template)]
#[template(path = "welcome.html")]
struct WelcomePage {
    version: String,
    token: String,
    name: String,
    least: usize,
    problem: Option<String>,
}

/// Only a path of ours: a link to the sign-in page must not lead elsewhere.
fn own_path(then: &str) -> &str {
    let leads_away = then.starts_with("//") || then.contains('\\') || then.contains(char::is_control);
    if then.starts_with('/') && !leads_away { then } else { "/" }
}

fn go_to(path: &str) -> HttpResponse {
    HttpResponse::SeeOther().insert_header((LOCATION, path)).finish()
}

#[derive(Deserialize)]
pub(crate) struct Then {
    #[serde(default)]
    then: String,
}

#[get("/sign-in")]
pub(crate) async fn sign_in_page(
    state: web::Data<AppState>,
    session: Session,
    query: web::Query<Then>,
) -> Result<HttpResponse, ApiError> {
    let then = own_path(&query.then);
    if who(&state, session.get(PERSON).ok().flatten()).await?.is_some() {
        return Ok(go_to(then));
    }
    html(&SignInPage { version: version(), name: String::new(), then: then.into(), problem: None })
}

#[derive(Deserialize)]
pub(crate) struct SignIn {
    name: String,
    passphrase: String,
    #[serde(default)]
    then: String,
}

#[post("/sign-in")]
pub(crate) async fn sign_in(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    form: web::Form<SignIn>,
) -> HttpResponse {
    let SignIn { name, passphrase, then } = form.into_inner();
    let then = own_path(&then).to_owned();
    let error = match signed_in(&state, &session, &request, &name, passphrase).await {
        Ok(()) => return go_to(&then),
        Err(error) => error,
    };
    let page = SignInPage { version: version(), name, then, problem: Some(error.to_string()) };
    let mut answer = answer(error.status_code(), &page);
    if error.status_code() == StatusCode::TOO_MANY_REQUESTS {
        answer.headers_mut().insert(RETRY_AFTER, FORGOTTEN_AFTER.into());
    }
    answer
}

/// One sentence and one duration for an unknown name and a wrong passphrase: nobody learns which names there are.
async fn signed_in(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    name: &str,
    passphrase: String,
) -> Result<(), ApiError> {
    let name = name.trim();
    if name.chars().count() > MAX_NAME || passphrase.chars().count() > passphrases::MOST {
        return Err(ApiError::WrongPassphrase);
    }
    let address = state.settings.reach.address_of(request).map(|address| address.to_string()).unwrap_or_default();
    let tries = state.store.note_try(Uuid::new_v4(), name, &address).await?;
    if tries.both > MOST_TRIES.both || tries.name > MOST_TRIES.name || tries.address > MOST_TRIES.address {
        tracing::warn!(address, "too many tries to sign in");
        return Err(too_often());
    }
    let known = state.store.secret_of(name).await?;
    let (id, kept) = known.map_or((None, None), |(id, kept)| (Some(id), kept));
    let fits = passphrases::fits(passphrase, kept).await?;
    let Some(id) = id.filter(|_| fits) else {
        tracing::warn!(address, "a try to sign in failed");
        return Err(ApiError::WrongPassphrase);
    };
    state.store.forgive(name, &address).await?;
    sessions::begin(session, &state.store.person(id).await?, browser_of(request))
}

pub(crate) fn too_often() -> ApiError {
    ApiError::TooMany("Too many tries. Wait a quarter of an hour, then try again.".into())
}

pub(crate) fn browser_of(request: &HttpRequest) -> &str {
    request.headers().get(USER_AGENT).and_then(|value| value.to_str().ok()).unwrap_or_default()
}

#[post("/sign-out")]
pub(crate) async fn sign_out(session: Session) -> HttpResponse {
    session.purge();
    go_to("/sign-in")
}

#[derive(Deserialize)]
pub(crate) struct Token {
    #[serde(default)]
    token: String,
}

#[get("/welcome")]
pub(crate) async fn welcome_page(state: web::Data<AppState>, query: web::Query<Token>) -> HttpResponse {
    let token = query.into_inner().token;
    let found = state.store.person_of_link(&secrets::hash(&token)).await.map_err(ApiError::from);
    let found = found.and_then(|person| person.ok_or_else(used_up));
    page(found.and_then(|person| {
        let least = passphrases::LEAST;
        html(&WelcomePage { version: version(), token, name: person.name, least, problem: None })
    }))
}

fn used_up() -> ApiError {
    ApiError::NotFound("This link does not work any more: it was used, or is too old. Ask for another.".into())
}

#[derive(Deserialize)]
pub(crate) struct Welcome {
    token: String,
    name: String,
    passphrase: String,
}

#[post("/welcome")]
pub(crate) async fn welcome(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    form: web::Form<Welcome>,
) -> HttpResponse {
    let Welcome { token, name, passphrase } = form.into_inner();
    let error = match welcomed(&state, &session, &request, (&token, &name), passphrase).await {
        Ok(()) => return go_to("/"),
        Err(error @ ApiError::NotFound(_)) => return page(Err(error)),
        Err(error) => error,
    };
    let problem = Some(error.to_string());
    answer(error.status_code(), &WelcomePage { version: version(), token, name, least: passphrases::LEAST, problem })
}

async fn welcomed(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    (token, name): (&str, &str),
    passphrase: String,
) -> Result<(), ApiError> {
    let link = secrets::hash(token);
    state.store.person_of_link(&link).await?.ok_or_else(used_up)?;
    let name = person_name(name)?;
    passphrases::check(&passphrase, &[name, "jam pin"])?;
    let hash = passphrases::hash(passphrase).await?;
    let person = state.store.use_link(&link, name, &hash).await?;
    sessions::begin(session, &person, browser_of(request))
}

/// A name as it is kept.
pub(crate) fn person_name(name: &str) -> Result<&str, ApiError> {
    let name = name.trim();
    let fits = (1..=MAX_NAME).contains(&name.chars().count()) && !name.contains(char::is_control);
    fits.then_some(name).ok_or_else(|| ApiError::Unusable(format!("A name has 1 to {MAX_NAME} characters.")))
}

#[cfg(test)]
mod tests {
    use super::own_path;

    #[test]
    fn one_is_only_sent_on_to_a_path_of_ours() {
        for own in ["/", "/shots/1?frame=3", "/projects/a//b"] {
            assert_eq!(own_path(own), own);
        }
        for away in ["", "https://elsewhere.example", "//elsewhere.example", "/\\elsewhere.example", "/\t/x", "shots"] {
            assert_eq!(own_path(away), "/", "{away}");
        }
    }
}

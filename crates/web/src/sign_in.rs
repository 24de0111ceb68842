//! Signing in and out, and the link by which a passphrase is set.

use actix_session::Session;
use actix_web::http::StatusCode;
use actix_web::http::header::RETRY_AFTER;
use actix_web::{HttpRequest, HttpResponse, ResponseError, get, post, web};
use askama::Template;
use jampin_core::document::MAX_NAME;
use serde::Deserialize;

use crate::access::who;
use crate::assets::version;
use crate::error::ApiError;
use crate::pages::{answer, go_to, html, page};
use crate::sessions::{self, PERSON, browser_of};
use crate::state::AppState;
use crate::{passphrases, second_factor, secrets, tries};

/// Seconds after which tries are forgotten.
const FORGOTTEN_AFTER: u32 = 15 * 60;

#[derive(Template)]
#[template(path = "sign_in.html")]
struct SignInPage {
    version: String,
    name: String,
    then: String,
    /// What the identity provider is called, if there is one.
    elsewhere: Option<String>,
    problem: Option<String>,
}

#[derive(Template)]
#[template(path = "welcome.html")]
struct WelcomePage {
    version: String,
    token: String,
    name: String,
    least: usize,
    elsewhere: Option<String>,
    problem: Option<String>,
}

/// Only a path of ours: a link to the sign-in page must not lead elsewhere.
pub(crate) fn own_path(then: &str) -> &str {
    let leads_away = then.starts_with("//") || then.contains('\\') || then.contains(char::is_control);
    if then.starts_with('/') && !leads_away { then } else { "/" }
}

/// The page once more, with what went wrong elsewhere.
pub(crate) fn refused(state: &AppState, error: &ApiError) -> HttpResponse {
    let (name, then, problem) = (String::new(), "/".to_owned(), Some(error.to_string()));
    answer(error.status_code(), &SignInPage { version: version(), name, then, elsewhere: elsewhere(state), problem })
}

fn elsewhere(state: &AppState) -> Option<String> {
    state.settings.provider.as_ref().map(|provider| provider.name.clone())
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
    let elsewhere = elsewhere(&state);
    html(&SignInPage { version: version(), name: String::new(), then: then.into(), elsewhere, problem: None })
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
    let error = match signed_in(&state, &session, &request, (&name, &then), passphrase).await {
        Ok(on) => return go_to(&on),
        Err(error) => error,
    };
    let page =
        SignInPage { version: version(), name, then, elsewhere: elsewhere(&state), problem: Some(error.to_string()) };
    let mut answer = answer(error.status_code(), &page);
    if error.status_code() == StatusCode::TOO_MANY_REQUESTS {
        answer.headers_mut().insert(RETRY_AFTER, FORGOTTEN_AFTER.into());
    }
    answer
}

/// Where it goes on. One sentence and one duration for an unknown name and a wrong passphrase: nobody learns which names
/// there are.
async fn signed_in(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    (name, then): (&str, &str),
    passphrase: String,
) -> Result<String, ApiError> {
    let name = name.trim();
    if name.chars().count() > MAX_NAME || passphrase.chars().count() > passphrases::MOST {
        return Err(ApiError::WrongPassphrase);
    }
    let address = tries::address_of(state, request);
    tries::count(state, name, &address).await?;
    let known = state.store.secret_of(name).await?;
    let (id, kept) = known.map_or((None, None), |(id, kept)| (Some(id), kept));
    let fits = passphrases::fits(passphrase, kept).await?;
    let Some(id) = id.filter(|_| fits) else {
        tracing::warn!(address, "a try to sign in failed");
        return Err(ApiError::WrongPassphrase);
    };
    state.store.forgive(name, &address).await?;
    let person = state.store.person(id).await?;
    if person.has_second_factor {
        return second_factor::half_way(session, person.id, then).map(str::to_owned);
    }
    sessions::begin(session, &person, browser_of(request))?;
    Ok(then.to_owned())
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
        let elsewhere = elsewhere(&state);
        html(&WelcomePage { version: version(), token, name: person.name, least, elsewhere, problem: None })
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
    let (least, elsewhere) = (passphrases::LEAST, elsewhere(&state));
    answer(error.status_code(), &WelcomePage { version: version(), token, name, least, elsewhere, problem })
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

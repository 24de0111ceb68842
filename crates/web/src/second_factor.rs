//! A second factor: who has one shows a code of their authenticator when they sign in with their passphrase.

use actix_session::Session;
use actix_web::http::StatusCode;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, ResponseError, delete, get, post, put, web};
use askama::Template;
use chrono::{DateTime, TimeDelta, Utc};
use jampin_store::Person;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

use crate::assets::version;
use crate::authenticator::Shared;
use crate::error::ApiError;
use crate::pages::{answer, go_to, html, page};
use crate::sessions::{self, browser_of};
use crate::state::AppState;
use crate::tries::{self, FROM_INSIDE};

/// In a session: who has shown their passphrase, and not yet a code.
const HALF: &str = "half";
/// In a session: what an authenticator is to share with us, until it has shown that it does.
const NEW: &str = "authenticator";
/// For so many minutes a code is waited for.
const PATIENCE: i64 = 10;

#[derive(Serialize, Deserialize)]
struct Half {
    person: Uuid,
    then: String,
    since: DateTime<Utc>,
}

/// Notes that somebody has shown their passphrase; gives where they show the rest.
pub(crate) fn half_way(session: &Session, person: Uuid, then: &str) -> Result<&'static str, ApiError> {
    session.clear();
    let half = Half { person, then: then.to_owned(), since: Utc::now() };
    session.insert(HALF, half).map_err(ApiError::internal)?;
    sessions::name(session)?;
    session.renew();
    Ok("/sign-in/code")
}

fn half(session: &Session) -> Option<Half> {
    let half: Option<Half> = session.get(HALF).ok().flatten();
    half.filter(|half| Utc::now() - half.since < TimeDelta::minutes(PATIENCE))
}

#[derive(Template)]
#[template(path = "sign_in_code.html")]
struct CodePage {
    version: String,
    problem: Option<String>,
}

#[get("/sign-in/code")]
pub(crate) async fn code_page(session: Session) -> HttpResponse {
    match half(&session) {
        Some(_) => page(html(&CodePage { version: version(), problem: None })),
        None => go_to("/sign-in"),
    }
}

#[derive(Deserialize)]
pub(crate) struct Code {
    code: String,
}

#[post("/sign-in/code")]
pub(crate) async fn show_code(
    state: web::Data<AppState>,
    session: Session,
    request: HttpRequest,
    form: web::Form<Code>,
) -> HttpResponse {
    let Some(half) = half(&session) else { return go_to("/sign-in") };
    match shown(&state, &session, &request, &half, &form.code).await {
        Ok(()) => go_to(&half.then),
        Err(error) => {
            let status = match error.status_code() {
                StatusCode::UNPROCESSABLE_ENTITY => StatusCode::UNAUTHORIZED,
                other => other,
            };
            answer(status, &CodePage { version: version(), problem: Some(error.to_string()) })
        }
    }
}

async fn shown(
    state: &AppState,
    session: &Session,
    request: &HttpRequest,
    half: &Half,
    code: &str,
) -> Result<(), ApiError> {
    use_code(state, half.person, code, &tries::address_of(state, request)).await?;
    sessions::begin(session, &state.store.person(half.person).await?, browser_of(request))
}

/// Uses a code up that counts. Tries are counted under this in place of a name: nobody's name is a path.
async fn use_code(state: &AppState, person: Uuid, code: &str, address: &str) -> Result<(), ApiError> {
    let counted = format!("/sign-in/code {person}");
    tries::count(state, &counted, address).await?;
    let Some(shared) = state.store.second_factor(person).await? else { return Ok(()) };
    let step = Shared::of(&shared).step_of(code)?;
    let counts = match step {
        Some(step) => state.store.use_code_of(person, step).await?,
        None => false,
    };
    if !counts {
        tracing::warn!(address, %person, "a code that does not count");
        return Err(not_now());
    }
    Ok(state.store.forgive(&counted, address).await?)
}

fn not_now() -> ApiError {
    ApiError::Unusable(
        "This is not what your authenticator shows now, or it was used already: wait for the next one.".into(),
    )
}

/// Begins to add one.
#[post("/api/you/second-factor")]
pub(crate) async fn begin(session: Session, me: web::ReqData<Person>) -> Result<HttpResponse, ApiError> {
    if !me.has_passphrase {
        return Err(ApiError::Unusable("Set a passphrase first: this is asked for after it.".into()));
    }
    session.insert(NEW, Shared::fresh()?).map_err(ApiError::internal)?;
    sessions::name(&session)?;
    Ok(HttpResponse::NoContent().finish())
}

/// What is being added.
pub(crate) fn fresh(session: &Session) -> Option<Shared> {
    session.get(NEW).ok().flatten()
}

#[get("/you/second-factor.svg")]
pub(crate) async fn picture(session: Session, me: web::ReqData<Person>) -> Result<HttpResponse, ApiError> {
    let shared = fresh(&session).ok_or_else(|| ApiError::NotFound("Nothing is being added.".into()))?;
    Ok(HttpResponse::Ok()
        .insert_header(ContentType("image/svg+xml".parse().map_err(ApiError::internal)?))
        .body(shared.picture(&me)?))
}

/// It is added once the authenticator has shown that it knows what is shared.
#[put("/api/you/second-factor")]
pub(crate) async fn add(
    state: web::Data<AppState>,
    session: Session,
    me: web::ReqData<Person>,
    body: web::Json<Code>,
) -> Result<HttpResponse, ApiError> {
    let shared = fresh(&session).ok_or_else(|| ApiError::Unusable("Begin again: nothing is being added.".into()))?;
    // Who has only found a browser signed in must not put theirs in its place.
    if state.store.second_factor(me.id).await?.is_some() {
        return Err(ApiError::InUse("You have one. End it with a code of it first.".into()));
    }
    let step = shared.step_of(&body.code)?.ok_or_else(not_now)?;
    state.store.set_second_factor(me.id, Some(&shared.bytes()?)).await?;
    state.store.use_code_of(me.id, step).await?;
    session.remove(NEW);
    Ok(HttpResponse::NoContent().finish())
}

/// Who shows a code may do without from now on.
#[delete("/api/you/second-factor")]
pub(crate) async fn remove(
    state: web::Data<AppState>,
    me: web::ReqData<Person>,
    body: web::Json<Code>,
) -> Result<HttpResponse, ApiError> {
    use_code(&state, me.id, &body.code, FROM_INSIDE).await?;
    state.store.set_second_factor(me.id, None).await?;
    Ok(HttpResponse::NoContent().finish())
}

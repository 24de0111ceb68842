//! Who asks, and whether they may. What each route needs is in one table ([`crate::ROUTES`]); what is not theirs is, for
//! whoever asks, not there.

use actix_session::SessionExt;
use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{ACCEPT, AUTHORIZATION, LOCATION};
use actix_web::middleware::Next;
use actix_web::{Error, HttpMessage, HttpResponse, ResponseError, web};
use jampin_store::{FIRST_OWNER, LookLink, Person, Role, StoreError, Thing};
use url::form_urlencoded;
use uuid::Uuid;

use crate::aside::answering;
use crate::error::ApiError;
use crate::needs::{Kind, Needs, needs_of};
use crate::pages;
use crate::secrets;
use crate::sessions::{LINK, PERSON};
use crate::state::AppState;
use crate::visitor::{Asked, Visitor};

/// What programs read that watch the server.
const METRICS: &str = "/metrics";

/// Lets a request through to its route if who asks may; the route finds them as `ReqData<Visitor>`, and where somebody
/// has to be signed in as `ReqData<Person>`.
pub(crate) async fn access<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    let wants_page = wants_page(&request);
    match admit(&request).await {
        Ok(visitor) => {
            if let Some(Visitor::Person(person)) = &visitor {
                tracing::Span::current().record("person", person.id.to_string());
                request.extensions_mut().insert(person.clone());
            }
            let who = visitor.as_ref().and_then(Visitor::person);
            if let Some(visitor) = visitor {
                request.extensions_mut().insert(visitor);
            }
            Ok(answering(who, next.call(request)).await?.map_into_left_body())
        }
        Err(ApiError::NoSecondFactor) if wants_page => {
            let answer = HttpResponse::SeeOther().insert_header((LOCATION, "/you")).finish();
            Ok(request.into_response(answer).map_into_right_body())
        }
        Err(ApiError::SignedOut) if wants_page => {
            let answer = to_sign_in(&request);
            Ok(request.into_response(answer).map_into_right_body())
        }
        Err(error) => {
            let answer = if wants_page { pages::problem(&error) } else { error.error_response() };
            Ok(request.into_response(answer).map_into_right_body())
        }
    }
}

/// Who asks, if anybody has to.
async fn admit(request: &ServiceRequest) -> Result<Option<Visitor>, ApiError> {
    let not_here = || ApiError::NotFound(format!("There is nothing at {}.", request.path()));
    let pattern = request.match_pattern().ok_or_else(not_here)?;
    let needs = needs_of(request.method().as_str(), &pattern).ok_or_else(not_here)?;
    if needs == Needs::Nothing {
        return Ok(None);
    }
    let state = request.app_data::<web::Data<AppState>>().ok_or_else(|| ApiError::internal("no state"))?;
    if pattern == METRICS && has_token(request, state.settings.metrics_token.as_deref()) {
        return Ok(None);
    }
    let session = request.get_session();
    let (signed_in, link) = (session.get(PERSON).ok().flatten(), session.get(LINK).ok().flatten());
    let asked = (signed_in, link, needs, first_identity(&pattern, request.path()));
    let changes = state.let_in.changes();
    let visitor = match state.let_in.get(&asked) {
        Some(known) => known,
        None => {
            let found = look_up(state, request.path(), asked).await?;
            state.let_in.put(asked, found.clone(), changes);
            found
        }
    };
    if state.settings.needs_second_factor && lacks_one(&visitor) && !is_about_oneself(&pattern) {
        return Err(ApiError::NoSecondFactor);
    }
    Ok(Some(visitor))
}

fn lacks_one(visitor: &Visitor) -> bool {
    matches!(visitor, Visitor::Person(person) if person.has_passphrase && !person.has_second_factor)
}

fn is_about_oneself(pattern: &str) -> bool {
    pattern == "/you" || pattern.starts_with("/you/") || pattern.starts_with("/api/you")
}

/// Who asks, if they may.
async fn look_up(state: &AppState, path: &str, asked: Asked) -> Result<Visitor, ApiError> {
    let (signed_in, link, needs, id) = asked;
    let not_here = || ApiError::NotFound(format!("There is nothing at {path}."));
    let thing = |kind| id.map(|id| thing(kind, id)).ok_or_else(not_here);
    let person = who(state, signed_in).await?;
    let may = match (needs, &person) {
        (Needs::Nothing | Needs::Person | Needs::Somebody, Some(_)) => Ok(()),
        (Needs::Administrator, Some(person)) => person.administrator.then_some(()).ok_or_else(not_here),
        (Needs::Member(kind, least), Some(person)) => is_member(state, person, thing(kind)?, kind, least).await,
        (Needs::Look(kind), Some(person)) => is_member(state, person, thing(kind)?, kind, Role::Viewer).await,
        (_, None) => Err(ApiError::SignedOut),
    };
    let refused = match (may, person) {
        (Ok(()), Some(person)) => return Ok(Visitor::Person(person)),
        (Ok(()), None) => ApiError::SignedOut,
        (Err(error), _) => error,
    };
    let (Needs::Look(_) | Needs::Somebody) = needs else { return Err(refused) };
    let Some(link) = link_of(state, link).await? else { return Err(refused) };
    let is_seen = match needs {
        Needs::Look(kind) => state.store.is_seen_in(link.shot_id, thing(kind)?).await?,
        _ => true,
    };
    if is_seen { Ok(Visitor::Guest(link)) } else { Err(refused) }
}

/// Lets in who is this or more in the project of a thing; to others it is not there.
async fn is_member(state: &AppState, person: &Person, of: Thing, kind: Kind, least: Role) -> Result<(), ApiError> {
    let role = state.store.role(person.id, of).await?;
    let role = role.ok_or_else(|| ApiError::from(StoreError::NotFound(name_of(kind))))?;
    if role >= least { Ok(()) } else { Err(ApiError::Forbidden(too_little(role, least))) }
}

/// The link that somebody came by, if it still works.
async fn link_of(state: &AppState, id: Option<Uuid>) -> Result<Option<LookLink>, ApiError> {
    match id {
        Some(id) => Ok(state.store.look_link(id).await?),
        None => Ok(None),
    }
}

/// Who this is: who signed in, or else whoever sits at the machine, while its owner has set no passphrase.
pub(crate) async fn who(state: &AppState, signed_in: Option<Uuid>) -> Result<Option<Person>, ApiError> {
    let found = |person: Result<Person, StoreError>| match person {
        Ok(person) => Ok(Some(person)),
        Err(StoreError::NotFound(_)) => Ok(None),
        Err(error) => Err(ApiError::from(error)),
    };
    match signed_in {
        Some(id) => found(state.store.person(id).await),
        None if state.settings.reach.trusts_machine => {
            Ok(found(state.store.person(FIRST_OWNER).await)?.filter(|owner| !owner.signs_in))
        }
        None => Ok(None),
    }
}

fn thing(kind: Kind, id: Uuid) -> Thing {
    match kind {
        Kind::Project => Thing::Project(id),
        Kind::Clip => Thing::Clip(id),
        Kind::Shot => Thing::Shot(id),
        Kind::Picture => Thing::Picture(id),
        Kind::Job => Thing::Job(id),
    }
}

fn name_of(kind: Kind) -> &'static str {
    match kind {
        Kind::Project => "project",
        Kind::Clip => "clip",
        Kind::Shot => "shot",
        Kind::Picture => "picture",
        Kind::Job => "job",
    }
}

fn too_little(role: Role, least: Role) -> String {
    match least {
        Role::Owner => "Only an owner of this project may do this.".into(),
        Role::Editor | Role::Viewer => {
            format!(
                "You are {} in this project: you may look, and not change it. Ask one of its owners.",
                role.phrase()
            )
        }
    }
}

/// What stands in the path where the pattern has its first name.
fn first_identity(pattern: &str, path: &str) -> Option<Uuid> {
    let before = pattern.find('{')?;
    path.get(before..)?.split('/').next()?.parse().ok()
}

/// Whether a program brings the token that was set for it. Hashes are compared: how much of it is right shows in no time.
fn has_token(request: &ServiceRequest, token: Option<&str>) -> bool {
    let brought = request.headers().get(AUTHORIZATION).and_then(|value| value.to_str().ok());
    let brought = brought.and_then(|text| text.strip_prefix("Bearer "));
    brought.zip(token).is_some_and(|(brought, token)| secrets::hash(brought) == secrets::hash(token))
}

/// Whether who asks is a person's browser that opens a page.
fn wants_page(request: &ServiceRequest) -> bool {
    let accepts = request.headers().get(ACCEPT).and_then(|value| value.to_str().ok());
    request.method() == Method::GET && accepts.is_some_and(|accepted| accepted.contains("text/html"))
}

/// To the page where one signs in, and back here afterwards.
fn to_sign_in(request: &ServiceRequest) -> HttpResponse {
    let here = request.uri().path_and_query().map_or("/", |path| path.as_str());
    let query: String = form_urlencoded::Serializer::new(String::new()).append_pair("then", here).finish();
    HttpResponse::SeeOther().insert_header((LOCATION, format!("/sign-in?{query}"))).finish()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::needs::ROUTES;

    #[test]
    fn the_first_identity_is_read_where_the_pattern_has_it() {
        let id = Uuid::from_u128(7);
        let other = Uuid::from_u128(9);
        let found = |pattern: &str, path: String| first_identity(pattern, &path);
        assert_eq!(found("/api/shots/{id}", format!("/api/shots/{id}")), Some(id));
        assert_eq!(found("/api/shots/{id}/areas/{area}", format!("/api/shots/{id}/areas/{other}")), Some(id));
        assert_eq!(found("/clips/{id}/frames/{frame}.jpg", format!("/clips/{id}/frames/3.jpg")), Some(id));
        assert_eq!(found("/api/shots/{id}", "/api/shots/nonsense".into()), None);
        assert_eq!(found("/api/queue", "/api/queue".into()), None);
    }

    #[test]
    fn no_route_is_in_the_table_twice_and_what_changes_a_project_is_no_viewer_s() {
        for (i, (method, pattern, needs)) in ROUTES.iter().enumerate() {
            assert!(!ROUTES[..i].iter().any(|(by, of, _)| (by, of) == (method, pattern)), "{method} {pattern}");
            let keeps_nothing = pattern.ends_with("/path") || pattern.ends_with("/here");
            if let Needs::Member(_, role) = needs {
                assert!(*method == "GET" || keeps_nothing || *role >= Role::Editor, "{method} {pattern}");
            }
        }
    }
}

//! Sessions in the database, for `actix-session`.

use std::collections::HashMap;

use actix_session::config::{CookieContentSecurity, PersistentSession};
use actix_session::storage::{LoadError, SaveError, SessionKey, SessionStore, UpdateError, generate_session_key};
use actix_session::{Session, SessionMiddleware};
use actix_web::HttpRequest;
use actix_web::cookie::SameSite;
use actix_web::cookie::time::Duration;
use actix_web::http::header::USER_AGENT;
use jampin_store::{Person, SessionBounds, Store, StoreError};
use serde::Deserialize;
use uuid::Uuid;

use crate::error::ApiError;
use crate::recent::Recent;
use crate::secrets;
use crate::state::AppState;

/// In a session: whose it is.
pub(crate) const PERSON: &str = "person";
/// In a session: the link to look at a shot that somebody came by.
pub(crate) const LINK: &str = "link";
/// In a session: its identity in the list of them.
pub(crate) const IDENTITY: &str = "session";
/// In a session: what it was begun with, as the browser calls itself.
pub(crate) const BROWSER: &str = "browser";
/// Longest of those names that is kept.
const LONGEST_BROWSER: usize = 200;

type State = HashMap<String, String>;

/// Sessions as rows.
#[derive(Clone)]
pub(crate) struct StoredSessions {
    store: Store,
    bounds: SessionBounds,
    recent: Recent<Vec<u8>, State>,
}

/// Reads and writes the cookie. It is sealed with a key that all servers over this database have.
pub(crate) fn middleware(state: &AppState) -> SessionMiddleware<StoredSessions> {
    let (bounds, reach) = (state.settings.sessions, &state.settings.reach);
    let lasting = PersistentSession::default().session_ttl(Duration::hours(bounds.hours.into()));
    // A cookie of this name is only taken from this host, over TLS (RFC 6265bis, cookie name prefixes).
    let name = if reach.is_secure() { "__Host-jampin" } else { "jampin" };
    let sessions = StoredSessions { store: state.store.clone(), bounds, recent: state.sessions.clone() };
    SessionMiddleware::builder(sessions, state.cookie_key.clone())
        .session_lifecycle(lasting)
        .cookie_name(name.into())
        .cookie_secure(reach.is_secure())
        .cookie_http_only(true)
        .cookie_same_site(SameSite::Lax)
        .cookie_content_security(CookieContentSecurity::Private)
        .build()
}

/// Signs somebody in, under a key that nobody had before.
pub(crate) fn begin(session: &Session, person: &Person, browser: &str) -> Result<(), ApiError> {
    session.clear();
    let browser: String = browser.chars().take(LONGEST_BROWSER).collect();
    session.insert(PERSON, person.id).map_err(ApiError::internal)?;
    session.insert(IDENTITY, Uuid::new_v4()).map_err(ApiError::internal)?;
    session.insert(BROWSER, browser).map_err(ApiError::internal)?;
    session.renew();
    Ok(())
}

/// What a browser calls itself.
pub(crate) fn browser_of(request: &HttpRequest) -> &str {
    request.headers().get(USER_AGENT).and_then(|value| value.to_str().ok()).unwrap_or_default()
}

/// Notes by which link somebody came. Who is signed in stays so.
pub(crate) fn come_by(session: &Session, link: Uuid) -> Result<(), ApiError> {
    session.insert(LINK, link).map_err(ApiError::internal)?;
    name(session)?;
    session.renew();
    Ok(())
}

/// Gives a session an identity, if it has none.
pub(crate) fn name(session: &Session) -> Result<(), ApiError> {
    if identity(session).is_none() {
        session.insert(IDENTITY, Uuid::new_v4()).map_err(ApiError::internal)?;
    }
    Ok(())
}

/// The identity of the session, if there is one.
pub(crate) fn identity(session: &Session) -> Option<Uuid> {
    session.get(IDENTITY).ok().flatten()
}

/// What is under this name in a state as `actix-session` keeps it: each value is JSON.
fn part<T: for<'a> Deserialize<'a>>(state: &State, name: &str) -> Option<T> {
    serde_json::from_str(state.get(name)?).ok()
}

fn hash(key: &SessionKey) -> Vec<u8> {
    secrets::hash(key.as_ref())
}

impl SessionStore for StoredSessions {
    async fn load(&self, key: &SessionKey) -> Result<Option<State>, LoadError> {
        let (key, changes) = (hash(key), self.recent.changes());
        if let Some(known) = self.recent.get(&key) {
            return Ok(Some(known));
        }
        let found = self.store.session_state(&key, self.bounds).await;
        let Some(found) = found.map_err(|error| LoadError::Other(error.into()))? else { return Ok(None) };
        let state: State = serde_json::from_value(found).map_err(|error| LoadError::Deserialization(error.into()))?;
        self.recent.put(key, state.clone(), changes);
        Ok(Some(state))
    }

    async fn save(&self, state: State, _: &Duration) -> Result<SessionKey, SaveError> {
        let key = generate_session_key();
        let kept = async {
            self.store.forget_ended_sessions(self.bounds).await?;
            let id = part(&state, IDENTITY).ok_or(StoreError::NotFound("session"))?;
            self.store.begin_session(id, &hash(&key), part(&state, PERSON), &serde_json::to_value(&state)?).await
        };
        kept.await.map_err(|error| SaveError::Other(error.into()))?;
        Ok(key)
    }

    async fn update(&self, key: SessionKey, state: State, _: &Duration) -> Result<SessionKey, UpdateError> {
        let state = serde_json::to_value(state).map_err(|error| UpdateError::Serialization(error.into()))?;
        let kept = self.store.change_session(&hash(&key), &state).await;
        self.recent.forget();
        kept.map_err(|error| UpdateError::Other(error.into()))?;
        Ok(key)
    }

    /// They last as long as their bounds say, from when they were seen.
    async fn update_ttl(&self, _: &SessionKey, _: &Duration) -> Result<(), anyhow::Error> {
        Ok(())
    }

    async fn delete(&self, key: &SessionKey) -> Result<(), anyhow::Error> {
        Ok(self.store.end_session(&hash(key)).await?)
    }
}

//! News for open pages, as server-sent events.

use std::collections::HashMap;
use std::time::{Duration, Instant};

use actix_session::Session;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_ENCODING, CONTENT_TYPE};
use actix_web::{HttpResponse, get, web};
use bytes::Bytes;
use futures_util::stream;
use jampin_store::{Event, Thing};
use serde::Deserialize;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::RecvError;
use uuid::Uuid;

use crate::access::who;
use crate::error::ApiError;
use crate::here::GONE;
use crate::metrics::Counted;
use crate::sessions;
use crate::state::AppState;
use crate::visitor::Visitor;

/// A quiet stream says something this often, so that both ends notice when the other is gone.
const SIGN_OF_LIFE: Duration = Duration::from_secs(10);

#[derive(Clone, Copy, Deserialize)]
pub(crate) struct Interest {
    project: Option<Uuid>,
    shot: Option<Uuid>,
    /// Everything: one stream for all pages of a browser, each of which picks what it is about.
    #[serde(default)]
    all: bool,
}

impl Interest {
    fn covers(self, event: &Event) -> bool {
        match event {
            _ if self.all => true,
            Event::Shot { shot, .. }
            | Event::Samples { shot, .. }
            | Event::Notes { shot }
            | Event::Here { shot, .. } => self.shot == Some(*shot),
            Event::Job { project, shot, .. } => self.project == Some(*project) || shot.is_some() && self.shot == *shot,
            Event::Clip { project, .. } | Event::Project { project } => self.project == Some(*project),
            Event::Missed => true,
        }
    }
}

/// Somebody who listens.
struct Ear {
    state: web::Data<AppState>,
    me: Visitor,
    session: Option<Uuid>,
    interest: Interest,
    receiver: Receiver<Event>,
    /// Whether they may hear of these projects and shots.
    known: HashMap<Uuid, bool>,
    /// Shots that they have open, and when they said so: only there they hear of who else is. Told to everybody who may
    /// hear it, each of many would tell many.
    open: HashMap<Uuid, Instant>,
    /// When it was last made sure that they are still signed in.
    sure: Instant,
}

#[get("/api/events")]
pub(crate) async fn event_stream(
    state: web::Data<AppState>,
    me: web::ReqData<Visitor>,
    session: Session,
    interest: web::Query<Interest>,
) -> Result<HttpResponse, ApiError> {
    let listener = state.listeners.admit(me.id());
    let listener = listener.ok_or_else(|| ApiError::NotYet("Too many pages listen already. Close some.".into()))?;
    let held = (listener, Counted::new(&state.metrics.streams));
    let ear = Ear {
        receiver: state.hub.subscribe(),
        me: me.into_inner(),
        session: sessions::identity(&session),
        interest: *interest,
        known: HashMap::new(),
        open: HashMap::new(),
        sure: Instant::now(),
        state,
    };
    let first = stream::once(async { Ok::<_, actix_web::Error>(Bytes::from_static(b"retry: 1000\n\n: hello\n\n")) });
    let rest = stream::unfold((ear, held), |(mut ear, held)| async move {
        let text = ear.next().await?;
        Some((Ok(Bytes::from(text)), (ear, held)))
    });
    Ok(HttpResponse::Ok()
        .insert_header((CONTENT_TYPE, "text/event-stream"))
        .insert_header((CACHE_CONTROL, "no-store"))
        // Named so that the compressor leaves it alone: it would hold events back.
        .insert_header((CONTENT_ENCODING, "identity"))
        .streaming(futures_util::StreamExt::chain(first, rest)))
}

impl Ear {
    /// The next thing to send; `None` when the server goes down, or they are signed out.
    async fn next(&mut self) -> Option<String> {
        loop {
            let heard = tokio::time::timeout(SIGN_OF_LIFE, self.receiver.recv()).await;
            if self.sure.elapsed() >= SIGN_OF_LIFE {
                if !self.is_still_here().await {
                    return None;
                }
                self.sure = Instant::now();
            }
            match heard {
                Err(_) => return Some(": still here\n\n".into()),
                Ok(Ok(event)) if self.interest.covers(&event) => {
                    if self.may_hear(&event).await {
                        return Some(said(&event));
                    }
                }
                Ok(Ok(_)) => {}
                // Too slow to keep up: the page reads everything anew.
                Ok(Err(RecvError::Lagged(_))) => return Some(said(&Event::Missed)),
                Ok(Err(RecvError::Closed)) => return None,
            }
        }
    }

    /// While the database is away nobody is sent away.
    async fn is_still_here(&self) -> bool {
        let Self { state, me, session, .. } = self;
        match (me, session) {
            (Visitor::Person(person), Some(id)) => {
                state.store.has_session(person.id, *id, state.settings.sessions).await.unwrap_or(true)
            }
            (Visitor::Person(_), None) => who(state, None).await.is_ok_and(|somebody| somebody.is_some()),
            (Visitor::Guest(link), _) => state.store.look_link(link.id).await.is_ok_and(|link| link.is_some()),
        }
    }

    async fn may_hear(&mut self, event: &Event) -> bool {
        if let Event::Here { shot, person, .. } = event {
            if *person == self.me.id() {
                self.open.insert(*shot, Instant::now());
            }
            if self.open.get(shot).is_none_or(|said| said.elapsed() > GONE) {
                return false;
            }
        }
        let thing = match event {
            Event::Missed => return true,
            Event::Shot { shot, .. }
            | Event::Samples { shot, .. }
            | Event::Notes { shot }
            | Event::Here { shot, .. } => Thing::Shot(*shot),
            Event::Job { project, .. } | Event::Clip { project, .. } => Thing::Project(*project),
            Event::Project { project } => {
                // Its members may be others now.
                self.known.clear();
                Thing::Project(*project)
            }
        };
        let (Thing::Shot(id) | Thing::Project(id) | Thing::Clip(id) | Thing::Picture(id) | Thing::Job(id)) = thing;
        let person = match &self.me {
            Visitor::Person(person) => person.id,
            Visitor::Guest(link) => return id == link.shot_id,
        };
        if let Some(may) = self.known.get(&id) {
            return *may;
        }
        let Ok(role) = self.state.store.role(person, thing).await else { return false };
        self.known.insert(id, role.is_some());
        role.is_some()
    }
}

fn said(event: &Event) -> String {
    format!("data: {}\n\n", serde_json::to_string(event).unwrap_or_default())
}

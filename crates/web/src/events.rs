//! News for open pages, as server-sent events.

use std::net::{IpAddr, Ipv4Addr};
use std::time::Duration;

use actix_web::http::header::{CACHE_CONTROL, CONTENT_ENCODING, CONTENT_TYPE};
use actix_web::{HttpRequest, HttpResponse, get, web};
use bytes::Bytes;
use futures_util::stream;
use jampin_store::Event;
use serde::Deserialize;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::RecvError;
use uuid::Uuid;

use crate::error::ApiError;
use crate::metrics::Counted;
use crate::state::AppState;

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
            Event::Shot { shot, .. } | Event::Samples { shot, .. } => self.shot == Some(*shot),
            Event::Job { project, shot, .. } => self.project == Some(*project) || shot.is_some() && self.shot == *shot,
            Event::Clip { project, .. } | Event::Project { project } => self.project == Some(*project),
            Event::Missed => true,
        }
    }
}

#[get("/api/events")]
pub(crate) async fn event_stream(
    state: web::Data<AppState>,
    interest: web::Query<Interest>,
    request: HttpRequest,
) -> Result<HttpResponse, ApiError> {
    let from = request.peer_addr().map_or(IpAddr::V4(Ipv4Addr::UNSPECIFIED), |address| address.ip());
    let listener = state.listeners.admit(from);
    let listener = listener.ok_or_else(|| ApiError::NotYet("Too many pages listen already. Close some.".into()))?;
    let held = (listener, Counted::new(&state.metrics.streams));
    let receiver = state.hub.subscribe();
    let first = stream::once(async { Ok::<_, actix_web::Error>(Bytes::from_static(b"retry: 1000\n\n: hello\n\n")) });
    let rest = stream::unfold((receiver, *interest, held), |(mut receiver, interest, held)| async move {
        let text = next(&mut receiver, interest).await?;
        Some((Ok(Bytes::from(text)), (receiver, interest, held)))
    });
    Ok(HttpResponse::Ok()
        .insert_header((CONTENT_TYPE, "text/event-stream"))
        .insert_header((CACHE_CONTROL, "no-store"))
        // Named so that the compressor leaves it alone: it would hold events back.
        .insert_header((CONTENT_ENCODING, "identity"))
        .streaming(futures_util::StreamExt::chain(first, rest)))
}

/// The next thing to send; `None` when the server goes down.
async fn next(receiver: &mut Receiver<Event>, interest: Interest) -> Option<String> {
    loop {
        match tokio::time::timeout(SIGN_OF_LIFE, receiver.recv()).await {
            Err(_) => return Some(": still here\n\n".into()),
            Ok(Ok(event)) if interest.covers(&event) => {
                return Some(said(&event));
            }
            Ok(Ok(_)) => {}
            // Too slow to keep up: the page reads everything anew.
            Ok(Err(RecvError::Lagged(_))) => return Some(said(&Event::Missed)),
            Ok(Err(RecvError::Closed)) => return None,
        }
    }
}

fn said(event: &Event) -> String {
    format!("data: {}\n\n", serde_json::to_string(event).unwrap_or_default())
}

//! News for open pages, as server-sent events.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv4Addr};
use std::sync::{Arc, Mutex, PoisonError};
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

/// Pages and browsers that may listen at once, in all and from one address.
const STREAMS: usize = 200;
const STREAMS_OF_ONE: usize = 100;

/// Who listens, by address.
#[derive(Clone, Debug, Default)]
pub(crate) struct Listeners(Arc<Mutex<HashMap<IpAddr, usize>>>);

impl Listeners {
    fn admit(&self, from: IpAddr) -> Option<Listener> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.values().sum::<usize>() >= STREAMS || all.get(&from).is_some_and(|of_one| *of_one >= STREAMS_OF_ONE) {
            return None;
        }
        *all.entry(from).or_default() += 1;
        Some(Listener { all: self.clone(), from })
    }
}

/// A place among the listeners, given back when it is dropped.
struct Listener {
    all: Listeners,
    from: IpAddr,
}

impl Drop for Listener {
    fn drop(&mut self) {
        let mut all = self.all.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(of_one) = all.get_mut(&self.from) {
            *of_one -= 1;
        }
        all.retain(|_, of_one| *of_one > 0);
    }
}

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
            Event::Clip { project, .. } => self.project == Some(*project),
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_leaves_room_for_others_and_gives_back_what_it_had() {
        let listeners = Listeners::default();
        let of = |last: u8| IpAddr::V4(Ipv4Addr::new(127, 0, 0, last));
        let mut held: Vec<_> = (0..STREAMS_OF_ONE).map(|_| listeners.admit(of(1)).expect("there is room")).collect();
        assert!(listeners.admit(of(1)).is_none(), "one address takes it all");
        let others: Vec<_> =
            (STREAMS_OF_ONE..STREAMS).map(|_| listeners.admit(of(2)).expect("there is room")).collect();
        assert!(listeners.admit(of(3)).is_none(), "more listen than may");
        held.pop();
        assert!(listeners.admit(of(3)).is_some(), "a place was not given back");
        drop((held, others));
        assert!(listeners.0.lock().unwrap().is_empty());
    }
}

//! Every request has a name, a line in the log, a place in the counters, and an end.

use std::time::{Duration, Instant};

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, web};
use tracing::Instrument;
use uuid::Uuid;

use crate::error::ApiError;
use crate::here::HERE;
use crate::state::AppState;

/// Longest that an answer is waited for. A film that comes in has a bound of its own: it must not stand still.
const LONGEST: Duration = Duration::from_secs(60);
/// The route of films that come in.
const UPLOAD: &str = "/api/projects/{id}/clips";
/// By this name a request is found in the log.
const REQUEST_ID: HeaderName = HeaderName::from_static("x-request-id");

pub(crate) async fn watch<B: MessageBody>(request: ServiceRequest, next: Next<B>) -> Result<ServiceResponse<B>, Error> {
    let id = Uuid::new_v4();
    let span = tracing::info_span!("request", %id, person = tracing::field::Empty);
    watched(request, next, id).instrument(span).await
}

async fn watched<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
    id: Uuid,
) -> Result<ServiceResponse<B>, Error> {
    let begun = Instant::now();
    let (method, path) = (request.method().clone(), request.path().to_owned());
    let pattern = request.match_pattern();
    let metrics = request.app_data::<web::Data<AppState>>().map(|state| state.metrics.clone());
    let bound = if pattern.as_deref() == Some(UPLOAD) && method == Method::PUT { Duration::MAX } else { LONGEST };
    let answered = tokio::time::timeout(bound, next.call(request)).await;
    let mut response = answered.map_err(|_| {
        tracing::warn!(%method, path, "given up");
        ApiError::NotYet("This took too long and was given up. Try again when less is going on.".into())
    })??;
    if let Ok(value) = HeaderValue::from_str(&id.to_string()) {
        response.headers_mut().insert(REQUEST_ID, value);
    }
    let (status, took) = (response.status().as_u16(), begun.elapsed());
    let route = pattern.unwrap_or_else(|| "none".into());
    if let Some(metrics) = metrics {
        metrics.answered(&method, &route, status, took);
    }
    let millis = took.as_secs_f32() * 1000.0;
    if (method == Method::GET || route == HERE) && status < 400 {
        // Many a second while a film plays, or a pointer moves.
        tracing::debug!(%method, path, status, millis, "answered");
    } else {
        tracing::info!(%method, path, status, millis, "answered");
    }
    Ok(response)
}

//! What every request has to pass, and what every answer carries.

use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, ResponseError};

use crate::error::ApiError;

/// Only what ships with the application runs or is shown. Bootstrap's own pictures are `data:`.
const CONTENT_POLICY: &str = "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; \
                              frame-ancestors 'none'; form-action 'self'";

/// Refuses what another site could make a browser send, and adds the headers that keep pages to themselves.
pub(crate) async fn guard<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    let mut response = match refused(&request) {
        Some(error) => request.into_response(error.error_response()).map_into_right_body(),
        None => next.call(request).await?.map_into_left_body(),
    };
    let headers = response.headers_mut();
    let fixed = [
        (header::CONTENT_SECURITY_POLICY, CONTENT_POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "same-origin"),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    ];
    for (name, value) in fixed {
        headers.insert(name, HeaderValue::from_static(value));
    }
    if !headers.contains_key(header::CACHE_CONTROL) {
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    Ok(response)
}

/// The server has no sign-in yet: it trusts this machine, so the name it is called by must be this machine's (or a
/// page elsewhere could point a name of its own at it), and a change must come from one of its own pages.
fn refused(request: &ServiceRequest) -> Option<ApiError> {
    let text = |name: header::HeaderName| request.headers().get(name).and_then(|value| value.to_str().ok());
    let host = text(header::HOST).unwrap_or_default();
    let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
    if !matches!(name, "127.0.0.1" | "localhost" | "[::1]") {
        return Some(ApiError::Forbidden("Open Jam Pin as 127.0.0.1 or localhost.".into()));
    }
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD);
    let foreign = text(header::ORIGIN).is_some_and(|origin| origin.strip_prefix("http://") != Some(host));
    (changes && foreign).then(|| ApiError::Forbidden("This request comes from another site.".into()))
}

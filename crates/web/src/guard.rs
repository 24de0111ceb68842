//! What every request has to pass, and what every answer carries.

use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, ResponseError, web};

use crate::error::ApiError;
use crate::here::HERE;
use crate::state::AppState;

const FETCH_SITE: HeaderName = HeaderName::from_static("sec-fetch-site");

/// Only what ships with the application runs or is shown. Bootstrap's own pictures are `data:`.
const CONTENT_POLICY: &str = "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none'; \
                              frame-ancestors 'none'; form-action 'self'";

/// Refuses what another site could make a browser send, and adds the headers that keep pages to themselves.
pub(crate) async fn guard<B: MessageBody>(
    request: ServiceRequest,
    next: Next<B>,
) -> Result<ServiceResponse<EitherBody<B>>, Error> {
    let state = request.app_data::<web::Data<AppState>>().cloned();
    let changes =
        !matches!(*request.method(), Method::GET | Method::HEAD) && request.match_pattern().as_deref() != Some(HERE);
    let is_secure = state.as_ref().is_some_and(|state| state.settings.reach.is_secure());
    let mut response = match refused(&request) {
        Some(error) => request.into_response(error.error_response()).map_into_right_body(),
        None => next.call(request).await?.map_into_left_body(),
    };
    if changes && let Some(state) = state {
        state.forget_recent();
    }
    let headers = response.headers_mut();
    let fixed = [
        (header::CONTENT_SECURITY_POLICY, CONTENT_POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "same-origin"),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
        (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    ];
    for (name, value) in fixed {
        headers.insert(name, HeaderValue::from_static(value));
    }
    if is_secure {
        headers.insert(header::STRICT_TRANSPORT_SECURITY, HeaderValue::from_static("max-age=31536000"));
    }
    if !headers.contains_key(header::CACHE_CONTROL) {
        headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    }
    Ok(response)
}

/// The name the server is called by must be one of its own (or a page elsewhere could point a name of its own at it), a
/// change must come from one of its own pages, and where there is a proxy nobody gets past it.
fn refused(request: &ServiceRequest) -> Option<ApiError> {
    let forbidden = |why: String| Some(ApiError::Forbidden(why));
    let Some(state) = request.app_data::<web::Data<AppState>>() else { return Some(ApiError::internal("no state")) };
    let reach = &state.settings.reach;
    let peer = request.peer_addr().map(|peer| peer.ip());
    if reach.proxy.is_some_and(|proxy| peer != Some(proxy)) {
        return forbidden("This server is only reached through its proxy.".into());
    }
    let text = |name: header::HeaderName| request.headers().get(name).and_then(|value| value.to_str().ok());
    let host = text(header::HOST).unwrap_or_default();
    if !reach.is_ours(host) {
        return forbidden(reach.names());
    }
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD);
    let is_foreign = text(header::ORIGIN).is_some_and(|origin| !reach.is_own_page(origin, host))
        // Browsers say it of every request since 2023; it cannot be set by a page (Fetch Metadata, W3C).
        || text(FETCH_SITE).is_some_and(|site| matches!(site, "cross-site" | "same-site"));
    if changes && is_foreign { forbidden("This request comes from another site.".into()) } else { None }
}

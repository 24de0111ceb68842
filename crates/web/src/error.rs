//! Errors as answers: a status, a sentence that says what to do, and for programs a word.

use actix_web::error::{JsonPayloadError, PathError, QueryPayloadError};
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, ResponseError};
use jampin_core::action::ActionProblem;
use jampin_media::MediaError;
use jampin_store::StoreError;
use serde_json::json;
use thiserror::Error;

/// Why a request could not be served.
#[derive(Debug, Error)]
pub enum ApiError {
    /// It asks for something that cannot be done, and says why.
    #[error("{0}")]
    Unusable(String),
    /// There is no room for it.
    #[error("{0}")]
    Full(String),
    /// It is larger than allowed.
    #[error("{0}")]
    TooLarge(String),
    /// There is no such thing.
    #[error("{0}")]
    NotFound(String),
    /// Not yet: it is still being made.
    #[error("{0}")]
    NotYet(String),
    /// Something still needs what should go.
    #[error("{0}")]
    InUse(String),
    /// The shot was changed meanwhile.
    #[error("{message}")]
    Stale {
        /// What to tell.
        message: String,
        /// The revision the shot has now.
        revision: i64,
    },
    /// It comes from another site, or from somebody who may look only.
    #[error("{0}")]
    Forbidden(String),
    /// Nobody is signed in.
    #[error("You are not signed in (any more). Sign in, then do this again.")]
    SignedOut,
    /// Everybody here needs one.
    #[error("Everybody here needs a second factor. Add yours first, on the page that has your name.")]
    NoSecondFactor,
    /// There is nobody of this name, or the passphrase is another.
    #[error("Name and passphrase do not fit together.")]
    WrongPassphrase,
    /// It was tried too often.
    #[error("{0}")]
    TooMany(String),
    /// Something is broken on our side; the log has the details.
    #[error("Something is broken on the server. What was saved is kept; the server's log has the reason.")]
    Internal(String),
}

impl ApiError {
    pub(crate) fn internal(error: impl std::fmt::Display) -> Self {
        Self::Internal(error.to_string())
    }

    fn word(&self) -> &'static str {
        match self {
            Self::Unusable(_) => "unusable",
            Self::TooLarge(_) => "too_large",
            Self::Full(_) => "full",
            Self::NotFound(_) => "not_found",
            Self::NotYet(_) => "not_yet",
            Self::InUse(_) => "in_use",
            Self::Stale { .. } => "stale",
            Self::Forbidden(_) => "forbidden",
            Self::NoSecondFactor => "no_second_factor",
            Self::SignedOut => "signed_out",
            Self::WrongPassphrase => "wrong_passphrase",
            Self::TooMany(_) => "too_many",
            Self::Internal(_) => "internal",
        }
    }
}

impl ResponseError for ApiError {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::Unusable(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::TooLarge(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Full(_) => StatusCode::INSUFFICIENT_STORAGE,
            Self::NotFound(_) => StatusCode::NOT_FOUND,
            Self::NotYet(_) => StatusCode::SERVICE_UNAVAILABLE,
            Self::Stale { .. } | Self::InUse(_) => StatusCode::CONFLICT,
            Self::Forbidden(_) | Self::NoSecondFactor => StatusCode::FORBIDDEN,
            Self::SignedOut | Self::WrongPassphrase => StatusCode::UNAUTHORIZED,
            Self::TooMany(_) => StatusCode::TOO_MANY_REQUESTS,
            Self::Internal(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        if let Self::Internal(reason) = self {
            tracing::error!(reason, "request failed");
        }
        let mut body = json!({ "error": self.word(), "message": self.to_string() });
        if let Self::Stale { revision, .. } = self {
            body["revision"] = json!(revision);
        }
        HttpResponse::build(self.status_code()).json(body)
    }
}

impl From<StoreError> for ApiError {
    fn from(error: StoreError) -> Self {
        let message = sentence(&error.to_string());
        match error {
            StoreError::NotFound(_) | StoreError::Deleted => Self::NotFound(message),
            StoreError::InUse(_) => Self::InUse(message),
            StoreError::Full => Self::Full(message),
            StoreError::Stale { revision } => Self::Stale { message, revision },
            StoreError::Edit(_) | StoreError::NothingTo(_) | StoreError::Nul => Self::Unusable(message),
            StoreError::Unreadable(_)
            | StoreError::Database(_)
            | StoreError::Unreachable(_)
            | StoreError::Tool(_)
            | StoreError::LostLease => Self::Internal(message),
        }
    }
}

impl From<MediaError> for ApiError {
    fn from(error: MediaError) -> Self {
        match error {
            MediaError::BadInput(reason) => Self::Unusable(reason),
            MediaError::Limit(reason) => Self::TooLarge(reason),
            MediaError::Full => Self::Full(format!("{error} Nothing was kept.")),
            MediaError::Unreachable => Self::NotYet(error.to_string()),
            other => Self::internal(other),
        }
    }
}

impl From<ActionProblem> for ApiError {
    fn from(problem: ActionProblem) -> Self {
        let message = sentence(&problem.to_string());
        if matches!(problem, ActionProblem::NotThere(_)) { Self::NotFound(message) } else { Self::Unusable(message) }
    }
}

/// With a capital and a full stop.
pub(crate) fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first: String = letters.next().map(|c| c.to_uppercase().collect()).unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) { "" } else { "." };
    format!("{first}{}{end}", letters.as_str())
}

pub(crate) fn bad_json(error: JsonPayloadError, _: &HttpRequest) -> actix_web::Error {
    ApiError::Unusable(sentence(&format!("the request cannot be read: {error}"))).into()
}

pub(crate) fn bad_query(error: QueryPayloadError, _: &HttpRequest) -> actix_web::Error {
    ApiError::Unusable(sentence(&format!("the address cannot be read: {error}"))).into()
}

pub(crate) fn bad_path(_: PathError, request: &HttpRequest) -> actix_web::Error {
    ApiError::NotFound(format!("There is nothing at {}.", request.path())).into()
}

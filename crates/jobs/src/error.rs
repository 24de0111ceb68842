//! How work can fail.

use std::io::ErrorKind;

use jampin_media::MediaError;
use jampin_render::PainterError;
use jampin_store::StoreError;
use thiserror::Error;

/// Why work could not be finished.
#[derive(Debug, Error)]
pub enum TaskError {
    /// Somebody stopped it, or nobody wants it any more.
    #[error("stopped")]
    Cancelled,
    /// Media failed.
    #[error(transparent)]
    Media(MediaError),
    /// The database failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A label could not be drawn.
    #[error(transparent)]
    Paint(#[from] PainterError),
    /// The stored description of the work makes no sense.
    #[error("the description of this work makes no sense: {0}")]
    Payload(#[from] serde_json::Error),
    /// Something that it needs is not there.
    #[error("{0}")]
    Missing(String),
    /// It broke off for a reason that may pass.
    #[error("{0}")]
    BrokenOff(String),
}

impl TaskError {
    /// Whether it waits for something that has to come back first: that is no attempt.
    pub(crate) fn has_to_wait(&self) -> bool {
        matches!(self, Self::Media(MediaError::Unreachable) | Self::Store(StoreError::Unreachable(_)))
    }

    /// Whether it may do better another time: the database or the disk may be back, memory free again.
    pub(crate) fn may_pass(&self) -> bool {
        match self {
            Self::Store(error) => matches!(error, StoreError::Database(_) | StoreError::Unreachable(_)),
            Self::Media(MediaError::Io { source, .. }) => source.kind() != ErrorKind::NotFound,
            Self::Media(error) => matches!(error, MediaError::Ended { .. }),
            Self::BrokenOff(_) => true,
            Self::Cancelled | Self::Paint(_) | Self::Payload(_) | Self::Missing(_) => false,
        }
    }
}

impl From<MediaError> for TaskError {
    fn from(error: MediaError) -> Self {
        match error {
            MediaError::Cancelled => Self::Cancelled,
            other => Self::Media(other),
        }
    }
}

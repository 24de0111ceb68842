//! Kinds of work, and how they can fail.

use std::io::ErrorKind;

use jampin_media::{Cancel, MediaError};
use jampin_render::PainterError;
use jampin_store::{Job, Lease, NewJob, StoreError};
use serde::de::DeserializeOwned;
use thiserror::Error;
use tokio::runtime::Handle;
use uuid::Uuid;

use crate::{ExportTask, FollowTask, PrepareTask, SequenceTask, SolveTask, Worker};

/// A piece of long work, as stored.
#[derive(Clone, Debug)]
pub enum Task {
    /// Make pictures and planes of a clip.
    Prepare(PrepareTask),
    /// Follow a pin.
    Follow(FollowTask),
    /// Solve anew what a guide changes.
    Solve(SolveTask),
    /// Write the finished film.
    Export(ExportTask),
    /// Write the film of a whole project.
    Sequence(SequenceTask),
}

impl Task {
    /// Names of the kinds that a person waits for with the hand on the mouse.
    pub(crate) const QUICK: [&'static str; 2] = ["follow", "solve"];
    /// Names of the kinds that take their time.
    pub(crate) const SLOW: [&'static str; 3] = ["prepare", "export", "sequence"];

    /// The row to store.
    pub fn into_job(self, project: Uuid) -> Result<NewJob, StoreError> {
        let (kind, payload, shot, clip) = match &self {
            Self::Prepare(task) => ("prepare", serde_json::to_value(task)?, None, Some(task.clip)),
            Self::Follow(task) => ("follow", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Solve(task) => ("solve", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Export(task) => ("export", serde_json::to_value(task)?, Some(task.shot), None),
            Self::Sequence(task) => ("sequence", serde_json::to_value(task)?, None, None),
        };
        Ok(NewJob { project, shot, clip, kind: kind.into(), payload })
    }
}

/// A job at hand, and what it is done with.
pub(crate) struct Work<'a> {
    pub worker: &'a Worker,
    /// Where the database's answers are waited for.
    pub runtime: &'a Handle,
    pub job: &'a Job,
    /// What every write is made with.
    pub lease: &'a Lease,
    pub cancel: &'a Cancel,
}

impl Work<'_> {
    /// What is to be done.
    pub fn task<T: DeserializeOwned>(&self) -> Result<T, TaskError> {
        Ok(serde_json::from_value(self.job.payload.clone())?)
    }
}

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

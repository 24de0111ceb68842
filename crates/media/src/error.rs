//! What can go wrong with a film, sorted by who can mend it.

use thiserror::Error;

/// Reading or writing media failed.
#[derive(Debug, Error)]
pub enum MediaError {
    /// The file is not one we can use; tell the person who brought it.
    #[error("{0}")]
    BadInput(String),
    /// A limit we set was reached.
    #[error("{0}")]
    Limit(String),
    /// Somebody asked to stop.
    #[error("stopped by hand")]
    Cancelled,
    /// The decoder or encoder is missing or broke down; tell the operator.
    #[error("{program} failed ({status}): {tail}")]
    Tool {
        /// Which program.
        program: String,
        /// How it ended.
        status: String,
        /// The last of what it said.
        tail: String,
    },
    /// The decoder or encoder was ended from outside, as the system does when memory is short; it may do better another
    /// time.
    #[error("{program} was ended by the system (signal {signal}), perhaps as memory was short.")]
    Ended {
        /// Which program.
        program: String,
        /// By which signal.
        signal: i32,
    },
    /// The disk has no room for it.
    #[error("The disk of the server is full. Make room, then try again.")]
    Full,
    /// What is kept elsewhere cannot be had now; it may be another time.
    #[error(
        "The films cannot be reached for the moment: the object store does not answer as it should. Try again later."
    )]
    Unreachable,
    /// The disk or a pipe failed.
    #[error("{context}: {source}")]
    Io {
        /// What was being done.
        context: String,
        /// The system's word.
        source: std::io::Error,
    },
}

impl MediaError {
    /// Of a failure of the system while something was being done; a full disk is told from others.
    pub fn io(context: impl Into<String>) -> impl FnOnce(std::io::Error) -> Self {
        let context = context.into();
        move |source: std::io::Error| match source.kind() {
            std::io::ErrorKind::StorageFull | std::io::ErrorKind::QuotaExceeded => Self::Full,
            _ => Self::Io { context, source },
        }
    }
}

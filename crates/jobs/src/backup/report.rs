//! What a backup came to.

use std::io;
use std::path::PathBuf;

use jampin_store::StoreError;
use thiserror::Error;

/// Why there is no backup, or nothing was restored.
#[derive(Debug, Error)]
pub enum BackupError {
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A file.
    #[error("{what}: {source}")]
    Io {
        /// What was being done.
        what: String,
        /// The system's reason.
        source: io::Error,
    },
    /// The caller can mend it.
    #[error("{0}")]
    Unusable(String),
}

/// What was copied.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct BackupReport {
    /// Films of shots.
    pub clips: usize,
    /// Pictures and finished films.
    pub others: usize,
    /// Bytes of files that were not there yet.
    pub copied: u64,
    /// Whether media are kept in an object store, and so are not in the backup.
    pub media_elsewhere: bool,
    /// Files that the database promises and that are not in the media folder: they were lost before.
    pub missing: Vec<PathBuf>,
}

pub(super) fn failed(what: impl Into<String>) -> impl FnOnce(io::Error) -> BackupError {
    move |source| BackupError::Io { what: what.into(), source }
}

//! A film while it is being written: a file of its own for each attempt, so that two workers that take each other for
//! dead do not write into one.

use std::path::{Path, PathBuf};

use jampin_media::MediaError;
use jampin_store::{Lease, StoreError};
use tokio::runtime::Handle;

use crate::durable::{make_room_for, put_in_place};
use crate::{TaskError, Worker};

/// Gone with this, unless it was published.
pub(crate) struct Draft<'a> {
    lease: &'a Lease,
    path: PathBuf,
    published: PathBuf,
}

impl<'a> Draft<'a> {
    pub fn new(worker: &Worker, lease: &'a Lease, extension: &str) -> Result<Self, TaskError> {
        let published = worker.library.export(lease.job, extension);
        make_room_for(&published)?;
        let path = published.with_file_name(format!("{}.{}.{extension}", lease.job, lease.attempt));
        Ok(Self { lease, path, published })
    }

    /// Where to write.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Puts what was written in its place, while the job is still ours. Its length in bytes.
    pub fn publish(self, worker: &Worker, runtime: &Handle) -> Result<u64, TaskError> {
        if !runtime.block_on(worker.store.is_held(self.lease))? {
            return Err(StoreError::LostLease.into());
        }
        put_in_place(&self.path, &self.published)?;
        let written = self.published.metadata().map_err(MediaError::io("reading the film"))?.len();
        runtime.block_on(worker.library.keep(&self.published))?;
        worker.library.drop_copy(&self.published);
        Ok(written)
    }
}

impl Drop for Draft<'_> {
    fn drop(&mut self) {
        // Published it is not there any more.
        let _ = std::fs::remove_file(&self.path);
    }
}

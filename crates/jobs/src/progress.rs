//! How far the writing of a film is.

use std::time::{Duration, Instant};

use jampin_store::Lease;
use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;

use crate::Worker;

/// How often progress is written down.
const REPORT: Duration = Duration::from_millis(400);

/// How far it is.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct ExportProgress {
    /// Frames written.
    pub frames: u32,
    /// Frames in all.
    pub of: u32,
}

/// Writes progress down, now and then.
pub(crate) struct Report<'a> {
    worker: &'a Worker,
    runtime: &'a Handle,
    lease: &'a Lease,
    frames: u32,
    /// How often each frame is gone through: painted, then joined.
    passes: u32,
    reported: Instant,
}

impl<'a> Report<'a> {
    pub fn new(worker: &'a Worker, runtime: &'a Handle, lease: &'a Lease, frames: u32, passes: u32) -> Self {
        Self { worker, runtime, lease, frames, passes, reported: Instant::now() }
    }

    /// `steps`: frames done, in all passes together.
    pub fn say(&mut self, steps: u32) {
        if self.reported.elapsed() < REPORT {
            return;
        }
        self.reported = Instant::now();
        let progress = ExportProgress { frames: steps / self.passes, of: self.frames };
        let value = serde_json::to_value(progress).unwrap_or_default();
        if let Err(error) = self.runtime.block_on(self.worker.store.job_progress(self.lease, &value)) {
            tracing::warn!(%error, "progress could not be written down");
        }
    }
}

//! What a job says of itself, on its way to the database while the work goes on: the database may be far.

use std::time::{Duration, Instant};

use jampin_core::time::Frame;
use jampin_core::track::Sample;
use jampin_store::{Appended, Lease, NewSamples, Store, StoreError};
use serde_json::Value;
use tokio::runtime::Handle;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::TaskError;
use crate::pace::Pace;
use crate::work::Work;

/// What is new of a pin.
pub(crate) type Changes = Vec<(Frame, Option<Sample>)>;

/// Writes samples down, one batch at a time.
pub(crate) struct Behind<'a> {
    store: &'a Store,
    runtime: &'a Handle,
    lease: Lease,
    shot: Uuid,
    pace: Pace,
    under_way: Option<JoinHandle<Written>>,
    failed: Option<TaskError>,
}

/// How long writing took, and what came of it.
struct Written {
    took: Duration,
    appended: Result<Appended, StoreError>,
}

impl<'a> Behind<'a> {
    /// Not more often than this.
    pub fn new(work: &Work<'a>, shot: Uuid, least: Duration) -> Self {
        let Work { worker, runtime, lease, .. } = *work;
        let pace = Pace::of(least);
        Self { store: &worker.store, runtime, lease: *lease, shot, pace, under_way: None, failed: None }
    }

    /// Whether it is time to write again.
    pub fn is_due(&mut self) -> bool {
        if self.under_way.as_ref().is_some_and(|writing| !writing.is_finished()) {
            return false;
        }
        self.wait();
        self.failed.is_none() && self.pace.is_due()
    }

    /// Whether what is found is not wanted any more, or cannot be written.
    pub fn has_failed(&self) -> bool {
        self.failed.is_some()
    }

    /// Begins to write. The transaction that takes the samples says how far the job is, too: after a fault it goes on
    /// from what is written, however far it was in between.
    pub fn write(&mut self, new: Vec<(Uuid, Changes)>, progress: Value) {
        self.wait();
        if self.failed.is_some() {
            return;
        }
        let (store, lease, shot) = (self.store.clone(), self.lease, self.shot);
        self.under_way = Some(self.runtime.spawn(async move {
            let begun = Instant::now();
            let new: Vec<NewSamples<'_>> = new.iter().map(|(pin, changes)| (*pin, &**changes)).collect();
            let appended = store.append_samples(&lease, shot, &new, &progress).await;
            Written { took: begun.elapsed(), appended }
        }));
    }

    /// Until all is written.
    pub fn end(&mut self) -> Result<(), TaskError> {
        self.wait();
        self.failed.take().map_or(Ok(()), Err)
    }

    fn wait(&mut self) {
        let Some(writing) = self.under_way.take() else { return };
        match self.runtime.block_on(writing) {
            Ok(Written { took, appended }) => {
                self.pace.wrote(took);
                self.failed = match appended {
                    Ok(Appended::Yes) => None,
                    Ok(Appended::Unwanted) => Some(TaskError::Cancelled),
                    Err(error) => Some(error.into()),
                };
            }
            Err(broken) => match broken.try_into_panic() {
                Ok(panic) => std::panic::resume_unwind(panic),
                // The process ends.
                Err(_) => self.failed = Some(TaskError::Cancelled),
            },
        }
    }
}

/// Says how far a job is. What there would be to say while something is still on its way is left out.
pub(crate) struct Teller<'a> {
    store: &'a Store,
    runtime: &'a Handle,
    lease: Lease,
    on_its_way: Option<JoinHandle<()>>,
}

impl<'a> Teller<'a> {
    pub fn new(work: &Work<'a>) -> Self {
        let Work { worker, runtime, lease, .. } = *work;
        Self { store: &worker.store, runtime, lease: *lease, on_its_way: None }
    }

    pub fn say(&mut self, progress: Value) {
        if self.on_its_way.as_ref().is_some_and(|saying| !saying.is_finished()) {
            return;
        }
        let (store, lease) = (self.store.clone(), self.lease);
        self.on_its_way = Some(self.runtime.spawn(async move {
            match store.job_progress(&lease, &progress).await {
                // The job has ended meanwhile, or somebody else has it.
                Ok(()) | Err(StoreError::LostLease) => {}
                Err(error) => tracing::warn!(%error, "progress could not be written down"),
            }
        }));
    }
}

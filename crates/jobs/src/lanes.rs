//! The loop that takes jobs, keeps them alive, and writes down how they ended.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use jampin_media::{Cancel, MediaError};
use jampin_store::{Event, Job, Lease, StoreError};
use serde_json::Value;
use tokio::runtime::Handle;
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::oneshot;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::work::Work;
use crate::{Task, TaskError, Worker, export, follow, prepare, sequence, solve};

/// How often a worker says that it is alive.
const HEARTBEAT: Duration = Duration::from_secs(1);
/// Pins that one process follows at once: each holds a connection to the database while it writes.
const MOST_AT_ONCE: usize = 6;
/// How often it looks for orphaned jobs when nothing is announced.
const LOOK: Duration = Duration::from_secs(2);

/// How far long work stands back behind requests (nice(2)).
const MODESTY: i32 = 3;
/// How long after it broke off for the first time a job is tried again, and so much longer each time.
const AGAIN: Duration = Duration::from_secs(1);

/// Starts the loops: for what a person waits for one on each processor, so that many pins are followed at once; and one
/// for what takes its time. They run until the process ends.
pub fn spawn_worker(worker: Worker) -> Vec<JoinHandle<()>> {
    let lane = |kinds: &'static [&'static str]| tokio::spawn(worker.clone().run(kinds));
    let quick = std::thread::available_parallelism().map_or(1, usize::from).min(MOST_AT_ONCE);
    let mut lanes: Vec<JoinHandle<()>> = (0..quick).map(|_| lane(&Task::QUICK)).collect();
    lanes.push(lane(&Task::SLOW));
    lanes
}

impl Worker {
    async fn run(self, kinds: &'static [&'static str]) {
        let id = Uuid::new_v4();
        let mut events = self.hub.subscribe();
        loop {
            match self.store.claim(id, kinds).await {
                Ok(Some((job, lease))) => self.work(job, lease).await,
                Ok(None) => wait_for_work(&mut events).await,
                Err(error) => {
                    tracing::error!(%error, "looking for work failed");
                    tokio::time::sleep(LOOK).await;
                }
            }
        }
    }

    async fn work(&self, job: Job, lease: Lease) {
        let id = job.id;
        tracing::info!(job = %id, kind = %job.kind, attempt = job.attempts, "begun");
        let cancel = Cancel::default();
        let full = Arc::new(AtomicBool::new(false));
        let alive = tokio::spawn(keep_alive(self.clone(), lease, cancel.clone(), Arc::clone(&full)));
        let begun = std::time::Instant::now();
        let ended = self.clone().begin(job, lease, cancel).await;
        alive.abort();
        tracing::info!(job = %id, seconds = begun.elapsed().as_secs_f32(), "ended");
        let ended = ended.map(|ended| match ended {
            Err(TaskError::Cancelled) if full.load(Ordering::Relaxed) => Err(MediaError::Full.into()),
            ended => ended,
        });
        let written = match ended {
            Ok(Ok(result)) => self.store.job_done(&lease, result).await,
            Ok(Err(TaskError::Store(StoreError::LostLease))) => Err(StoreError::LostLease),
            // Nobody waits for work of a project that was deleted.
            Ok(Err(TaskError::Cancelled | TaskError::Store(StoreError::Deleted))) => {
                self.store.job_cancelled(&lease).await
            }
            Ok(Err(error)) if error.may_pass() => {
                tracing::warn!(job = %id, %error, "broke off");
                tokio::time::sleep(AGAIN * lease.attempt.unsigned_abs()).await;
                self.store.job_again(&lease, &error.to_string()).await.map(|_| ())
            }
            Ok(Err(error)) => {
                tracing::warn!(job = %id, %error, "failed");
                self.store.job_failed(&lease, &error.to_string()).await
            }
            Err(_) => {
                tracing::error!(job = %id, "broke down");
                self.store.job_failed(&lease, "This broke down inside Jam Pin. The log has the reason.").await
            }
        };
        match written {
            Ok(()) | Err(StoreError::NotFound(_)) => {}
            Err(StoreError::LostLease) => {
                tracing::warn!(job = %id, "somebody else has it now; nothing is written down")
            }
            Err(error) => tracing::error!(job = %id, %error, "how the job ended could not be written down"),
        }
    }

    fn begin(self, job: Job, lease: Lease, cancel: Cancel) -> oneshot::Receiver<Result<Value, TaskError>> {
        let runtime = Handle::current();
        on_its_own_thread(move || self.perform(&runtime, &job, &lease, &cancel))
    }

    fn perform(&self, runtime: &Handle, job: &Job, lease: &Lease, cancel: &Cancel) -> Result<Value, TaskError> {
        let work = Work { worker: self, runtime, job, lease, cancel };
        match job.kind.as_str() {
            "prepare" => prepare::run(&work),
            "follow" => follow::run(&work),
            "solve" => solve::run(&work),
            "export" => export::run(&work),
            "sequence" => sequence::run(&work),
            other => Err(TaskError::Missing(format!("There is no kind of work called {other:?}."))),
        }
    }
}

/// Does something on a thread that lets those go first that people wait for; so do the threads and programs that it
/// starts. The receiver gets an error when it panics, or when there is no thread to be had.
fn on_its_own_thread<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> oneshot::Receiver<T> {
    let (told, ended) = oneshot::channel();
    let work = move || {
        // Where the system refuses, it competes with the others as an equal.
        let _ = rustix::process::nice(MODESTY);
        // Nobody listens any more when the program ends.
        let _ = told.send(work());
    };
    drop(std::thread::Builder::new().name("work".into()).spawn(work));
    ended
}

async fn wait_for_work(events: &mut tokio::sync::broadcast::Receiver<Event>) {
    let announced = async {
        loop {
            match events.recv().await {
                Ok(Event::Job { .. } | Event::Missed) | Err(RecvError::Lagged(_)) => return,
                Ok(_) => {}
                Err(RecvError::Closed) => std::future::pending().await,
            }
        }
    };
    // Without news: a job may have been orphaned, or its announcement missed.
    let _ = tokio::time::timeout(LOOK, announced).await;
}

/// Reports once a second, and at once when the job is spoken of, so that a cancel works within a moment. Stops the job,
/// too, before the disk is full:
/// the database needs room to keep what people do.
async fn keep_alive(worker: Worker, lease: Lease, cancel: Cancel, full: Arc<AtomicBool>) {
    let mut events = worker.hub.subscribe();
    loop {
        if let Err(MediaError::Full) = worker.library.make_sure_of_room(0) {
            full.store(true, Ordering::Relaxed);
            cancel.cancel();
        }
        match worker.store.heartbeat(&lease).await {
            Ok(true) => {}
            Ok(false) => cancel.cancel(),
            Err(error) => tracing::warn!(%error, "heartbeat failed"),
        }
        let spoken_of = async {
            loop {
                match events.recv().await {
                    Ok(Event::Job { job, .. }) if job == lease.job => return,
                    Ok(Event::Missed) => return,
                    Ok(_) | Err(RecvError::Lagged(_)) => {}
                    Err(RecvError::Closed) => std::future::pending().await,
                }
            }
        };
        let _ = tokio::time::timeout(HEARTBEAT, spoken_of).await;
        // A job that reports progress speaks of itself; do not answer each time.
        tokio::time::sleep(Duration::from_millis(8)).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn work_that_panics_ends_with_an_error_and_the_next_goes_on() {
        assert!(on_its_own_thread(|| -> u8 { panic!("made to, by a test") }).await.is_err());
        assert_eq!(on_its_own_thread(|| 7).await, Ok(7));
    }
}

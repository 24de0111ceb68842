//! The loop that takes jobs, keeps them alive, and writes down how they ended.

use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use jampin_media::{Cancel, MediaError};
use jampin_store::{Event, GRACE_MILLIS, Job, Lease, PIECE, Seeker, StoreError, WorkerRow};
use serde_json::Value;
use tokio::runtime::Handle;
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::oneshot;
use tokio::task::JoinHandle;
use uuid::Uuid;

use crate::threads::on_its_own_thread;
use crate::work::Work;
use crate::{Task, TaskError, Worker, export, follow, pieces, prepare, sequence, solve};

/// How often a worker says that it is alive.
const HEARTBEAT: Duration = Duration::from_secs(1);
/// Pins that one process follows at once: each holds a connection to the database while it writes.
const MOST_AT_ONCE: usize = 6;
/// Lanes that a worker may be given.
const MOST_LANES: usize = 64;
/// How often it looks for orphaned jobs when nothing is announced.
const LOOK: Duration = Duration::from_secs(2);

/// How soon it looks again for a job that was announced, and left to a worker that is nearer.
const AFTER_OTHERS: Duration = Duration::from_millis(GRACE_MILLIS as u64 + 50);

/// How long after it broke off for the first time a job is tried again, and so much longer each time.
const AGAIN: Duration = Duration::from_secs(1);

/// How often it is tried to give a job back while the database is away.
const GIVEN_BACK: u32 = 60;

/// What a worker does: the kinds of jobs that each of its lanes takes, those named first before the others.
#[derive(Clone, Debug)]
pub struct Duty(Vec<Vec<Vec<&'static str>>>);

impl Default for Duty {
    /// For what a person waits for a lane on each processor, so that many pins are followed at once; and one for what
    /// takes its time.
    fn default() -> Self {
        let quick = std::thread::available_parallelism().map_or(1, usize::from).min(MOST_AT_ONCE);
        let mut lanes = vec![vec![Task::QUICK.to_vec()]; quick];
        lanes.push(vec![slow(&Task::SLOW)]);
        Self(lanes)
    }
}

impl Duty {
    /// So many jobs at once, of these kinds only; what a person waits for is taken first. Nothing for a kind that there
    /// is not.
    pub fn of(kinds: &[String], lanes: usize) -> Option<Self> {
        let known: Vec<&'static str> = Task::QUICK.into_iter().chain(Task::SLOW).collect();
        if kinds.is_empty() || kinds.iter().any(|kind| !known.contains(&kind.as_str())) {
            return None;
        }
        let among = |all: &[&'static str]| -> Vec<&'static str> {
            all.iter().copied().filter(|kind| kinds.iter().any(|wanted| wanted == kind)).collect()
        };
        let lane: Vec<_> =
            [among(&Task::QUICK), slow(&among(&Task::SLOW))].into_iter().filter(|some| !some.is_empty()).collect();
        Some(Self(vec![lane; lanes.clamp(1, MOST_LANES)]))
    }

    fn kinds(&self) -> Vec<String> {
        let all: BTreeSet<&str> = self.0.iter().flatten().flatten().copied().collect();
        all.into_iter().map(str::to_owned).collect()
    }
}

/// Who takes exports takes pieces of them.
fn slow(kinds: &[&'static str]) -> Vec<&'static str> {
    let pieces = kinds.contains(&"export").then_some(PIECE);
    kinds.iter().copied().chain(pieces).collect()
}

/// Starts the loops, and one that says that they are there. They run until the process ends.
pub fn spawn_worker(worker: Worker, duty: Duty) -> Vec<JoinHandle<()>> {
    let uname = rustix::system::uname();
    let row = WorkerRow {
        id: Uuid::new_v4(),
        host: uname.nodename().to_string_lossy().into_owned(),
        process: i32::try_from(std::process::id()).unwrap_or_default(),
        kinds: duty.kinds(),
        lanes: duty.0.iter().map(|_| Uuid::new_v4()).collect(),
        place: worker.library.place,
    };
    let lanes = row.lanes.clone().into_iter().zip(duty.0);
    let mut loops: Vec<_> = lanes.map(|(id, kinds)| tokio::spawn(worker.clone().run(id, kinds))).collect();
    loops.push(tokio::spawn(worker.be_there(row)));
    loops
}

impl Worker {
    /// Says so as often as a job's heartbeat; what cannot be said is said the next time.
    async fn be_there(self, row: WorkerRow) {
        loop {
            if let Err(error) = self.store.worker_is_there(&row).await {
                tracing::warn!(%error, "the worker could not say that it is there");
            }
            tokio::time::sleep(LOOK).await;
        }
    }

    async fn run(self, id: Uuid, kinds: Vec<Vec<&'static str>>) {
        let mut events = self.hub.subscribe();
        let seeker = Seeker { lane: id, place: self.library.place };
        let mut patience = LOOK;
        loop {
            match self.next_of(seeker, &kinds).await {
                Ok(Some((job, lease))) => self.work(job, lease).await,
                Ok(None) => patience = if wait_for_work(&mut events, patience).await { AFTER_OTHERS } else { LOOK },
                Err(error) => {
                    tracing::error!(%error, "looking for work failed");
                    tokio::time::sleep(LOOK).await;
                }
            }
        }
    }

    async fn next_of(&self, seeker: Seeker, kinds: &[Vec<&'static str>]) -> Result<Option<(Job, Lease)>, StoreError> {
        for kinds in kinds {
            if let Some(found) = self.store.claim(seeker, kinds).await? {
                return Ok(Some(found));
            }
        }
        Ok(None)
    }

    pub(crate) async fn work(&self, job: Job, lease: Lease) {
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
            Ok(Err(error)) if error.has_to_wait() => {
                tracing::warn!(job = %id, %error, "waits");
                tokio::time::sleep(AGAIN * 5).await;
                self.give_back(&lease, &error.to_string()).await
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

    /// For another time, as soon as the database can be told. After a while it is left to be found orphaned.
    async fn give_back(&self, lease: &Lease, problem: &str) -> Result<(), StoreError> {
        let mut told = self.store.job_waits(lease, problem).await;
        for _ in 1..GIVEN_BACK {
            let Err(StoreError::Unreachable(_)) = told else { break };
            tokio::time::sleep(AGAIN).await;
            told = self.store.job_waits(lease, problem).await;
        }
        told
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
            PIECE => pieces::run(&work),
            "sequence" => sequence::run(&work),
            other => Err(TaskError::Missing(format!("There is no kind of work called {other:?}."))),
        }
    }
}

/// Until something may have changed, or so long. Whether it was announced.
async fn wait_for_work(events: &mut tokio::sync::broadcast::Receiver<Event>, patience: Duration) -> bool {
    let announced = async {
        loop {
            match events.recv().await {
                // How far a running one is is no work: of fifty idle lanes each would look for some at every step.
                Ok(Event::Job { state, .. }) if state == "running" => {}
                Ok(Event::Job { .. } | Event::Missed) | Err(RecvError::Lagged(_)) => return,
                Ok(_) => {}
                Err(RecvError::Closed) => std::future::pending().await,
            }
        }
    };
    // Without news: a job may have been orphaned, or its announcement missed.
    tokio::time::timeout(patience, announced).await.is_ok()
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

    #[test]
    fn a_duty_has_so_many_lanes_of_the_kinds_that_there_are() {
        let of =
            |kinds: &[&str], lanes| Duty::of(&kinds.iter().map(|kind| (*kind).to_owned()).collect::<Vec<_>>(), lanes);
        let Duty(lanes) = of(&["export", "follow"], 3).unwrap();
        assert_eq!(lanes, vec![vec![vec!["follow"], vec!["export", "piece"]]; 3]);
        assert_eq!(of(&["solve"], 0).unwrap().0.len(), 1, "a worker without a lane does nothing");
        assert!(of(&[], 1).is_none() && of(&["dance"], 1).is_none());
        assert_eq!(Duty::default().kinds(), ["export", "follow", "piece", "prepare", "sequence", "solve"]);
    }
}
